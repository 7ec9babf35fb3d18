"""A person in a work coat and a cap, as one soft body per material."""

import numpy as np
import sdf
from geo import boxes, rot
from noise import noise3, smooth

COAT, TROUSERS, SKIN, CAP, BOOT, SCARF = (.10, .105, .115), (.055, .05, .045), (.36, .21, .15), (.085, .07, .055), (.03, .022, .018), (.20, .055, .04)


def figure(S, at, yaw, rng, stride=0.0, carry=True, cell=0.008, cloth='sack'):
    """Adds the figure, facing +y before it is turned; ``stride`` -1..1 moves the legs and the free arm."""
    R = rot([0, 0, 1], yaw)
    s = stride

    def add(field, low, high, col, step=cell, fold=0.0, seed=3, dirt=.15):
        f = (lambda p: field(p) + fold * sdf.folds(p, seed)) if fold else field
        v, faces = sdf.mesh(f, low, high, step)
        tone = np.float32(col) * (1 + .10 * noise3(v, .35, seed + 7)[:, None])
        S[cloth].add(v @ R.T + at, faces, v[:, [0, 2]] * 3, tone, dirt + .12 * smooth(v[:, 2], .5, .1))

    feet = ((-.105, .20 * s), (.105, -.20 * s))
    knees = ((-.10, .10 * s + .03), (.10, -.10 * s + .03))
    hips = ((-.085, 0.), (.085, 0.))

    def legs(p):
        parts = [sdf.chain(p, [(h[0], h[1], .92), (k[0], k[1], .50), (t[0], t[1] - .01, .10)], (.092, .072, .068)) for h, k, t in zip(hips, knees, feet)]
        parts.append(sdf.ellipsoid(p, (0, 0, .93), (.15, .11, .13)))
        return sdf.smooth_union(*parts, k=.05)
    add(legs, (-.3, -.42, .06), (.3, .42, 1.1), TROUSERS, fold=.0055, seed=11)

    def boots(p):
        parts = []
        for x, y in feet:
            parts += [sdf.cone(p, (x, y, .055), (x, y + .15, .04), .052, .04), sdf.cone(p, (x, y - .01, .05), (x, y - .01, .16), .055, .062)]
        return np.maximum(sdf.smooth_union(*parts, k=.03), -p[..., 2])
    add(boots, (-.3, -.42, -.01), (.3, .52, .24), BOOT)

    elbow_r, hand_r = ((.285, .06, 1.13), (.13, .31, 1.10)) if carry else ((.27, -.10 * s, 1.13), (.245, -.20 * s + .06, .87))
    elbow_l, hand_l = ((-.275, .04, 1.13), (-.14, .30, 1.10)) if carry else ((-.265, .10 * s, 1.12), (-.245, .22 * s + .05, .87))

    def coat(p):
        x, y, z = p[..., 0], p[..., 1], p[..., 2]
        skirt = smooth(z, 1.02, .50)
        wide, deep = .168 + .062 * skirt + .014 * smooth(z, 1.0, 1.35), .125 + .085 * skirt + .010 * smooth(z, 1.02, 1.3)
        q = np.sqrt((x / wide) ** 2 + ((y - .01 - .02 * np.sin(z * 4)) / deep) ** 2)
        trunk = (q - 1) * np.minimum(wide, deep)
        trunk = np.maximum(trunk, np.maximum(.56 - z, z - 1.36))
        pleats = .014 * skirt * np.sin(np.arctan2(y, x) * 7 + 2.2 * noise3(p, 1.2, 8))
        shoulders = sdf.smooth_union(sdf.cone(p, (-.165, -.01, 1.385), (.165, -.01, 1.385), .078, .078), sdf.cone(p, (0, -.015, 1.30), (0, -.005, 1.45), .12, .075), k=.06)
        arms = sdf.smooth_union(sdf.chain(p, [(.19, 0, 1.37), elbow_r, hand_r], (.080, .064, .050)), sdf.chain(p, [(-.19, 0, 1.37), elbow_l, hand_l], (.080, .064, .050)), k=.01)
        body = sdf.smooth_union(trunk + pleats, shoulders, k=.09)
        collar = np.maximum(sdf.cone(p, (0, -.01, 1.44), (0, -.012, 1.53), .085, .072), -sdf.cone(p, (0, .01, 1.40), (0, .02, 1.60), .062, .056))
        body = sdf.smooth_union(body, collar, k=.015)
        belt = .006 * np.exp(-((z - 1.035) / .02) ** 2)
        return sdf.smooth_union(body, arms, k=.035) + .008 * np.exp(-((z - 1.06) / .05) ** 2) - belt
    add(coat, (-.42, -.36, .52), (.42, .48, 1.62), COAT, fold=.0050, seed=23)

    def scarf(p):
        ring = np.sqrt((np.hypot(p[..., 0] / 1.05, (p[..., 1] + .004) / .95) - .066) ** 2 + ((p[..., 2] - 1.505 + .1 * p[..., 1]) * .75) ** 2) - .022
        tail = sdf.chain(p, [(-.04, -.09, 1.49), (-.06, -.13, 1.38), (-.05, -.135, 1.22)], (.026, .03, .032), k=.02)
        return sdf.smooth_union(ring, tail, k=.03)
    add(scarf, (-.14, -.2, 1.16), (.14, .13, 1.58), SCARF, step=.005, fold=.004, seed=31)

    def head(p):
        skull = sdf.smooth_union(sdf.ellipsoid(p, (0, -.008, 1.645), (.076, .095, .105)), sdf.ellipsoid(p, (0, .022, 1.60), (.056, .070, .078)), k=.03)
        neck = sdf.cone(p, (0, -.015, 1.46), (0, -.008, 1.58), .056, .054)
        nose = sdf.cone(p, (0, .088, 1.64), (0, .108, 1.612), .008, .014)
        ears = sdf.smooth_union(sdf.ellipsoid(p, (-.079, -.006, 1.63), (.011, .022, .034), rot([0, 0, 1], 20)), sdf.ellipsoid(p, (.079, -.006, 1.63), (.011, .022, .034), rot([0, 0, 1], -20)), k=.005)
        jaw = sdf.ellipsoid(p, (0, .058, 1.548), (.032, .026, .022))
        return sdf.smooth_union(skull, neck, nose, jaw, ears, k=.018)
    add(head, (-.13, -.16, 1.44), (.13, .16, 1.79), SKIN, step=.004)

    def hair(p):
        cap_line = p[..., 2] - 1.69 - .22 * p[..., 1]
        shell = sdf.ellipsoid(p, (0, -.016, 1.645), (.081, .098, .107)) + .003 * noise3(p * np.float32([1, 1, .4]), .05, 4)
        return np.maximum(np.maximum(shell, cap_line), np.maximum(p[..., 1] - .0 + .35 * (p[..., 2] - 1.62), 1.565 - p[..., 2] + .2 * np.abs(p[..., 0])))
    add(hair, (-.12, -.16, 1.53), (.12, .1, 1.76), (.045, .03, .02), step=.004)

    def cap(p):
        crown = sdf.smooth_union(sdf.ellipsoid(p, (0, -.012, 1.715), (.108, .125, .040), rot([1, 0, 0], 9)), sdf.ellipsoid(p, (0, -.01, 1.70), (.088, .108, .05), rot([1, 0, 0], 9)), k=.02)
        peak = np.maximum(sdf.ellipsoid(p, (0, .085, 1.692), (.078, .072, .012), rot([1, 0, 0], -10)), -p[..., 1])
        return sdf.smooth_union(crown, peak, k=.012)
    add(cap, (-.16, -.19, 1.62), (.16, .19, 1.80), CAP, step=.004, fold=.002, seed=41)

    for side, e, h in ((1, elbow_r, hand_r), (-1, elbow_l, hand_l)):
        e, h = np.array(e), np.array(h)
        d = (h - e) / np.linalg.norm(h - e)
        palm = h + d * .055

        def hand(p, d=d, palm=palm, h=h, side=side):
            fingers = [sdf.cone(p, palm + np.array([i * .016 - .024, 0, 0]) * (1 if abs(d[2]) > .5 or carry else 1), palm + d * .06 + np.array([i * .014 - .021, 0, -.012]), .0095, .008) for i in range(4)]
            return sdf.smooth_union(sdf.cone(p, h - d * .02, palm, .030, .036), *fingers, sdf.cone(p, palm - d * .02, palm + d * .03 + [-side * .035, 0, .01], .012, .009), k=.012)
        c = palm + d * .02
        add(hand, c - .13, c + .13, SKIN, step=.005)
    if carry:
        v, f = boxes([[0, .43, 1.085]], [.46, .24, .022], .004)
        S['wood'].add(v @ R.T + at, f, v[:, :2], (.24, .16, .10))
        cs = [[x, .43 + rng.normal(0, .003), 1.103 + .014 * k] for x in (-.14, 0.01, .15) for k in range(int(rng.integers(3, 7)))]
        v, f = boxes(np.array(cs), [.13, .19, .012], .002, np.array([rot([0, 0, 1], rng.normal(0, 2)) for _ in cs]))
        S['tile'].add(v @ R.T + at, f, col=np.repeat(np.float32([.42, .22, .12]) * np.exp(rng.normal(0, .15, (len(cs), 1))), 24, 0))
