"""The works' front: brick, openings, roof and chimney."""

import numpy as np
import parts as P
from geo import bond, boxes, grid_faces, lathe, rot, shell, tube
from noise import noise3, smooth, spectral
from scipy.ndimage import gaussian_filter

BAYS = (-9.2, -4.6, 0.0, 4.6, 9.2)
EAVES = 7.2


def front(q):
    """Wall coordinates (along, up, out) to the scene's."""
    return np.stack([q[..., 0], -q[..., 2], q[..., 1]], -1)


def rooms_behind_glass(seed=70, size=512):
    """Two by two lamp-lit rooms as dirty panes show them: shelves of pots, a bench, the lamp; row 0 is the sill."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:size, 0:size] / size
    cells = []
    for k in range(4):
        lamp_x, lamp_y = rng.uniform(0.3, 0.7), rng.uniform(0.72, 0.86)
        light = 0.16 + 0.75 * np.exp(-((x - lamp_x) ** 2 + (y - lamp_y) ** 2) / 0.16)
        light = light + 2.2 * np.exp(-((x - lamp_x) ** 2 + (y - lamp_y) ** 2) / 0.0035)
        shade = np.ones((size, size))
        for shelf in (rng.uniform(0.26, 0.32), rng.uniform(0.48, 0.56)):
            first, last = sorted(rng.uniform(-0.2, 1.2, 2))
            on = (x > first) & (x < max(last, first + 0.5))
            shade = np.where(on & (np.abs(y - shelf) < 0.010), 0.12, shade)
            for at in np.arange(first + 0.05, max(last, first + 0.5) - 0.03, 0.085):
                high, wide = rng.uniform(0.05, 0.14), rng.uniform(0.018, 0.036)
                belly = wide * (0.7 + 0.5 * np.sin(np.pi * np.clip((y - shelf) / high, 0, 1) ** 0.8))
                pot = (np.abs(x - at) < belly) & (y > shelf) & (y < shelf + high)
                shade = np.where(pot & (rng.random() < 0.85), rng.uniform(0.14, 0.40), shade)
        top = 0.12 + 0.05 * np.sign(np.sin(x * 23 + k)) * (np.sin(x * 9 + k) > 0.2)
        shade = np.where(y < top, 0.10, shade)  # what stands on the bench before the window
        grime = np.clip(
            0.85 + 0.16 * spectral(size, size, 2.0, seed + k, 2) + 0.06 * spectral(size, size, 1.0, seed + 9 + k, 12), 0.3, 1.4
        )
        cells.append(gaussian_filter(light * shade, 3.0) * grime)
    glow = np.concatenate([np.concatenate(cells[:2], 1), np.concatenate(cells[2:], 1)], 0)
    return np.ascontiguousarray(glow[..., None] * np.float32([1.0, 0.62, 0.29]), np.float32)


def facade(S, rng, lit=(), rooms=False):
    """Brick front with its openings; ``lit`` are (centre, sill) of the windows with a lamp behind them.

    With ``rooms`` each of them shows its cell of `rooms_behind_glass`.
    """
    lower = [P.Arch(x, 0.78, 1.05, 2.75) for x in BAYS if x != 0]
    upper = [P.Arch(x, 0.78, 4.25, 5.75) for x in BAYS]
    door = P.Arch(0.0, 1.35, 0.0, 3.0, 0.3)
    ops = lower + upper + [door]
    holes = lambda z: [h for h in (o.hole(z) for o in ops) if h]

    def dirt(p):
        x, z = p[..., 0], p[..., 2]
        d = 0.20 + 0.30 * smooth(z, 5.4, 7.2) + 0.42 * smooth(z, 0.9, 0.05)
        d = (
            d
            + 0.30 * smooth(noise3(p, 11.0, 3), -0.1, 1.3)
            + 0.17 * noise3(p, 2.3, 4)
            + 0.30 * smooth(noise3(p * [1, 1, 0.22], 2.6, 14), 0.7, 1.9) * smooth(z, 2.5, 6.6)
        )
        for o in ops:  # rain streaks below sill ends and soot above arches
            if o.z0 > 0.5:
                for e in (-1, 1):
                    w = 0.10 + 0.09 * noise3(p * [4, 4, 0.25], 6.0, 7)
                    g = np.exp(-(((x - o.uc - e * (o.hw + 0.02)) / np.maximum(w, 0.03)) ** 2))
                    d = d + 0.8 * g * smooth(z, o.z0 - 2.1, o.z0 - 0.05) * (z < o.z0)
                m = (abs(x - o.uc) < o.hw) & (z < o.z0)
                d = d + m * 0.42 * smooth(z, o.z0 - 1.3, o.z0) * (1 + noise3(p * [5, 5, 0.3], 5.0, 8))
            d = d + 0.15 * np.exp(-(((x - o.uc) / o.hw) ** 2)) * smooth(z, o.top + 0.7, o.top) * (z > o.top - 0.2)
        for x0 in (-6.6, 6.6):  # leaking downpipes
            d = d + 0.5 * np.exp(-(((x - x0) / 0.22) ** 2)) * (0.6 + 0.5 * noise3(p * [1, 1, 0.4], 3.0, 11))
        return np.clip(d, 0, 0.92)

    P.add_blocks(S["brick"], bond(-11.5, 11.5, 0.3, 6.55, rng, holes), rng, front, dirt)
    for z, d in ((6.55, 0.04), (6.625, 0.075), (6.85, 0.10), (6.925, 0.14), (7.0, 0.16), (7.075, 0.16)):
        pl = lambda q, d=d: front(q + np.array([0, 0, d]))
        P.add_blocks(S["brick"], bond(-11.6, 11.6, z, z + 0.06, rng, kind="header"), rng, pl, dirt, sink=0.18)
    v, f = boxes(np.array([[x, -0.02, 6.77] for x in np.arange(-11.4, 11.5, 0.235)]), [0.105, 0.2, 0.145], 0.006)
    S["brick"].add(v + rng.normal(0, 0.0012, v.shape), f, np.stack([v[:, 0] * 0.31 % 1 * 0.1, v[:, 2] * 0.2], 1), dirt=dirt(v))
    for x in (-11.5, -6.9, -2.3, 2.3, 6.9, 11.5):  # piers
        pl = lambda q: front(q + np.array([0, 0, 0.115]))
        P.add_blocks(S["brick"], bond(x - 0.33, x + 0.33, 0.3, 6.55, rng), rng, pl, dirt, sink=0.13)
    bl = np.array([[x, -0.05, 0.14] for x in np.arange(-11.7, 11.8, 0.78) if abs(x) > 1.7])
    v, f = boxes(bl, [0.765, 0.28, 0.34], 0.02)  # stone plinth
    S["stone"].add(v + 0.004 * noise3(v, 0.4, 2)[:, None], f, col=(0.30, 0.28, 0.25), dirt=0.35 + 0.3 * noise3(v, 1.0, 5))
    xs, zs = np.arange(-11.5, 11.51, 0.025), np.arange(0, 7.2, 0.025)
    X, Z = np.meshgrid(xs, zs)
    D = -0.008 - 0.002 * np.abs(spectral(len(zs), len(xs), 1.2, 3))
    v = front(np.stack([X, Z, D], -1)).reshape(-1, 3)
    f = grid_faces(len(zs), len(xs))
    c = v[f].mean(1)
    keep = np.ones(len(f), bool)
    for o in ops:
        keep &= ~o.inside(c[:, 0], c[:, 2])
    S["mortar"].add(v, f[keep], v[:, [0, 2]] * 0.7, dirt=dirt(v) * 0.9)
    cells = {window: (0.5 * (k % 2), 0.5 * (k // 2 % 2), 0.5) for k, window in enumerate(lit)} if rooms else {}
    for o in ops:
        P.arched_opening(S["brick"], S["mortar"], o, rng, front, dirt, depth=0.2)
        if o is door:
            continue
        P.iron_window(
            S["iron"],
            S["lit"] if (o.uc, o.z0) in lit else S["glass"],
            o,
            rng,
            front,
            nx=4,
            nz=5,
            tint=(0.02, 0.018, 0.014) if rng.random() < 0.4 else None,
            view=cells.get((o.uc, o.z0)),
        )
        v, f = boxes([[o.uc, 0.04, o.z0 - 0.055]], [o.hw * 2 + 0.28, 0.30, 0.13], 0.012)
        S["stone"].add(v, f, col=(0.33, 0.31, 0.27), dirt=0.3 + 0.25 * noise3(v, 0.6, 15))
    for x0, x1, z0, z1 in (
        (-11.5, -3.6, -0.2, 7.4),
        (3.6, 11.5, -0.2, 7.4),
        (-3.6, 3.6, 3.75, 7.4),
    ):  # darkness behind the windows
        v, f = boxes([[(x0 + x1) / 2, 1.2, (z0 + z1) / 2]], [x1 - x0, 0.02, z1 - z0])
        S["black"].add(v, f)
    behind_the_door(S)
    loading_door(S, rng)
    return ops


def loading_door(S, rng):
    for side, ang in ((-1, 0.0), (1, 62.0)):  # right leaf stands ajar
        R = rot([0, 0, 1], ang)
        hinge = np.array([side * 1.33, 0.14, 0])
        n = 9
        for i in range(n):
            w = 1.32 / n
            c = np.array([[-side * (i + 0.5) * w, rng.normal(0, 0.002), 1.63 + rng.normal(0, 0.006)]])
            v, f = boxes(c @ R.T + hinge, [w - 0.007, 0.04, 3.18], 0.004, R)
            local = (v - hinge) @ R
            S["door"].add(
                v,
                f,
                np.stack([local[:, 0] * 0.62 + 0.13 * i, local[:, 2] * 0.31], 1),
                dirt=0.15 + 0.6 * smooth(local[:, 2], 0.55, 0) * (1 + 0.5 * noise3(v, 0.5, 5)),
            )
        for z in (0.4, 1.6, 2.8):
            v, f = boxes(np.array([[-side * 0.66, -0.032, z]]) @ R.T + hinge, [1.28, 0.03, 0.13], 0.005, R)
            S["door"].add(v, f, np.stack([v[:, 2] * 0.9, v[:, 0] * 0.3], 1), dirt=0.3)
            v, f = boxes(np.array([[-side * 0.35, -0.052, z]]) @ R.T + hinge, [0.66, 0.008, 0.05], 0.002, R)
            S["iron"].add(v, f, dirt=0.5)


def behind_the_door(S):
    """The store that the open leaf lets one look into."""
    rng = np.random.default_rng(77)
    v, f = boxes([[0, 3.6, -0.02]], [7.2, 6.9, 0.1])
    S["stone"].add(v, f, v[:, :2] * 0.4, (0.24, 0.22, 0.19), 0.5)
    for c, size in (((0, 7.0, 1.8), (7.2, 0.1, 3.8)), ((-3.55, 3.6, 1.8), (0.1, 6.8, 3.8)), ((3.55, 3.6, 1.8), (0.1, 6.8, 3.8))):
        v, f = boxes([c], size)
        S["render"].add(v, f, np.stack([v[:, 0] + v[:, 1], v[:, 2]], 1) * 0.5, (0.44, 0.40, 0.33), 0.30)
    for y in np.arange(1.2, 7, 0.55):  # joists and the boards above
        v, f = boxes([[0, y, 3.5]], [7.1, 0.07, 0.16], 0.005)
        S["timber"].add(v, f, np.stack([v[:, 1], v[:, 0] * 0.31], 1), dirt=0.4)
    v, f = boxes([[0, 3.6, 3.62]], [7.1, 6.8, 0.05])
    S["timber"].add(v, f, np.stack([v[:, 1] * 0.8, v[:, 0] * 0.31], 1), dirt=0.4)
    for x, y, yaw, high, tone in (
        (2.6, 2.6, 6, 58, (0.45, 0.21, 0.12)),
        (2.9, 4.2, -3, 70, (0.55, 0.50, 0.40)),
        (-2.4, 3.4, -4, 66, (0.55, 0.50, 0.40)),
        (0.4, 5.2, 3, 58, (0.12, 0.20, 0.18)),
    ):
        P.pallet(S["wood"], np.array([x, y, 0.03]), rng, yaw)
        P.tile_stack(S["tile"], np.array([x, y, 0.16]), rng, yaw, 4, 4, high, thick=0.014, tones=(tone,), miss=0.3)
    P.barrel(S["rust"], np.array([-2.0, 1.6, 0.03]), rng, tone=(0.09, 0.13, 0.17))


def roof_and_chimney(S, rng):
    a = np.radians(36)
    ca, sa = np.cos(a), np.sin(a)
    rects = []
    for r in range(34):
        x = -11.9 + (r % 2) * 0.14
        while x < 11.9:
            w = 0.28 + rng.normal(0, 0.008)
            rects.append((x, r * 0.2 - 0.1 + rng.normal(0, 0.006), x + w - 0.006, r * 0.2 + 0.27))
            x += w

    def slope(q):
        d = q[..., 2] + 0.03
        u = q[..., 1]
        lift = 0.02 * (1 - (u % 0.2) / 0.2) + 0.012 * noise3(np.stack([q[..., 0], u, 0 * u], -1), 9.0, 5)
        return np.stack([q[..., 0], -0.28 + u * ca - (d + lift) * sa, EAVES + 0.02 + u * sa + (d + lift) * ca], -1)

    P.add_blocks(
        S["slate"],
        rects,
        rng,
        slope,
        lambda p: np.clip(0.05 + 0.12 * noise3(p, 3, 8) + 0.3 * smooth(noise3(p, 1.3, 9), 1.2, 2.4), 0, 0.7),
        bevel=0.004,
        sink=0.012,
        push=0.002,
        tilt=0.008,
        wob=0.0004,
        chip=0.25,
        nu=6,
        nv=6,
    )
    v, f = boxes([[0, -0.1, EAVES + 0.02]], [23.9, 0.35, 0.06], 0.01)
    S["iron"].add(v, f, dirt=0.4)
    x = np.linspace(-11.9, 11.9, 160)  # half-round gutter with joints, slightly sagging
    th = np.radians(np.linspace(180, 360, 14))
    drop = -0.02 - 0.012 * np.abs(np.sin(x * 1.7)) + 0.006 * noise3(np.c_[x, 0 * x, 0 * x], 6.0, 3)
    rad = 0.068 + 0.006 * (np.abs((x % 1.83) - 0.9) < 0.05)
    v = np.stack(
        [
            np.broadcast_to(x[:, None], (160, 14)),
            -0.36 + rad[:, None] * np.cos(th),
            EAVES + drop[:, None] + rad[:, None] * np.sin(th),
        ],
        -1,
    )
    f = grid_faces(160, 14)
    v, f = shell(v, f, 0.004)
    S["iron"].add(v, f, dirt=0.35 + 0.35 * noise3(v, 0.8, 4))
    for x0 in (-6.6, 6.6):
        pts = [
            [x0, -0.36, EAVES - 0.08],
            [x0, -0.36, EAVES - 0.2],
            [x0, -0.12, EAVES - 0.75],
            [x0, -0.12, 5],
            [x0 + 0.01, -0.125, 3],
            [x0, -0.12, 0.35],
            [x0, -0.3, 0.2],
        ]
        v, f = tube(pts, 0.05, 14)
        S["iron"].add(v, f, dirt=0.3 + 0.4 * noise3(v, 1.2, 6))
        for z in np.arange(0.8, 6.3, 1.8):
            v, f = lathe([[0.05, -0.05], [0.064, -0.045], [0.064, 0.045], [0.05, 0.05]], 16, (x0, -0.12, z))
            S["iron"].add(v, f, dirt=0.4)
    ry, rz = -0.28 + 6.85 * ca, EAVES + 0.1 + 6.85 * sa
    n = 53
    v, f = boxes(
        np.c_[
            np.linspace(-11.7, 11.7, n),
            np.full(n, ry),
            rz + 0.03 * noise3(np.c_[np.arange(n) * 0.45, 0 * np.arange(n), 0 * np.arange(n)], 9, 5) + rng.normal(0, 0.008, n),
        ],
        [0.445, 0.3, 0.17],
        0.05,
    )
    S["tile"].add(v, f, col=(0.22, 0.10, 0.07), dirt=0.5)
    for x in (-9.7, -9.45, -8.7, -3.1, 0.2, 0.42, 6.9):  # pigeons
        th = np.linspace(0, np.pi, 12)
        body, f = lathe(np.c_[np.sin(th) * 0.075 + 1e-4, -np.cos(th) * 0.14], 14)
        v = body @ rot([0, 1, 0], rng.choice([50, -50])).T + [x, ry, rz + 0.17]
        S["cable"].add(v, f)
        v, f = lathe(np.c_[np.sin(th) * 0.038 + 1e-4, -np.cos(th) * 0.045], 10)
        S["cable"].add(v + [x + rng.choice([-0.09, 0.09]), ry, rz + 0.31], f)
    cx, cy, H = 3.6, 6.5, 20.5
    rad = lambda z: 1.32 - 0.40 * z / H + 0.16 * smooth(z, H - 1.6, H - 0.9) - 0.10 * smooth(z, H - 0.5, H)
    rects = bond(0, 2 * np.pi * 1.3, 6.0, H, rng, kind="header")

    def stack(q):
        th = q[..., 0] / 1.3
        r = rad(q[..., 1]) + q[..., 2] + 0.003 * noise3(np.stack([np.cos(th), np.sin(th), q[..., 1] * 0.3], -1), 4.0, 9)
        return np.stack([cx + r * np.cos(th) + 0.006 * q[..., 1], cy + r * np.sin(th), q[..., 1]], -1)

    soot = lambda p: np.clip(
        0.22 + 0.65 * smooth(p[..., 2], H - 5, H) + 0.2 * noise3(p * [1, 1, 0.3], 5, 12) + 0.12 * noise3(p, 2, 3), 0, 0.95
    )
    P.add_blocks(S["brick"], rects, rng, stack, soot, nu=7, push=0.004)
    z = np.linspace(5.8, H, 120)
    v, f = lathe(np.c_[[rad(t) - 0.012 for t in z], z], 72)
    v = v + np.c_[cx + 0.006 * v[:, 2], np.full(len(v), cy), np.zeros(len(v))]
    S["mortar"].add(v, f, v[:, [0, 2]], dirt=soot(v))
    for zb in np.arange(8.3, H - 1.5, 1.75):  # iron bands
        zb += rng.normal(0, 0.05)
        r = rad(zb) + 0.004
        v, f = lathe([[r, -0.07], [r + 0.02, -0.066], [r + 0.02, 0.066], [r, 0.07]], 64, (cx + 0.006 * zb, cy, zb))
        S["iron"].add(v, f, dirt=0.5 + 0.3 * noise3(v, 1, 4))
    v, f = tube([[cx - 0.78, cy - 0.85, 6], [cx - 0.5, cy - 0.62, H + 0.2], [cx - 0.48, cy - 0.6, H + 1.3]], 0.014, 6)
    S["iron"].add(v, f, dirt=0.5)
