"""Glazed portrait bust by the workshop window: uneven glaze, runs, pinholes, iron spots, a hairline crack and a chip."""

from itertools import pairwise

import finish

finish.use_llvm()
import heads
import lights
import materials as M
import numpy as np
import sdf
from geo import Soup, boxes, lathe, rot
from noise import mix, noise3, smooth, spectral


def rest(p):
    """Neck and shoulders on a plinth, metres, in the coordinates of `heads`."""
    e, u = sdf.ellipsoid, sdf.smooth_union
    collar = heads.both(
        lambda q: sdf.chain(
            q, [(0.012, -0.040, 0.203), (0.060, -0.030, 0.212), (0.135, 0.012, 0.212)], (0.010, 0.0085, 0.010), k=0.02
        ),
        p,
    )
    chest = u(
        e(p, (0, 0.018, 0.145), (0.150, 0.080, 0.078)),
        heads.both(lambda q: e(q, (0.112, 0.024, 0.165), (0.050, 0.050, 0.050)), p),
        heads.both(lambda q: sdf.cone(q, (0.03, 0.028, 0.235), (0.115, 0.026, 0.195), 0.034, 0.036), p),
        k=0.05,
    )
    body = u(heads.neck(p, 0.044), chest, k=0.045)
    body = u(body, collar, k=0.018)
    edge = 0.100 + 0.55 * np.maximum(np.abs(p[..., 0]) - 0.05, 0) ** 1.1 + 0.004 * np.sin(p[..., 0] * 40)
    body = np.maximum(body, edge - p[..., 2])
    plinth = u(sdf.cone(p, (0, 0.015, 0.055), (0, 0.015, 0.10), 0.052, 0.062), k=0.02)
    return u(body, plinth, k=0.02)


def scarf(p):
    """A cloth wound round the head, knotted in the nape; its folds run together in the knot."""
    e, u = sdf.ellipsoid, sdf.smooth_union
    x, y, z = p[..., 0], p[..., 1], p[..., 2]
    shell = u(e(p, (0, 0.026, 0.456), (0.082, 0.100, 0.091)), e(p, (0, 0.004, 0.432), (0.076, 0.076, 0.080)), k=0.025)
    edge = z - (0.459 - 0.33 * y - 1.15 * np.maximum(y - 0.022, 0) + 0.0035 * noise3(p, 0.16, 41, beta=4))
    back = np.arctan2(x, z - 0.400)
    away = smooth(np.hypot(x, z - 0.400) + np.maximum(0.10 - y, 0) * 0.6, 0.21, 0.02)
    fold = (
        0.0034 * away * np.sin(7.5 * back + 2.2 * noise3(p, 0.26, 42, beta=4))
        + 0.0016 * np.sin(19 * back + 4 * noise3(p, 0.2, 43, beta=4)) * away
    )
    across = 0.0013 * noise3(p * np.float32([0.5, 0.5, 1.4]), 0.16, 44, beta=4)
    hem = 0.0042 * np.exp(-(((edge - 0.007) / 0.0055) ** 2)) + 0.0020 * np.exp(-(((edge - 0.024) / 0.006) ** 2))
    cloth = sdf.smooth_cut(shell - fold - across - hem, edge, k=0.004)
    knot = e(p, (0.002, 0.128, 0.392), (0.026, 0.018, 0.020), rot([0, 1, 0], 20)) + 0.0022 * np.sin(
        np.arctan2(z - 0.392, x) * 5 + 60 * np.hypot(x, z - 0.392)
    )
    ends = u(
        *[
            sdf.chain(
                p,
                [(s * 0.008, 0.132, 0.386), (s * 0.026, 0.128, 0.345), (s * 0.030 + 0.006, 0.098, 0.292)],
                (0.013, 0.019, 0.016),
                k=0.02,
            )
            for s in (-1, 1)
        ],
        k=0.006,
    )
    ends = ends + 0.0030 * np.sin(x * 420 + 2 * noise3(p, 0.15, 45)) * smooth(z, 0.39, 0.33)
    return u(cloth, knot, ends, k=0.010)


def whole(p):
    u = sdf.smooth_union
    out = u(heads.face(p), rest(p), k=0.020)
    out = u(out, heads.ears(p), k=0.006)
    iris = heads.both(
        lambda q: (
            np.abs(np.hypot(q[..., 0] - 0.0300, q[..., 2] - 0.4122) - 0.0048) - 0.0003 + np.maximum(q[..., 1] + 0.0712, 0) * 9
        ),
        p,
    )
    out = sdf.smooth_cut(out, iris, k=0.0006)
    out = u(out, scarf(p), k=0.0025)
    tool = 0.00012 * noise3(p, 0.12, 9, beta=3.6) + 0.00055 * noise3(p, 0.35, 10, beta=4.4)  # marks of the modelling hand
    chip = sdf.ellipsoid(p, (0.094, -0.048, 0.172), (0.012, 0.008, 0.009)) + 0.002 * noise3(p, 0.03, 12)
    return sdf.smooth_cut(out + tool, chip, k=0.0015)


def paint(v, n):
    """Glaze colour and gloss of each vertex."""
    big, mid, fine = noise3(v, 0.30, 20), noise3(v, 0.10, 21), noise3(v, 0.035, 22, beta=2.4)
    runs = noise3(v * np.float32([1, 1, 0.10]), 0.10, 23)
    thick = np.clip(0.5 + 0.22 * big + 0.20 * runs - 0.35 * n[:, 2] * 0.6, 0, 1)
    ivory, honey, clay = np.float32([0.63, 0.54, 0.415]), np.float32([0.46, 0.315, 0.175]), np.float32([0.40, 0.19, 0.105])
    col = mix(ivory, honey, (thick * 0.75)[:, None]) * (1 + 0.05 * mid + 0.02 * fine)[:, None]
    blush = smooth(noise3(v, 0.20, 26), 0.55, 1.7) * 0.6
    col = mix(col, np.float32([0.50, 0.30, 0.235]), blush[:, None])
    run_m = (0.003 + 0.009 * np.maximum(runs, 0) + 0.0015 * fine)[:, None]  # the glaze of the cloth ran down over the brow
    cloth = np.maximum(smooth(scarf(v), 0.0012, 0.0003), smooth(scarf(v + np.float32([0, 0, 1]) * run_m), 0.0014, 0.0002))
    teal = mix(
        np.float32([0.035, 0.15, 0.16]),
        np.float32([0.09, 0.27, 0.24]),
        np.clip(0.4 + 0.3 * mid - 0.5 * n[:, 2] + 0.2 * runs, 0, 1)[:, None],
    )
    rim = cloth * (1 - cloth) * 4
    col = mix(col, teal, cloth[:, None])
    col = mix(col, np.float32([0.33, 0.25, 0.13]), (rim * 0.6)[:, None])
    spots = smooth(noise3(v, 0.045, 24, beta=1.2, lo=6), 2.25, 2.75)
    col = mix(col, np.float32([0.10, 0.055, 0.03]), (spots * 0.85)[:, None])
    rng = np.random.default_rng(4)
    dark = np.zeros(len(v))
    for c, r, k in zip(v[rng.choice(len(v), 70)], rng.uniform(0.0007, 0.0022, 70), rng.uniform(0.5, 1, 70)):
        d = np.linalg.norm(v - c, axis=1)
        dark = np.maximum(dark, smooth(d, r, r * 0.4) * k)
        col = mix(col, np.float32([0.52, 0.33, 0.17]), (smooth(d, r * 3.2, r) * 0.35 * k)[:, None])
    for c, r in (
        ((-0.036, -0.075, 0.385), 0.0034),
        ((0.020, -0.080, 0.455), 0.0028),
        ((-0.010, -0.079, 0.330), 0.0024),
        ((0.052, -0.045, 0.37), 0.003),
    ):  # those one would retouch
        c = v[np.argmin(np.linalg.norm(v - np.float32(c), axis=1))]
        d = np.linalg.norm(v - c, axis=1) + 0.0006 * fine
        dark = np.maximum(dark, smooth(d, r, r * 0.45) * 0.9)
        col = mix(col, np.float32([0.50, 0.31, 0.16]), (smooth(d, r * 3, r) * 0.45)[:, None])
    col = mix(col, np.float32([0.085, 0.05, 0.028]), dark[:, None])
    path = np.float32(
        [[0.060, -0.04, 0.47], [0.050, -0.062, 0.44], [0.053, -0.058, 0.41], [0.047, -0.066, 0.385], [0.05, -0.06, 0.35]]
    )
    crack = np.full(len(v), 1.0)
    for a, b in pairwise(path):
        t = np.clip(((v - a) @ (b - a)) / ((b - a) @ (b - a)), 0, 1)[:, None]
        crack = np.minimum(
            crack,
            np.hypot(*(lambda q: (q[:, 0] + 0.0012 * mid, q[:, 2] * 0.3))(v - a - t * (b - a)))
            + 0.0
            + np.maximum(v[:, 1] + 0.02, 0) * 10,
        )
    col = mix(col, np.float32([0.16, 0.10, 0.06]), smooth(crack, 0.0011, 0.0004)[:, None] * 0.8)
    worn = smooth(0.6 * fine + mid, 2.0, 2.9) * 0.4
    col = mix(col, clay, worn[:, None])
    base = smooth(v[:, 2] + 0.004 * mid, 0.078, 0.066)
    col = mix(col, clay * (1 + 0.12 * fine[:, None]), base[:, None])
    chip = smooth(
        np.linalg.norm((v - np.float32([0.094, -0.048, 0.172])) / np.float32([0.0125, 0.0085, 0.0095]), axis=1) + 0.06 * fine,
        1.06,
        0.98,
    )
    col = mix(col, clay * 1.1, chip[:, None])
    return np.clip(col, 0.01, 0.9), np.clip(np.maximum(np.maximum(base, chip), worn * 0.9), 0, 1)


def build(cell=0.0012, seed=9):
    from geo import vertex_normals

    rng = np.random.default_rng(seed)
    names = ["table", "dark", "far", "clay"]
    S = {n: Soup() for n in names}
    d = {"type": "scene"}
    v, f = sdf.mesh(whole, (-0.185, -0.125, 0.05), (0.185, 0.19, 0.56), cell)
    n = vertex_normals(v, f)
    col, dull = paint(v, n)
    B0 = Soup()
    B0.add(v, f, np.stack([v[:, 0] * 4 + v[:, 1] * 2.5, v[:, 2] * 4], 1), col, dull)
    peel = spectral(512, 512, 1.2, seed + 61, 10)
    glaze = {
        "type": "principled",
        "base_color": {"type": "mesh_attribute", "name": "vertex_color"},
        "roughness": 0.30,
        "specular": 0.5,
        "clearcoat": 1.0,
        "clearcoat_gloss": 0.955,
    }
    bare = {
        "type": "principled",
        "base_color": {"type": "mesh_attribute", "name": "vertex_color"},
        "roughness": 0.92,
        "specular": 0.2,
    }
    d["bust"] = B0.mesh(
        "bust",
        {
            "type": "bumpmap",
            "arbitrary": M.bmp(peel),
            "scale": 0.000018,
            "bsdf": {"type": "blendbsdf", "weight": {"type": "mesh_attribute", "name": "vertex_dirt"}, "a": glaze, "b": bare},
        },
    )
    w, q = boxes([[0, 0.015, 0.028]], [0.15, 0.15, 0.056], 0.004)
    S["table"].add(w, q, np.stack([w[:, 0] * 3, w[:, 2] * 3 + w[:, 1]], 1), dirt=0.3)
    w, q = boxes([[0, 0.2, -0.02]], [2.4, 1.6, 0.04], 0.004)
    S["table"].add(w, q, np.stack([w[:, 1] * 1.6, w[:, 0] * 0.5], 1), dirt=0.25)
    w, q = boxes(
        [[0, 1.6, 0.6], [0, -2.6, 0.6], [2.0, 0, 0.5], [0, 0, 2.2]], [[6, 0.1, 4], [6, 0.1, 4], [0.1, 6, 4], [6, 6, 0.05]]
    )
    S["dark"].add(w, q, col=(0.105, 0.10, 0.095))
    for z in (0.08, 0.46, 0.84):
        w, q = boxes([[0.2, 1.4, z]], [3.2, 0.3, 0.03])
        S["table"].add(w, q, w[:, :2])
        for i in range(13):
            h, r = rng.uniform(0.12, 0.28), rng.uniform(0.05, 0.1)
            w, q = lathe(
                [[0.001, 0], [r * 0.8, 0], [r, h * 0.5], [r * 0.6, h], [0.001, h]],
                24,
                (-1.3 + i * 0.22 + rng.normal(0, 0.02), 1.38, z + 0.015),
            )
            S["far"].add(
                w,
                q,
                w[:, [0, 2]] * 3,
                np.float32(
                    [
                        (0.03, 0.05, 0.05),
                        (0.26, 0.23, 0.18),
                        (0.03, 0.035, 0.05),
                        (0.11, 0.055, 0.035),
                        (0.17, 0.12, 0.07),
                        (0.06, 0.07, 0.045),
                    ][rng.integers(6)]
                ),
            )
    for y in np.linspace(-0.9, 0.8, 5):
        w, q = boxes([[-1.5, y, 0.75]], [0.04, 0.035, 1.4], 0.003)
        S["dark"].add(w, q, col=(0.25, 0.24, 0.22))
    for z in np.linspace(0.1, 1.4, 4):
        w, q = boxes([[-1.5, 0, z]], [0.04, 1.9, 0.035], 0.003)
        S["dark"].add(w, q, col=(0.25, 0.24, 0.22))
    tb, tbh = M.wood(seed + 3, 1024, (0.165, 0.105, 0.062))
    B = {
        "table": M.dirty(tb, height=tbh, bump=0.0003, rough=0.55, dirt_col=(0.34, 0.31, 0.27), spec=0.4),
        "dark": M.dirty("vertex", dirt=None),
        "clay": M.dirty("vertex", dirt=None),
        "far": M.dirty("vertex", dirt=None, rough=0.35, clearcoat=0.8, clearcoat_gloss=0.93),
    }
    for s in B:
        if S[s].n:
            d[s] = S[s].mesh(s, B[s])
    d["window"] = lights.window([-1.6, -0.25, 0.8], [0, 0, 0.4], (0.95, 0.65))
    d["fill"] = lights.fill([1.6, -1.5, 1.3], [0, 0.05, 0.3], 0.4, (1.5, 1.0, 0.62))
    return d


def cam(size):
    return finish.camera([-0.30, -0.98, 0.46], [0.010, 0.02, 0.312], 24, size, roll=-0.6, aperture=0.006, focus=0.98)


def camera_of(a):
    return finish.camera([-0.30, -0.98, 0.46], [0.0, -0.05, 0.385], 11, a.size) if a.face else cam(a.size)


def options(parser):
    parser.add_argument("--cell", type=float, default=0.0012)
    parser.add_argument("--face", action="store_true", help="look at the face only")


if __name__ == "__main__":
    finish.run("bust", lambda a: build(a.cell), camera_of, size=(400, 600), depth=7, clamp=60, ev=0.2, add=options)
