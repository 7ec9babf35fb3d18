"""Loading door of the kiln hall from inside: a figure in deep shade against the bright yard.

The hall of `kiln_hall.py` seen from close to its back door, with a worker, crates and tile stacks.
"""

import argparse
import time

import finish

finish.use_llvm()
import kiln_render
import mitsuba as mi
import numpy as np
import parts as P
from geo import grid_faces, sag, surface, tube
from kiln_hall import L
from noise import noise3
from worker import worker


def goods(S):
    """What stands about the door and in the yard, and the worker."""
    g = np.random.default_rng(5)
    worker(S, np.array([1.55, 26.7, 0.008]), 206, g)
    for x0, y0, h, yaw, t in (
        (4.6, 27.6, 46, 6, ((0.45, 0.21, 0.12),)),
        (-0.6, 28.2, 30, -9, ((0.6, 0.55, 0.45),)),
        (0.35, 28.7, 52, 3, ((0.12, 0.19, 0.15), (0.3, 0.4, 0.36))),
    ):
        P.pallet(S["wood"], np.array([x0, y0, 0.01]), g, yaw)
        P.tile_stack(S["tile"], np.array([x0, y0, 0.13]), g, yaw, 5, 4, h, tones=t, thick=0.0135, miss=0.3)
    for x0, y0, t in ((4.7, 25.6, (0.09, 0.13, 0.17)), (5.2, 26.4, (0.2, 0.06, 0.03))):
        P.barrel(S["rust"], np.array([x0, y0, 0]), g, tone=t)
    P.handcart(S["wood"], S["iron"], np.array([3.9, L + 5.5, 0]), g, 140)
    # the yard outside: crates, stacks under the far wall, puddled ruts, weeds, litter, a bucket, washing line
    for x0, y0, h, yaw, t in (
        (0.6, L + 12.5, 40, 4, ((0.45, 0.21, 0.12),)),
        (2.2, L + 13.2, 52, -3, ((0.42, 0.2, 0.11), (0.36, 0.17, 0.1))),
        (5.4, L + 12.8, 30, 8, ((0.6, 0.55, 0.45),)),
        (7.2, L + 10.5, 44, -8, ((0.12, 0.19, 0.15),)),
    ):
        P.pallet(S["wood"], np.array([x0, y0, 0.0]), g, yaw)
        P.tile_stack(S["tile"], np.array([x0, y0, 0.12]), g, yaw, 5, 4, h, tones=t, thick=0.0135, miss=0.3)
    for x0, y0, t in ((1.2, L + 4.2, (0.09, 0.13, 0.17)), (0.7, L + 4.8, (0.2, 0.06, 0.03)), (4.9, L + 9.2, (0.15, 0.14, 0.12))):
        P.barrel(S["rust"], np.array([x0, y0, 0]), g, tone=t)
    for x0, y0 in ((2.9, L + 8.0), (3.2, L + 8.3)):
        P.plank_stack(S["wood"], np.array([x0, y0, 0.0]), (2.6, 0.9, 0.05), g, 64, layers=5)
    x, y = np.linspace(-3, 9, 240), np.linspace(L + 0.3, L + 15.6, 300)
    X, Y = np.meshgrid(x, y)
    Z = (
        -0.015
        + 0.02 * noise3(np.stack([X, Y, 0 * X], -1), 4.0, 33)
        + 0.008 * noise3(np.stack([X, Y, 0 * X], -1), 0.7, 34)
        - 0.05 * np.exp(-(((X - 1.8 - 0.1 * np.sin(Y)) / 0.22) ** 2))
        - 0.05 * np.exp(-(((X - 3.2 - 0.1 * np.sin(Y)) / 0.22) ** 2))
    )
    v, f = surface(x, y, Z)
    S["floor"].add(v, f, v[:, :2] / 4, dirt=np.clip(0.5 + 0.4 * noise3(v, 2.0, 35), 0, 0.95))
    n = 900
    P.scatter_leaves(
        S["leaf"], np.c_[g.uniform(-2, 8, n), g.uniform(L + 0.5, L + 15, n), np.full(n, 0.02)], 0.03, (0.16, 0.10, 0.03), g
    )
    P.weeds(S["leaf"], [[x, L + 15.8 - 0.3 * g.random(), 0.0] for x in g.uniform(-4, 10, 90)], g, 0.25, 30)
    P.weeds(S["leaf"], [[g.choice([1.0, 4.2]) + g.normal(0, 0.12), y, 0.0] for y in g.uniform(L + 0.4, L + 10, 30)], g, 0.14, 24)
    v, f = tube(sag((-1, L + 9, 2.6), (9, L + 11, 2.7), 0.35, 40), 0.006, 6)
    S["iron"].add(v, f)
    for i, (x, w, c) in enumerate(
        ((2.3, 0.5, (0.42, 0.40, 0.36)), (3.0, 0.42, (0.10, 0.14, 0.22)), (3.7, 0.55, (0.40, 0.36, 0.28)))
    ):  # aprons on the line
        X, Z = np.meshgrid(np.linspace(0, w, 24), np.linspace(0, -0.8, 30))
        yy = (
            L
            + 9.66
            + 0.2 * (x - 2.3)
            + 0.03 * np.sin(X * 22 + i) * (-Z)
            + 0.05 * noise3(np.stack([X, Z, 0 * X + i], -1), 0.9, 50)
        )
        p = np.stack([X + x, yy, Z + 2.32], -1)
        ff = grid_faces(30, 24)
        S["leaf"].add(p, ff, p[..., [0, 2]].reshape(-1, 2) * 3, c)


def scene(light):
    """The hall with its door, lit by the "sky" or the "sun"."""
    return kiln_render.build(light, extra=goods, near=("back", "right"))


def cam(size):
    return finish.camera([2.0, 21.6, 1.55], [2.15, 30, 1.72], 62, size, roll=-0.7)


if __name__ == "__main__":
    ap = argparse.ArgumentParser()
    ap.add_argument("--size", type=int, nargs=2, default=(600, 400))
    ap.add_argument("--spp", type=int, default=16)
    ap.add_argument("--out", default="loading_door")
    a = ap.parse_args()
    total = 0
    for light, gain in (("sky", 1.0), ("sun", 0.75)):
        t = time.time()
        d = scene(light)
        d["sensor"] = cam(a.size)
        loaded = mi.load_dict(d)
        print(light, f"build {time.time() - t:.1f} s")
        rgb, al, nn, dd = finish.render(loaded, a.spp, depth=7, rr=3, clamp=120)
        total = total + finish.denoise(rgb, al, nn) * gain
    np.savez(a.out + ".npz", den=total.astype(np.float32), depth=dd.astype(np.float32))
    finish.save(a.out + ".png", finish.develop(total, ev=-0.6))
