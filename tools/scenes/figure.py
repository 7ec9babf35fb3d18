"""A person in a work coat and a cap, as one soft body per material."""

import numpy as np
import sdf
from geo import boxes, rot
from noise import noise3, smooth

COAT, TROUSERS, SKIN, CAP, BOOT, SCARF = (
    (0.10, 0.105, 0.115),
    (0.055, 0.05, 0.045),
    (0.36, 0.21, 0.15),
    (0.085, 0.07, 0.055),
    (0.03, 0.022, 0.018),
    (0.20, 0.055, 0.04),
)


def figure(S, at, yaw, rng, stride=0.0, carry=True, cell=0.008, cloth="sack"):
    """Adds the figure, facing +y before it is turned; ``stride`` -1..1 moves the legs and the free arm."""
    R = rot([0, 0, 1], yaw)
    s = stride

    def add(field, low, high, col, step=cell, fold=0.0, seed=3, dirt=0.15):
        f = (lambda p: field(p) + fold * sdf.folds(p, seed)) if fold else field
        v, faces = sdf.mesh(f, low, high, step)
        tone = np.float32(col) * (1 + 0.10 * noise3(v, 0.35, seed + 7)[:, None])
        S[cloth].add(v @ R.T + at, faces, v[:, [0, 2]] * 3, tone, dirt + 0.12 * smooth(v[:, 2], 0.5, 0.1))

    feet = ((-0.105, 0.20 * s), (0.105, -0.20 * s))
    knees = ((-0.10, 0.10 * s + 0.03), (0.10, -0.10 * s + 0.03))
    hips = ((-0.085, 0.0), (0.085, 0.0))

    def legs(p):
        parts = [
            sdf.chain(p, [(h[0], h[1], 0.92), (k[0], k[1], 0.50), (t[0], t[1] - 0.01, 0.10)], (0.092, 0.072, 0.068))
            for h, k, t in zip(hips, knees, feet)
        ]
        parts.append(sdf.ellipsoid(p, (0, 0, 0.93), (0.15, 0.11, 0.13)))
        return sdf.smooth_union(*parts, k=0.05)

    add(legs, (-0.3, -0.42, 0.06), (0.3, 0.42, 1.1), TROUSERS, fold=0.0055, seed=11)

    def boots(p):
        parts = []
        for x, y in feet:
            parts += [
                sdf.cone(p, (x, y, 0.055), (x, y + 0.15, 0.04), 0.052, 0.04),
                sdf.cone(p, (x, y - 0.01, 0.05), (x, y - 0.01, 0.16), 0.055, 0.062),
            ]
        return np.maximum(sdf.smooth_union(*parts, k=0.03), -p[..., 2])

    add(boots, (-0.3, -0.42, -0.01), (0.3, 0.52, 0.24), BOOT)

    elbow_r, hand_r = (
        ((0.285, 0.06, 1.13), (0.13, 0.31, 1.10)) if carry else ((0.27, -0.10 * s, 1.13), (0.245, -0.20 * s + 0.06, 0.87))
    )
    elbow_l, hand_l = (
        ((-0.275, 0.04, 1.13), (-0.14, 0.30, 1.10)) if carry else ((-0.265, 0.10 * s, 1.12), (-0.245, 0.22 * s + 0.05, 0.87))
    )

    def coat(p):
        x, y, z = p[..., 0], p[..., 1], p[..., 2]
        skirt = smooth(z, 1.02, 0.50)
        wide, deep = 0.168 + 0.062 * skirt + 0.014 * smooth(z, 1.0, 1.35), 0.125 + 0.085 * skirt + 0.010 * smooth(z, 1.02, 1.3)
        q = np.sqrt((x / wide) ** 2 + ((y - 0.01 - 0.02 * np.sin(z * 4)) / deep) ** 2)
        trunk = (q - 1) * np.minimum(wide, deep)
        trunk = np.maximum(trunk, np.maximum(0.56 - z, z - 1.36))
        pleats = 0.014 * skirt * np.sin(np.arctan2(y, x) * 7 + 2.2 * noise3(p, 1.2, 8))
        shoulders = sdf.smooth_union(
            sdf.cone(p, (-0.165, -0.01, 1.385), (0.165, -0.01, 1.385), 0.078, 0.078),
            sdf.cone(p, (0, -0.015, 1.30), (0, -0.005, 1.45), 0.12, 0.075),
            k=0.06,
        )
        arms = sdf.smooth_union(
            sdf.chain(p, [(0.19, 0, 1.37), elbow_r, hand_r], (0.080, 0.064, 0.050)),
            sdf.chain(p, [(-0.19, 0, 1.37), elbow_l, hand_l], (0.080, 0.064, 0.050)),
            k=0.01,
        )
        body = sdf.smooth_union(trunk + pleats, shoulders, k=0.09)
        collar = np.maximum(
            sdf.cone(p, (0, -0.01, 1.44), (0, -0.012, 1.53), 0.085, 0.072),
            -sdf.cone(p, (0, 0.01, 1.40), (0, 0.02, 1.60), 0.062, 0.056),
        )
        body = sdf.smooth_union(body, collar, k=0.015)
        belt = 0.006 * np.exp(-(((z - 1.035) / 0.02) ** 2))
        return sdf.smooth_union(body, arms, k=0.035) + 0.008 * np.exp(-(((z - 1.06) / 0.05) ** 2)) - belt

    add(coat, (-0.42, -0.36, 0.52), (0.42, 0.48, 1.62), COAT, fold=0.0050, seed=23)

    def scarf(p):
        ring = (
            np.sqrt(
                (np.hypot(p[..., 0] / 1.05, (p[..., 1] + 0.004) / 0.95) - 0.066) ** 2
                + ((p[..., 2] - 1.505 + 0.1 * p[..., 1]) * 0.75) ** 2
            )
            - 0.022
        )
        tail = sdf.chain(p, [(-0.04, -0.09, 1.49), (-0.06, -0.13, 1.38), (-0.05, -0.135, 1.22)], (0.026, 0.03, 0.032), k=0.02)
        return sdf.smooth_union(ring, tail, k=0.03)

    add(scarf, (-0.14, -0.2, 1.16), (0.14, 0.13, 1.58), SCARF, step=0.005, fold=0.004, seed=31)

    def head(p):
        skull = sdf.smooth_union(
            sdf.ellipsoid(p, (0, -0.008, 1.645), (0.076, 0.095, 0.105)),
            sdf.ellipsoid(p, (0, 0.022, 1.60), (0.056, 0.070, 0.078)),
            k=0.03,
        )
        neck = sdf.cone(p, (0, -0.015, 1.46), (0, -0.008, 1.58), 0.056, 0.054)
        nose = sdf.cone(p, (0, 0.088, 1.64), (0, 0.108, 1.612), 0.008, 0.014)
        ears = sdf.smooth_union(
            sdf.ellipsoid(p, (-0.079, -0.006, 1.63), (0.011, 0.022, 0.034), rot([0, 0, 1], 20)),
            sdf.ellipsoid(p, (0.079, -0.006, 1.63), (0.011, 0.022, 0.034), rot([0, 0, 1], -20)),
            k=0.005,
        )
        jaw = sdf.ellipsoid(p, (0, 0.058, 1.548), (0.032, 0.026, 0.022))
        return sdf.smooth_union(skull, neck, nose, jaw, ears, k=0.018)

    add(head, (-0.13, -0.16, 1.44), (0.13, 0.16, 1.79), SKIN, step=0.004)

    def hair(p):
        cap_line = p[..., 2] - 1.69 - 0.22 * p[..., 1]
        shell = sdf.ellipsoid(p, (0, -0.016, 1.645), (0.081, 0.098, 0.107)) + 0.003 * noise3(p * np.float32([1, 1, 0.4]), 0.05, 4)
        return np.maximum(
            np.maximum(shell, cap_line),
            np.maximum(p[..., 1] - 0.0 + 0.35 * (p[..., 2] - 1.62), 1.565 - p[..., 2] + 0.2 * np.abs(p[..., 0])),
        )

    add(hair, (-0.12, -0.16, 1.53), (0.12, 0.1, 1.76), (0.045, 0.03, 0.02), step=0.004)

    def cap(p):
        crown = sdf.smooth_union(
            sdf.ellipsoid(p, (0, -0.012, 1.715), (0.108, 0.125, 0.040), rot([1, 0, 0], 9)),
            sdf.ellipsoid(p, (0, -0.01, 1.70), (0.088, 0.108, 0.05), rot([1, 0, 0], 9)),
            k=0.02,
        )
        peak = np.maximum(sdf.ellipsoid(p, (0, 0.085, 1.692), (0.078, 0.072, 0.012), rot([1, 0, 0], -10)), -p[..., 1])
        return sdf.smooth_union(crown, peak, k=0.012)

    add(cap, (-0.16, -0.19, 1.62), (0.16, 0.19, 1.80), CAP, step=0.004, fold=0.002, seed=41)

    for side, e, h in ((1, elbow_r, hand_r), (-1, elbow_l, hand_l)):
        e, h = np.array(e), np.array(h)
        d = (h - e) / np.linalg.norm(h - e)
        palm = h + d * 0.055

        def hand(p, d=d, palm=palm, h=h, side=side):
            fingers = [
                sdf.cone(
                    p,
                    palm + np.array([i * 0.016 - 0.024, 0, 0]),
                    palm + d * 0.06 + np.array([i * 0.014 - 0.021, 0, -0.012]),
                    0.0095,
                    0.008,
                )
                for i in range(4)
            ]
            return sdf.smooth_union(
                sdf.cone(p, h - d * 0.02, palm, 0.030, 0.036),
                *fingers,
                sdf.cone(p, palm - d * 0.02, palm + d * 0.03 + [-side * 0.035, 0, 0.01], 0.012, 0.009),
                k=0.012,
            )

        c = palm + d * 0.02
        add(hand, c - 0.13, c + 0.13, SKIN, step=0.005)
    if carry:
        v, f = boxes([[0, 0.43, 1.085]], [0.46, 0.24, 0.022], 0.004)
        S["wood"].add(v @ R.T + at, f, v[:, :2], (0.24, 0.16, 0.10))
        cs = [
            [x, 0.43 + rng.normal(0, 0.003), 1.103 + 0.014 * k]
            for x in (-0.14, 0.01, 0.15)
            for k in range(int(rng.integers(3, 7)))
        ]
        v, f = boxes(np.array(cs), [0.13, 0.19, 0.012], 0.002, np.array([rot([0, 0, 1], rng.normal(0, 2)) for _ in cs]))
        S["tile"].add(
            v @ R.T + at, f, col=np.repeat(np.float32([0.42, 0.22, 0.12]) * np.exp(rng.normal(0, 0.15, (len(cs), 1))), 24, 0)
        )
