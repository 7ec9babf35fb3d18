"""Clay pit after rain, seen from its edge: a wide view on a cylinder, rendered as four flat views from one point."""

import argparse
import time

import finish

finish.use_llvm()
import cv2
import materials as M
import mitsuba as mi
import numpy as np
import sky
from clay_ground import EYE, HALF, terrain
from clay_works import far_things, growth, works
from geo import Soup
from noise import spectral

SUN = np.array([-0.62, -0.38, 0.42])
FOCAL_PX = 2778.0  # pixels per radian of the finished cylinder
DOWN, UP = 0.445, 0.213  # tangents of the lowest and highest angle
HAZE_M = 2600.0


def build(seed=15, sky_width=3072):
    rng = np.random.default_rng(seed)
    names = ["ground", "water", "wood", "iron", "tape", "dark", "tin", "tile", "leaf", "bark", "brick"]
    S = {n: Soup() for n in names}
    terrain(S), works(S, rng), growth(S, rng), far_things(S, rng)
    _, _, gh = M.concrete(seed, 2048, (0.3, 0.2, 0.1), 0.2, 40)
    _, wdh = M.wood(seed + 40)
    g = spectral(512, 512, 1.6, seed + 60, 6)
    br, brh = M.brick_atlas(seed, [(0.34, 0.125, 0.065), (0.28, 0.10, 0.06), (0.40, 0.17, 0.09)])
    rip = spectral(1024, 1024, 2.2, seed + 5, 8)
    wet = {
        "type": "principled",
        "base_color": {"type": "mesh_attribute", "name": "vertex_color"},
        "roughness": 0.22,
        "specular": 0.5,
    }
    dry = {
        "type": "principled",
        "base_color": {"type": "mesh_attribute", "name": "vertex_color"},
        "roughness": 0.95,
        "specular": 0.2,
    }
    B = {
        "ground": {
            "type": "bumpmap",
            "arbitrary": M.bmp(gh),
            "scale": 0.016,
            "bsdf": {"type": "blendbsdf", "weight": {"type": "mesh_attribute", "name": "vertex_dirt"}, "a": dry, "b": wet},
        },
        "water": {
            "type": "bumpmap",
            "arbitrary": M.bmp(rip, scale=(0.35, 0.35)),
            "scale": 0.00010,
            "bsdf": {
                "type": "principled",
                "base_color": {"type": "rgb", "value": [0.040, 0.060, 0.048]},
                "roughness": 0.02,
                "specular": 0.8,
            },
        },
        "wood": M.dirty("vertex", height=wdh, bump=0.0008, rough=0.85, dirt_col=(0.08, 0.07, 0.06)),
        "iron": M.dirty((0.06, 0.05, 0.045), dirt_col=(0.13, 0.06, 0.03), rough=0.5, spec=0.5),
        "tape": {
            "type": "twosided",
            "bsdf": {
                "type": "principled",
                "base_color": {"type": "mesh_attribute", "name": "vertex_color"},
                "roughness": 0.45,
                "specular": 0.5,
            },
        },
        "dark": M.dirty((0.03, 0.03, 0.03), dirt=None, rough=0.6),
        "tin": M.dirty("vertex", dirt_col=(0.15, 0.07, 0.04), rough=0.4, spec=0.5, height=g, bump=0.0008, two=True),
        "tile": M.dirty("vertex", height=g, bump=0.0003, rough=0.6),
        "bark": M.dirty("vertex", height=g, bump=0.004, rough=0.95, dirt=None),
        "brick": M.dirty(br, height=brh, bump=0.0007, rough=0.85),
        "leaf": {
            "type": "twosided",
            "bsdf": {
                "type": "principled",
                "base_color": {"type": "mesh_attribute", "name": "vertex_color"},
                "roughness": 0.5,
                "specular": 0.4,
            },
        },
    }
    env = sky.cached_bake(SUN, w=sky_width, seed=41, cover=0.46, sun_gain=4.4, turbidity=2.8, sigma=0.012)
    env = env / env[: len(env) // 2].mean()
    d = {
        "type": "scene",
        "env": sky.emitter(env),
        "sun": sky.sun_disk(SUN, np.array([1.0, 0.86, 0.68]) * 13.0, dist=4000.0, target=(0, 60, 0)),
    }
    for n in names:
        if S[n].n:
            d[n] = S[n].mesh(n, B[n], flat=n in ("leaf",))
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
    s["film"].update(crop_offset_x=0, crop_offset_y=lo - hi, crop_width=w, crop_height=lo + hi)
    return s, f, w, hi


def to_cylinder(views, scale):
    """Each column from the view that looks most nearly its way."""
    f = FOCAL_PX * scale
    w, h = int(2 * HALF * f), int((DOWN + UP) * f)
    az = (np.arange(w) + 0.5) / f - HALF
    tan_down = (np.arange(h) + 0.5) / f - UP
    channels = views[0][1].shape[-1]
    out = np.zeros((h, w, channels), np.float32)
    best = np.argmin(np.abs(az[:, None] - np.array([v[0] for v in views])[None]), 1)
    for k, (a, image, fv, wv, hi) in enumerate(views):
        sel = np.where(best == k)[0]
        x = fv * np.tan(az[sel] - a) + wv / 2 - 0.5
        y = tan_down[:, None] * fv / np.cos(az[sel] - a)[None] + hi - 0.5
        mx = np.broadcast_to(x[None], y.shape).astype(np.float32)
        for c in range(channels):
            out[:, sel, c] = cv2.remap(
                np.ascontiguousarray(image[..., c]),
                np.ascontiguousarray(mx),
                y.astype(np.float32),
                cv2.INTER_CUBIC if c < 3 else cv2.INTER_NEAREST,
                borderMode=cv2.BORDER_REPLICATE,
            )
    return out


if __name__ == "__main__":
    ap = argparse.ArgumentParser()
    ap.add_argument("--scale", type=float, default=1.0)
    ap.add_argument("--spp", type=int, default=10)
    ap.add_argument("--sky", type=int, default=3072)
    ap.add_argument("--out", default="clay_pit")
    a = ap.parse_args()
    t = time.time()
    d, env = build(sky_width=a.sky)
    horizon = env[int(len(env) * 0.44) : int(len(env) * 0.49)].mean((0, 1))
    views = []
    print(f"build {time.time() - t:.1f} s")
    scene = mi.load_dict(d)
    for k, centre in enumerate(np.radians([-54, -18, 18, 54])):
        s, f, w, hi = view(float(centre), a.scale)
        sensor = mi.load_dict(s)
        integ = mi.load_dict(
            {"type": "aov", "aovs": "al:albedo,nn:sh_normal,dd:depth", "img": {"type": "path", "max_depth": 5, "rr_depth": 4}}
        )
        acc = 0
        for n in range(0, a.spp, 3):
            acc = acc + np.nan_to_num(np.array(mi.render(scene, sensor=sensor, integrator=integ, spp=3, seed=100 * k + n)))
        im = acc / len(range(0, a.spp, 3))
        im[..., :3] *= np.minimum(1, 200 / np.maximum(im[..., :3].max(-1, keepdims=True), 1e-9))
        den = finish.denoise(im[..., :3], im[..., 3:6], im[..., 6:9])
        dd = im[..., 9:10]
        air = np.where(dd > 0, np.exp(-dd / HAZE_M), 1)
        views.append((float(centre), np.concatenate([den * air + (1 - air) * horizon, dd], -1).astype(np.float32), f, w, hi))
        print(f"view {k} {time.time() - t:.1f} s", flush=True)
    out = to_cylinder(views, a.scale)
    np.savez(a.out + ".npz", den=np.maximum(out[..., :3], 0), depth=out[..., 3])
    finish.save(a.out + ".png", finish.develop(np.maximum(out[..., :3], 0), ev=-0.2))
