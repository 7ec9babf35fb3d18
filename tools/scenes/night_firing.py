"""The works at night while the kiln is fired: land only (lamp, lit windows, glow of the chimney), and where the sky shows.

The sky itself, its stars and trails are drawn by the simulated camera, so that they can turn from frame to frame.
"""

import argparse
import time

import finish

finish.use_llvm()
import mitsuba as mi
import numpy as np
import works_front
from geo import boxes

LIT = ((-9.2, 1.05), (4.6, 4.25), (9.2, 4.25))


def extra(S, rng):
    """Fire light at the chimney's mouth."""
    v, f = boxes([[3.6 + 0.006 * 20.5, 6.5, 20.35]], [1.2, 1.2, 0.1])
    S["lit"].add(v, f, v[:, :2])


def night_scene():
    d = works_front.build(sky_width=256, extra=extra, lit=LIT)
    del d["sun"]
    d["env"] = {"type": "constant", "radiance": {"type": "rgb", "value": [0.00030, 0.00038, 0.00060]}}
    return d


def cam(size):
    return finish.camera([-9.6, -13.6, 1.25], [1.6, 2.0, 10.6], 66, size, roll=1.1)


if __name__ == "__main__":
    ap = argparse.ArgumentParser()
    ap.add_argument("--size", type=int, nargs=2, default=(600, 400))
    ap.add_argument("--spp", type=int, default=32)
    ap.add_argument("--out", default="night_firing")
    a = ap.parse_args()
    t = time.time()
    d = night_scene()
    d["sensor"] = cam(a.size)
    scene = mi.load_dict(d)
    print(f"build {time.time() - t:.1f} s")
    rgb, al, nn, dd = finish.render(scene, a.spp, clamp=3)
    sky_only = np.array(
        mi.render(scene, integrator=mi.load_dict({"type": "path", "max_depth": 1, "hide_emitters": False}), spp=16)
    )
    env = np.float32([0.00030, 0.00038, 0.00060])
    share = np.clip(np.median(sky_only / env, -1), 0, 1)  # of each pixel that is sky
    share[(rgb.max(-1) > 0.02) & (share > 0.98)] = 0  # lamps are brighter than any sky
    den = finish.denoise(rgb, al, nn)
    land = np.maximum(den - share[..., None] * env, 0)
    np.savez(a.out + ".npz", den=land.astype(np.float32), sky=share.astype(np.float32), depth=dd.astype(np.float32))
    finish.save(a.out + ".png", finish.develop(land + share[..., None] * env, ev=0.6))
