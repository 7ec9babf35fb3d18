"""Crackled glaze of a small bowl, close up: everything sharp, with depth, for a focus series.

The camera stands 17 cm from the bowl; depth of field is the photographing camera's business, so this is a pinhole view.
"""

import finish

finish.use_llvm()
import cv2
import lights
import materials as M
import numpy as np
from geo import Soup, boxes, lathe, rot, tube
from noise import cellular, mix, noise3, smooth, spectral

R_BOWL = 0.062


def crackle(size=4096, seed=5):
    """Colour and height over a 150 mm square: celadon pooled in the middle, stained cracks, finer grey ones, pinholes."""
    rng = np.random.default_rng(seed)
    n = 1024

    def lines(count, width_px, s):
        """Thin wavering lines between cells; computed at half size, wavering by a smooth displacement."""
        h = size // 2
        d = cellular(h, h, count, s, 2)[0]
        gap = d[..., 1] - d[..., 0]
        yy, xx = np.mgrid[0:size, 0:size].astype(np.float32) / 2
        wx = cv2.resize(spectral(n, n, 2.4, s + 1, 6), (size, size), interpolation=cv2.INTER_CUBIC) * 5
        wy = cv2.resize(spectral(n, n, 2.4, s + 2, 6), (size, size), interpolation=cv2.INTER_CUBIC) * 5
        gap = cv2.remap(gap, xx + wx, yy + wy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT_101)
        vary = cv2.resize(spectral(n, n, 1.8, s + 3, 3), (size, size), interpolation=cv2.INTER_CUBIC)
        return smooth(gap, width_px * (1 + 0.35 * vary), width_px * 0.25), vary

    big, vb = lines(330, 1.5, seed)
    small, vs = lines(2600, 0.75, seed + 10)
    y, x = (np.mgrid[0:size, 0:size].astype(np.float32) / size - 0.5) * 0.150
    r = np.hypot(x, y)
    a = cv2.resize(spectral(n, n, 2.4, seed + 20, 2), (size, size), interpolation=cv2.INTER_CUBIC)
    b = spectral(size, size, 1.3, seed + 21, 60)
    pooled = smooth(r + 0.002 * a, 0.052, 0.018)
    col = mix(np.float32([0.42, 0.47, 0.36]), np.float32([0.15, 0.29, 0.235]), pooled[..., None])
    col = col * np.clip(1 + 0.07 * a + 0.035 * b, 0.5, 1.5)[..., None]
    rim = smooth(r + 0.0006 * a + 0.0004 * b, 0.0588, 0.0605)
    col = mix(col, np.float32([0.40, 0.22, 0.10]) * (1 + 0.15 * b[..., None]), rim[..., None])
    bloom = cv2.GaussianBlur(big, (0, 0), 7)
    col = mix(col, col * np.float32([0.86, 0.80, 0.70]), np.clip(bloom * 2.2, 0, 1)[..., None] * 0.6)
    col = mix(col, np.float32([0.055, 0.035, 0.022]), (big * np.clip(0.75 + 0.25 * vb, 0.25, 1))[..., None])
    col = mix(col, np.float32([0.20, 0.19, 0.16]), (small * np.clip(0.30 + 0.22 * vs, 0, 0.6))[..., None])
    pits = np.zeros((size, size), np.float32)
    for _ in range(420):
        cx, cy, rr = rng.integers(0, size), rng.integers(0, size), rng.uniform(1.5, 5.0)
        cv2.circle(pits, (int(cx), int(cy)), int(np.ceil(rr)), float(rng.uniform(0.4, 1)), -1, cv2.LINE_AA)
    col = mix(col, np.float32([0.09, 0.05, 0.03]), (cv2.GaussianBlur(pits, (0, 0), 1.0) * 0.85)[..., None])
    height = 0.35 * a - 1.6 * big - 0.35 * small - 1.8 * pits
    return np.clip(col, 0.01, 0.85), cv2.GaussianBlur(height, (0, 0), 0.8).astype(np.float32)


def build(seed=5):
    rng = np.random.default_rng(seed)
    names = ["table", "wood", "iron", "bristle", "cloth", "dark", "clay", "far"]
    S = {n: Soup() for n in names}
    d = {"type": "scene"}
    t = np.linspace(0, 1, 60)
    inner = np.c_[1e-6 + R_BOWL * t, 0.006 + 0.026 * t**2.3]
    lip = np.array([[R_BOWL + 0.0010, 0.0330], [R_BOWL + 0.0022, 0.0335], [R_BOWL + 0.0034, 0.0327]])
    outer = np.c_[R_BOWL + 0.0034 - 0.034 * t, 0.0318 - 0.0300 * t**0.8]
    v, f = lathe(np.concatenate([inner, lip, outer]), 360)
    a = np.arctan2(v[:, 1], v[:, 0])
    wob = noise3(np.c_[np.cos(a), np.sin(a), v[:, 2] * 4], 4.0, 3)  # thrown by hand: not quite round, with finger rings
    r = np.hypot(v[:, 0], v[:, 1])
    fade = smooth(r, 0.004, 0.022)
    v = v * (1 + 0.006 * (fade * wob)[:, None]) + np.c_[0 * a, 0 * a, fade * (0.00022 * np.sin(r * 900 + a) + 0.0003 * wob)]
    bowl = Soup()
    bowl.add(v, f[:, ::-1], v[:, :2] / 0.150 + 0.5)
    col, height = crackle(seed=seed)
    g = spectral(512, 512, 1.6, seed + 60, 6)
    tb, tbh = M.wood(seed + 3, 2048, (0.165, 0.105, 0.062))
    d["bowl"] = bowl.mesh(
        "bowl", M.dirty(col, dirt=None, rough=0.16, spec=0.5, clearcoat=1.0, clearcoat_gloss=0.97, height=height, bump=0.00010)
    )
    for i in range(5):
        w, q = boxes([[0, -0.25 + 0.155 * i, -0.012]], [0.9, 0.152, 0.024], 0.002)
        S["table"].add(
            w, q, np.stack([w[:, 1] * 5 + 0.37 * i, w[:, 0] * 1.6], 1), dirt=0.10 + 0.25 * smooth(noise3(w, 0.3, 3), 0, 2)
        )
    for k, (x0, y0, ang, ln) in enumerate(((0.082, 0.07, 62, 0.19), (-0.10, 0.10, 118, 0.17))):  # modelling tool and brush
        u = np.array([np.cos(np.radians(ang)), np.sin(np.radians(ang)), 0.02])
        p = np.array([x0, y0, 0.006])
        w, q = tube(p + np.linspace(0, 1, 20)[:, None] * u * ln, 0.0036 + 0.0016 * np.sin(np.linspace(0.2, 3, 20)), 20)
        S["wood"].add(w, q, w[:, :2] * 30, (0.40, 0.22, 0.09), dirt=0.1)
        w, q = tube(p - np.linspace(0, 1, 12)[:, None] * u * 0.02, 0.0038 + 0 * t[:12], 20)
        S["iron"].add(w, q)
        e = p - u * 0.02
        for _ in range(140 if k else 1):
            s = rng.normal(0, 0.0016, 3)
            w, q = tube(
                e + s * np.linspace(1, 1.5, 6)[:, None] - np.linspace(0, 1, 6)[:, None] * u * rng.uniform(0.016, 0.024),
                np.linspace(0.0003, 0.00012, 6),
                5,
            )
            S["bristle"].add(w, q, col=np.float32([0.12, 0.07, 0.035]) * rng.uniform(0.5, 1.4))
    m = 420  # crumbs of dry clay and glaze
    q3 = np.c_[rng.uniform(-0.2, 0.2, m), rng.uniform(-0.12, 0.30, m), np.full(m, 0.0005)]
    q3 = q3[np.hypot(q3[:, 0], q3[:, 1]) > 0.045]
    w, q = boxes(
        q3,
        rng.gamma(2, 0.00035, (len(q3), 3)) + 0.0004,
        0.0001,
        np.array([rot(rng.normal(0, 1, 3), rng.uniform(0, 360)) for _ in q3]),
    )
    S["clay"].add(w, q, col=np.repeat(np.float32([0.46, 0.33, 0.24]) * np.exp(rng.normal(0, 0.3, (len(q3), 1))), 24, 0))
    for x, y, h, r, c in (
        (-0.17, 0.33, 0.11, 0.045, (0.30, 0.10, 0.05)),
        (0.04, 0.40, 0.16, 0.05, (0.06, 0.10, 0.16)),
        (0.20, 0.36, 0.08, 0.06, (0.46, 0.42, 0.34)),
        (-0.05, 0.55, 0.20, 0.06, (0.10, 0.16, 0.09)),
        (0.33, 0.52, 0.18, 0.05, (0.35, 0.2, 0.1)),
    ):
        z = np.linspace(0, h, 24)
        rr = r * (0.75 + 0.35 * np.sin(np.pi * (z / h) ** 0.8) - 0.12 * smooth(z / h, 0.8, 1))
        w, q = lathe(np.concatenate([np.c_[rr, z], [[rr[-1] - 0.004, h], [0.001, h * 0.5]]]), 64, (x, y, 0))
        S["far"].add(w, q, w[:, [0, 2]] * 3, c)
    w, q = boxes(
        [[0, 1.4, 0.5], [0, -1.4, 0.6], [1.4, 0, 0.5], [0, 0, 1.8]], [[4, 0.1, 3], [4, 0.1, 3], [0.1, 4, 3], [4, 4, 0.05]]
    )
    S["dark"].add(w, q, col=(0.11, 0.10, 0.09))
    for y in np.linspace(-0.3, 0.9, 5):
        w, q = boxes([[-1.0, y, 0.60]], [0.03, 0.025, 0.9], 0.003)
        S["dark"].add(w, q, col=(0.25, 0.24, 0.22))
    for z in np.linspace(0.18, 1.02, 4):
        w, q = boxes([[-1.0, 0.3, z]], [0.03, 1.3, 0.025], 0.003)
        S["dark"].add(w, q, col=(0.25, 0.24, 0.22))
    B = {
        "table": M.dirty(tb, height=tbh, bump=0.00012, rough=0.5, dirt_col=(0.34, 0.31, 0.27), spec=0.4),
        "wood": M.dirty("vertex", height=g, bump=0.00002, rough=0.4, spec=0.5),
        "iron": {"type": "roughconductor", "material": "Al", "alpha": 0.18},
        "bristle": M.dirty("vertex", dirt=None, rough=0.6),
        "cloth": M.dirty("vertex", dirt=None),
        "dark": M.dirty("vertex", dirt=None),
        "clay": M.dirty("vertex", dirt=None, rough=0.95),
        "far": M.dirty("vertex", dirt=None, rough=0.3, clearcoat=0.9, clearcoat_gloss=0.95, height=g, bump=0.0006),
    }
    for s in B:
        if S[s].n:
            d[s] = S[s].mesh(s, B[s])
    d["window"] = lights.window([-1.1, 0.3, 0.6], [0, 0.1, 0.0], (0.65, 0.45))
    d["fill"] = lights.fill([1.1, -0.9, 1.2], [0, 0.05, 0], 0.3, (0.8, 0.56, 0.36))
    return d


def cam(size):
    return finish.camera([0.030, -0.172, 0.112], [-0.002, 0.006, 0.014], 36, size, roll=1.2)


if __name__ == "__main__":
    finish.run("crackle_bowl", lambda a: build(), lambda a: cam(a.size), depth=7, clamp=80, ev=-0.3)
