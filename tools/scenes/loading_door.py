"""Loading door of the kiln hall from inside: a figure in deep shade against the bright yard.

The hall of `kiln_hall.py` seen from close to its back door, with a figure, crates and tile stacks.
"""
from kiln_render import *
import kiln_hall


def figure(S, at, yaw, rng):
    """A person in a long work coat and a cap, built of tubes and turned shapes."""
    R = rot([0, 0, 1], yaw)
    place = lambda v: v @ R.T + at
    cloth, dark, skin = (.105, .10, .085), (.05, .048, .045), (.36, .22, .16)

    def body(profile, sx, sy, col, off=(0, 0, 0), fold=.012, seed=3):
        v, f = lathe(profile, 56)
        v = v * [sx, sy, 1]
        a = np.arctan2(v[:, 1], v[:, 0])
        ripple = np.sin(a * 9 + v[:, 2] * 5) * smooth(v[:, 2], 1.05, .55) + .8 * noise3(v, .16, seed)
        r = np.maximum(np.hypot(v[:, 0], v[:, 1]), 1e-6)
        v[:, :2] *= (1 + fold * ripple / r.clip(.06))[:, None]
        S['sack'].add(place(v + off), f, v[:, [0, 2]] * 3, col, .15)

    def limb(pts, rad, col, seg=18):
        v, f = tube(np.array(pts, float), np.array(rad, float), seg)
        v = v + noise3(v, .09, 5)[:, None] * .005
        S['sack'].add(place(v), f, v[:, [1, 2]] * 3, col, .15)
    limb([[-.10, 0, .06], [-.10, .01, .5], [-.09, 0, .95]], [.062, .075, .10], dark)
    limb([[.11, .10, .06], [.11, .05, .5], [.09, 0, .95]], [.062, .075, .10], dark)
    for x, y in ((-.10, -.05), (.11, .05)):
        limb([[x, y + .13, .035], [x, y + .02, .05], [x, y - .05, .06]], [.035, .05, .05], (.03, .022, .018))
    body([[.20, .52], [.195, .7], [.17, .95], [.165, 1.1], [.19, 1.28], [.185, 1.38], [.13, 1.45], [.06, 1.48]], 1.0, .68, cloth)
    limb([[-.20, 0, 1.38], [-.27, .02, 1.15], [-.25, .10, .92], [-.22, .16, .86]], [.066, .055, .048, .04], cloth)
    limb([[.20, 0, 1.38], [.28, .06, 1.18], [.16, .24, 1.10], [.05, .28, 1.12]], [.066, .055, .048, .04], cloth)
    limb([[-.22, .17, .86], [-.215, .20, .80], [-.21, .21, .76]], [.035, .04, .022], skin)
    limb([[.05, .28, 1.12], [.0, .29, 1.13], [-.04, .29, 1.13]], [.035, .04, .022], skin)
    body([[.052, 1.42], [.055, 1.5], [.075, 1.54], [.092, 1.60], [.098, 1.66], [.09, 1.73], [.05, 1.775], [.002, 1.785]], .86, 1.05, skin, fold=.002)
    body([[.10, 1.69], [.118, 1.70], [.122, 1.74], [.09, 1.79], [.002, 1.80]], .92, 1.08, (.07, .062, .05), fold=.003)
    body([[.002, 1.700], [.075, 1.698], [.08, 1.705], [.002, 1.712]], .9, .9, (.07, .062, .05), (0, .09, 0), fold=.001)
    v, f = boxes([[.06, .34, 1.16]], [.30, .22, .05], .004)      # a board of tiles carried in front
    S['wood'].add(place(v), f, v[:, :2], (.22, .15, .09))
    P.tile_stack(S['tile'], place(np.array([[.06, .34, 1.187]]))[0], rng, yaw, 2, 1, 5, tones=((.42, .22, .12),), thick=.013, tile=.12)


_goods = kiln_hall.floor_and_goods


def goods_with_figure(S, rng):
    _goods(S, rng)
    g = np.random.default_rng(5)
    figure(S, np.array([1.55, 26.9, 0]), 205, g)
    for x0, y0, h, yaw, t in ((4.6, 27.6, 46, 6, ((.45, .21, .12),)), (-.6, 28.2, 30, -9, ((.6, .55, .45),)), (.35, 28.7, 52, 3, ((.12, .19, .15), (.3, .4, .36)))):
        P.pallet(S['wood'], np.array([x0, y0, .01]), g, yaw)
        P.tile_stack(S['tile'], np.array([x0, y0, .13]), g, yaw, 5, 4, h, tones=t, thick=.0135, miss=.3)
    for x0, y0, t in ((4.7, 25.6, (.09, .13, .17)), (5.2, 26.4, (.2, .06, .03))):
        P.barrel(S['rust'], np.array([x0, y0, 0]), g, tone=t)
    P.handcart(S['wood'], S['iron'], np.array([3.9, L + 5.5, 0]), g, 140)


import kiln_render
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
        rgb, al, nn, dd = finish.render(scene, a.spp, depth=8, rr=3, clamp=120)
        total = total + finish.denoise(rgb, al, nn) * gain
    np.savez(a.out + '.npz', den=total.astype(np.float32))
    finish.save(a.out + '.png', finish.develop(total, ev=-.6))
