"""Glazed portrait bust by the workshop window: uneven glaze, runs, pinholes, iron spots, a hairline crack and a chip."""
import argparse
import time
import finish
finish.use_llvm()
import mitsuba as mi
import numpy as np
import materials as M
import sdf
from geo import Soup, boxes, lathe, rot
from noise import noise3, smooth, spectral, mix

# metres; the face looks along -y, x to the sitter's left
EYE_Z, MOUTH_Z, CHIN_Z = .415, .345, .305


def both(f, p):
    """A part and its mirror image."""
    return f(np.concatenate([np.abs(p[..., :1]), p[..., 1:]], -1))


def head(p):
    """The face."""
    e, u = sdf.ellipsoid, sdf.smooth_union
    skull = u(e(p, (0, .022, .452), (.073, .090, .083)), e(p, (0, -.008, .420), (.060, .062, .080)), k=.02)
    jaw = u(e(p, (0, -.016, .355), (.047, .050, .052)), e(p, (0, -.054, .316), (.020, .018, .017)), k=.02)
    cheek = both(lambda q: e(q, (.037, -.046, .385), (.021, .019, .024)), p)
    jaw = u(jaw, sdf.cone(p, (-.029, -.020, .337), (.029, -.020, .337), .018, .018), k=.03)
    face = u(skull, jaw, cheek, k=.028)
    brow = both(lambda q: sdf.chain(q, [(.008, -.0735, .4320), (.024, -.0740, .4375), (.045, -.056, .4335)], (.0042, .0046, .0036), k=.01), p)
    face = u(face, brow, k=.022)
    face = sdf.smooth_cut(face, both(lambda q: e(q, (.0305, -.0830, .4130), (.0185, .0160, .0105)), p), k=.010)
    bridge = u(sdf.cone(p, (0, -.0725, .4290), (0, -.0925, .3870), .0054, .0072), e(p, (0, -.0950, .3835), (.0078, .0080, .0070)), k=.010)
    face = u(face, bridge, k=.013)
    wings = both(lambda q: e(q, (.0100, -.0835, .3800), (.0056, .0085, .0052)), p)
    face = u(face, wings, k=.0065)
    nostril = both(lambda q: e(q, (.0054, -.0895, .3745), (.0024, .0040, .0024)), p)
    face = sdf.smooth_cut(face, nostril, k=.0015)
    ball = both(lambda q: e(q, (.0300, -.0588, .4135), (.0135, .0135, .0130)), p)
    lid_top = both(lambda q: np.maximum(e(q, (.0300, -.0590, .4142), (.0158, .0158, .0150)), .4162 - q[..., 2] + 6.0 * (q[..., 0] - .030) ** 2), p)
    lid_low = both(lambda q: np.maximum(e(q, (.0300, -.0588, .4130), (.0150, .0150, .0142)), q[..., 2] - .4078 - 5.0 * (q[..., 0] - .030) ** 2), p)
    eye = u(ball, lid_top, lid_low, k=.0010)
    iris = both(lambda q: np.abs(np.hypot(q[..., 0] - .0297, q[..., 2] - .4128) - .0050) - .0003 + np.maximum(q[..., 1] + .0716, 0) * 9, p)
    pupil = both(lambda q: e(q, (.0297, -.0726, .4128), (.0020, .0016, .0020)), p)
    eye = sdf.smooth_cut(sdf.smooth_cut(eye, iris, k=.0006), pupil, k=.0006)
    face = u(face, eye, k=.0035)
    mound = e(p, (0, -.052, .3480), (.0270, .0210, .0260))
    face = u(face, mound, k=.028)
    upper = both(lambda q: sdf.chain(q, [(0, -.0795, .3524), (.0080, -.0792, .3548), (.0240, -.0690, .3480)], (.0050, .0048, .0020), k=.004), p)
    lower = both(lambda q: sdf.chain(q, [(.002, -.0775, .3415), (.0100, -.0755, .3425), (.0230, -.0685, .3470)], (.0060, .0054, .0020), k=.004), p)
    face = u(face, upper, k=.0030)
    face = u(face, lower, k=.0040)
    line = both(lambda q: sdf.chain(q, [(0, -.0842, .3476), (.0090, -.0830, .3490), (.0255, -.0705, .3474)], (.0009, .0008, .0007), k=.001), p)
    face = sdf.smooth_cut(face, line, k=.0020)
    ridge = both(lambda q: sdf.cone(q, (.0032, -.0800, .3680), (.0036, -.0790, .3585), .0002, .0003), p)
    return u(face, ridge, k=.0080)


def rest(p):
    """Neck, shoulders, ears and hair."""
    e, u = sdf.ellipsoid, sdf.smooth_union
    neck = u(sdf.cone(p, (0, .022, .19), (0, .016, .36), .052, .047), both(lambda q: sdf.cone(q, (.010, -.030, .212), (.055, .028, .375), .010, .013), p), k=.022)
    collar = both(lambda q: sdf.chain(q, [(.012, -.040, .203), (.060, -.030, .212), (.135, .012, .212)], (.010, .0085, .010), k=.02), p)
    chest = u(e(p, (0, .018, .145), (.150, .080, .078)), both(lambda q: e(q, (.112, .024, .165), (.050, .050, .050)), p), both(lambda q: sdf.cone(q, (.03, .028, .235), (.115, .026, .195), .034, .036), p), k=.05)
    body = u(neck, chest, k=.045)
    body = u(body, collar, k=.018)
    edge = .100 + .55 * np.maximum(np.abs(p[..., 0]) - .05, 0) ** 1.1 + .004 * np.sin(p[..., 0] * 40)
    body = np.maximum(body, edge - p[..., 2])
    plinth = u(sdf.cone(p, (0, .015, .055), (0, .015, .10), .052, .062), k=.02)
    return u(body, plinth, k=.02)


def ears(p):
    def one(q):
        a = sdf.ellipsoid(q, (.0765, .018, .398), (.0085, .0170, .0300), rot([0, 0, 1], -22) @ rot([1, 0, 0], -10))
        bowl = sdf.ellipsoid(q, (.0850, .0135, .402), (.0060, .0085, .0150), rot([0, 0, 1], -22))
        return sdf.smooth_union(sdf.smooth_cut(a, bowl, k=.005), sdf.ellipsoid(q, (.0740, .012, .374), (.0065, .0080, .0085)), k=.008)
    return both(one, p)


def hair(p):
    """Parted in the middle, combed back in strands to a knot."""
    e, u = sdf.ellipsoid, sdf.smooth_union
    shell = u(e(p, (0, .030, .458), (.084, .100, .088)), e(p, (0, .012, .432), (.081, .080, .070)), k=.02)
    x, y, z = np.abs(p[..., 0]), p[..., 1], p[..., 2]
    line = y + .046 - .95 * np.maximum(x - .012, 0) + .30 * (.50 - z) - .35 * np.maximum(.425 - z, 0)     # behind this: hair
    front = -(line) + .0022 * noise3(p, .35, 5, beta=4)
    nape = .372 + .10 * np.maximum(.06 - y, 0) - z
    angle = np.arctan2(z - .43, x + .55 * (y - .02)) * 26
    strand = .0016 * np.sin(angle + 3.2 * noise3(p, .40, 6, beta=4)) + .0009 * np.sin(angle * 2.7 + 5 * noise3(p, .25, 7, beta=4))
    mass = np.maximum(np.maximum(shell + strand, front), nape)
    parting = sdf.chain(p, [(0, -.075, .512), (0, -.035, .541), (0, .03, .549)], (.0030, .0036, .002), k=.004)
    mass = sdf.smooth_cut(mass, parting, k=.006)
    knot = e(p, (.0, .138, .425), (.046, .040, .043))
    a = np.arctan2(z - .425, p[..., 0])
    twist = .0020 * np.sin(3 * a + 190 * np.hypot(p[..., 0], z - .425) + 2 * noise3(p, .3, 8, beta=4))
    return u(mass, knot + twist, k=.010)


def whole(p):
    u = sdf.smooth_union
    out = u(head(p), rest(p), k=.020)
    out = u(out, ears(p), k=.006)
    out = u(out, hair(p), k=.004)
    tool = .00012 * noise3(p, .12, 9, beta=3.6) + .00055 * noise3(p, .35, 10, beta=4.4)      # marks of the modelling hand
    chip = sdf.ellipsoid(p, (.094, -.048, .172), (.012, .008, .009)) + .002 * noise3(p, .03, 12)
    return sdf.smooth_cut(out + tool, chip, k=.0015)


def paint(v, n):
    """Glaze colour and gloss of each vertex."""
    big, mid, fine = noise3(v, .30, 20), noise3(v, .10, 21), noise3(v, .035, 22, beta=2.4)
    runs = noise3(v * np.float32([1, 1, .10]), .10, 23)
    thick = np.clip(.5 + .22 * big + .20 * runs - .35 * n[:, 2] * .6, 0, 1)
    ivory, honey, clay = np.float32([.63, .54, .415]), np.float32([.46, .315, .175]), np.float32([.40, .19, .105])
    col = mix(ivory, honey, (thick * .75)[:, None]) * (1 + .05 * mid + .02 * fine)[:, None]
    blush = smooth(noise3(v, .20, 26), .55, 1.7) * .6
    col = mix(col, np.float32([.50, .30, .235]), blush[:, None])
    spots = smooth(noise3(v, .045, 24, beta=1.2, lo=6), 2.25, 2.75)
    col = mix(col, np.float32([.10, .055, .03]), (spots * .85)[:, None])
    rng = np.random.default_rng(4)
    dark = np.zeros(len(v))
    for c, r, k in zip(v[rng.choice(len(v), 70)], rng.uniform(.0007, .0022, 70), rng.uniform(.5, 1, 70)):
        d = np.linalg.norm(v - c, axis=1)
        dark = np.maximum(dark, smooth(d, r, r * .4) * k)
        col = mix(col, np.float32([.52, .33, .17]), (smooth(d, r * 3.2, r) * .35 * k)[:, None])
    for c, r in (((-.036, -.075, .385), .0034), ((.020, -.080, .455), .0028), ((-.010, -.079, .330), .0024), ((.052, -.045, .37), .003)):   # those one would retouch
        d = np.linalg.norm(v - np.float32(c), axis=1) + .0006 * fine
        dark = np.maximum(dark, smooth(d, r, r * .45) * .9)
        col = mix(col, np.float32([.50, .31, .16]), (smooth(d, r * 3, r) * .45)[:, None])
    col = mix(col, np.float32([.085, .05, .028]), dark[:, None])
    path = np.float32([[.060, -.04, .47], [.050, -.062, .44], [.053, -.058, .41], [.047, -.066, .385], [.05, -.06, .35]])
    crack = np.full(len(v), 1.0)
    for a, b in zip(path[:-1], path[1:]):
        t = np.clip(((v - a) @ (b - a)) / ((b - a) @ (b - a)), 0, 1)[:, None]
        crack = np.minimum(crack, np.hypot(*(lambda q: (q[:, 0] + .0012 * mid, q[:, 2] * .3))(v - a - t * (b - a))) + 0.0 + np.maximum(v[:, 1] + .02, 0) * 10)
    col = mix(col, np.float32([.16, .10, .06]), smooth(crack, .0011, .0004)[:, None] * .8)
    worn = smooth(.6 * fine + mid, 2.0, 2.9) * .4
    col = mix(col, clay, worn[:, None])
    base = smooth(v[:, 2] + .004 * mid, .078, .066)
    col = mix(col, clay * (1 + .12 * fine[:, None]), base[:, None])
    chip = smooth(np.linalg.norm((v - np.float32([.094, -.048, .172])) / np.float32([.0125, .0085, .0095]), axis=1) + .06 * fine, 1.06, .98)
    col = mix(col, clay * 1.1, chip[:, None])
    return np.clip(col, .01, .9), np.clip(np.maximum(np.maximum(base, chip), worn * .9), 0, 1)


def build(cell=.0012, seed=9):
    from geo import vertex_normals
    rng = np.random.default_rng(seed)
    names = 'table dark far clay'.split()
    S = {n: Soup() for n in names}
    d = {'type': 'scene'}
    v, f = sdf.mesh(whole, (-.185, -.125, .05), (.185, .19, .56), cell)
    n = vertex_normals(v, f)
    col, dull = paint(v, n)
    B0 = Soup(); B0.add(v, f, np.stack([v[:, 0] * 4 + v[:, 1] * 2.5, v[:, 2] * 4], 1), col, dull)
    g = spectral(512, 512, 1.6, seed + 60, 6)
    peel = spectral(512, 512, 1.2, seed + 61, 10)
    glaze = {'type': 'principled', 'base_color': {'type': 'mesh_attribute', 'name': 'vertex_color'}, 'roughness': .30, 'specular': .5, 'clearcoat': 1.0, 'clearcoat_gloss': .955}
    bare = {'type': 'principled', 'base_color': {'type': 'mesh_attribute', 'name': 'vertex_color'}, 'roughness': .92, 'specular': .2}
    d['bust'] = B0.mesh('bust', {'type': 'bumpmap', 'arbitrary': M.bmp(peel), 'scale': .000018, 'bsdf': {'type': 'blendbsdf', 'weight': {'type': 'mesh_attribute', 'name': 'vertex_dirt'}, 'a': glaze, 'b': bare}})
    w, q = boxes([[0, .015, .028]], [.15, .15, .056], .004); S['table'].add(w, q, np.stack([w[:, 0] * 3, w[:, 2] * 3 + w[:, 1]], 1), dirt=.3)
    w, q = boxes([[0, .2, -.02]], [2.4, 1.6, .04], .004); S['table'].add(w, q, np.stack([w[:, 1] * 1.6, w[:, 0] * .5], 1), dirt=.25)
    w, q = boxes([[0, 1.6, .6], [0, -2.6, .6], [2.0, 0, .5], [0, 0, 2.2]], [[6, .1, 4], [6, .1, 4], [.1, 6, 4], [6, 6, .05]])
    S['dark'].add(w, q, col=(.105, .10, .095))
    for z in (.08, .46, .84):
        w, q = boxes([[.2, 1.4, z]], [3.2, .3, .03]); S['table'].add(w, q, w[:, :2])
        for i in range(13):
            h, r = rng.uniform(.12, .28), rng.uniform(.05, .1)
            w, q = lathe([[.001, 0], [r * .8, 0], [r, h * .5], [r * .6, h], [.001, h]], 24, (-1.3 + i * .22 + rng.normal(0, .02), 1.38, z + .015))
            S['far'].add(w, q, w[:, [0, 2]] * 3, np.float32([(.03, .05, .05), (.26, .23, .18), (.03, .035, .05), (.11, .055, .035), (.17, .12, .07), (.06, .07, .045)][rng.integers(6)]))
    for y in np.linspace(-.9, .8, 5):
        w, q = boxes([[-1.5, y, .75]], [.04, .035, 1.4], .003); S['dark'].add(w, q, col=(.25, .24, .22))
    for z in np.linspace(.1, 1.4, 4):
        w, q = boxes([[-1.5, 0, z]], [.04, 1.9, .035], .003); S['dark'].add(w, q, col=(.25, .24, .22))
    tb, tbh = M.wood(seed + 3, 1024, (.165, .105, .062))
    B = {'table': M.dirty(tb, height=tbh, bump=.0003, rough=.55, dirt_col=(.34, .31, .27), spec=.4), 'dark': M.dirty('vertex', dirt=None), 'clay': M.dirty('vertex', dirt=None),
         'far': M.dirty('vertex', dirt=None, rough=.35, clearcoat=.8, clearcoat_gloss=.93)}
    for s in B:
        if S[s].n:
            d[s] = S[s].mesh(s, B[s])
    T = mi.ScalarTransform4f
    win = np.clip(.9 + .15 * spectral(256, 256, 2.4, 6, 1), .4, 2)[..., None] * np.float32([.84, .95, 1.12]) * np.linspace(1.5, .55, 256)[:, None, None]
    d['window'] = {'type': 'rectangle', 'to_world': T().look_at([-1.6, -.25, .8], [0, 0, .4], [0, 0, 1]) @ T().scale([.95, .65, 1]),
                   'emitter': {'type': 'area', 'radiance': M.bmp(win.astype(np.float32) * 10)}}
    d['fill'] = {'type': 'rectangle', 'to_world': T().look_at([1.6, -1.5, 1.3], [0, .05, .3], [0, 0, 1]) @ T().scale(.4),
                 'emitter': {'type': 'area', 'radiance': {'type': 'rgb', 'value': [1.5, 1.0, .62]}}}
    return d


def cam(size):
    return finish.camera([-.30, -.98, .46], [.010, .02, .312], 24, size, roll=-.6, aperture=.006, focus=.98)


if __name__ == '__main__':
    ap = argparse.ArgumentParser()
    ap.add_argument('--size', type=int, nargs=2, default=(400, 600))
    ap.add_argument('--spp', type=int, default=32)
    ap.add_argument('--cell', type=float, default=.0012)
    ap.add_argument('--face', action='store_true', help='look at the face only')
    ap.add_argument('--out', default='bust')
    a = ap.parse_args()
    t = time.time()
    d = build(a.cell)
    d['sensor'] = finish.camera([-.30, -.98, .46], [.0, -.05, .385], 11, a.size) if a.face else cam(a.size)
    scene = mi.load_dict(d)
    print(f'build {time.time() - t:.1f} s')
    rgb, al, nn, dd = finish.render(scene, a.spp, depth=7, clamp=60)
    den = finish.denoise(rgb, al, nn)
    np.savez(a.out + '.npz', den=den.astype(np.float32), depth=dd.astype(np.float32))
    finish.save(a.out + '.png', finish.develop(den, ev=.2))
