"""The worker's body and clothes as distance fields, one per piece.

Local coordinates in metres: the worker stands at the origin and faces +y, +x is to the right hand. Hair, cap and moustache are
in the coordinates of `heads`.
"""

import heads
import numpy as np
import sdf
from geo import rot
from noise import noise3, smooth

HIPS = ((0.090, 0.0, 0.935), (-0.090, 0.0, 0.915))
KNEES = ((0.108, 0.025, 0.505), (-0.118, 0.125, 0.495))
ANKLES = ((0.112, -0.03, 0.085), (-0.135, 0.075, 0.085))
SHOULDERS = ((0.190, -0.005, 1.400), (-0.190, -0.010, 1.412))
ELBOWS = ((0.238, -0.055, 1.125), (-0.242, -0.05, 1.130))
WRISTS = ((0.226, 0.205, 1.082), (-0.226, 0.205, 1.086))
NECK = np.array([0, 0.012, 1.575])  # where the head turns
PIVOT = np.array([0, 0.020, 0.360])  # the same place in the coordinates of `heads`


def along(p, a, b):
    """Metres along the line from a, and the line's length."""
    a, b = np.asarray(a, np.float32), np.asarray(b, np.float32)
    length = float(np.linalg.norm(b - a))
    return ((p - a) @ ((b - a) / length)), length


def _rings(t, at, width, period, p, seed, size=0.5):
    """Creases that run round a limb near one place."""
    return np.sin(2 * np.pi * t / period + 2.6 * noise3(p, size, seed, n=32, beta=5)) * np.exp(-(((t - at) / width) ** 2))


def _soft(p, seed):
    """Creases of heavy cloth, mostly downwards, without the finest ones."""
    a = noise3(p * np.float32([1, 1, 0.28]), 0.9, seed, n=32, beta=4.6)
    b = noise3(p * np.float32([1, 1, 0.6]), 0.40, seed + 1, n=32, beta=4.6)
    return 0.6 * np.sign(a) * np.abs(a) ** 0.8 + 0.4 * b


def legs(p):
    """Both trouser legs and the seat."""
    parts = []
    for hip, knee, ankle in zip(HIPS, KNEES, ANKLES, strict=True):
        leg = sdf.chain(p, [hip, knee, ankle], (0.100, 0.074, 0.078), k=0.03)
        t, upper = along(p, hip, knee)
        z = p[..., 2]
        leg = (
            leg
            - 0.0055 * _rings(t, upper, 0.10, 0.060, p, 3)
            - 0.0065 * _rings(z, 0.15, 0.06, 0.060, p, 4)
            - 0.004 * _rings(t, 0.10, 0.08, 0.07, p, 5)
        )
        parts.append(leg)
    parts.append(sdf.ellipsoid(p, (0, -0.018, 0.955), (0.165, 0.118, 0.135)))
    return sdf.smooth_union(*parts, k=0.028) - 0.0045 * _soft(p, 11)


def _torso(p):
    z = p[..., 2]
    wide = np.interp(z, [0.95, 1.06, 1.22, 1.34, 1.42, 1.47], [0.158, 0.152, 0.172, 0.184, 0.160, 0.085])
    deep = np.interp(z, [0.95, 1.06, 1.22, 1.34, 1.42, 1.47], [0.118, 0.112, 0.124, 0.120, 0.095, 0.070])
    lean = -0.010 + 0.035 * (1.25 - z) * (z < 1.25)
    q = np.sqrt((np.abs(p[..., 0]) / wide) ** 2.3 + (np.abs(p[..., 1] - lean) / deep) ** 2.3) ** (2 / 2.3)
    trunk = (q - 1) * np.minimum(wide, deep) * 0.9
    trunk = np.maximum(trunk, np.maximum(0.94 - z, z - 1.47))
    slope = [sdf.cone(p, (s * 0.040, -0.020, 1.478), (s * 0.172, -0.008, 1.402 + 0.006 * (s < 0)), 0.044, 0.064) for s in (1, -1)]
    return sdf.smooth_union(trunk, *slope, k=0.045)


def shirt(p):
    """Body and sleeves rolled up to the elbow."""
    body = _torso(p) - 0.0030 * _soft(p, 21)
    for s, e in zip(SHOULDERS, ELBOWS, strict=True):
        s, e = np.array(s), np.array(e)
        t, length = along(p, s, e)
        end = s + (e - s) * 0.90
        sleeve = sdf.chain(p, [s, s + (e - s) * 0.5, end], (0.066, 0.064, 0.060), k=0.02)
        sleeve = (
            sleeve
            - 0.0050 * _rings(t, length * 0.70, 0.10, 0.058, p, 23, 0.36)
            - 0.006 * _rings(t, 0.02, 0.07, 0.05, p, 24)
            - 0.0030 * _soft(p, 25)
        )
        cuff = np.maximum(sdf.cone(p, s + (e - s) * 0.78, s + (e - s) * 0.98, 0.067, 0.064), np.abs(t - length * 0.885) - 0.026)
        body = sdf.smooth_union(body, sleeve, k=0.03)
        body = sdf.smooth_union(body, cuff - 0.0022 * _rings(t, length * 0.9, 0.05, 0.017, p, 26, 0.25), k=0.004)
    neck = sdf.cone(p, (0, -0.010, 1.46), (0, 0.000, 1.535), 0.072, 0.062)
    collar = np.maximum(neck, -sdf.cone(p, (0, 0.008, 1.42), (0, 0.020, 1.58), 0.058, 0.056))
    return sdf.smooth_union(body, np.maximum(collar, p[..., 2] - 1.53 + 0.35 * np.maximum(p[..., 1], 0)), k=0.012)


def vest(p):
    """Waistcoat, buttoned."""
    x, y, z = p[..., 0], p[..., 1], p[..., 2]
    body = _torso(p) - 0.0115 - 0.0020 * _soft(p, 31) - 0.003 * _rings(z, 1.10, 0.08, 0.05, p, 32)
    for s in (1, -1):  # arm holes
        body = sdf.smooth_cut(body, sdf.ellipsoid(p, (s * 0.212, -0.005, 1.385), (0.062, 0.120, 0.118)), k=0.008)
    front = np.where(y > 0, np.abs(x) - 0.30 * (z - 1.215), 1.0)
    body = sdf.smooth_cut(body, np.maximum(front, -y), k=0.006)
    hem = z - 0.985 - 0.10 * np.maximum(0.035 - np.abs(x), 0) * (y > 0) * -1
    body = np.maximum(body, -hem)
    edge = sdf.cone(p, (0.006, 0.16, 0.95), (0.006, 0.16, 1.22), 0.050, 0.050)
    body = body - 0.0030 * smooth(edge, 0.0035, -0.0035) * (x < 0.006)
    for k in range(5):
        yb = np.interp(1.035 + 0.045 * k, [1.06, 1.22], [0.1185, 0.1270])
        body = sdf.smooth_union(body, sdf.ellipsoid(p, (-0.008, yb, 1.035 + 0.045 * k), (0.0085, 0.0060, 0.0085)), k=0.0015)
    for s in (1, -1):
        welt = sdf.box(
            p, (s * 0.092, 0.100, 1.115), (0.046, 0.034, 0.009), 0.004, rot([0, 1, 0], s * 7) @ rot([0, 0, 1], -s * 24)
        )
        body = sdf.smooth_union(body, welt, k=0.003)
    return body


def apron(p):
    """Canvas from the waist to the shins, wrapped to the sides, with a pocket."""
    x, y, z = p[..., 0], p[..., 1], p[..., 2]
    angle = np.arctan2(x, y + 0.02)
    low = smooth(z, 1.0, 0.45)
    wide = np.interp(z, [0.40, 0.70, 1.03], [0.212, 0.192, 0.180])
    deep = np.interp(z, [0.40, 0.70, 1.03], [0.165, 0.150, 0.138])
    pleat = low * (
        0.013 * np.sin(6.5 * angle + 1.2 * noise3(p, 0.9, 40, n=32, beta=5) + 1.0)
        + 0.006 * np.sin(15 * angle + 1.6 * noise3(p, 0.9, 41, n=32, beta=5))
    )
    q = np.hypot(x / wide, (y - 0.002) / deep)
    solid = (q - 1) * np.minimum(wide, deep) * 0.95 - pleat
    solid = sdf.smooth_union(solid, legs(p) - 0.012, k=0.05) - 0.0035 * _soft(p, 42) - 0.003 * _rings(z, 0.98, 0.06, 0.05, p, 43)
    pocket = np.maximum(np.maximum(np.abs(x - 0.012) - 0.105, np.abs(z - 0.790) - 0.075), -y)
    solid = solid - 0.0042 * smooth(pocket, 0.003, -0.003)
    sheet = np.abs(solid) - 0.0032
    hem = 0.415 + 0.010 * np.sin(5 * angle + 0.6) + 0.02 * np.maximum(-x, 0)
    cut = np.maximum(hem - z, z - 1.035)
    sides = np.abs(angle) - 1.62 - 0.12 * low
    sheet = np.maximum(sheet, np.maximum(cut, sides * 0.15))
    tie = np.maximum(
        np.abs(np.hypot(x / 1.30, y - 0.002) - 0.1430) - 0.005, np.abs(z - 1.018 - 0.006 * np.sin(3 * angle)) - 0.014
    )
    return sdf.smooth_union(sheet, tie, k=0.004)


def boot(p, ankle, turn):
    a = np.array(ankle)
    R = rot([0, 0, 1], turn)
    q = (p - np.float32([a[0], a[1], 0])) @ np.asarray(R, np.float32)
    upper = sdf.smooth_union(
        sdf.cone(q, (0, 0.0, 0.05), (0, -0.005, 0.17), 0.050, 0.060),
        sdf.chain(q, [(0, 0.0, 0.062), (0.002, 0.105, 0.058), (-0.004, 0.168, 0.047)], (0.050, 0.046, 0.044), k=0.02),
        k=0.03,
    )
    upper = upper - 0.0022 * _rings(q[..., 1], 0.10, 0.035, 0.022, q, 51, 0.2) - 0.001 * noise3(q, 0.12, 52)
    cap = 0.0020 * smooth(q[..., 1] - 0.002 * np.sin(q[..., 0] * 90), 0.128, 0.132)
    sole = np.maximum(
        sdf.chain(q, [(0, -0.035, 0.012), (0.002, 0.06, 0.012), (-0.004, 0.160, 0.012)], (0.043, 0.043, 0.050), k=0.02),
        np.abs(q[..., 2] - 0.013) - 0.013,
    )
    notch = np.maximum(np.abs(q[..., 1] - 0.035) - 0.030, q[..., 2] - 0.012)  # in front of the heel
    return sdf.smooth_union(np.maximum(upper - cap, 0.012 - q[..., 2]), sdf.smooth_cut(sole, notch, k=0.004), k=0.003)


def arm(p, elbow, wrist, side):
    """Forearm and hand under the board; the thumb lies on it."""
    e, w = np.array(elbow), np.array(wrist)
    arm = sdf.chain(p, [e, e + (w - e) * 0.32, w], (0.043, 0.046, 0.029), k=0.02)
    palm = sdf.ellipsoid(p, w + [-side * 0.010, 0.055, 0.002], (0.041, 0.052, 0.017), rot([0, 1, 0], side * 10))
    out = sdf.smooth_union(arm, palm, k=0.022)
    for i, reach in enumerate((0.050, 0.062, 0.060, 0.046)):
        root = w + [-side * (0.038 - 0.019 * i) * 1.0, 0.088 - 0.004 * abs(i - 1.5), 0.002]
        mid = root + [-side * 0.006, reach * 0.62, -0.004]
        tip = mid + [-side * 0.006, reach * 0.45, 0.013]
        out = sdf.smooth_union(out, sdf.chain(p, [root, mid, tip], (0.0105, 0.0092, 0.0080), k=0.004), k=0.007)
    thumb = sdf.chain(
        p,
        [w + [side * 0.022, 0.020, 0.008], w + [side * 0.030, 0.052, 0.042], w + [side * 0.004, 0.085, 0.068]],
        (0.014, 0.0125, 0.0095),
        k=0.006,
    )
    out = sdf.smooth_union(out, thumb, k=0.010)
    return out - 0.0006 * noise3(p, 0.05, 61) - 0.0012 * smooth(noise3(p * np.float32([1, 0.35, 1]), 0.10, 62), 0.9, 1.6)


def hair(p):
    shell = sdf.smooth_union(
        sdf.ellipsoid(p, (0, 0.024, 0.453), (0.0785, 0.096, 0.089)),
        sdf.ellipsoid(p, (0, 0.006, 0.432), (0.0700, 0.072, 0.080)),
        k=0.025,
    )
    line = -0.022 - 0.5 * np.maximum(p[..., 2] - 0.42, 0) - p[..., 1]  # behind the temples
    ear = heads.both(lambda q: sdf.ellipsoid(q, (0.078, 0.014, 0.396), (0.024, 0.021, 0.036)), p)
    nape = 0.372 - 0.35 * np.maximum(p[..., 1], 0) - p[..., 2]
    strands = 0.0016 * noise3(p * np.float32([1, 1, 0.3]), 0.05, 71) + 0.0010 * noise3(p, 0.02, 72)
    return np.maximum(np.maximum(np.maximum(shell - strands, line), nape), -ear)


def cap(p):
    crown = sdf.smooth_union(
        sdf.ellipsoid(p, (0, 0.022, 0.516), (0.106, 0.130, 0.034), rot([1, 0, 0], 13)),
        sdf.ellipsoid(p, (0, 0.024, 0.494), (0.0865, 0.104, 0.048), rot([1, 0, 0], 6)),
        k=0.022,
    )
    crown = crown - 0.0030 * _soft(p * 1.6, 81) - 0.0028 * _rings(p[..., 1], 0.10, 0.08, 0.05, p, 82, 0.3)
    peak = sdf.ellipsoid(p, (0, -0.088, 0.486), (0.074, 0.058, 0.0085), rot([1, 0, 0], 16))
    peak = np.maximum(peak, p[..., 1] + 0.035)
    inside = sdf.ellipsoid(p, (0, 0.024, 0.462), (0.078, 0.096, 0.060))
    return sdf.smooth_cut(sdf.smooth_union(crown, peak, k=0.008), inside, k=0.004)


def moustache(p):
    both = heads.both(
        lambda q: sdf.chain(
            q, [(0.003, -0.0905, 0.3625), (0.014, -0.0885, 0.3600), (0.029, -0.0790, 0.3530)], (0.0052, 0.0058, 0.0022), k=0.006
        ),
        p,
    )
    return both - 0.0012 * noise3(p * np.float32([1, 1, 0.4]), 0.02, 91)


def scarf(p):
    ring = (
        np.sqrt(
            (np.hypot(p[..., 0] / 1.05, p[..., 1] - 0.004) - 0.068) ** 2 + ((p[..., 2] - 1.502 + 0.16 * p[..., 1]) * 0.62) ** 2
        )
        - 0.017
    )
    ring = ring - 0.005 * np.sin(
        3 * np.arctan2(p[..., 0], p[..., 1]) + 110 * (p[..., 2] - 1.5) + 1.5 * noise3(p, 0.3, 101, n=32, beta=5)
    )
    knot = sdf.ellipsoid(p, (0.006, 0.086, 1.478), (0.021, 0.017, 0.018))
    ends = sdf.smooth_union(
        *[
            sdf.chain(
                p,
                [(0.006, 0.088, 1.474), (0.006 + s * 0.022, 0.100, 1.440), (0.004 + s * 0.030, 0.112, 1.405)],
                (0.010, 0.013, 0.010),
                k=0.01,
            )
            for s in (1, -1)
        ],
        k=0.004,
    )
    return sdf.smooth_union(ring, knot, ends - 0.002 * np.sin(p[..., 0] * 500), k=0.008)
