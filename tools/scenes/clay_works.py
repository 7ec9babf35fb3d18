"""What stands and grows in and about the clay pit."""

from itertools import pairwise

import numpy as np
import parts as P
from clay_ground import HALF, WATER, height, n3, on
from geo import boxes, grid_faces, lathe, rot, sag, tube
from noise import mix, smooth


def works(S, rng):
    """What people left here: fence, hut, skips on their rails, conveyor, pipes, pump hose, sticks."""
    for i, x in enumerate(np.arange(-24, 27, 2.3)):  # fence along the edge
        p = on(x + rng.normal(0, 0.1), 12.4 - abs(x) * 0.12 + 0.9 * np.sin(x * 0.2) + rng.normal(0, 0.08))
        h = 1.12 + rng.normal(0, 0.04)
        v, f = boxes([[0, 0, h / 2 - 0.1]], [0.085, 0.085, h + 0.2], 0.006, rot(rng.normal(0, 1, 3), rng.normal(0, 4)))
        S["wood"].add(
            v + p,
            f,
            np.stack([v[:, 0] + v[:, 1] + 0.3 * i, v[:, 2] * 0.31], 1),
            np.float32([0.20, 0.17, 0.13]) * rng.uniform(0.7, 1.2),
            0.25,
        )
        S.setdefault("_posts", []).append(p + [0, -0.05, h - 0.08])
    posts = S.pop("_posts")
    for a, b in pairwise(posts):
        for dz in (0, -0.32, -0.66):
            v, f = tube(sag(a + [0, 0, dz], b + [0, 0, dz], 0.03 + 0.03 * rng.random(), 14), 0.0035, 5)
            S["iron"].add(v, f, dirt=0.5)
    a = posts[6]
    for k in range(3):  # warning tape caught on the wire
        t = np.linspace(0, 1, 30)
        q = (
            a
            + np.c_[
                0.10 * k + 0.05 * np.sin(t * 9),
                -0.03 - 0.25 * t + 0.03 * np.sin(t * 14),
                -0.1 - 0.75 * t + 0.04 * np.sin(t * 11 + k),
            ]
        )
        w = np.stack([q, q + [0.045, 0.012, 0.01]], 0)
        S["tape"].add(
            w,
            grid_faces(2, 30),
            np.stack([np.tile(t * 6, 2), np.repeat([0.0, 1.0], 30)], -1),
            np.where((np.tile(t * 9, 2)[:, None] % 1) > 0.5, np.float32([0.55, 0.05, 0.03]), np.float32([0.62, 0.60, 0.56])),
        )
    c = on(-15, 70)  # hut with a tin roof
    P.plank_stack(S["wood"], c + [0, 0, 0.05], (5.2, 3.2, 0.12), rng, 12)
    R = rot([0, 0, 1], 12)
    for s, sz in (
        ((0, -1.5, 1.3), (5, 0.1, 2.5)),
        ((0, 1.5, 1.3), (5, 0.1, 2.5)),
        ((-2.5, 0, 1.3), (0.1, 3, 2.5)),
        ((2.5, 0, 1.3), (0.1, 3, 2.5)),
    ):
        m = int(max(sz[:2]) / 0.16)
        for i in range(m):
            o = np.array(s) + (np.array([1, 0, 0]) if sz[0] > 1 else np.array([0, 1, 0])) * ((i + 0.5) / m - 0.5) * max(sz[:2])
            v, f = boxes(
                [[0, 0, 0]], [0.15 if sz[0] > 1 else 0.03, 0.03 if sz[0] > 1 else 0.15, sz[2] + rng.normal(0, 0.02)], 0.004
            )
            S["wood"].add(
                (v + o) @ R.T + c,
                f,
                np.stack([v[:, 0] + v[:, 1] + rng.random(), v[:, 2] * 0.31], 1),
                np.float32([0.12, 0.13, 0.12]) * rng.uniform(0.6, 1.3),
                0.3,
            )
    v, f = boxes([[0.6, -1.56, 1.2], [-1.4, -1.56, 1.5]], [[0.9, 0.06, 1.95], [0.8, 0.06, 0.7]], 0.01)
    S["dark"].add(v @ R.T + c, f)
    for sgn in (-1, 1):
        xs = np.linspace(-2.8, 2.8, 200)
        t = np.linspace(0, 1, 6)[:, None]
        q = np.stack(
            [
                np.broadcast_to(xs, (6, 200)),
                sgn * 1.75 * np.broadcast_to(t, (6, 200)),
                3.3 - 0.75 * t + 0.018 * np.sin(xs * 2 * np.pi / 0.13),
            ],
            -1,
        )
        f = grid_faces(6, 200)
        S["tin"].add(
            q.reshape(-1, 3) @ R.T + c,
            f,
            q[..., :2].reshape(-1, 2),
            (0.24, 0.23, 0.22),
            np.clip(0.35 + 0.4 * n3(q[..., 0], q[..., 1], 2.5, 40), 0, 1).ravel(),
        )
    line = np.array([on(x, y) for x, y in zip(np.linspace(-26, 44, 60), 84 + 7 * np.sin(np.linspace(0, 2.2, 60)))])
    line[:, 2] = np.convolve(np.pad(line[:, 2], 6, mode="edge"), np.ones(13) / 13, "valid") + 0.12
    d = np.gradient(line, axis=0)
    nrm = np.stack([-d[:, 1], d[:, 0], 0 * d[:, 0]], 1)
    nrm /= np.linalg.norm(nrm, axis=1, keepdims=True)
    for s in (-0.3, 0.3):
        v, f = tube(line + nrm * s, 0.035, 6)
        S["iron"].add(v, f, dirt=0.6)
    for i in range(0, 60):
        v, f = boxes([[0, 0, -0.06]], [0.2, 1.1, 0.12], 0.01, rot([0, 0, 1], np.degrees(np.arctan2(d[i, 1], d[i, 0]))))
        S["wood"].add(v + line[i], f, v[:, :2], (0.12, 0.10, 0.08), 0.4)
    for i in (14, 16, 18, 37):  # tipping skips
        R2 = rot([0, 0, 1], np.degrees(np.arctan2(d[i, 1], d[i, 0])))
        pr = np.array([[-0.75, 0.95], [-0.42, 0.38], [0.42, 0.38], [0.75, 0.95]])
        for x0, x1 in ((-0.8, 0.8),):
            v = np.array([[x, p[0], p[1]] for x in (x0, x1) for p in pr])
            f = np.array(
                [[0, 1, 5], [0, 5, 4], [1, 2, 6], [1, 6, 5], [2, 3, 7], [2, 7, 6], [0, 2, 1], [0, 3, 2], [4, 5, 6], [4, 6, 7]]
            )
            S["tin"].add(v @ R2.T + line[i], f, v[:, :2], (0.16, 0.07, 0.045), 0.6)
        th, ph = np.meshgrid(np.linspace(0, 2 * np.pi, 30), np.linspace(0, 1, 8))
        q = np.stack(
            [
                0.78 * ph * np.cos(th),
                0.72 * ph * np.sin(th),
                0.9 + 0.38 * (1 - ph) + 0.05 * n3(ph * np.cos(th), ph * np.sin(th), 0.7, i),
            ],
            -1,
        )
        S["ground"].add(
            q.reshape(-1, 3) @ R2.T + line[i], grid_faces(8, 30)[:, ::-1], q[..., :2].reshape(-1, 2) * 0.5, (0.33, 0.2, 0.1), 0.2
        )
        v, f = boxes([[x, y, 0.18] for x in (-0.5, 0.5) for y in (-0.3, 0.3)], [0.34, 0.1, 0.34], 0.04, R2)
        S["iron"].add(v @ np.eye(3) + line[i], f, dirt=0.6)
    a, b = on(36, 78) + [0, 0, 1.0], on(61, 47) + [0, 0, 3.2]  # conveyor up to the edge
    u = (b - a) / np.linalg.norm(b - a)
    nn = np.cross(u, [0, 0, 1])
    nn /= np.linalg.norm(nn)
    for s in (-0.45, 0.45):
        for h in (0, -0.7):
            v, f = tube(np.linspace(a, b, 20) + nn * s + [0, 0, h], 0.05, 6)
            S["iron"].add(v, f, dirt=0.5)
        for t in np.linspace(0, 0.97, 24):
            p = a + (b - a) * t + nn * s
            v, f = tube([p, p + (b - a) / 24 - [0, 0, 0.7]], 0.03, 5)
            S["iron"].add(v, f, dirt=0.5)
    w = np.stack([np.linspace(a, b, 30) + nn * s + [0, 0, 0.06 - 0.1 * (abs(s) < 0.2)] for s in (-0.42, -0.15, 0.15, 0.42)], 0)
    S["dark"].add(w, np.concatenate([grid_faces(4, 30), grid_faces(4, 30)[:, ::-1]]), w[..., :2].reshape(-1, 2))
    for t in np.linspace(0.08, 0.95, 7):
        p = a + (b - a) * t
        for s in (-0.5, 0.5):
            v, f = tube([p + nn * s - [0, 0, 0.7], on(*(p + nn * s * 1.8)[:2]) - [0, 0, 0.2]], 0.06, 6)
            S["iron"].add(v, f, dirt=0.5)
    for k in range(16):  # drain pipes
        c = on(-6.5 + 0.33 * (k % 6) + 0.16 * (k // 6 % 2), 24.0)
        c[2] += 0.16 + 0.28 * (k // 6)
        v, f = lathe([[0.11, -0.6], [0.15, -0.6], [0.15, 0.6], [0.11, 0.6], [0.11, -0.6]], 28)
        S["tile"].add(
            v @ rot([1, 0, 0], 90).T @ rot([0, 0, 1], rng.normal(0, 2)).T + c,
            f,
            v[:, :2],
            np.float32([0.40, 0.19, 0.10]) * np.exp(rng.normal(0, 0.15)),
            0.2,
        )
    for x, y in ((-9, 40), (-3, 47), (3, 52), (11, 60), (18, 66), (-20, 45)):  # levelling sticks
        p = on(x, y)
        v, f = tube([p, p + [rng.normal(0, 0.08), 0, 1.8]], 0.022, 6)
        S["tape"].add(v, f, v[:, :2], (0.6, 0.56, 0.5))
        v, f = boxes([p + [0, 0, 1.75]], [0.12, 0.03, 0.28], 0.003)
        S["tape"].add(v, f, v[:, :2], (0.6, 0.08, 0.04))
    q = np.array([on(x, y) + [0, 0, 0.06] for x, y in zip(np.linspace(-14, 16, 70), 58 + 14 * np.sin(np.linspace(0, 4.5, 70)))])
    v, f = tube(q, 0.07, 8)
    S["dark"].add(v, f)
    n = 60000  # lumps fallen from the faces, mostly small, gathered at their feet
    A, D = rng.uniform(-HALF, HALF, n), np.exp(rng.uniform(np.log(14), np.log(170), n))
    x, y = D * np.sin(A), D * np.cos(A)
    z, st = height(x, y)
    above, _ = height(x * (1 + 2.5 / D), y * (1 + 2.5 / D))
    foot = smooth(above - z, 0.5, 2.2) + 0.12
    keep = (z < -1.2) & (z > WATER - 0.1) & (st < 0.5) & (rng.random(n) < foot)
    s = np.minimum(0.035 * rng.pareto(1.7, n) + 0.04, 0.8) * np.clip(D / 45, 0.5, 1.6)
    c = np.stack([x, y, z + s * 0.18], -1)[keep]
    v, f = boxes(
        c,
        (s[keep, None] * rng.uniform(0.55, 1.2, (keep.sum(), 3))),
        0.05,
        np.array([rot(rng.normal(0, 1, 3), rng.uniform(0, 360)) for _ in c]),
    )
    t = smooth(np.sin(c[:, 2] * 2.1) + 0.4 * rng.normal(0, 1, len(c)), -0.6, 0.8)[:, None]
    tone = mix(
        mix(np.float32([0.32, 0.20, 0.11]), np.float32([0.26, 0.13, 0.08]), t),
        np.float32([0.235, 0.215, 0.19]),
        (smooth(c[:, 2], -9.5, -12.5) * 0.8)[:, None],
    )
    S["ground"].add(v, f, v[:, :2] * 0.5, np.repeat(tone * np.exp(rng.normal(0, 0.16, (len(c), 1))), 24, 0), 0.1)


def growth(S, rng):
    n = 34000
    A, D = rng.uniform(-HALF, HALF, n), np.exp(rng.uniform(np.log(8.2), np.log(30), n))
    x, y = D * np.sin(A), D * np.cos(A)
    z, _ = height(x, y)
    lush = n3(x, y, 11.0, 21) + 1.1 + 0.5 * rng.normal(0, 1, n)
    p = np.stack([x, y, z], -1)[(z > -0.75) & (lush > 0.3)]
    dry = n3(p[:, 0], p[:, 1], 5.0, 29) > 0.5
    P.weeds(S["leaf"], p[~dry], rng, 0.15, 20, (0.105, 0.105, 0.045))
    P.weeds(S["leaf"], p[dry], rng, 0.24, 15, (0.235, 0.195, 0.105))
    for i, (x, y, h) in enumerate(((-24, 26, 5.5), (26, 22, 5), (31, 30, 6.5), (-38, 48, 7), (-46, 40, 8), (70, 60, 7))):
        P.tree(S["bark"], S["leaf"], on(x, y) - [0, 0, 0.2], h, 140 + i, leaves=9000, leaf=0.10, tone=(0.10, 0.115, 0.03))
    for i in range(120):
        A, D = -HALF + (i + rng.random()) / 120 * 2 * HALF, rng.uniform(205, 380)
        h = rng.uniform(6, 15)
        P.tree(
            S["bark"],
            S["leaf"],
            on(D * np.sin(A), D * np.cos(A)) - [0, 0, h * 0.34],
            h * 1.25,
            300 + i,
            leaves=2600,
            leaf=0.46,
            tone=((0.055, 0.07, 0.022), (0.085, 0.085, 0.025), (0.10, 0.075, 0.02))[i % 3],
        )


def far_things(S, rng):
    c = on(-58, 236)  # the works' chimney over the trees
    v, f = lathe([[1.5, 0], [1.05, 21], [1.25, 21.5], [1.2, 22.5], [0.9, 22.5]], 24, c)
    S["brick"].add(v, f, v[:, [0, 2]] * 0.2, dirt=0.4)
    v, f = boxes([c + [9, 6, 4.5], c + [26, 9, 3.2]], [[24, 11, 9], [12, 10, 6.4]], 0.1)
    S["brick"].add(v, f, v[:, [0, 2]] * 0.2, dirt=0.3)
    for dx, w, z in ((9, 25, 9), (26, 13, 6.4)):
        q = c + np.array([[dx - w / 2, -0.2, z], [dx + w / 2, -0.2, z], [dx - w / 2, 6, z + 4], [dx + w / 2, 6, z + 4]])
        S["tin"].add(q, [[0, 1, 3], [0, 3, 2]], q[:, :2], (0.09, 0.085, 0.09), 0.3)
    top = []
    for k in range(9):
        p = on(-150 + 46 * k, 300 - 9 * k)
        v, f = tube([p, p + [0, 0, 10.5]], [0.16, 0.11], 8)
        S["bark"].add(v, f, col=(0.14, 0.11, 0.08))
        top.append(p + [0, 0, 10.2])
    for a, b in pairwise(top):
        for s in (-0.5, 0.5):
            v, f = tube(sag(a + [0, s, 0], b + [0, s, 0], 1.0, 24), 0.035, 4)
            S["iron"].add(v, f)
