"""Clay pit after rain, seen from its edge: a wide view on a cylinder, rendered as four flat views from one point."""
import argparse
import time
import finish
finish.use_llvm()
import mitsuba as mi
import numpy as np
import cv2
import materials as M
import parts as P
import sky
from geo import Soup, boxes, tube, lathe, grid_faces, rot, sag
from noise import noise3, smooth, spectral, mix

SUN = np.array([-0.62, -0.38, 0.42])
EYE = np.array([0., 0., 5.4])                       # on the loading ramp
FOCAL_PX = 2778.0                                   # pixels per radian of the finished cylinder
HALF = np.radians(71.0)                             # to either side
DOWN, UP = .445, .213                               # tangents of the lowest and highest angle
HAZE_M = 2600.0
n3 = lambda x, y, size, seed, z=0.0, **k: noise3(np.stack([x, y, np.full_like(x, z)], -1), size, seed, **k)


def height(x, y):
    """Ground, metres; returns height and how steep the dug faces are (0..1)."""
    az, d = np.arctan2(x, y), np.hypot(x, y)
    near = 17 + 4 * np.sin(az * 1.7 + .6) + 3.0 * n3(np.cos(az), np.sin(az), 3.0, 3)
    far = 150 + 34 * np.sin(az * 1.3 - .4) + 22 * n3(np.cos(az), np.sin(az), 2.5, 4)
    w = n3(x, y, 240.0, 5, beta=3.6) * 9
    into, out = (d + w * smooth(d, 8, 40)) - near, far - (d + w)
    side = 40 * smooth(np.abs(az), 1.30, .9) - 8
    raw = -np.minimum(np.minimum(into * .42, out * .30), side + n3(x, y, 90., 6) * 2)
    raw = np.clip(raw, -15.5, 40)
    raw = np.where(raw > 0, np.minimum(raw * .06, 1.2), raw)
    raw = raw + .8 * n3(x, y, 60., 7) * smooth(raw, -.2, -2)
    step = 3.6
    q = raw / step
    k = np.floor(q)
    fr = q - k
    gully = np.abs(n3(x, y, 34., 8, n=32)) * .13 + np.abs(n3(x, y, 9., 9, n=32)) * .035
    face = smooth(fr - gully * (fr > .35), .47, .83) * .93 + .07 * smooth(fr - gully, .30, .62)     # a foot of fallen stuff
    z = np.where(raw < -.1, (k + face) * step, raw)
    steep = np.where(raw < -.1, smooth(fr, .44, .56) * smooth(fr, 1.0, .84), 0)
    heap = lambda cx, cy, r, h: h * np.maximum(0, 1 - np.hypot(x - cx, y - cy) / r + .10 * n3(x, y, 12., 31)) ** 1.25
    z = z + heap(-22, 62, 9, 5.5) + heap(-31, 66, 8, 4.2) + heap(30, 92, 12, 6) + heap(4, 106, 10, 4.5) + heap(52, 70, 8, 4)
    for cx, s in ((6.0, .0), (7.5, .0)):             # wheel tracks down to the floor
        lane = np.exp(-((x - cx - 5 * np.sin(y * .03) - s) / .32) ** 2) * smooth(y, 18, 30) * (raw < -1)
        z = z - .16 * lane
    z = z + .42 * n3(x, y, 70., 34) * smooth(raw, -10.5, -13.0) + .16 * n3(x, y, 14., 10) + .05 * n3(x, y, 3.2, 11) + .018 * n3(x, y, .8, 12) * smooth(d, 90, 30)
    z = z + smooth(d, 420, 1900) * (55 + 26 * n3(np.cos(az), np.sin(az), 1.6, 33))
    return z, steep


WATER = -14.72


def rows(az, count):
    """(count, n) distances at which the ground is sampled: as even on the screen as the benches allow."""
    coarse, fine = np.linspace(az[0], az[-1], 700), np.geomspace(8.0, 330.0, 5000)
    weights = np.empty((len(fine) - 1, len(coarse)), np.float32)
    for i in range(0, len(coarse), 50):
        a = coarse[i:i + 50]
        z, _ = height(fine[:, None] * np.sin(a), fine[:, None] * np.cos(a))
        up = np.arctan((z - EYE[2]) / fine[:, None])
        seen = up >= np.maximum.accumulate(up, 0) - .0015
        weights[:, i:i + 50] = np.abs(np.diff(up, axis=0)) * np.where(seen[1:], 1, .12)
    # rows of neighbouring columns must run side by side, or the ground is torn into needles
    weights = cv2.GaussianBlur(weights, (0, 0), sigmaX=9, sigmaY=4, borderType=cv2.BORDER_REPLICATE) + .05 * np.diff(np.log(fine))[:, None]
    out = np.empty((count, len(coarse)))
    for k in range(len(coarse)):
        share = np.concatenate([[0.0], np.cumsum(weights[:, k].astype(float))])
        out[:, k] = np.interp(np.linspace(0, share[-1], count), share, fine)
    at = np.interp(az, coarse, np.arange(len(coarse)))
    low = np.minimum(at.astype(int), len(coarse) - 2)
    return out[:, low] + (out[:, low + 1] - out[:, low]) * (at - low)


def terrain(S):
    """Polar grid about the eye, dense where the dug faces stand."""
    n_az, n_r = 4200, 1300
    az = np.linspace(-HALF - .06, HALF + .06, n_az)
    Rr = np.concatenate([rows(az, n_r - 40), np.broadcast_to(np.geomspace(340, 2400, 40)[:, None], (40, n_az))])
    A = np.broadcast_to(az, Rr.shape)
    x, y = Rr * np.sin(A), Rr * np.cos(A)
    z, steep = np.empty_like(x), np.empty_like(x)
    for i in range(0, n_r, 100):
        z[i:i + 100], steep[i:i + 100] = height(x[i:i + 100], y[i:i + 100])
    v = np.stack([x, y, z], -1)
    solid = lambda size, seed, **k: noise3(v, size, seed, **k)          # through the body of the clay, so that faces are not streaked
    rough = steep * (.24 * solid(6.0, 50) + .10 * solid(1.3, 51, beta=2.8)) + (1 - steep) * .02 * solid(1.1, 52) * smooth(Rr, 150, 40)
    teeth = steep * .05 * np.sin(A * Rr * 11 + 3 * solid(7.0, 53)) * smooth(solid(9.0, 54), .1, .9)      # what the bucket left
    Rd = Rr + rough + teeth
    bed = .10 * np.sin(z * 9 + 2.2 * solid(30., 55)) * steep
    v = np.stack([Rd * np.sin(A), Rd * np.cos(A), z + bed * .5], -1)
    x, y = v[..., 0], v[..., 1]
    band = z + .5 * n3(x, y, 50., 13) + .16 * solid(4., 14)
    t = (np.sin(band * 2.1) * .5 + .5) * .6 + (np.sin(band * 5.3 + 1) * .5 + .5) * .4
    ochre, grey, red, pale = (np.float32(c) for c in ((.34, .215, .115), (.235, .215, .19), (.27, .130, .075), (.44, .36, .25)))
    col = mix(ochre, red, smooth(t, .35, .8)[..., None] * .8)
    col = mix(col, grey, (smooth(z, -9.5, -12.5) * .85)[..., None])
    col = mix(col, pale, (smooth(np.sin(band * 1.3 + 2), .80, .97) * .6)[..., None])
    seams = smooth(np.abs((band * 1.7) % 1 - .5), .07, .02) * steep * smooth(solid(6., 56), -.3, .6)
    col = mix(col, col * .62, seams[..., None])
    grain = .09 * solid(9., 15) + .08 * solid(2.1, 16) + .09 * solid(.55, 17, beta=2.0) + .05 * noise3(v, .17, 57, beta=1.8) * smooth(Rr, 120, 40)
    col = col * np.clip(1 + grain, .4, 1.7)[..., None]
    streak = smooth(n3(A * 40, z * .4, 6., 18), .6, 1.9) * steep * .7
    col = mix(col, col * .6, streak[..., None])
    rubble = smooth(solid(.9, 58, beta=1.8), .6, 1.6) * (1 - steep) * (z < -2) * smooth(solid(14., 59), -.4, .8)
    col = mix(col, col * .72 + np.float32([.03, .02, .01]), rubble[..., None])
    grass = smooth(z + .5 * n3(x, y, 24., 19) + .25 * n3(x, y, 3., 20), -.9, .15) * smooth(n3(x, y, 11., 21) + 1.1, -.2, .7)
    green = mix(np.float32([.085, .088, .038]), np.float32([.19, .160, .080]), smooth(n3(x, y, 30., 22), -1, 1.2)[..., None])
    green = green * np.clip(1 + .30 * n3(x, y, .35, 23, beta=1.4) + .12 * n3(x, y, 4., 24), .3, 1.8)[..., None]
    col = mix(col, green, grass[..., None])
    field = smooth(np.hypot(x, y), 190, 215) * (z > -1)
    strip = np.floor((x * .8 + y * .35 + 14 * n3(x, y, 700., 26)) / 85.)
    tone = np.float32([(.17, .16, .06), (.10, .12, .035), (.24, .19, .09), (.13, .14, .05)])[(strip.astype(int)) % 4]
    col = mix(col, tone * (1 + .08 * n3(x, y, 60., 27))[..., None], field[..., None])
    wet = np.clip(smooth(z, -12.6, -13.9) * (.75 + .3 * n3(x, y, 7., 25)) + .22 * smooth(steep, .2, .9) * smooth(solid(16., 28), .4, 1.5), 0, .9) * (1 - grass)
    col = col * (1 - .35 * wet)[..., None]
    S['ground'].add(v, grid_faces(n_r, n_az), np.stack([x + .57 * z, y + .83 * z], -1) * .55, np.clip(col, .01, .8).reshape(-1, 3), wet)
    w, f = boxes([[0, 120, WATER - .5]], [700, 300, 1.0]); S['water'].add(w, f, w[:, :2])


def on(x, y):
    z, _ = height(np.array([float(x)]), np.array([float(y)]))
    return np.array([x, y, z[0]])


def works(S, rng):
    """What people left here: fence, hut, skips on their rails, conveyor, pipes, pump hose, sticks."""
    for i, x in enumerate(np.arange(-24, 27, 2.3)):     # fence along the edge
        p = on(x + rng.normal(0, .1), 12.4 - abs(x) * .12 + .9 * np.sin(x * .2) + rng.normal(0, .08))
        h = 1.12 + rng.normal(0, .04)
        v, f = boxes([[0, 0, h / 2 - .1]], [.085, .085, h + .2], .006, rot(rng.normal(0, 1, 3), rng.normal(0, 4)))
        S['wood'].add(v + p, f, np.stack([v[:, 0] + v[:, 1] + .3 * i, v[:, 2] * .31], 1), np.float32([.20, .17, .13]) * rng.uniform(.7, 1.2), .25)
        S.setdefault('_posts', []).append(p + [0, -.05, h - .08])
    posts = S.pop('_posts')
    for a, b in zip(posts[:-1], posts[1:]):
        for dz in (0, -.32, -.66):
            v, f = tube(sag(a + [0, 0, dz], b + [0, 0, dz], .03 + .03 * rng.random(), 14), .0035, 5); S['iron'].add(v, f, dirt=.5)
    a = posts[6]
    for k in range(3):                                  # warning tape caught on the wire
        t = np.linspace(0, 1, 30)
        q = a + np.c_[.10 * k + .05 * np.sin(t * 9), -.03 - .25 * t + .03 * np.sin(t * 14), -.1 - .75 * t + .04 * np.sin(t * 11 + k)]
        w = np.stack([q, q + [.045, .012, .01]], 0)
        S['tape'].add(w, grid_faces(2, 30), np.stack([np.tile(t * 6, 2), np.repeat([0., 1.], 30)], -1), np.where((np.tile(t * 9, 2)[:, None] % 1) > .5, np.float32([.55, .05, .03]), np.float32([.62, .60, .56])))
    c = on(-15, 70)                                     # hut with a tin roof
    P.plank_stack(S['wood'], c + [0, 0, .05], (5.2, 3.2, .12), rng, 12)
    R = rot([0, 0, 1], 12)
    for s, sz in (((0, -1.5, 1.3), (5, .1, 2.5)), ((0, 1.5, 1.3), (5, .1, 2.5)), ((-2.5, 0, 1.3), (.1, 3, 2.5)), ((2.5, 0, 1.3), (.1, 3, 2.5))):
        m = int(max(sz[:2]) / .16)
        for i in range(m):
            o = np.array(s) + (np.array([1, 0, 0]) if sz[0] > 1 else np.array([0, 1, 0])) * ((i + .5) / m - .5) * max(sz[:2])
            v, f = boxes([[0, 0, 0]], [.15 if sz[0] > 1 else .03, .03 if sz[0] > 1 else .15, sz[2] + rng.normal(0, .02)], .004)
            S['wood'].add((v + o) @ R.T + c, f, np.stack([v[:, 0] + v[:, 1] + rng.random(), v[:, 2] * .31], 1), np.float32([.12, .13, .12]) * rng.uniform(.6, 1.3), .3)
    v, f = boxes([[.6, -1.56, 1.2], [-1.4, -1.56, 1.5]], [[.9, .06, 1.95], [.8, .06, .7]], .01); S['dark'].add(v @ R.T + c, f)
    for sgn in (-1, 1):
        xs = np.linspace(-2.8, 2.8, 200)
        t = np.linspace(0, 1, 6)[:, None]
        q = np.stack([np.broadcast_to(xs, (6, 200)), sgn * 1.75 * np.broadcast_to(t, (6, 200)), 3.3 - .75 * t + .018 * np.sin(xs * 2 * np.pi / .13)], -1)
        f = grid_faces(6, 200)
        S['tin'].add(q.reshape(-1, 3) @ R.T + c, f, q[..., :2].reshape(-1, 2), (.24, .23, .22), np.clip(.35 + .4 * n3(q[..., 0], q[..., 1], 2.5, 40), 0, 1).ravel())
    line = np.array([on(x, y) for x, y in zip(np.linspace(-26, 44, 60), 84 + 7 * np.sin(np.linspace(0, 2.2, 60)))])
    line[:, 2] = np.convolve(np.pad(line[:, 2], 6, mode='edge'), np.ones(13) / 13, 'valid') + .12
    d = np.gradient(line, axis=0); nrm = np.stack([-d[:, 1], d[:, 0], 0 * d[:, 0]], 1); nrm /= np.linalg.norm(nrm, axis=1, keepdims=True)
    for s in (-.3, .3):
        v, f = tube(line + nrm * s, .035, 6); S['iron'].add(v, f, dirt=.6)
    for i in range(0, 60):
        v, f = boxes([[0, 0, -.06]], [.2, 1.1, .12], .01, rot([0, 0, 1], np.degrees(np.arctan2(d[i, 1], d[i, 0])))); S['wood'].add(v + line[i], f, v[:, :2], (.12, .10, .08), .4)
    for i in (14, 16, 18, 37):                          # tipping skips
        R2 = rot([0, 0, 1], np.degrees(np.arctan2(d[i, 1], d[i, 0])))
        pr = np.array([[-.75, .95], [-.42, .38], [.42, .38], [.75, .95]])
        for x0, x1 in ((-.8, .8),):
            v = np.array([[x, p[0], p[1]] for x in (x0, x1) for p in pr])
            f = np.array([[0, 1, 5], [0, 5, 4], [1, 2, 6], [1, 6, 5], [2, 3, 7], [2, 7, 6], [0, 2, 1], [0, 3, 2], [4, 5, 6], [4, 6, 7]])
            S['tin'].add(v @ R2.T + line[i], f, v[:, :2], (.16, .07, .045), .6)
        th, ph = np.meshgrid(np.linspace(0, 2 * np.pi, 30), np.linspace(0, 1, 8))
        q = np.stack([.78 * ph * np.cos(th), .72 * ph * np.sin(th), .9 + .38 * (1 - ph) + .05 * n3(ph * np.cos(th), ph * np.sin(th), .7, i)], -1)
        S['ground'].add(q.reshape(-1, 3) @ R2.T + line[i], grid_faces(8, 30)[:, ::-1], q[..., :2].reshape(-1, 2) * .5, (.33, .2, .1), .2)
        v, f = boxes([[x, y, .18] for x in (-.5, .5) for y in (-.3, .3)], [.34, .1, .34], .04, R2); S['iron'].add(v @ np.eye(3) + line[i], f, dirt=.6)
    a, b = on(36, 78) + [0, 0, 1.0], on(61, 47) + [0, 0, 3.2]     # conveyor up to the edge
    u = (b - a) / np.linalg.norm(b - a)
    nn = np.cross(u, [0, 0, 1]); nn /= np.linalg.norm(nn)
    for s in (-.45, .45):
        for h in (0, -.7):
            v, f = tube(np.linspace(a, b, 20) + nn * s + [0, 0, h], .05, 6); S['iron'].add(v, f, dirt=.5)
        for t in np.linspace(0, .97, 24):
            p = a + (b - a) * t + nn * s
            v, f = tube([p, p + (b - a) / 24 - [0, 0, .7]], .03, 5); S['iron'].add(v, f, dirt=.5)
    w = np.stack([np.linspace(a, b, 30) + nn * s + [0, 0, .06 - .1 * (abs(s) < .2)] for s in (-.42, -.15, .15, .42)], 0)
    S['dark'].add(w, np.concatenate([grid_faces(4, 30), grid_faces(4, 30)[:, ::-1]]), w[..., :2].reshape(-1, 2))
    for t in np.linspace(.08, .95, 7):
        p = a + (b - a) * t
        for s in (-.5, .5):
            v, f = tube([p + nn * s - [0, 0, .7], on(*(p + nn * s * 1.8)[:2]) - [0, 0, .2]], .06, 6); S['iron'].add(v, f, dirt=.5)
    for k in range(16):                                 # drain pipes
        c = on(-6.5 + .33 * (k % 6) + .16 * (k // 6 % 2), 24.0)
        c[2] += .16 + .28 * (k // 6)
        v, f = lathe([[.11, -.6], [.15, -.6], [.15, .6], [.11, .6], [.11, -.6]], 28)
        S['tile'].add(v @ rot([1, 0, 0], 90).T @ rot([0, 0, 1], rng.normal(0, 2)).T + c, f, v[:, :2], np.float32([.40, .19, .10]) * np.exp(rng.normal(0, .15)), .2)
    for x, y in ((-9, 40), (-3, 47), (3, 52), (11, 60), (18, 66), (-20, 45)):     # levelling sticks
        p = on(x, y)
        v, f = tube([p, p + [rng.normal(0, .08), 0, 1.8]], .022, 6); S['tape'].add(v, f, v[:, :2], (.6, .56, .5))
        v, f = boxes([p + [0, 0, 1.75]], [.12, .03, .28], .003); S['tape'].add(v, f, v[:, :2], (.6, .08, .04))
    q = np.array([on(x, y) + [0, 0, .06] for x, y in zip(np.linspace(-14, 16, 70), 58 + 14 * np.sin(np.linspace(0, 4.5, 70)))])
    v, f = tube(q, .07, 8); S['dark'].add(v, f)
    n = 60000                                           # lumps fallen from the faces, mostly small, gathered at their feet
    A, D = rng.uniform(-HALF, HALF, n), np.exp(rng.uniform(np.log(14), np.log(170), n))
    x, y = D * np.sin(A), D * np.cos(A)
    z, st = height(x, y)
    above, _ = height(x * (1 + 2.5 / D), y * (1 + 2.5 / D))
    foot = smooth(above - z, .5, 2.2) + .12
    keep = (z < -1.2) & (z > WATER - .1) & (st < .5) & (rng.random(n) < foot)
    s = np.minimum(.035 * rng.pareto(1.7, n) + .04, .8) * np.clip(D / 45, .5, 1.6)
    c = np.stack([x, y, z + s * .18], -1)[keep]
    v, f = boxes(c, (s[keep, None] * rng.uniform(.55, 1.2, (keep.sum(), 3))), .05, np.array([rot(rng.normal(0, 1, 3), rng.uniform(0, 360)) for _ in c]))
    t = smooth(np.sin(c[:, 2] * 2.1) + .4 * rng.normal(0, 1, len(c)), -.6, .8)[:, None]
    tone = mix(mix(np.float32([.32, .20, .11]), np.float32([.26, .13, .08]), t), np.float32([.235, .215, .19]), (smooth(c[:, 2], -9.5, -12.5) * .8)[:, None])
    S['ground'].add(v, f, v[:, :2] * .5, np.repeat(tone * np.exp(rng.normal(0, .16, (len(c), 1))), 24, 0), .1)


def growth(S, rng):
    n = 34000
    A, D = rng.uniform(-HALF, HALF, n), np.exp(rng.uniform(np.log(8.2), np.log(30), n))
    x, y = D * np.sin(A), D * np.cos(A)
    z, _ = height(x, y)
    lush = n3(x, y, 11., 21) + 1.1 + .5 * rng.normal(0, 1, n)
    p = np.stack([x, y, z], -1)[(z > -.75) & (lush > .3)]
    dry = n3(p[:, 0], p[:, 1], 5., 29) > .5
    P.weeds(S['leaf'], p[~dry], rng, .15, 20, (.105, .105, .045))
    P.weeds(S['leaf'], p[dry], rng, .24, 15, (.235, .195, .105))
    for i, (x, y, h) in enumerate(((-24, 26, 5.5), (26, 22, 5), (31, 30, 6.5), (-38, 48, 7), (-46, 40, 8), (70, 60, 7))):
        P.tree(S['bark'], S['leaf'], on(x, y) - [0, 0, .2], h, h * .4, 140 + i, leaves=9000, leaf=.10, tone=(.10, .115, .03))
    for i in range(120):
        A, D = -HALF + (i + rng.random()) / 120 * 2 * HALF, rng.uniform(205, 380)
        h = rng.uniform(6, 15)
        P.tree(S['bark'], S['leaf'], on(D * np.sin(A), D * np.cos(A)) - [0, 0, h * .34], h * 1.25, h * .52, 300 + i, leaves=2600, leaf=.46, tone=((.055, .07, .022), (.085, .085, .025), (.10, .075, .02))[i % 3])


def far_things(S, rng):
    c = on(-58, 236)                                    # the works' chimney over the trees
    v, f = lathe([[1.5, 0], [1.05, 21], [1.25, 21.5], [1.2, 22.5], [.9, 22.5]], 24, c); S['brick'].add(v, f, v[:, [0, 2]] * .2, dirt=.4)
    v, f = boxes([c + [9, 6, 4.5], c + [26, 9, 3.2]], [[24, 11, 9], [12, 10, 6.4]], .1); S['brick'].add(v, f, v[:, [0, 2]] * .2, dirt=.3)
    for dx, w, z in ((9, 25, 9), (26, 13, 6.4)):
        q = c + np.array([[dx - w / 2, -.2, z], [dx + w / 2, -.2, z], [dx - w / 2, 6, z + 4], [dx + w / 2, 6, z + 4]])
        S['tin'].add(q, [[0, 1, 3], [0, 3, 2]], q[:, :2], (.09, .085, .09), .3)
    top = []
    for k in range(9):
        p = on(-150 + 46 * k, 300 - 9 * k)
        v, f = tube([p, p + [0, 0, 10.5]], [.16, .11], 8); S['bark'].add(v, f, col=(.14, .11, .08)); top.append(p + [0, 0, 10.2])
    for a, b in zip(top[:-1], top[1:]):
        for s in (-.5, .5):
            v, f = tube(sag(a + [0, s, 0], b + [0, s, 0], 1.0, 24), .035, 4); S['iron'].add(v, f)


def build(seed=15, sky_width=3072):
    rng = np.random.default_rng(seed)
    names = 'ground water wood iron tape dark tin tile leaf bark brick'.split()
    S = {n: Soup() for n in names}
    terrain(S), works(S, rng), growth(S, rng), far_things(S, rng)
    _, _, gh = M.concrete(seed, 2048, (.3, .2, .1), .2, 40)
    _, wdh = M.wood(seed + 40)
    g = spectral(512, 512, 1.6, seed + 60, 6)
    br, brh = M.brick_atlas(seed, [(.34, .125, .065), (.28, .10, .06), (.40, .17, .09)])
    rip = spectral(1024, 1024, 2.2, seed + 5, 8)
    wet = {'type': 'principled', 'base_color': {'type': 'mesh_attribute', 'name': 'vertex_color'}, 'roughness': .22, 'specular': .5}
    dry = {'type': 'principled', 'base_color': {'type': 'mesh_attribute', 'name': 'vertex_color'}, 'roughness': .95, 'specular': .2}
    B = {'ground': {'type': 'bumpmap', 'arbitrary': M.bmp(gh), 'scale': .016, 'bsdf': {'type': 'blendbsdf', 'weight': {'type': 'mesh_attribute', 'name': 'vertex_dirt'}, 'a': dry, 'b': wet}},
         'water': {'type': 'bumpmap', 'arbitrary': M.bmp(rip, scale=(.35, .35)), 'scale': .00010, 'bsdf': {'type': 'principled', 'base_color': {'type': 'rgb', 'value': [.040, .060, .048]}, 'roughness': .02, 'specular': .8}},
         'wood': M.dirty('vertex', height=wdh, bump=.0008, rough=.85, dirt_col=(.08, .07, .06)), 'iron': M.dirty((.06, .05, .045), dirt_col=(.13, .06, .03), rough=.5, spec=.5),
         'tape': {'type': 'twosided', 'bsdf': {'type': 'principled', 'base_color': {'type': 'mesh_attribute', 'name': 'vertex_color'}, 'roughness': .45, 'specular': .5}},
         'dark': M.dirty((.03, .03, .03), dirt=None, rough=.6), 'tin': M.dirty('vertex', dirt_col=(.15, .07, .04), rough=.4, spec=.5, height=g, bump=.0008, two=True),
         'tile': M.dirty('vertex', height=g, bump=.0003, rough=.6), 'bark': M.dirty('vertex', height=g, bump=.004, rough=.95, dirt=None), 'brick': M.dirty(br, height=brh, bump=.0007, rough=.85),
         'leaf': {'type': 'twosided', 'bsdf': {'type': 'principled', 'base_color': {'type': 'mesh_attribute', 'name': 'vertex_color'}, 'roughness': .5, 'specular': .4}}}
    env = sky.cached_bake(SUN, w=sky_width, seed=41, cover=.46, sun_gain=4.4, turbidity=2.8, sigma=.012)
    env = env / env[: len(env) // 2].mean()
    d = {'type': 'scene', 'env': sky.emitter(env), 'sun': sky.sun_disk(SUN, np.array([1.0, .86, .68]) * 13.0, dist=4000., target=(0, 60, 0))}
    for n in names:
        if S[n].n:
            d[n] = S[n].mesh(n, B[n], flat=n in ('leaf',))
    return d, env


def view(azimuth, scale=1.0):
    """Sensor of one flat view; the film's crop keeps the band that the cylinder needs."""
    f = FOCAL_PX * scale
    half = np.radians(18.0) + 12 / f
    w = int(np.ceil(2 * f * np.tan(half)))
    widen = 1 / np.cos(half)
    lo, hi = int(np.ceil(DOWN * widen * f)), int(np.ceil(UP * widen * f))
    t = EYE + [np.sin(azimuth), np.cos(azimuth), 0]
    s = finish.camera(EYE, t, float(np.degrees(2 * np.arctan(w / 2 / f))), (w, 2 * lo))
    s['film'].update(crop_offset_x=0, crop_offset_y=lo - hi, crop_width=w, crop_height=lo + hi)
    return s, f, w, hi


def to_cylinder(views, scale):
    """Each column from the view that looks most nearly its way."""
    f = FOCAL_PX * scale
    w, h = int(2 * HALF * f), int((DOWN + UP) * f)
    az = (np.arange(w) + .5) / f - HALF
    tan_down = (np.arange(h) + .5) / f - UP
    channels = views[0][1].shape[-1]
    out = np.zeros((h, w, channels), np.float32)
    best = np.argmin(np.abs(az[:, None] - np.array([v[0] for v in views])[None]), 1)
    for k, (a, image, fv, wv, hi) in enumerate(views):
        sel = np.where(best == k)[0]
        x = fv * np.tan(az[sel] - a) + wv / 2 - .5
        y = tan_down[:, None] * fv / np.cos(az[sel] - a)[None] + hi - .5
        mx = np.broadcast_to(x[None], y.shape).astype(np.float32)
        for c in range(channels):
            out[:, sel, c] = cv2.remap(np.ascontiguousarray(image[..., c]), np.ascontiguousarray(mx), y.astype(np.float32), cv2.INTER_CUBIC if c < 3 else cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE)
    return out


if __name__ == '__main__':
    ap = argparse.ArgumentParser()
    ap.add_argument('--scale', type=float, default=1.0)
    ap.add_argument('--spp', type=int, default=10)
    ap.add_argument('--sky', type=int, default=3072)
    ap.add_argument('--out', default='clay_pit')
    a = ap.parse_args()
    t = time.time()
    d, env = build(sky_width=a.sky)
    horizon = env[int(len(env) * .44):int(len(env) * .49)].mean((0, 1))
    views = []
    print(f'build {time.time() - t:.1f} s')
    scene = mi.load_dict(d)
    for k, centre in enumerate(np.radians([-54, -18, 18, 54])):
        s, f, w, hi = view(float(centre), a.scale)
        sensor = mi.load_dict(s)
        integ = mi.load_dict({'type': 'aov', 'aovs': 'al:albedo,nn:sh_normal,dd:depth', 'img': {'type': 'path', 'max_depth': 5, 'rr_depth': 4}})
        acc = 0
        for n in range(0, a.spp, 3):
            acc = acc + np.nan_to_num(np.array(mi.render(scene, sensor=sensor, integrator=integ, spp=3, seed=100 * k + n)))
        im = acc / len(range(0, a.spp, 3))
        im[..., :3] *= np.minimum(1, 200 / np.maximum(im[..., :3].max(-1, keepdims=True), 1e-9))
        den = finish.denoise(im[..., :3], im[..., 3:6], im[..., 6:9])
        dd = im[..., 9:10]
        air = np.where(dd > 0, np.exp(-dd / HAZE_M), 1)
        views.append((float(centre), np.concatenate([den * air + (1 - air) * horizon, dd], -1).astype(np.float32), f, w, hi))
        print(f'view {k} {time.time() - t:.1f} s', flush=True)
    out = to_cylinder(views, a.scale)
    np.savez(a.out + '.npz', den=np.maximum(out[..., :3], 0), depth=out[..., 3])
    finish.save(a.out + '.png', finish.develop(np.maximum(out[..., :3], 0), ev=-.2))
