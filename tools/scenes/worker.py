"""A kiln worker in cap, waistcoat and apron who carries a board of tiles: soft bodies, one per piece of clothing.

Local coordinates in metres: the worker stands at the origin and faces +y, +x is to the right hand. Built for a height of about
900 picture elements: features down to 2 mm.
"""

import heads
import numpy as np
import sdf
from geo import boxes, rot, tube
from noise import mix, noise3, smooth

SKIN, SHIRT, VEST, APRON, TROUSERS, CAP, SCARF, HAIR = (
    np.float32(c)
    for c in ((.40, .235, .165), (.40, .385, .345), (.080, .066, .055), (.33, .285, .215), (.075, .070, .066), (.115, .095, .072), (.27, .055, .04), (.060, .040, .026))
)
HIPS = ((.090, .0, .935), (-.090, .0, .915))
KNEES = ((.108, .025, .505), (-.118, .125, .495))
ANKLES = ((.112, -.03, .085), (-.135, .075, .085))
SHOULDERS = ((.190, -.005, 1.400), (-.190, -.010, 1.412))
ELBOWS = ((.238, -.055, 1.125), (-.242, -.05, 1.130))
WRISTS = ((.226, .205, 1.082), (-.226, .205, 1.086))
NECK = np.array([0, .012, 1.575])                    # where the head turns
PIVOT = np.array([0, .020, .360])                    # the same place in the coordinates of `heads`


def _along(p, a, b):
    """Metres along the line from a, and the line's length."""
    a, b = np.asarray(a, np.float32), np.asarray(b, np.float32)
    length = float(np.linalg.norm(b - a))
    return ((p - a) @ ((b - a) / length)), length


def _rings(t, at, width, period, p, seed, size=.5):
    """Creases that run round a limb near one place."""
    return np.sin(2 * np.pi * t / period + 2.6 * noise3(p, size, seed, n=32, beta=5)) * np.exp(-(((t - at) / width) ** 2))


def _soft(p, seed):
    """Creases of heavy cloth, mostly downwards, without the finest ones."""
    a = noise3(p * np.float32([1, 1, .28]), .9, seed, n=32, beta=4.6)
    b = noise3(p * np.float32([1, 1, .6]), .40, seed + 1, n=32, beta=4.6)
    return .6 * np.sign(a) * np.abs(a) ** .8 + .4 * b


def legs(p):
    """Both trouser legs and the seat."""
    parts = []
    for hip, knee, ankle in zip(HIPS, KNEES, ANKLES, strict=True):
        leg = sdf.chain(p, [hip, knee, ankle], (.100, .074, .078), k=.03)
        t, upper = _along(p, hip, knee)
        z = p[..., 2]
        leg = leg - .0055 * _rings(t, upper, .10, .060, p, 3) - .0065 * _rings(z, .15, .06, .060, p, 4) - .004 * _rings(t, .10, .08, .07, p, 5)
        parts.append(leg)
    parts.append(sdf.ellipsoid(p, (0, -.018, .955), (.165, .118, .135)))
    return sdf.smooth_union(*parts, k=.028) - .0045 * _soft(p, 11)


def _torso(p):
    z = p[..., 2]
    wide = np.interp(z, [.95, 1.06, 1.22, 1.34, 1.42, 1.47], [.158, .152, .172, .184, .160, .085])
    deep = np.interp(z, [.95, 1.06, 1.22, 1.34, 1.42, 1.47], [.118, .112, .124, .120, .095, .070])
    lean = -.010 + .035 * (1.25 - z) * (z < 1.25)
    q = np.sqrt((np.abs(p[..., 0]) / wide) ** 2.3 + (np.abs(p[..., 1] - lean) / deep) ** 2.3) ** (2 / 2.3)
    trunk = (q - 1) * np.minimum(wide, deep) * .9
    trunk = np.maximum(trunk, np.maximum(.94 - z, z - 1.47))
    slope = [sdf.cone(p, (s * .040, -.020, 1.478), (s * .172, -.008, 1.402 + .006 * (s < 0)), .044, .064) for s in (1, -1)]
    return sdf.smooth_union(trunk, *slope, k=.045)


def shirt(p):
    """Body and sleeves rolled up to the elbow."""
    body = _torso(p) - .0030 * _soft(p, 21)
    for s, e in zip(SHOULDERS, ELBOWS, strict=True):
        s, e = np.array(s), np.array(e)
        t, length = _along(p, s, e)
        end = s + (e - s) * .90
        sleeve = sdf.chain(p, [s, s + (e - s) * .5, end], (.066, .064, .060), k=.02)
        sleeve = sleeve - .0050 * _rings(t, length * .70, .10, .058, p, 23, .36) - .006 * _rings(t, .02, .07, .05, p, 24) - .0030 * _soft(p, 25)
        cuff = np.maximum(sdf.cone(p, s + (e - s) * .78, s + (e - s) * .98, .067, .064), np.abs(t - length * .885) - .026)
        body = sdf.smooth_union(body, sleeve, k=.03)
        body = sdf.smooth_union(body, cuff - .0022 * _rings(t, length * .9, .05, .017, p, 26, .25), k=.004)
    neck = sdf.cone(p, (0, -.010, 1.46), (0, .000, 1.535), .072, .062)
    collar = np.maximum(neck, -sdf.cone(p, (0, .008, 1.42), (0, .020, 1.58), .058, .056))
    return sdf.smooth_union(body, np.maximum(collar, p[..., 2] - 1.53 + .35 * np.maximum(p[..., 1], 0)), k=.012)


def vest(p):
    """Waistcoat, buttoned."""
    x, y, z = p[..., 0], p[..., 1], p[..., 2]
    body = _torso(p) - .0115 - .0020 * _soft(p, 31) - .003 * _rings(z, 1.10, .08, .05, p, 32)
    for s in (1, -1):                                # arm holes
        body = sdf.smooth_cut(body, sdf.ellipsoid(p, (s * .212, -.005, 1.385), (.062, .120, .118)), k=.008)
    front = np.where(y > 0, np.abs(x) - .30 * (z - 1.215), 1.0)
    body = sdf.smooth_cut(body, np.maximum(front, -y), k=.006)
    hem = z - .985 - .10 * np.maximum(.035 - np.abs(x), 0) * (y > 0) * -1
    body = np.maximum(body, -hem)
    edge = sdf.cone(p, (.006, .16, .95), (.006, .16, 1.22), .050, .050)
    body = body - .0030 * smooth(edge, .0035, -.0035) * (x < .006)
    for k in range(5):
        yb = np.interp(1.035 + .045 * k, [1.06, 1.22], [.1185, .1270])
        body = sdf.smooth_union(body, sdf.ellipsoid(p, (-.008, yb, 1.035 + .045 * k), (.0085, .0060, .0085)), k=.0015)
    for s in (1, -1):
        welt = sdf.box(p, (s * .092, .100, 1.115), (.046, .034, .009), .004, rot([0, 1, 0], s * 7) @ rot([0, 0, 1], -s * 24))
        body = sdf.smooth_union(body, welt, k=.003)
    return body


def apron(p):
    """Canvas from the waist to the shins, wrapped to the sides, with a pocket."""
    x, y, z = p[..., 0], p[..., 1], p[..., 2]
    angle = np.arctan2(x, y + .02)
    low = smooth(z, 1.0, .45)
    wide = np.interp(z, [.40, .70, 1.03], [.212, .192, .180])
    deep = np.interp(z, [.40, .70, 1.03], [.165, .150, .138])
    pleat = low * (.013 * np.sin(6.5 * angle + 1.2 * noise3(p, .9, 40, n=32, beta=5) + 1.0) + .006 * np.sin(15 * angle + 1.6 * noise3(p, .9, 41, n=32, beta=5)))
    q = np.hypot(x / wide, (y - .002) / deep)
    solid = (q - 1) * np.minimum(wide, deep) * .95 - pleat
    solid = sdf.smooth_union(solid, legs(p) - .012, k=.05) - .0035 * _soft(p, 42) - .003 * _rings(z, .98, .06, .05, p, 43)
    pocket = np.maximum(np.maximum(np.abs(x - .012) - .105, np.abs(z - .790) - .075), -y)
    solid = solid - .0042 * smooth(pocket, .003, -.003)
    sheet = np.abs(solid) - .0032
    hem = .415 + .010 * np.sin(5 * angle + .6) + .02 * np.maximum(-x, 0)
    cut = np.maximum(hem - z, z - 1.035)
    sides = np.abs(angle) - 1.62 - .12 * low
    sheet = np.maximum(sheet, np.maximum(cut, sides * .15))
    tie = np.maximum(np.abs(np.hypot(x / 1.30, y - .002) - .1430) - .005, np.abs(z - 1.018 - .006 * np.sin(3 * angle)) - .014)
    return sdf.smooth_union(sheet, tie, k=.004)


def _boot(p, ankle, turn):
    a = np.array(ankle)
    R = rot([0, 0, 1], turn)
    q = (p - np.float32([a[0], a[1], 0])) @ np.asarray(R, np.float32)
    upper = sdf.smooth_union(sdf.cone(q, (0, .0, .05), (0, -.005, .17), .050, .060), sdf.chain(q, [(0, .0, .062), (.002, .105, .058), (-.004, .168, .047)], (.050, .046, .044), k=.02), k=.03)
    upper = upper - .0022 * _rings(q[..., 1], .10, .035, .022, q, 51, .2) - .001 * noise3(q, .12, 52)
    cap = .0020 * smooth(q[..., 1] - .002 * np.sin(q[..., 0] * 90), .128, .132)
    sole = np.maximum(sdf.chain(q, [(0, -.035, .012), (.002, .06, .012), (-.004, .160, .012)], (.043, .043, .050), k=.02), np.abs(q[..., 2] - .013) - .013)
    notch = np.maximum(np.abs(q[..., 1] - .035) - .030, q[..., 2] - .012)      # in front of the heel
    return sdf.smooth_union(np.maximum(upper - cap, .012 - q[..., 2]), sdf.smooth_cut(sole, notch, k=.004), k=.003)


def _arm(p, elbow, wrist, side):
    """Forearm and hand under the board; the thumb lies on it."""
    e, w = np.array(elbow), np.array(wrist)
    arm = sdf.chain(p, [e, e + (w - e) * .32, w], (.043, .046, .029), k=.02)
    palm = sdf.ellipsoid(p, w + [-side * .010, .055, .002], (.041, .052, .017), rot([0, 1, 0], side * 10))
    out = sdf.smooth_union(arm, palm, k=.022)
    for i, reach in enumerate((.050, .062, .060, .046)):
        root = w + [-side * (.038 - .019 * i) * 1.0, .088 - .004 * abs(i - 1.5), .002]
        mid = root + [-side * .006, reach * .62, -.004]
        tip = mid + [-side * .006, reach * .45, .013]
        out = sdf.smooth_union(out, sdf.chain(p, [root, mid, tip], (.0105, .0092, .0080), k=.004), k=.007)
    thumb = sdf.chain(p, [w + [side * .022, .020, .008], w + [side * .030, .052, .042], w + [side * .004, .085, .068]], (.014, .0125, .0095), k=.006)
    out = sdf.smooth_union(out, thumb, k=.010)
    return out - .0006 * noise3(p, .05, 61) - .0012 * smooth(noise3(p * np.float32([1, .35, 1]), .10, 62), .9, 1.6)


def _hair(p):
    shell = sdf.smooth_union(sdf.ellipsoid(p, (0, .024, .453), (.0785, .096, .089)), sdf.ellipsoid(p, (0, .006, .432), (.0700, .072, .080)), k=.025)
    line = -.022 - .5 * np.maximum(p[..., 2] - .42, 0) - p[..., 1]            # behind the temples
    ear = heads.both(lambda q: sdf.ellipsoid(q, (.078, .014, .396), (.024, .021, .036)), p)
    nape = .372 - .35 * np.maximum(p[..., 1], 0) - p[..., 2]
    strands = .0016 * noise3(p * np.float32([1, 1, .3]), .05, 71) + .0010 * noise3(p, .02, 72)
    return np.maximum(np.maximum(np.maximum(shell - strands, line), nape), -ear)


def _cap(p):
    crown = sdf.smooth_union(
        sdf.ellipsoid(p, (0, .022, .516), (.106, .130, .034), rot([1, 0, 0], 13)), sdf.ellipsoid(p, (0, .024, .494), (.0865, .104, .048), rot([1, 0, 0], 6)), k=.022
    )
    crown = crown - .0030 * _soft(p * 1.6, 81) - .0028 * _rings(p[..., 1], .10, .08, .05, p, 82, .3)
    peak = sdf.ellipsoid(p, (0, -.088, .486), (.074, .058, .0085), rot([1, 0, 0], 16))
    peak = np.maximum(peak, p[..., 1] + .035)
    inside = sdf.ellipsoid(p, (0, .024, .462), (.078, .096, .060))
    return sdf.smooth_cut(sdf.smooth_union(crown, peak, k=.008), inside, k=.004)


def _moustache(p):
    both = heads.both(lambda q: sdf.chain(q, [(.003, -.0905, .3625), (.014, -.0885, .3600), (.029, -.0790, .3530)], (.0052, .0058, .0022), k=.006), p)
    return both - .0012 * noise3(p * np.float32([1, 1, .4]), .02, 91)


def _scarf(p):
    ring = np.sqrt((np.hypot(p[..., 0] / 1.05, p[..., 1] - .004) - .068) ** 2 + ((p[..., 2] - 1.502 + .16 * p[..., 1]) * .62) ** 2) - .017
    ring = ring - .005 * np.sin(3 * np.arctan2(p[..., 0], p[..., 1]) + 110 * (p[..., 2] - 1.5) + 1.5 * noise3(p, .3, 101, n=32, beta=5))
    knot = sdf.ellipsoid(p, (.006, .086, 1.478), (.021, .017, .018))
    ends = sdf.smooth_union(*[sdf.chain(p, [(.006, .088, 1.474), (.006 + s * .022, .100, 1.440), (.004 + s * .030, .112, 1.405)], (.010, .013, .010), k=.01) for s in (1, -1)], k=.004)
    return sdf.smooth_union(ring, knot, ends - .002 * np.sin(p[..., 0] * 500), k=.008)


def _skin_colour(v):
    """Of the head, in the coordinates of `heads`: weathered cheeks, stubble, brows, lips, eyes."""
    x, y, z = np.abs(v[:, 0]), v[:, 1], v[:, 2]
    fine = noise3(v, .012, 111, beta=2.0)
    col = SKIN * (1 + .07 * noise3(v, .06, 112) + .04 * fine)[:, None]
    red = np.exp(-(((x - .045) / .022) ** 2) - ((z - .385) / .022) ** 2) + .9 * np.exp(-((x / .013) ** 2) - ((z - .383) / .014) ** 2) * (y < -.08) + .7 * (x > .072)
    col = mix(col, np.float32([.40, .165, .115]), np.clip(red, 0, 1)[:, None] * .55)
    beard = smooth(z, .374, .350) * smooth(z, .285, .312) + smooth(x, .045, .056) * smooth(z, .405, .37) * smooth(y, .015, -.01)
    beard = np.clip(beard, 0, 1) * smooth(y, .03, .0) * (.42 + .25 * np.clip(fine, -1, 1))
    lips = smooth(np.hypot(x / .026, (z - .3470) / .0085), 1.05, .80) * (y < -.076)
    col = mix(col, np.float32([.13, .105, .09]), (np.clip(beard, 0, 1) * (1 - lips))[:, None])
    col = mix(col, np.float32([.33, .150, .115]), lips[:, None] * .8)
    line = np.interp(x, [.008, .026, .046], [.4365, .4425, .4375])
    brow = np.exp(-(((z - line) / .0050) ** 2)) * smooth(x, .006, .012) * smooth(x, .052, .044) * (y < -.045)
    col = mix(col, HAIR, np.clip(brow * (1.0 + .4 * fine), 0, 1)[:, None] * .9)
    dx, dz = x - .0305, z - .4124
    open_ = (dz < .0046 - 7 * dx**2) & (dz > -.0046 + 5 * dx**2) & (np.abs(dx) < .0125) & (y < -.055)
    eye = np.where((np.hypot(dx - .0008, dz - .0004) < .0056)[:, None], np.float32([.045, .035, .028]), np.float32([.30, .27, .24]))
    lash = np.exp(-(((dz - .0046 + 7 * dx**2) / .0013) ** 2)) * (np.abs(dx) < .0145) * (y < -.055)
    col = np.where(open_[:, None], eye, col)
    return mix(col, np.float32([.05, .035, .028]), lash[:, None] * .8)


def worker(S, at, yaw, rng, head_turn=-16.0, head_down=7.0, cell=.0042, cloth='cloth', skin='skin'):
    """Adds the worker to the soups ``cloth`` and ``skin``; the board goes to ``wood`` and its load to ``tile``."""
    R = rot([0, 0, 1], yaw)

    def put(soup, field, low, high, colour, step=cell, dirt=.15, turn=None):
        v, f = sdf.mesh(field, low, high, step)
        col = colour(v) if callable(colour) else np.float32(colour) * (1 + .09 * noise3(v, .35, 7) + .05 * noise3(v, .03, 8, beta=2.2))[:, None]
        w = (v - PIVOT) @ turn.T + NECK if turn is not None else v
        d = dirt(v) if callable(dirt) else dirt
        S[soup].add(w @ R.T + at, f, np.stack([v[:, 0] + v[:, 1] * .8, v[:, 2]], 1) * 8, np.clip(col, .004, .9), d)

    dust = lambda v: np.clip(.12 + .30 * smooth(v[:, 2], .45, .05) + .18 * noise3(v, .5, 121) + .45 * np.exp(-(((v[:, 2] - .50) / .07) ** 2)) * (v[:, 1] > .05), 0, .8)
    put(cloth, lambda p: np.maximum(legs(p), .075 + .012 * np.sin(30 * p[..., 0]) - p[..., 2]), (-.30, -.26, .05), (.30, .30, 1.10), TROUSERS, dirt=dust)
    for ankle, turn in zip(ANKLES, (-7, 13), strict=True):
        a = np.array(ankle)
        put(skin, lambda p, k=ankle, t=turn: _boot(p, k, t), (a[0] - .14, a[1] - .12, -.004), (a[0] + .14, a[1] + .27, .25), (.040, .028, .020), .003, lambda v: np.clip(.35 * smooth(v[:, 2], .09, .02) + .12 * noise3(v, .2, 122) + .1, 0, .7))

    def stripes(v):
        k = v[:, 0].copy()
        for s, e in zip(SHOULDERS, ELBOWS, strict=True):          # on the sleeves they run along the arm
            on_arm = np.linalg.norm(v - s - np.clip(_along(v, s, e)[0], .05, .3)[:, None] * (np.array(e) - s) / np.linalg.norm(np.array(e) - s), axis=1) < .085
            k = np.where(on_arm & (np.abs(v[:, 0]) > .165), .066 * np.arctan2(v[:, 1] - s[1] - .15 * (v[:, 2] - 1.4), v[:, 0] - s[0] + .17 * np.sign(s[0]) * (v[:, 2] - 1.4)), k)
        line = smooth(np.abs((k / .017) % 1 - .5), .22, .12)
        worn = (1 + .06 * noise3(v, .3, 131) + .03 * noise3(v, .04, 132))[:, None]
        grime = smooth(noise3(v, .25, 133), .7, 1.9)[:, None] * .35
        return mix(mix(SHIRT, np.float32([.16, .19, .24]), (line * .55)[:, None]) * worn, np.float32([.25, .20, .14]), grime)
    put(cloth, shirt, (-.36, -.22, .92), (.36, .22, 1.60), stripes, dirt=.06)

    def vest_colour(v):
        lining = (np.abs(v[:, 0]) > .168) & (v[:, 2] > 1.28)
        button = (np.abs(v[:, 0] + .008) < .0085) & (np.abs((v[:, 2] - 1.035 + .0225) % .045 - .0225) < .0085) & (v[:, 1] > .09) & (v[:, 2] < 1.23)
        herring = .10 * np.sign(np.sin(v[:, 2] * 520)) * np.sign(np.sin(v[:, 0] * 420))
        col = VEST * (1 + herring + .10 * noise3(v, .25, 141))[:, None]
        return np.where(button[:, None], np.float32([.20, .14, .08]), np.where(lining[:, None], VEST * .7, col))
    put(cloth, vest, (-.28, -.22, .96), (.28, .22, 1.60), vest_colour, step=.0034, dirt=.10)

    def canvas(v):
        col = APRON * (1 + .07 * noise3(v, .4, 151) + .05 * noise3(v, .05, 152, beta=2.0))[:, None]
        slip = smooth(noise3(v * np.float32([1, 1, .4]), .22, 153) + .6 * np.exp(-(((v[:, 2] - .93) / .10) ** 2)), .55, 1.5) * .75
        clay = smooth(noise3(v, .30, 154), .9, 1.7) * .6
        col = mix(col, np.float32([.52, .47, .40]), slip[:, None])
        col = mix(col, np.float32([.24, .115, .065]), clay[:, None])
        seam = np.maximum.reduce([smooth(np.abs(np.abs(v[:, 0] - .012) - .100), .004, .001) * (np.abs(v[:, 2] - .79) < .075), smooth(np.abs(v[:, 2] - .445), .004, .001), smooth(np.abs(v[:, 2] - .853), .004, .001) * (np.abs(v[:, 0] - .012) < .105)]) * (v[:, 1] > 0)
        return col * (1 - .45 * seam)[:, None]
    put(cloth, apron, (-.30, -.22, .38), (.30, .32, 1.07), canvas, step=.0036, dirt=lambda v: np.clip(.10 + .25 * smooth(v[:, 2], .62, .42) + .1 * noise3(v, .3, 123), 0, .6))
    for side, e, w in zip((1, -1), ELBOWS, WRISTS, strict=True):
        mid = (np.array(e) + np.array(w)) / 2

        def arm_colour(v, side=side):
            tan = SKIN * (1 + .06 * noise3(v, .09, 161) + .05 * noise3(v, .015, 162, beta=2))[:, None]
            hair = .25 * smooth(noise3(v * np.float32([1, .4, 1]), .012, 163, beta=1.6), .9, 1.8) * smooth(v[:, 1], .20, .12)
            dry = smooth(noise3(v, .08, 164) + 1.4 * smooth(v[:, 1], .20, .30), .6, 1.8) * .55       # clay dried on the hands
            return mix(mix(tan, HAIR, hair[:, None]), np.float32([.46, .36, .27]), dry[:, None])
        put(skin, lambda p, e=e, w=w, s=side: _arm(p, e, w, s), mid - [.14, .26, .12], mid + [.14, .33, .16], arm_colour, .0026, 0.0)

    turn = rot([0, 0, 1], head_turn) @ rot([1, 0, 0], -head_down) @ rot([0, 0, 1], 180)
    box = ((-.13, -.14, .20), (.13, .16, .58))
    put(skin, lambda p: sdf.smooth_union(sdf.smooth_union(heads.face(p, 1.0, .72), heads.neck(p, .051), k=.02), heads.ears(p), k=.006) - .0005 * noise3(p, .04, 113), *box, _skin_colour, .0020, 0.0, turn)
    put(cloth, _hair, *box, lambda v: HAIR * (1 + .35 * noise3(v * np.float32([1, 1, .3]), .02, 73, beta=2))[:, None], .0026, .03, turn)
    put(cloth, _moustache, (-.05, -.11, .335), (.05, -.06, .38), lambda v: HAIR * (1.25 + .4 * noise3(v, .01, 92, beta=1.8))[:, None], .0016, 0.0, turn)

    def tweed(v):
        col = CAP * (1 + .12 * noise3(v, .012, 83, beta=1.5) + .08 * noise3(v, .08, 84))[:, None]
        panel = np.abs(np.sin(np.arctan2(v[:, 0], v[:, 1] - .02) * 4)) * np.hypot(v[:, 0], v[:, 1] - .02)
        return col * (1 - .35 * smooth(panel, .006, .002) * (v[:, 2] > .52))[:, None]
    put(cloth, _cap, (-.14, -.17, .44), (.14, .18, .58), tweed, .0030, lambda v: np.clip(.08 + .2 * noise3(v, .15, 85), 0, .4), turn)
    put(cloth, _scarf, (-.12, -.12, 1.37), (.12, .16, 1.56), lambda v: SCARF * (1 + .10 * noise3(v, .1, 102) + .25 * (np.sin(v[:, 0] * 260) * np.sin(v[:, 2] * 260) > .75))[:, None], .0034, .05)
    _load(S, at, R, rng)


def _load(S, at, R, rng):
    """The board and what is on it."""
    v, f = boxes([[0, .335, 1.118], [0, .275, 1.107], [0, .395, 1.107]], [[.66, .27, .018], [.62, .03, .010], [.62, .03, .010]], .003)
    S['wood'].add(v @ R.T + at, f, np.stack([v[:, 1] * 1.4, v[:, 0] * .5], 1), (.25, .18, .11), .15)
    low = []
    for x in (-.17, -.02, .14):
        shift = rng.normal(0, .004, 2)
        for k in range(int(rng.integers(3, 8))):
            low.append([x + shift[0] + rng.normal(0, .003), .335 + shift[1] + rng.normal(0, .003), 1.134 + .0142 * k])
    turns = np.array([rot([0, 0, 1], rng.normal(0, 2.5)) for _ in low])
    v, f = boxes(np.array(low), [.145, .198, .0125], .002, turns)
    tone = np.float32([.42, .22, .12]) * np.exp(rng.normal(0, .13, (len(low), 1))) * (1 + rng.normal(0, .03, (len(low), 3)))
    S['tile'].add(v @ R.T + at, f, col=np.repeat(np.float32(tone), 24, 0), dirt=.08)
