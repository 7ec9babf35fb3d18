"""Glaze samples on a bench by a window; thin lens, shallow depth of field."""
import finish
finish.use_llvm()
import mitsuba as mi
import numpy as np
import materials as M
import parts as P
from geo import Soup, boxes, shell, tube, lathe, surface, grid_faces, rot
from noise import noise3, smooth, spectral, cellular

GLAZES = [(.04, .14, .13), (.46, .40, .30), (.03, .05, .16), (.30, .07, .035), (.40, .22, .06), (.10, .17, .07),
          (.55, .53, .47), (.05, .045, .04), (.16, .30, .30), (.28, .17, .22), (.22, .12, .05), (.33, .36, .26)]


def glaze_texture(seed, base, size=384):
    """One tile of glaze: pooled colour, breaking at the rim, speckle, drips."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:size, 0:size] / size
    a, b, c = spectral(size, size, 2.6, seed, 1), spectral(size, size, 1.6, seed + 1, 6), spectral(size, size, .8, seed + 2, 30)
    edge = np.minimum(np.minimum(x, 1 - x), np.minimum(y, 1 - y)) + .012 * b
    col = np.float32(base) * np.clip(1 + .20 * a + .10 * b, .4, 1.8)[..., None]
    brk = smooth(edge, .055, .005)[..., None]
    col = col * (1 - brk * .65) + brk * .65 * np.float32([.34, .17, .08])
    speck = (c > rng.uniform(2.1, 3.0))[..., None]
    col = np.where(speck, col * .35, col)
    if rng.random() < .4:                            # second dip over the lower part
        line = smooth(y + .05 * a[0][None] + .02 * b, .52, .56)[..., None]
        col = col * (1 - line) + line * (np.float32(GLAZES[rng.integers(len(GLAZES))]) * .8 + col * .2)
    if rng.random() < .35:                           # crackle
        d = cellular(size, size, 70, seed + 3, 2)[0]
        k = smooth(d[..., 1] - d[..., 0], 1.6, .3)[..., None]
        col = col * (1 - .55 * k)
    return np.clip(col, .005, .85), .35 * a + .06 * b + .5 * smooth(edge, .0, .05)


# Linear Rec.709 reflectance of 24 patches, row by row. From the spectra published as
# "BabelColor Average" in colour-science 0.4.7, under D65; written by target_patches.py.
TARGET = np.load(__import__('pathlib').Path(__file__).with_name('target_patches.npy'))


def target_texture(cell=48, gap=6):
    """24 patches, six by four, on a dark frame, as one linear bitmap."""
    h, w = 4 * cell + 5 * gap, 6 * cell + 7 * gap
    t = np.full((h, w, 3), .03, np.float32)
    for k in range(24):
        r, c = divmod(k, 6)
        y, x = gap + r * (cell + gap), gap + c * (cell + gap)
        t[y:y + cell, x:x + cell] = TARGET[k]
    return t


def tags(count=9, cell=(176, 336)):
    """Paper tags with what the glazer pencilled on them, one above the other, as one linear bitmap."""
    from PIL import Image, ImageDraw, ImageFont
    rng = np.random.default_rng(12)
    words = ('B 14   2nd dip', 'B 15   thin', 'C 3   copper 4%', 'C 4   + iron', 'R 7   rutile', 'R 8   crawled', 'W 2   base', 'W 5   tin 8%', 'K 1   cobalt')
    h, w = cell
    out = []
    for k in range(count):
        ink = Image.new('L', (w, h), 0)
        for line, (text, size) in enumerate(((words[k % len(words)], 34), (f'{1180 + 20 * int(rng.integers(0, 5))} C  {int(rng.integers(2, 29))}/4', 28))):
            x = 22 + rng.normal(0, 4)
            for letter in text:                      # a hand does not keep to the line
                one = Image.new('L', (size * 2, size * 2), 0)
                ImageDraw.Draw(one).text((size * .5, size * .4), letter, 255, ImageFont.load_default(size * rng.uniform(.92, 1.1)))
                one = one.rotate(rng.normal(0, 5), Image.BICUBIC).transform(one.size, Image.AFFINE, (1, .22, -size * .2, 0, 1, 0), Image.BICUBIC)
                ink.paste(255, (int(x - size * .5), int(26 + 66 * line + rng.normal(0, 2.2))), one)
                x += size * (.36 if letter == ' ' else .60) * rng.uniform(.94, 1.06)
        mark = np.asarray(ink, np.float32)[..., None] / 255 * np.clip(.8 + .25 * spectral(h, w, 1.0, 40 + k, 8), .2, 1)[..., None]
        paper = np.float32([.62, .58, .48]) * (1 + .03 * spectral(h, w, 1.4, 60 + k, 4))[..., None]
        stain = smooth(spectral(h, w, 2.8, 80 + k, 1), 1.0, 2.2)[..., None] * .4
        paper = paper * (1 - stain) + stain * np.float32([.40, .27, .15])
        out.append(paper * (1 - mark) + mark * np.float32([.055, .055, .065]))
    return np.ascontiguousarray(np.concatenate(out), np.float32)


def build(seed=11, target=False):
    rng = np.random.default_rng(seed)
    names = 'clay table wood paper pot dark wall cloth metal brush powder'.split()
    S = {n: Soup() for n in names}
    d = {'type': 'scene'}
    n = 8                                             # glaze atlas n x n
    cells = [glaze_texture(seed + 10 * i, GLAZES[rng.integers(len(GLAZES))]) for i in range(n * n)]
    atlas = np.concatenate([np.concatenate([cells[r * n + c][0] for c in range(n)], 1) for r in range(n)], 0)
    height = np.concatenate([np.concatenate([cells[r * n + c][1] for c in range(n)], 1) for r in range(n)], 0)
    glaze = Soup()
    k = 0
    for i in range(-4, 5):
        for j in range(7):
            if rng.random() < .06:
                continue
            c = np.array([i * .118 + rng.normal(0, .003), j * .120 + rng.normal(0, .003), .0065])
            R = rot([0, 0, 1], rng.normal(0, 2.2)) @ rot([rng.normal(), rng.normal(), 0], rng.normal(0, .5))
            if rng.random() < .12:
                c[2] += .013
                v, f = boxes([c - [0, 0, .012]], [.1, .1, .0105], .001, rot([0, 0, 1], rng.normal(0, 4)))
                S['clay'].add(v, f, np.stack([v[:, 0] + 1.3 * v[:, 2], v[:, 1] + .9 * v[:, 2]], 1) * 9, (.40, .22, .13))
            v, f = boxes([c], [.1, .1, .0095], .0012, R)
            S['clay'].add(v, f, np.stack([v[:, 0] + 1.3 * v[:, 2], v[:, 1] + .9 * v[:, 2]], 1) * 9, np.float32([.42, .23, .14]) * rng.uniform(.8, 1.1))
            t = np.linspace(-1, 1, 14)
            X, Y = np.meshgrid(t, t)
            rim = np.maximum(abs(X), abs(Y))
            Z = .0052 - .0013 * smooth(rim, .86, 1.0) + .0002 * noise3(np.stack([X, Y, 0 * X + k], -1), 3.0, 4)
            w = .0497
            v = np.stack([X * w, Y * w, Z], -1).reshape(-1, 3) @ R.T + c
            r, q = divmod(k % (n * n), n)
            glaze.add(v, grid_faces(14, 14), np.stack([(q + .02 + .96 * (X + 1) / 2) / n, (r + .02 + .96 * (Y + 1) / 2) / n], -1))
            k += 1
    for i in range(5):                                # bench boards
        v, f = boxes([[0, -.35 + .31 * i, -.02]], [2.6, .302, .04], .004)
        S['table'].add(v, f, np.stack([v[:, 1] * 1.9 + .37 * i, v[:, 0] * .55], 1), dirt=.15 + .2 * smooth(noise3(v, .6, 3), 0, 2))
    for x, y, h, r, col in ((-.72, .62, .13, .05, (.42, .40, .36)), (.68, .72, .17, .06, (.05, .09, .14)), (.62, .42, .07, .065, (.36, .2, .1)), (-.66, .95, .22, .07, (.1, .16, .1)), (.3, 1.02, .16, .06, (.3, .08, .05)), (-.2, 1.05, .2, .05, (.45, .42, .35))):
        z = np.linspace(0, h, 24)
        rr = r * (.75 + .35 * np.sin(np.pi * (z / h) ** .8) - .12 * smooth(z / h, .8, 1))
        v, f = lathe(np.concatenate([np.c_[rr, z], [[rr[-1] - .006, h], [rr[-1] - .007, h - .01], [rr[-1] - .01, h * .4], [.001, h * .4]]]), 48, (x, y, 0))
        S['pot'].add(v, f, v[:, [0, 2]] * 3, col)
    for k2 in range(6):
        a = np.array([-.72, .62, .05]) + rng.normal(0, .01, 3)
        b = a + [rng.normal(0, .06), rng.normal(0, .06), .26]
        v, f = tube(np.linspace(a, b, 6), np.linspace(.003, .005, 6), 8); S['wood'].add(v, f, col=(.35, .2, .08))
        v, f = tube(np.linspace(b, b + (b - a) * .16, 6), [.006, .009, .009, .007, .004, .001], 8); S['brush'].add(v, f, col=(.06, .04, .03))
    for i in ([] if target else range(9)):            # paper tags by the front row
        at, turn = np.array([(i - 4) * .118 + rng.normal(0, .006), -.085 + rng.normal(0, .005), .0010]), rot([0, 0, 1], rng.normal(0, 7))
        X, Y = np.meshgrid(np.linspace(-1, 1, 16), np.linspace(-1, 1, 9))
        curl = .0004 + .0016 * rng.random() * np.clip(X * rng.choice([-1, 1]) + .3 * Y, 0, 2) ** 2
        v, f = shell(np.stack([.026 * X, .0135 * Y, curl], -1).reshape(-1, 3) @ turn.T + at, grid_faces(9, 16), .0002)
        uv = np.stack([(X + 1) / 2 * .96 + .02, (i + .03 + .94 * (1 - Y) / 2) / 9], -1).reshape(-1, 2)
        S['paper'].add(v, f, np.concatenate([uv, uv]))
    x = np.linspace(-.2, .25, 60); y = np.linspace(-.42, -.16, 40)
    X, Y = np.meshgrid(x, y)
    Z = .004 + .010 * np.abs(noise3(np.stack([X, Y, 0 * X], -1), .35, 8))
    v, f = surface(x, y, Z); v = v @ rot([0, 0, 1], 14).T + [-.55, -.02, 0]; S['cloth'].add(v, f, v[:, :2] * 40, (.30, .33, .36))
    v, f = boxes([[0, 2.6, .6], [0, -2.5, .6], [-2.4, 0, -.7], [0, 0, 2.3]], [[7, .1, 4], [7, .1, 4], [.1, 7, 1.0], [7, 7, .05]])
    S['wall'].add(v, f, v[:, [0, 2]], col=(.13, .12, .11))
    for z in (.15, .55, .95):                         # shelves with blurred pots
        v, f = boxes([[.2, 2.35, z]], [3.2, .3, .03]); S['wood'].add(v, f, col=(.2, .14, .09))
        for i in range(14):
            h, r = rng.uniform(.12, .3), rng.uniform(.05, .1)
            v, f = lathe([[.001, 0], [r * .8, 0], [r, h * .5], [r * .6, h], [.001, h]], 24, (-1.2 + i * .21 + rng.normal(0, .02), 2.33, z + .015))
            S['pot'].add(v, f, v[:, [0, 2]] * 3, np.float32(GLAZES[rng.integers(len(GLAZES))]) * .9)
    for y in np.linspace(-.5, 1.5, 5):                # window bars at the left
        v, f = boxes([[-1.9, y, .95]], [.04, .035, 1.4], .004); S['dark'].add(v, f)
    for z in np.linspace(.25, 1.65, 4):
        v, f = boxes([[-1.9, .5, z]], [.04, 2.0, .035], .004); S['dark'].add(v, f)
    tb, tbh = M.wood(seed + 3, 1024, (.20, .125, .07))
    g = spectral(512, 512, 1.6, seed + 60, 6)
    paint = M.bmp
    ripple = spectral(512, 512, 3.0, 9, 3)
    B = {'clay': M.dirty('vertex', height=g, bump=.0001, dirt=None, rough=.9), 'table': M.dirty(tb, height=tbh, bump=.0004, rough=.55, dirt_col=(.34, .31, .27), spec=.4),
         'wood': M.dirty('vertex', dirt=None, rough=.5), 'paper': M.dirty(tags(), dirt=None, rough=.9), 'pot': M.dirty('vertex', dirt=None, rough=.35, clearcoat=.8, clearcoat_gloss=.93, height=ripple, bump=.004),
         'dark': M.dirty((.25, .25, .23), dirt=None), 'wall': M.dirty('vertex', dirt=None), 'cloth': {'type': 'twosided', 'bsdf': M.dirty('vertex', dirt=None, rough=.95, height=g, bump=.0008)},
         'brush': M.dirty('vertex', dirt=None)}
    if target:
        c, R = np.array([.0, -.116, .0035]), rot([0, 0, 1], 9)
        v, f = boxes([c - [0, 0, .0018]], [.190, .129, .003], .0008, R); S['dark'].add(v, f, col=(.03, .03, .03))
        q = np.array([[-1, -1, 0], [1, -1, 0], [-1, 1, 0], [1, 1, 0]]) * [.0905, .0605, 0] @ R.T + c
        card = Soup(); card.add(q, [[0, 1, 3], [0, 3, 2]], np.array([[0, 0], [1, 0], [0, 1], [1, 1]]))
        d['card'] = card.mesh('card', {'type': 'diffuse', 'reflectance': {'type': 'bitmap', 'bitmap': mi.Bitmap(np.flipud(target_texture()).copy()), 'raw': True, 'filter_type': 'nearest'}}, flat=True)
    d['glaze'] = glaze.mesh('glaze', M.dirty(atlas, dirt=None, rough=.22, spec=.45, clearcoat=1.0, clearcoat_gloss=.985, height=height, bump=.00016))
    for s in B:
        if S[s].n:
            d[s] = S[s].mesh(s, B[s])
    T = mi.ScalarTransform4f
    win = np.clip(.9 + .12 * spectral(256, 256, 2.4, 6, 1), .4, 2)[..., None] * np.float32([.82, .95, 1.15]) * np.linspace(1.5, .55, 256)[:, None, None]
    d['window'] = {'type': 'rectangle', 'to_world': T().look_at([-2.05, .5, .95], [0, .5, .2], [0, 0, 1]) @ T().scale([1.0, .75, 1]),
                   'emitter': {'type': 'area', 'radiance': M.bmp(win.astype(np.float32) * 10)}}
    d['fill'] = {'type': 'rectangle', 'to_world': T().look_at([1.8, -1.6, 1.7], [0, .3, 0], [0, 0, 1]) @ T().scale(.4),
                 'emitter': {'type': 'area', 'radiance': {'type': 'rgb', 'value': [.5, .35, .22]}}}
    return d


def cam(size):
    return finish.camera([.30, -.62, .42], [-.02, .20, .0], 40, size, roll=-.8, aperture=.0085, focus=.80)


if __name__ == '__main__':
    finish.run('glaze_table', lambda a: build(target=a.target), cam, depth=7, clamp=60, ev=-.3, add=lambda p: p.add_argument('--target', action='store_true', help='with the 24-patch target'))
