"""The works' yard at dusk: dull sky, a wide puddle, lamps, cables across the picture, a handcart in the way."""
import works_front as W
from works_front import *


def extra(S, rng):
    """What the evening yard has besides."""
    P.handcart(S['door'], S['iron'], np.array([3.1, -6.6, .0]), rng, 160)
    for x, y, yaw in ((-6.9, -4.9, 24), (-7.0, -4.75, 18)):
        P.pallet(S['wood'], np.array([x, y, .0 if yaw == 24 else .13]), rng, yaw)
    for q0, q1, d in (((-12, -3.5, 5.6), (14, -4.4, 6.4), .9), ((-12, -3.4, 5.3), (14, -4.2, 6.1), 1.1), ((-12, -7.5, 7.4), (15, -1.5, 7.2), .8)):
        v, f = tube(sag(q0, q1, d, 60), .012, 6); S['cable'].add(v, f)
    v, f = tube([[9.6, -3.9, 0], [9.62, -3.9, 7.2]], [.12, .085], 12); S['bark'].add(v, f, col=(.14, .11, .08))
    v, f = boxes([[9.6, -3.9, 6.4]], [.09, 1.5, .09]); S['bark'].add(v, f, col=(.12, .10, .08))
    t = np.linspace(0, 2 * np.pi, 90)                 # a hose dropped in loops
    p = np.c_[-4.6 + .42 * np.cos(t * 3) + .05 * t, -3.0 + .34 * np.sin(t * 3) + .03 * np.sin(7 * t), .05 + .012 * t]
    v, f = tube(p, .017, 8); S['cable'].add(v, f)
    n = 260
    q = np.c_[rng.uniform(-9, 9, n), rng.uniform(-9, -1.3, n), np.full(n, .035)]
    P.scatter_leaves(S['litter'], q, .03, (.13, .08, .035), rng)


def dusk_scene(sky_width):
    W.LIT[:] = [(4.6, 1.05), (9.2, 1.05), (4.6, 4.25), (-4.6, 4.25)]
    W.PUDDLES[:] = [(3.4, -9.3, 2.3, .9, .075), (-1.6, -7.6, 1.3, .5, .05)]
    d = W.build(sky_width=sky_width, extra=extra)
    env = sky.cached_bake(np.array([-0.90, -0.30, 0.045]), w=sky_width, seed=31, cover=.76, cirrus=0, sun_gain=1.2, turbidity=6.0, sigma=.012, sun_rgb=(1.0, .55, .34))
    env = env / env[: len(env) // 2].mean() * np.float32([.86, .95, 1.16]) * .16
    d['env'] = sky.emitter(env.astype(np.float32))
    del d['sun']
    return d


def cam(size):
    return finish.camera([5.4, -12.4, 1.30], [.2, -1.0, 2.35], 70, size, roll=-.8)


if __name__ == '__main__':
    finish.run('yard_dusk', lambda a: dusk_scene(a.sky), cam, clamp=30, ev=-.9, add=lambda p: p.add_argument('--sky', type=int, default=2048))
