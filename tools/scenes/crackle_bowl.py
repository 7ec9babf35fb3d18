"""Crackled glaze of a small bowl, close up: everything sharp, with depth, for a focus series.

The camera stands 17 cm from the bowl; depth of field is the photographing camera's business, so this is a pinhole view.
"""
import finish
finish.use_llvm()
import mitsuba as mi
import numpy as np
import cv2
import materials as M
from geo import Soup, boxes, lathe, tube, rot
from noise import noise3, smooth, spectral, cellular, mix

R_BOWL = .062


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
        return smooth(gap, width_px * (1 + .35 * vary), width_px * .25), vary
    big, vb = lines(330, 1.5, seed)
    small, vs = lines(2600, .75, seed + 10)
    y, x = (np.mgrid[0:size, 0:size].astype(np.float32) / size - .5) * .150
    r = np.hypot(x, y)
    a = cv2.resize(spectral(n, n, 2.4, seed + 20, 2), (size, size), interpolation=cv2.INTER_CUBIC)
    b = spectral(size, size, 1.3, seed + 21, 60)
    pooled = smooth(r + .002 * a, .052, .018)
    col = mix(np.float32([.42, .47, .36]), np.float32([.15, .29, .235]), pooled[..., None])
    col = col * np.clip(1 + .07 * a + .035 * b, .5, 1.5)[..., None]
    rim = smooth(r + .0006 * a + .0004 * b, .0588, .0605)
    col = mix(col, np.float32([.40, .22, .10]) * (1 + .15 * b[..., None]), rim[..., None])
    bloom = cv2.GaussianBlur(big, (0, 0), 7)
    col = mix(col, col * np.float32([.86, .80, .70]), np.clip(bloom * 2.2, 0, 1)[..., None] * .6)
    col = mix(col, np.float32([.055, .035, .022]), (big * np.clip(.75 + .25 * vb, .25, 1))[..., None])
    col = mix(col, np.float32([.20, .19, .16]), (small * np.clip(.30 + .22 * vs, 0, .6))[..., None])
    pits = np.zeros((size, size), np.float32)
    for _ in range(420):
        cx, cy, rr = rng.integers(0, size), rng.integers(0, size), rng.uniform(1.5, 5.0)
        cv2.circle(pits, (int(cx), int(cy)), int(np.ceil(rr)), float(rng.uniform(.4, 1)), -1, cv2.LINE_AA)
    col = mix(col, np.float32([.09, .05, .03]), (cv2.GaussianBlur(pits, (0, 0), 1.0) * .85)[..., None])
    height = .35 * a - 1.6 * big - .35 * small - 1.8 * pits
    return np.clip(col, .01, .85), cv2.GaussianBlur(height, (0, 0), .8).astype(np.float32)


def build(seed=5):
    rng = np.random.default_rng(seed)
    names = 'table wood iron bristle cloth dark clay far'.split()
    S = {n: Soup() for n in names}
    d = {'type': 'scene'}
    t = np.linspace(0, 1, 60)
    inner = np.c_[1e-6 + R_BOWL * t, .006 + .026 * t ** 2.3]
    lip = np.array([[R_BOWL + .0010, .0330], [R_BOWL + .0022, .0335], [R_BOWL + .0034, .0327]])
    outer = np.c_[R_BOWL + .0034 - .034 * t, .0318 - .0300 * t ** .8]
    v, f = lathe(np.concatenate([inner, lip, outer]), 360)
    a = np.arctan2(v[:, 1], v[:, 0])
    wob = noise3(np.c_[np.cos(a), np.sin(a), v[:, 2] * 4], 4.0, 3)      # thrown by hand: not quite round, with finger rings
    r = np.hypot(v[:, 0], v[:, 1])
    fade = smooth(r, .004, .022)
    v = v * (1 + .006 * (fade * wob)[:, None]) + np.c_[0 * a, 0 * a, fade * (.00022 * np.sin(r * 900 + a) + .0003 * wob)]
    bowl = Soup()
    bowl.add(v, f[:, ::-1], v[:, :2] / .150 + .5)
    col, height = crackle(seed=seed)
    g = spectral(512, 512, 1.6, seed + 60, 6)
    tb, tbh = M.wood(seed + 3, 2048, (.165, .105, .062))
    d['bowl'] = bowl.mesh('bowl', M.dirty(col, dirt=None, rough=.16, spec=.5, clearcoat=1.0, clearcoat_gloss=.97, height=height, bump=.00010))
    for i in range(5):
        w, q = boxes([[0, -.25 + .155 * i, -.012]], [.9, .152, .024], .002)
        S['table'].add(w, q, np.stack([w[:, 1] * 5 + .37 * i, w[:, 0] * 1.6], 1), dirt=.10 + .25 * smooth(noise3(w, .3, 3), 0, 2))
    for k, (x0, y0, ang, ln) in enumerate(((.082, .07, 62, .19), (-.10, .10, 118, .17))):     # modelling tool and brush
        u = np.array([np.cos(np.radians(ang)), np.sin(np.radians(ang)), .02])
        p = np.array([x0, y0, .006])
        w, q = tube(p + np.linspace(0, 1, 20)[:, None] * u * ln, .0036 + .0016 * np.sin(np.linspace(.2, 3, 20)), 20)
        S['wood'].add(w, q, w[:, :2] * 30, (.40, .22, .09), dirt=.1)
        w, q = tube(p - np.linspace(0, 1, 12)[:, None] * u * .02, .0038 + 0 * t[:12], 20)
        S['iron'].add(w, q)
        e = p - u * .02
        for _ in range(140 if k else 1):
            s = rng.normal(0, .0016, 3)
            w, q = tube(e + s * np.linspace(1, 1.5, 6)[:, None] - np.linspace(0, 1, 6)[:, None] * u * rng.uniform(.016, .024), np.linspace(.0003, .00012, 6), 5)
            S['bristle'].add(w, q, col=np.float32([.12, .07, .035]) * rng.uniform(.5, 1.4))
    m = 420                                            # crumbs of dry clay and glaze
    q3 = np.c_[rng.uniform(-.2, .2, m), rng.uniform(-.12, .30, m), np.full(m, .0005)]
    q3 = q3[np.hypot(q3[:, 0], q3[:, 1]) > .045]
    w, q = boxes(q3, rng.gamma(2, .00035, (len(q3), 3)) + .0004, .0001, np.array([rot(rng.normal(0, 1, 3), rng.uniform(0, 360)) for _ in q3]))
    S['clay'].add(w, q, col=np.repeat(np.float32([.46, .33, .24]) * np.exp(rng.normal(0, .3, (len(q3), 1))), 24, 0))
    for x, y, h, r, c in ((-.17, .33, .11, .045, (.30, .10, .05)), (.04, .40, .16, .05, (.06, .10, .16)), (.20, .36, .08, .06, (.46, .42, .34)), (-.05, .55, .20, .06, (.10, .16, .09)), (.33, .52, .18, .05, (.35, .2, .1))):
        z = np.linspace(0, h, 24)
        rr = r * (.75 + .35 * np.sin(np.pi * (z / h) ** .8) - .12 * smooth(z / h, .8, 1))
        w, q = lathe(np.concatenate([np.c_[rr, z], [[rr[-1] - .004, h], [.001, h * .5]]]), 64, (x, y, 0))
        S['far'].add(w, q, w[:, [0, 2]] * 3, c)
    w, q = boxes([[0, 1.4, .5], [0, -1.4, .6], [1.4, 0, .5], [0, 0, 1.8]], [[4, .1, 3], [4, .1, 3], [.1, 4, 3], [4, 4, .05]])
    S['dark'].add(w, q, col=(.11, .10, .09))
    for y in np.linspace(-.3, .9, 5):
        w, q = boxes([[-1.0, y, .60]], [.03, .025, .9], .003); S['dark'].add(w, q, col=(.25, .24, .22))
    for z in np.linspace(.18, 1.02, 4):
        w, q = boxes([[-1.0, .3, z]], [.03, 1.3, .025], .003); S['dark'].add(w, q, col=(.25, .24, .22))
    B = {'table': M.dirty(tb, height=tbh, bump=.00012, rough=.5, dirt_col=(.34, .31, .27), spec=.4), 'wood': M.dirty('vertex', height=g, bump=.00002, rough=.4, spec=.5),
         'iron': {'type': 'roughconductor', 'material': 'Al', 'alpha': .18}, 'bristle': M.dirty('vertex', dirt=None, rough=.6), 'cloth': M.dirty('vertex', dirt=None),
         'dark': M.dirty('vertex', dirt=None), 'clay': M.dirty('vertex', dirt=None, rough=.95), 'far': M.dirty('vertex', dirt=None, rough=.3, clearcoat=.9, clearcoat_gloss=.95, height=g, bump=.0006)}
    for s in B:
        if S[s].n:
            d[s] = S[s].mesh(s, B[s])
    T = mi.ScalarTransform4f
    win = np.clip(.9 + .15 * spectral(256, 256, 2.4, 6, 1), .4, 2)[..., None] * np.float32([.84, .95, 1.12]) * np.linspace(1.5, .55, 256)[:, None, None]
    d['window'] = {'type': 'rectangle', 'to_world': T().look_at([-1.1, .3, .6], [0, .1, .0], [0, 0, 1]) @ T().scale([.65, .45, 1]),
                   'emitter': {'type': 'area', 'radiance': M.bmp(win.astype(np.float32) * 10)}}
    d['fill'] = {'type': 'rectangle', 'to_world': T().look_at([1.1, -.9, 1.2], [0, .05, 0], [0, 0, 1]) @ T().scale(.3),
                 'emitter': {'type': 'area', 'radiance': {'type': 'rgb', 'value': [.8, .56, .36]}}}
    return d


def cam(size):
    return finish.camera([.030, -.172, .112], [-.002, .006, .014], 36, size, roll=1.2)


if __name__ == '__main__':
    finish.run('crackle_bowl', lambda a: build(), cam, depth=7, clamp=80, ev=-.3)
