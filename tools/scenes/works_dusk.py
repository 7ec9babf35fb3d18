"""The works' yard at dusk: dull sky, a wide puddle, lamps, cables across the picture, a handcart in the way."""

import finish

finish.use_llvm()
import numpy as np
import parts as P
import sky
import works_front
from geo import boxes, sag, tube

LIT = ((4.6, 1.05), (9.2, 1.05), (4.6, 4.25), (-4.6, 4.25))
PUDDLES = ((3.4, -9.3, 2.3, 0.9, 0.075), (-1.6, -7.6, 1.3, 0.5, 0.05))


def extra(S, rng):
    """What the evening yard has besides."""
    P.handcart(S["door"], S["iron"], np.array([3.1, -6.6, 0.0]), rng, 160)
    for x, y, yaw in ((-6.9, -4.9, 24), (-7.0, -4.75, 18)):
        P.pallet(S["wood"], np.array([x, y, 0.0 if yaw == 24 else 0.13]), rng, yaw)
    for q0, q1, d in (
        ((-12, -3.5, 5.6), (14, -4.4, 6.4), 0.9),
        ((-12, -3.4, 5.3), (14, -4.2, 6.1), 1.1),
        ((-12, -7.5, 7.4), (15, -1.5, 7.2), 0.8),
    ):
        v, f = tube(sag(q0, q1, d, 60), 0.012, 6)
        S["cable"].add(v, f)
    v, f = tube([[9.6, -3.9, 0], [9.62, -3.9, 7.2]], [0.12, 0.085], 12)
    S["bark"].add(v, f, col=(0.14, 0.11, 0.08))
    v, f = boxes([[9.6, -3.9, 6.4]], [0.09, 1.5, 0.09])
    S["bark"].add(v, f, col=(0.12, 0.10, 0.08))
    t = np.linspace(0, 2 * np.pi, 90)  # a hose dropped in loops
    p = np.c_[-4.6 + 0.42 * np.cos(t * 3) + 0.05 * t, -3.0 + 0.34 * np.sin(t * 3) + 0.03 * np.sin(7 * t), 0.05 + 0.012 * t]
    v, f = tube(p, 0.017, 8)
    S["cable"].add(v, f)
    n = 260
    q = np.c_[rng.uniform(-9, 9, n), rng.uniform(-9, -1.3, n), np.full(n, 0.035)]
    P.scatter_leaves(S["litter"], q, 0.03, (0.13, 0.08, 0.035), rng)


def dusk_scene(sky_width):
    d = works_front.build(sky_width=sky_width, extra=extra, lit=LIT, puddles=PUDDLES, rooms=True)
    env = sky.cached_bake(
        np.array([-0.90, -0.30, 0.045]),
        w=sky_width,
        seed=31,
        cover=0.76,
        cirrus=0,
        sun_gain=1.2,
        turbidity=6.0,
        sigma=0.012,
        sun_rgb=(1.0, 0.55, 0.34),
    )
    env = env / env[: len(env) // 2].mean() * np.float32([0.86, 0.95, 1.16]) * 0.16
    d["env"] = sky.emitter(env.astype(np.float32))
    del d["sun"]
    return d


def cam(size):
    return finish.camera([5.4, -12.4, 1.30], [0.2, -1.0, 2.35], 70, size, roll=-0.8)


if __name__ == "__main__":
    finish.run(
        "yard_dusk",
        lambda a: dusk_scene(a.sky),
        lambda a: cam(a.size),
        clamp=30,
        ev=-0.9,
        add=lambda p: p.add_argument("--sky", type=int, default=2048),
    )
