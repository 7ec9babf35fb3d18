"""Glazed portrait bust by the workshop window: uneven glaze, runs, pinholes, iron spots, a hairline crack and a chip."""
import finish
finish.use_llvm()
import mitsuba as mi
import numpy as np
import heads
import materials as M
import sdf
from geo import Soup, boxes, lathe, rot
from noise import noise3, smooth, spectral, mix



def rest(p):
    """Neck and shoulders on a plinth, metres, in the coordinates of `heads`."""
    e, u = sdf.ellipsoid, sdf.smooth_union
    collar = heads.both(lambda q: sdf.chain(q, [(.012, -.040, .203), (.060, -.030, .212), (.135, .012, .212)], (.010, .0085, .010), k=.02), p)
    chest = u(e(p, (0, .018, .145), (.150, .080, .078)), heads.both(lambda q: e(q, (.112, .024, .165), (.050, .050, .050)), p), heads.both(lambda q: sdf.cone(q, (.03, .028, .235), (.115, .026, .195), .034, .036), p), k=.05)
    body = u(heads.neck(p, .044), chest, k=.045)
    body = u(body, collar, k=.018)
    edge = .100 + .55 * np.maximum(np.abs(p[..., 0]) - .05, 0) ** 1.1 + .004 * np.sin(p[..., 0] * 40)
    body = np.maximum(body, edge - p[..., 2])
    plinth = u(sdf.cone(p, (0, .015, .055), (0, .015, .10), .052, .062), k=.02)
    return u(body, plinth, k=.02)


def scarf(p):
    """A cloth wound round the head, knotted in the nape; its folds run together in the knot."""
    e, u = sdf.ellipsoid, sdf.smooth_union
    x, y, z = p[..., 0], p[..., 1], p[..., 2]
    shell = u(e(p, (0, .026, .456), (.082, .100, .091)), e(p, (0, .004, .432), (.076, .076, .080)), k=.025)
    edge = z - (.459 - .33 * y - 1.15 * np.maximum(y - .022, 0) + .0035 * noise3(p, .16, 41, beta=4))
    back = np.arctan2(x, z - .400)
    away = smooth(np.hypot(x, z - .400) + np.maximum(.10 - y, 0) * .6, .21, .02)
    fold = .0034 * away * np.sin(7.5 * back + 2.2 * noise3(p, .26, 42, beta=4)) + .0016 * np.sin(19 * back + 4 * noise3(p, .2, 43, beta=4)) * away
    across = .0013 * noise3(p * np.float32([.5, .5, 1.4]), .16, 44, beta=4)
    hem = .0042 * np.exp(-((edge - .007) / .0055) ** 2) + .0020 * np.exp(-((edge - .024) / .006) ** 2)
    cloth = sdf.smooth_cut(shell - fold - across - hem, edge, k=.004)
    knot = e(p, (.002, .128, .392), (.026, .018, .020), rot([0, 1, 0], 20)) + .0022 * np.sin(np.arctan2(z - .392, x) * 5 + 60 * np.hypot(x, z - .392))
    ends = u(*[sdf.chain(p, [(s * .008, .132, .386), (s * .026, .128, .345), (s * .030 + .006, .098, .292)], (.013, .019, .016), k=.02) for s in (-1, 1)], k=.006)
    ends = ends + .0030 * np.sin(x * 420 + 2 * noise3(p, .15, 45)) * smooth(z, .39, .33)
    return u(cloth, knot, ends, k=.010)


def whole(p):
    u = sdf.smooth_union
    out = u(heads.face(p), rest(p), k=.020)
    out = u(out, heads.ears(p), k=.006)
    iris = heads.both(lambda q: np.abs(np.hypot(q[..., 0] - .0300, q[..., 2] - .4122) - .0048) - .0003 + np.maximum(q[..., 1] + .0712, 0) * 9, p)
    out = sdf.smooth_cut(out, iris, k=.0006)
    out = u(out, scarf(p), k=.0025)
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
    run_m = (.003 + .009 * np.maximum(runs, 0) + .0015 * fine)[:, None]              # the glaze of the cloth ran down over the brow
    cloth = np.maximum(smooth(scarf(v), .0012, .0003), smooth(scarf(v + np.float32([0, 0, 1]) * run_m), .0014, .0002))
    teal = mix(np.float32([.035, .15, .16]), np.float32([.09, .27, .24]), np.clip(.4 + .3 * mid - .5 * n[:, 2] + .2 * runs, 0, 1)[:, None])
    rim = cloth * (1 - cloth) * 4
    col = mix(col, teal, cloth[:, None])
    col = mix(col, np.float32([.33, .25, .13]), (rim * .6)[:, None])
    spots = smooth(noise3(v, .045, 24, beta=1.2, lo=6), 2.25, 2.75)
    col = mix(col, np.float32([.10, .055, .03]), (spots * .85)[:, None])
    rng = np.random.default_rng(4)
    dark = np.zeros(len(v))
    for c, r, k in zip(v[rng.choice(len(v), 70)], rng.uniform(.0007, .0022, 70), rng.uniform(.5, 1, 70)):
        d = np.linalg.norm(v - c, axis=1)
        dark = np.maximum(dark, smooth(d, r, r * .4) * k)
        col = mix(col, np.float32([.52, .33, .17]), (smooth(d, r * 3.2, r) * .35 * k)[:, None])
    for c, r in (((-.036, -.075, .385), .0034), ((.020, -.080, .455), .0028), ((-.010, -.079, .330), .0024), ((.052, -.045, .37), .003)):   # those one would retouch
        c = v[np.argmin(np.linalg.norm(v - np.float32(c), axis=1))]
        d = np.linalg.norm(v - c, axis=1) + .0006 * fine
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


def options(parser):
    parser.add_argument('--cell', type=float, default=.0012)
    parser.add_argument('--face', action='store_true', help='look at the face only')


if __name__ == '__main__':
    near = '--face' in __import__('sys').argv
    finish.run('bust', lambda a: build(a.cell), (lambda size: finish.camera([-.30, -.98, .46], [.0, -.05, .385], 11, size)) if near else cam, size=(400, 600), depth=7, clamp=60, ev=.2, add=options)
