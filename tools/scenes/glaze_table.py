"""Glaze samples on a bench by a window; thin lens, shallow depth of field."""

import finish

finish.use_llvm()
import lights
import materials as M
import mitsuba as mi
import numpy as np
from geo import Soup, boxes, grid_faces, lathe, rot, shell, surface, tube
from noise import cellular, noise3, smooth, spectral

GLAZES = [
    (0.04, 0.14, 0.13),
    (0.46, 0.40, 0.30),
    (0.03, 0.05, 0.16),
    (0.30, 0.07, 0.035),
    (0.40, 0.22, 0.06),
    (0.10, 0.17, 0.07),
    (0.55, 0.53, 0.47),
    (0.05, 0.045, 0.04),
    (0.16, 0.30, 0.30),
    (0.28, 0.17, 0.22),
    (0.22, 0.12, 0.05),
    (0.33, 0.36, 0.26),
]


def glaze_texture(seed, base, size=384):
    """One tile of glaze: pooled colour, breaking at the rim, speckle, drips."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:size, 0:size] / size
    a, b, c = spectral(size, size, 2.6, seed, 1), spectral(size, size, 1.6, seed + 1, 6), spectral(size, size, 0.8, seed + 2, 30)
    edge = np.minimum(np.minimum(x, 1 - x), np.minimum(y, 1 - y)) + 0.012 * b
    col = np.float32(base) * np.clip(1 + 0.20 * a + 0.10 * b, 0.4, 1.8)[..., None]
    brk = smooth(edge, 0.055, 0.005)[..., None]
    col = col * (1 - brk * 0.65) + brk * 0.65 * np.float32([0.34, 0.17, 0.08])
    speck = (c > rng.uniform(2.1, 3.0))[..., None]
    col = np.where(speck, col * 0.35, col)
    if rng.random() < 0.4:  # second dip over the lower part
        line = smooth(y + 0.05 * a[0][None] + 0.02 * b, 0.52, 0.56)[..., None]
        col = col * (1 - line) + line * (np.float32(GLAZES[rng.integers(len(GLAZES))]) * 0.8 + col * 0.2)
    if rng.random() < 0.35:  # crackle
        d = cellular(size, size, 70, seed + 3, 2)[0]
        k = smooth(d[..., 1] - d[..., 0], 1.6, 0.3)[..., None]
        col = col * (1 - 0.55 * k)
    return np.clip(col, 0.005, 0.85), 0.35 * a + 0.06 * b + 0.5 * smooth(edge, 0.0, 0.05)


# Linear Rec.709 reflectance of 24 patches, row by row. From the spectra published as
# "BabelColor Average" in colour-science 0.4.7, under D65; written by target_patches.py.
TARGET = np.load(__import__("pathlib").Path(__file__).with_name("target_patches.npy"))


def target_texture(cell=48, gap=6):
    """24 patches, six by four, on a dark frame, as one linear bitmap."""
    h, w = 4 * cell + 5 * gap, 6 * cell + 7 * gap
    t = np.full((h, w, 3), 0.03, np.float32)
    for k in range(24):
        r, c = divmod(k, 6)
        y, x = gap + r * (cell + gap), gap + c * (cell + gap)
        t[y : y + cell, x : x + cell] = TARGET[k]
    return t


def tags(count=9, cell=(176, 336)):
    """Paper tags with what the glazer pencilled on them, one above the other, as one linear bitmap."""
    from PIL import Image, ImageDraw, ImageFont

    rng = np.random.default_rng(12)
    words = (
        "B 14   2nd dip",
        "B 15   thin",
        "C 3   copper 4%",
        "C 4   + iron",
        "R 7   rutile",
        "R 8   crawled",
        "W 2   base",
        "W 5   tin 8%",
        "K 1   cobalt",
    )
    h, w = cell
    out = []
    for k in range(count):
        ink = Image.new("L", (w, h), 0)
        for line, (text, size) in enumerate(
            ((words[k % len(words)], 34), (f"{1180 + 20 * int(rng.integers(0, 5))} C  {int(rng.integers(2, 29))}/4", 28))
        ):
            x = 22 + rng.normal(0, 4)
            for letter in text:  # a hand does not keep to the line
                one = Image.new("L", (size * 2, size * 2), 0)
                ImageDraw.Draw(one).text(
                    (size * 0.5, size * 0.4), letter, 255, ImageFont.load_default(size * rng.uniform(0.92, 1.1))
                )
                one = one.rotate(rng.normal(0, 5), Image.BICUBIC).transform(
                    one.size, Image.AFFINE, (1, 0.22, -size * 0.2, 0, 1, 0), Image.BICUBIC
                )
                ink.paste(255, (int(x - size * 0.5), int(26 + 66 * line + rng.normal(0, 2.2))), one)
                x += size * (0.36 if letter == " " else 0.60) * rng.uniform(0.94, 1.06)
        mark = (
            np.asarray(ink, np.float32)[..., None] / 255 * np.clip(0.8 + 0.25 * spectral(h, w, 1.0, 40 + k, 8), 0.2, 1)[..., None]
        )
        paper = np.float32([0.62, 0.58, 0.48]) * (1 + 0.03 * spectral(h, w, 1.4, 60 + k, 4))[..., None]
        stain = smooth(spectral(h, w, 2.8, 80 + k, 1), 1.0, 2.2)[..., None] * 0.4
        paper = paper * (1 - stain) + stain * np.float32([0.40, 0.27, 0.15])
        out.append(paper * (1 - mark) + mark * np.float32([0.055, 0.055, 0.065]))
    return np.ascontiguousarray(np.concatenate(out), np.float32)


def build(seed=11, target=False):
    rng = np.random.default_rng(seed)
    names = ["clay", "table", "wood", "paper", "pot", "dark", "wall", "cloth", "metal", "brush", "powder"]
    S = {n: Soup() for n in names}
    d = {"type": "scene"}
    n = 8  # glaze atlas n x n
    cells = [glaze_texture(seed + 10 * i, GLAZES[rng.integers(len(GLAZES))]) for i in range(n * n)]
    atlas = np.concatenate([np.concatenate([cells[r * n + c][0] for c in range(n)], 1) for r in range(n)], 0)
    height = np.concatenate([np.concatenate([cells[r * n + c][1] for c in range(n)], 1) for r in range(n)], 0)
    glaze = Soup()
    k = 0
    for i in range(-4, 5):
        for j in range(7):
            if rng.random() < 0.06:
                continue
            c = np.array([i * 0.118 + rng.normal(0, 0.003), j * 0.120 + rng.normal(0, 0.003), 0.0065])
            R = rot([0, 0, 1], rng.normal(0, 2.2)) @ rot([rng.normal(), rng.normal(), 0], rng.normal(0, 0.5))
            if rng.random() < 0.12:
                c[2] += 0.013
                v, f = boxes([c - [0, 0, 0.012]], [0.1, 0.1, 0.0105], 0.001, rot([0, 0, 1], rng.normal(0, 4)))
                S["clay"].add(v, f, np.stack([v[:, 0] + 1.3 * v[:, 2], v[:, 1] + 0.9 * v[:, 2]], 1) * 9, (0.40, 0.22, 0.13))
            v, f = boxes([c], [0.1, 0.1, 0.0095], 0.0012, R)
            S["clay"].add(
                v,
                f,
                np.stack([v[:, 0] + 1.3 * v[:, 2], v[:, 1] + 0.9 * v[:, 2]], 1) * 9,
                np.float32([0.42, 0.23, 0.14]) * rng.uniform(0.8, 1.1),
            )
            t = np.linspace(-1, 1, 14)
            X, Y = np.meshgrid(t, t)
            rim = np.maximum(abs(X), abs(Y))
            Z = 0.0052 - 0.0013 * smooth(rim, 0.86, 1.0) + 0.0002 * noise3(np.stack([X, Y, 0 * X + k], -1), 3.0, 4)
            w = 0.0497
            v = np.stack([X * w, Y * w, Z], -1).reshape(-1, 3) @ R.T + c
            r, q = divmod(k % (n * n), n)
            glaze.add(
                v, grid_faces(14, 14), np.stack([(q + 0.02 + 0.96 * (X + 1) / 2) / n, (r + 0.02 + 0.96 * (Y + 1) / 2) / n], -1)
            )
            k += 1
    for i in range(5):  # bench boards
        v, f = boxes([[0, -0.35 + 0.31 * i, -0.02]], [2.6, 0.302, 0.04], 0.004)
        S["table"].add(
            v, f, np.stack([v[:, 1] * 1.9 + 0.37 * i, v[:, 0] * 0.55], 1), dirt=0.15 + 0.2 * smooth(noise3(v, 0.6, 3), 0, 2)
        )
    for x, y, h, r, col in (
        (-0.72, 0.62, 0.13, 0.05, (0.42, 0.40, 0.36)),
        (0.68, 0.72, 0.17, 0.06, (0.05, 0.09, 0.14)),
        (0.62, 0.42, 0.07, 0.065, (0.36, 0.2, 0.1)),
        (-0.66, 0.95, 0.22, 0.07, (0.1, 0.16, 0.1)),
        (0.3, 1.02, 0.16, 0.06, (0.3, 0.08, 0.05)),
        (-0.2, 1.05, 0.2, 0.05, (0.45, 0.42, 0.35)),
    ):
        z = np.linspace(0, h, 24)
        rr = r * (0.75 + 0.35 * np.sin(np.pi * (z / h) ** 0.8) - 0.12 * smooth(z / h, 0.8, 1))
        v, f = lathe(
            np.concatenate(
                [np.c_[rr, z], [[rr[-1] - 0.006, h], [rr[-1] - 0.007, h - 0.01], [rr[-1] - 0.01, h * 0.4], [0.001, h * 0.4]]]
            ),
            48,
            (x, y, 0),
        )
        S["pot"].add(v, f, v[:, [0, 2]] * 3, col)
    for _ in range(6):
        a = np.array([-0.72, 0.62, 0.05]) + rng.normal(0, 0.01, 3)
        b = a + [rng.normal(0, 0.06), rng.normal(0, 0.06), 0.26]
        v, f = tube(np.linspace(a, b, 6), np.linspace(0.003, 0.005, 6), 8)
        S["wood"].add(v, f, col=(0.35, 0.2, 0.08))
        v, f = tube(np.linspace(b, b + (b - a) * 0.16, 6), [0.006, 0.009, 0.009, 0.007, 0.004, 0.001], 8)
        S["brush"].add(v, f, col=(0.06, 0.04, 0.03))
    for i in [] if target else range(9):  # paper tags by the front row
        at, turn = (
            np.array([(i - 4) * 0.118 + rng.normal(0, 0.006), -0.085 + rng.normal(0, 0.005), 0.0010]),
            rot([0, 0, 1], rng.normal(0, 7)),
        )
        X, Y = np.meshgrid(np.linspace(-1, 1, 16), np.linspace(-1, 1, 9))
        curl = 0.0004 + 0.0016 * rng.random() * np.clip(X * rng.choice([-1, 1]) + 0.3 * Y, 0, 2) ** 2
        v, f = shell(np.stack([0.026 * X, 0.0135 * Y, curl], -1).reshape(-1, 3) @ turn.T + at, grid_faces(9, 16), 0.0002)
        uv = np.stack([(X + 1) / 2 * 0.96 + 0.02, (i + 0.03 + 0.94 * (1 - Y) / 2) / 9], -1).reshape(-1, 2)
        S["paper"].add(v, f, np.concatenate([uv, uv]))
    x = np.linspace(-0.2, 0.25, 60)
    y = np.linspace(-0.42, -0.16, 40)
    X, Y = np.meshgrid(x, y)
    Z = 0.004 + 0.010 * np.abs(noise3(np.stack([X, Y, 0 * X], -1), 0.35, 8))
    v, f = surface(x, y, Z)
    v = v @ rot([0, 0, 1], 14).T + [-0.55, -0.02, 0]
    S["cloth"].add(v, f, v[:, :2] * 40, (0.30, 0.33, 0.36))
    v, f = boxes(
        [[0, 2.6, 0.6], [0, -2.5, 0.6], [-2.4, 0, -0.7], [0, 0, 2.3]], [[7, 0.1, 4], [7, 0.1, 4], [0.1, 7, 1.0], [7, 7, 0.05]]
    )
    S["wall"].add(v, f, v[:, [0, 2]], col=(0.13, 0.12, 0.11))
    for z in (0.15, 0.55, 0.95):  # shelves with blurred pots
        v, f = boxes([[0.2, 2.35, z]], [3.2, 0.3, 0.03])
        S["wood"].add(v, f, col=(0.2, 0.14, 0.09))
        for i in range(14):
            h, r = rng.uniform(0.12, 0.3), rng.uniform(0.05, 0.1)
            v, f = lathe(
                [[0.001, 0], [r * 0.8, 0], [r, h * 0.5], [r * 0.6, h], [0.001, h]],
                24,
                (-1.2 + i * 0.21 + rng.normal(0, 0.02), 2.33, z + 0.015),
            )
            S["pot"].add(v, f, v[:, [0, 2]] * 3, np.float32(GLAZES[rng.integers(len(GLAZES))]) * 0.9)
    for y in np.linspace(-0.5, 1.5, 5):  # window bars at the left
        v, f = boxes([[-1.9, y, 0.95]], [0.04, 0.035, 1.4], 0.004)
        S["dark"].add(v, f)
    for z in np.linspace(0.25, 1.65, 4):
        v, f = boxes([[-1.9, 0.5, z]], [0.04, 2.0, 0.035], 0.004)
        S["dark"].add(v, f)
    tb, tbh = M.wood(seed + 3, 1024, (0.20, 0.125, 0.07))
    g = spectral(512, 512, 1.6, seed + 60, 6)
    ripple = spectral(512, 512, 3.0, 9, 3)
    B = {
        "clay": M.dirty("vertex", height=g, bump=0.0001, dirt=None, rough=0.9),
        "table": M.dirty(tb, height=tbh, bump=0.0004, rough=0.55, dirt_col=(0.34, 0.31, 0.27), spec=0.4),
        "wood": M.dirty("vertex", dirt=None, rough=0.5),
        "paper": M.dirty(tags(), dirt=None, rough=0.9),
        "pot": M.dirty("vertex", dirt=None, rough=0.35, clearcoat=0.8, clearcoat_gloss=0.93, height=ripple, bump=0.004),
        "dark": M.dirty((0.25, 0.25, 0.23), dirt=None),
        "wall": M.dirty("vertex", dirt=None),
        "cloth": {"type": "twosided", "bsdf": M.dirty("vertex", dirt=None, rough=0.95, height=g, bump=0.0008)},
        "brush": M.dirty("vertex", dirt=None),
    }
    if target:
        c, R = np.array([0.0, -0.116, 0.0035]), rot([0, 0, 1], 9)
        v, f = boxes([c - [0, 0, 0.0018]], [0.190, 0.129, 0.003], 0.0008, R)
        S["dark"].add(v, f, col=(0.03, 0.03, 0.03))
        q = np.array([[-1, -1, 0], [1, -1, 0], [-1, 1, 0], [1, 1, 0]]) * [0.0905, 0.0605, 0] @ R.T + c
        card = Soup()
        card.add(q, [[0, 1, 3], [0, 3, 2]], np.array([[0, 0], [1, 0], [0, 1], [1, 1]]))
        d["card"] = card.mesh(
            "card",
            {
                "type": "diffuse",
                "reflectance": {
                    "type": "bitmap",
                    "bitmap": mi.Bitmap(np.flipud(target_texture()).copy()),
                    "raw": True,
                    "filter_type": "nearest",
                },
            },
            flat=True,
        )
    d["glaze"] = glaze.mesh(
        "glaze",
        M.dirty(atlas, dirt=None, rough=0.22, spec=0.45, clearcoat=1.0, clearcoat_gloss=0.985, height=height, bump=0.00016),
    )
    for s in B:
        if S[s].n:
            d[s] = S[s].mesh(s, B[s])
    d["window"] = lights.window([-2.05, 0.5, 0.95], [0, 0.5, 0.2], (1.0, 0.75), (0.82, 0.95, 1.15), 0.12)
    d["fill"] = lights.fill([1.8, -1.6, 1.7], [0, 0.3, 0], 0.4, (0.5, 0.35, 0.22))
    return d


def cam(size):
    return finish.camera([0.30, -0.62, 0.42], [-0.02, 0.20, 0.0], 40, size, roll=-0.8, aperture=0.0085, focus=0.80)


if __name__ == "__main__":
    finish.run(
        "glaze_table",
        lambda a: build(target=a.target),
        lambda a: cam(a.size),
        depth=7,
        clamp=60,
        ev=-0.3,
        add=lambda p: p.add_argument("--target", action="store_true", help="with the 24-patch target"),
    )
