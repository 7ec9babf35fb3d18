"""Loading door of the kiln hall from inside: a figure in deep shade against the bright yard.

The hall of `kiln_hall.py` seen from close to its back door, with a worker, crates and tile stacks.
"""
from kiln_render import *
import kiln_hall
from worker import worker


_goods = kiln_hall.floor_and_goods


def goods_with_figure(S, rng):
    _goods(S, rng)
    g = np.random.default_rng(5)
    worker(S, np.array([1.55, 26.7, .008]), 206, g)
    for x0, y0, h, yaw, t in ((4.6, 27.6, 46, 6, ((.45, .21, .12),)), (-.6, 28.2, 30, -9, ((.6, .55, .45),)), (.35, 28.7, 52, 3, ((.12, .19, .15), (.3, .4, .36)))):
        P.pallet(S['wood'], np.array([x0, y0, .01]), g, yaw)
        P.tile_stack(S['tile'], np.array([x0, y0, .13]), g, yaw, 5, 4, h, tones=t, thick=.0135, miss=.3)
    for x0, y0, t in ((4.7, 25.6, (.09, .13, .17)), (5.2, 26.4, (.2, .06, .03))):
        P.barrel(S['rust'], np.array([x0, y0, 0]), g, tone=t)
    P.handcart(S['wood'], S['iron'], np.array([3.9, L + 5.5, 0]), g, 140)
    # the yard outside: crates, stacks under the far wall, puddled ruts, weeds, litter, a bucket, washing line
    for x0, y0, h, yaw, t in ((.6, L + 12.5, 40, 4, ((.45, .21, .12),)), (2.2, L + 13.2, 52, -3, ((.42, .2, .11), (.36, .17, .1))), (5.4, L + 12.8, 30, 8, ((.6, .55, .45),)), (7.2, L + 10.5, 44, -8, ((.12, .19, .15),))):
        P.pallet(S['wood'], np.array([x0, y0, .0]), g, yaw)
        P.tile_stack(S['tile'], np.array([x0, y0, .12]), g, yaw, 5, 4, h, tones=t, thick=.0135, miss=.3)
    for x0, y0, t in ((1.2, L + 4.2, (.09, .13, .17)), (.7, L + 4.8, (.2, .06, .03)), (4.9, L + 9.2, (.15, .14, .12))):
        P.barrel(S['rust'], np.array([x0, y0, 0]), g, tone=t)
    for x0, y0 in ((2.9, L + 8.0), (3.2, L + 8.3)):
        P.plank_stack(S['wood'], np.array([x0, y0, 0.]), (2.6, .9, .05), g, 64, layers=5)
    x, y = np.linspace(-3, 9, 240), np.linspace(L + .3, L + 15.6, 300)
    X, Y = np.meshgrid(x, y)
    Z = -.015 + .02 * noise3(np.stack([X, Y, 0 * X], -1), 4.0, 33) + .008 * noise3(np.stack([X, Y, 0 * X], -1), .7, 34) - .05 * np.exp(-((X - 1.8 - .1 * np.sin(Y)) / .22) ** 2) - .05 * np.exp(-((X - 3.2 - .1 * np.sin(Y)) / .22) ** 2)
    v, f = surface(x, y, Z); S['floor'].add(v, f, v[:, :2] / 4, dirt=np.clip(.5 + .4 * noise3(v, 2.0, 35), 0, .95))
    n = 900
    P.scatter_leaves(S['leaf'], np.c_[g.uniform(-2, 8, n), g.uniform(L + .5, L + 15, n), np.full(n, .02)], .03, (.16, .10, .03), g)
    P.weeds(S['leaf'], [[x, L + 15.8 - .3 * g.random(), .0] for x in g.uniform(-4, 10, 90)], g, .25, 30)
    P.weeds(S['leaf'], [[g.choice([1.0, 4.2]) + g.normal(0, .12), y, .0] for y in g.uniform(L + .4, L + 10, 30)], g, .14, 24)
    v, f = tube(sag((-1, L + 9, 2.6), (9, L + 11, 2.7), .35, 40), .006, 6); S['iron'].add(v, f)
    for i, (x, w, c) in enumerate(((2.3, .5, (.42, .40, .36)), (3.0, .42, (.10, .14, .22)), (3.7, .55, (.40, .36, .28)))):      # aprons on the line
        X, Z = np.meshgrid(np.linspace(0, w, 24), np.linspace(0, -.8, 30))
        yy = L + 9.66 + .2 * (x - 2.3) + .03 * np.sin(X * 22 + i) * (-Z) + .05 * noise3(np.stack([X, Z, 0 * X + i], -1), .9, 50)
        p = np.stack([X + x, yy, Z + 2.32], -1)
        ff = grid_faces(30, 24)
        S['leaf'].add(p, ff, p[..., [0, 2]].reshape(-1, 2) * 3, c)


import kiln_render
kiln_hall.FLAKED[:] = ['back', 'right']
kiln_render.floor_and_goods = goods_with_figure


def cam(size):
    return finish.camera([2.0, 21.6, 1.55], [2.15, 30, 1.72], 62, size, roll=-.7)


if __name__ == '__main__':
    ap = argparse.ArgumentParser()
    ap.add_argument('--size', type=int, nargs=2, default=(600, 400))
    ap.add_argument('--spp', type=int, default=16)
    ap.add_argument('--out', default='loading_door')
    a = ap.parse_args()
    total = 0
    for light, gain in (('sky', 1.0), ('sun', .75)):
        t = time.time()
        d = kiln_render.build(light)
        d['sensor'] = cam(a.size)
        scene = mi.load_dict(d)
        print(light, f'build {time.time() - t:.1f} s')
        rgb, al, nn, dd = finish.render(scene, a.spp, depth=7, rr=3, clamp=120)
        total = total + finish.denoise(rgb, al, nn) * gain
    np.savez(a.out + '.npz', den=total.astype(np.float32), depth=dd.astype(np.float32))
    finish.save(a.out + '.png', finish.develop(total, ev=-.6))
