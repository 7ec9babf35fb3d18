"""The works' yard: setts and puddles, the sign, what stands about, and what surrounds it."""

import numpy as np
import parts as P
from geo import bond, boxes, grid_faces, lathe, rot, sag, shell, surface, tube
from noise import noise3, smooth, spectral


def yard(S, rng, puddles=()):
    """Setts, soil and water; ``puddles`` are (x, y, half width, half depth, metres) besides the two that are always there."""
    rects = []
    for k, y in enumerate(np.arange(-13, -1.15, 0.125)):
        x = -17 + 0.1 * (k % 2) + rng.normal(0, 0.02)
        while x < 14:
            w = 0.205 * np.exp(rng.normal(0, 0.13))
            rects.append((x, y + rng.normal(0, 0.003), x + w - 0.014, y + 0.111))
            x += w
    bump = lambda p: (
        0.022 * noise3(np.stack([p[..., 0], p[..., 1] * 1.6, 0 * p[..., 0]], -1), 9.0, 31, beta=3.4)
        - 0.02 * np.exp(-(((p[..., 1] + 5.2) / 0.5) ** 2))
        - 0.02 * np.exp(-(((p[..., 1] + 3.6) / 0.5) ** 2))
        - 0.060 * np.exp(-(((p[..., 0] - 0.6) / 2.0) ** 2) - ((p[..., 1] + 5.0) / 0.8) ** 2)
        - 0.05 * np.exp(-(((p[..., 0] + 4.2) / 0.9) ** 2) - ((p[..., 1] + 4.6) / 0.6) ** 2)
    )
    if puddles:
        flat, pools = bump, list(puddles)
        bump = lambda p: (
            flat(p)
            - sum(
                h * np.exp(-(np.maximum(((p[..., 0] - a) / c) ** 2 + ((p[..., 1] - b) / e) ** 2, 0.25) ** 2))
                for a, b, c, e, h in pools
            )
        )
    place = lambda q: np.stack([q[..., 0], q[..., 1], q[..., 2] + bump(q)], -1)
    P.add_blocks(
        S["sett"],
        rects,
        rng,
        place,
        lambda p: np.clip(0.2 + 0.25 * noise3(p, 3.1, 6) + 0.2 * noise3(p, 0.7, 7), 0, 0.8),
        bevel=0.014,
        sink=0.045,
        wob=0.0008,
        tilt=0.010,
        push=0.0022,
        dome=0.005,
        chip=0.03,
        nu=8,
        nv=7,
    )
    x, y = np.arange(-17, 14, 0.05), np.arange(-13, -1.1, 0.05)
    X, Y = np.meshgrid(x, y)
    Z = bump(np.stack([X, Y], -1)) - 0.020 + 0.003 * spectral(len(y), len(x), 1.0, 3)
    v, f = surface(x, y, Z)
    S["soil"].add(v, f, v[:, :2] * 0.5)
    v, f = boxes([[-1, -6, -0.058]], [31, 13.5, 0.02])
    S["water"].add(v, f, v[:, :2])
    for x in np.arange(-16.6, 14, 0.93):  # kerb and flags
        v, f = boxes([[x, -1.06, 0.02 + rng.normal(0, 0.006)]], [0.92, 0.15, 0.22], 0.018)
        S["stone"].add(
            v + 0.004 * noise3(v, 0.3, 2)[:, None],
            f,
            col=np.float32([0.27, 0.26, 0.24]) * rng.uniform(0.8, 1.15),
            dirt=0.3 + 0.3 * noise3(v, 0.8, 8),
        )
        v, f = boxes(
            [[x + 0.3, -0.5, 0.05 + rng.normal(0, 0.006)]],
            [0.915, 0.94, 0.14],
            0.012,
            rot([rng.normal(), rng.normal(), 0], rng.normal(0, 0.5)),
        )
        S["stone"].add(v, f, col=np.float32([0.25, 0.235, 0.21]) * rng.uniform(0.8, 1.15), dirt=0.25 + 0.35 * noise3(v, 0.8, 9))
    v, f = boxes([[0, 0, -1]], [300, 300, 1.8])
    S["soil"].add(v, f, v[:, :2] * 0.3)


def sign(S):
    """Lettered board under the upper sills; returns its colour texture."""
    from PIL import Image, ImageDraw, ImageFont

    W, H = 3072, 200
    im = Image.new("L", (W, H), 0)
    ImageDraw.Draw(im).text(
        (W / 2, H / 2), "H A R R O W   L A N E   T I L E W O R K S", 255, ImageFont.load_default(118), anchor="mm", stroke_width=3
    )
    m = np.asarray(im, np.float32)[..., None] / 255
    n = spectral(H, W, 1.6, 5, 4)[..., None]
    g = np.repeat(spectral(H, 96, 1.0, 6, 2), 32, 1)[..., None]
    m = m * smooth(n + 0.4 * g, 1.9, 0.7)
    col = np.float32([0.028, 0.05, 0.042]) * (1 + 0.25 * n) + m * np.float32([0.52, 0.46, 0.33]) * (1 + 0.1 * n)
    col = np.where(n + g > 2.1, np.float32([0.16, 0.12, 0.08]), col)
    for k in range(3):
        z0, z1 = 3.68 + 0.155 * k, 3.68 + 0.155 * k + 0.15
        x = np.linspace(-4.3, 4.3, 120)
        y = -0.155 - 0.004 * np.sin(x * 2 + k) - 0.003 * k
        v = np.concatenate(
            [
                np.stack([x, y - (i in (1, 2)) * 0.03, np.full(120, z) + 0.003 * np.sin(x + k)], 1)
                for i, z in enumerate((z0, z0, z1, z1))
            ]
        )
        vv = np.repeat([z0, z0, z1, z1], 120)
        S["sign"].add(
            v,
            grid_faces(4, 120),
            np.stack([np.tile((x + 4.3) / 8.6, 4), 1 - (vv - 3.66) / 0.5], 1),
            dirt=0.12 + 0.2 * noise3(v * [1, 1, 0.3], 2, 5),
        )
    return np.clip(col, 0.01, 0.8)


def clutter(S, rng):
    for x, y, yaw, tone in (
        (-4.2, -1.75, 8, (0.33, 0.135, 0.07)),
        (-5.7, -1.65, -5, (0.33, 0.135, 0.07)),
        (3.5, -1.9, 3, (0.12, 0.20, 0.18)),
    ):
        P.pallet(S["wood"], np.array([x, y, 0.0]), rng, yaw)
        P.tile_stack(
            S["tile"],
            np.array([x, y, 0.13]),
            rng,
            yaw,
            5,
            4,
            rng.integers(34, 56),
            thick=0.013,
            tones=(tone, np.float32(tone) * 0.8),
            miss=0.25,
        )
    for x, y, t in ((5.9, -0.75, (0.10, 0.15, 0.2)), (5.25, -0.8, (0.22, 0.06, 0.03)), (5.7, -1.35, (0.09, 0.11, 0.09))):
        P.barrel(S["rust"], np.array([x, y, 0.1]), rng, tone=t)
    for i, x in enumerate((-8.0, -7.75, -8.3)):  # planks against the wall
        v, f = boxes(
            [[x, -0.35, 1.35]], [0.17, 0.035, 2.6 + 0.3 * i], 0.004, rot([1, 0, 0], 10 + 2 * i) @ rot([0, 1, 0], rng.normal(0, 4))
        )
        S["timber"].add(v, f, np.stack([v[:, 0] + 0.3 * i, v[:, 2] * 0.31], 1), dirt=0.35)
    a, b = np.array([8.0, -1.15, 0.1]), np.array([8.15, -0.05, 4.0])  # ladder
    for e in (-0.2, 0.2):
        v, f = tube(a + [e, 0, 0] + np.linspace(0, 1, 14)[:, None] * (b - a), 0.026, 8)
        S["wood"].add(v, f, col=(0.24, 0.18, 0.11), dirt=0.1 + 0.3 * noise3(v, 0.7, 3))
    for t in np.linspace(0.06, 0.96, 13):
        c = a + (b - a) * t
        v, f = tube([c - [0.2, 0, 0], c + [0.2, 0, 0]], 0.015, 6)
        S["wood"].add(v, f, col=(0.32, 0.25, 0.16))
    v, f = tube([[-2.3, -0.12, 5.15], [-2.3, -0.5, 5.35], [-2.3, -0.82, 5.3], [-2.3, -0.95, 5.1]], 0.018, 10)  # lamp
    S["iron"].add(v, f)
    v, f = lathe(
        [[0.03, 0.2], [0.05, 0.12], [0.07, 0.1], [0.22, -0.02], [0.225, -0.035], [0.21, -0.03], [0.06, 0.08], [0.001, 0.08]],
        32,
        (-2.3, -0.95, 4.95),
    )
    v, f = shell(v, f[:, ::-1], 0.003)
    S["iron"].add(v, f, dirt=0.2)
    v, f = lathe([[0.001, -0.09], [0.03, -0.08], [0.042, -0.045], [0.03, 0], [0.02, 0.04]], 20, (-2.3, -0.95, 4.96))
    S["lamp"].add(v, f)
    for q0, q1, d in (
        ((-11.2, -0.2, 6.2), (-30, -9, 8.2), 0.7),
        ((-11.2, -0.2, 6.05), (-30, -9, 7.9), 0.9),
        ((-2.3, -0.14, 5.2), (-11.2, -0.16, 6.05), 0.12),
        ((6.7, -0.2, 6.3), (26, -14, 8.6), 0.8),
    ):
        v, f = tube(sag(q0, q1, d, 40), 0.011, 6)
        S["cable"].add(v, f)
    c = [[x, -0.14, z] for x in (-11.2,) for z in (6.05, 6.2)] + [[6.7, -0.18, 6.3]]
    v, f = boxes(c, [0.05, 0.12, 0.05], 0.01)
    S["white"].add(v, f)
    P.weeds(S["leaf"], [[x, -0.16 - 0.1 * rng.random(), 0.12] for x in rng.uniform(-11.5, 11.5, 46) if abs(x) > 1.6], rng)
    P.weeds(S["leaf"], [[x, -0.98 + rng.normal(0, 0.03), 0.05] for x in rng.uniform(-14, 12, 60)], rng, 0.10, 24)
    P.handcart(S["door"], S["iron"], np.array([-2.6, -4.3, 0.02]), rng, 24)
    n = 900  # fallen leaves along the kerb
    p = np.c_[rng.uniform(-15, 12, n), -1.25 - np.abs(rng.normal(0, 0.5, n)), np.full(n, 0.035)]
    P.scatter_leaves(S["litter"], p, 0.03, (0.16, 0.09, 0.03), rng)


def surroundings(S, rng):
    wl = lambda q: np.stack([q[..., 0], 1.2 - q[..., 2], q[..., 1]], -1)
    P.add_blocks(
        S["brick"],
        bond(-24, -11.6, 0, 2.6, rng),
        rng,
        wl,
        lambda p: np.clip(0.35 + 0.3 * noise3(p, 3, 5) + 0.4 * smooth(p[..., 2], 0.8, 0), 0, 0.9),
        nu=6,
    )
    v, f = boxes([[-17.8, 1.33, 1.3]], [12.6, 0.24, 2.58])
    S["mortar"].add(v, f)
    v, f = boxes([[x, 1.3, 2.66] for x in np.arange(-23.9, -11.6, 0.46)], [0.45, 0.42, 0.1], 0.02)
    S["stone"].add(v, f, col=(0.25, 0.24, 0.22), dirt=0.4)
    for i, (x, y, h) in enumerate(((-16.5, 9, 10.5), (-22, 15, 13), (-13.5, 20, 12), (17, 12, 12), (24, 8, 11), (13.5, 16, 9))):
        P.tree(
            S["bark"],
            S["leaf"],
            (x, y, 0),
            h,
            40 + i,
            leaves=26000,
            leaf=0.12,
            tone=((0.05, 0.075, 0.02), (0.075, 0.085, 0.02))[i % 2],
        )
    wr = lambda q: np.stack([q[..., 0], 3.2 - q[..., 2], q[..., 1]], -1)
    P.add_blocks(
        S["brick"],
        bond(11.6, 40, 0, 2.3, rng),
        rng,
        wr,
        lambda p: np.clip(0.4 + 0.3 * noise3(p, 3, 5) + 0.4 * smooth(p[..., 2], 0.8, 0), 0, 0.9),
        nu=6,
    )
    v, f = boxes([[26, 3.33, 1.15]], [29, 0.24, 2.28])
    S["mortar"].add(v, f)
    v, f = boxes([[x, 3.3, 2.36] for x in np.arange(11.8, 40, 0.46)], [0.45, 0.42, 0.1], 0.02)
    S["stone"].add(v, f, col=(0.25, 0.24, 0.22), dirt=0.4)
    sh = lambda q: np.stack([q[..., 0], 1.0 - q[..., 2], q[..., 1]], -1)
    P.add_blocks(
        S["brick"],
        bond(16.0, 20.5, 0, 2.7, rng, lambda z: [(17.6, 18.7)] if z < 2.1 else []),
        rng,
        sh,
        lambda p: np.clip(0.3 + 0.25 * noise3(p, 3, 5), 0, 0.9),
        nu=6,
    )
    gb = lambda q: np.stack([15.99 - q[..., 2], 3.3 - q[..., 0], q[..., 1]], -1)
    P.add_blocks(S["brick"], bond(0, 2.3, 0, 2.6, rng), rng, gb, lambda p: np.clip(0.35 + 0.3 * noise3(p, 3, 5), 0, 0.9), nu=6)
    v, f = boxes([[18.25, 2.2, 1.3], [18.15, 1.1, 1.05]], [[4.49, 2.3, 2.6], [1.1, 0.1, 2.1]])
    S["render"].add(v[:24], f[:44], col=(0.17, 0.085, 0.06), dirt=0.35)
    S["door"].add(v[24:], f[:44])
    v, f = boxes([[18.25, 2.0, 2.98]], [5.0, 3.0, 0.06], 0.01, rot([1, 0, 0], 12))
    S["rust"].add(v, f, col=(0.10, 0.10, 0.10), dirt=0.6)
    for i in range(7):
        P.tree(
            S["bark"],
            S["leaf"],
            (20 + 8 * i + rng.normal(0, 2), 16 + 3 * i + rng.normal(0, 2), 0),
            9 + 3 * rng.random(),
            80 + i,
            leaves=9000,
            leaf=0.17,
            tone=(0.05, 0.07, 0.025),
        )
    for x, z in ((20.6, 1), (27, 6)):
        v, f = tube([[x, z, 0], [x + 0.1, z, 8.3]], [0.13, 0.09], 10)
        S["bark"].add(v, f, col=(0.14, 0.11, 0.08))
        v, f = boxes([[x, z, 7.9]], [1.6, 0.1, 0.1])
        S["bark"].add(v, f, col=(0.14, 0.11, 0.08))
    P.tree(S["bark"], S["leaf"], (-33.5, -20.5, 0), 14.5, 60, leaves=16000, leaf=0.13)
    P.tree(S["bark"], S["leaf"], (-22.5, -22.0, 0), 11.5, 61, leaves=14000, leaf=0.13)
    # buildings behind the camera: shadow on the lower front and something to reflect
    v, f = boxes(
        [[-12, -33, 4], [6, -30, 3.6], [-46, -21, 3.5], [22, -32, 4.5], [-30, -36, 4.2], [44, -22, 3]],
        [[16, 10, 8.4], [18, 9, 7.6], [16, 12, 9.5], [14, 10, 9], [14, 8, 9.4], [9, 20, 7]],
        0.05,
    )
    S["render"].add(v, f, v[:, [0, 2]], col=(0.33, 0.25, 0.19), dirt=0.25)
    v, f = boxes(
        [[-15, -31, 9.4], [-8, -32, 9.2], [1, -29, 8.4], [-43, -19, 9.4]],
        [[1.1, 0.7, 2.6], [1, 0.7, 2], [1, 0.7, 2.2], [1.2, 0.8, 3]],
        0.03,
    )
    S["render"].add(v, f, v[:, [0, 2]], col=(0.3, 0.16, 0.1), dirt=0.3)
