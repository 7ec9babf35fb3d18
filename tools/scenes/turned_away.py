"""Looks for surfaces that show the camera their backs: they render black and pass for deep shade.

``python turned_away.py SCENE [PICTURE.png]`` marks them red, and surfaces without a normal magenta. Leaves and cloths that are
seen from both sides on purpose are red as well, and so are a few bevels of bricks: anything larger is a fault of winding.
"""

import importlib
import sys

import finish

finish.use_llvm()
import drjit as dr
import mitsuba as mi
import numpy as np
from PIL import Image

BUILD = {
    "works_front": lambda m: m.build(sky_width=256),
    "works_dusk": lambda m: m.dusk_scene(256),
    "night_firing": lambda m: m.night_scene(),
    "kiln_render": lambda m: m.build("sky"),
    "loading_door": lambda m: m.scene("sky"),
    "bust": lambda m: m.build(0.003),
    "glaze_table": lambda m: m.build(),
    "crackle_bowl": lambda m: m.build(),
}


def main(name: str, target: str) -> None:
    """Casts one ray a pixel; returns nothing, writes the picture and says the two shares."""
    module = importlib.import_module(name)
    d = BUILD[name](module)
    width, height = (600, 900) if name == "bust" else (900, 600)
    d["sensor"] = module.cam((width, height))
    scene = mi.load_dict(d)
    y, x = np.mgrid[0:height, 0:width]
    place = mi.Point2f(((x.ravel() + 0.5) / width).astype(np.float32), ((y.ravel() + 0.5) / height).astype(np.float32))
    ray, _ = scene.sensors()[0].sample_ray(0.0, 0.5, place, mi.Point2f(0.5, 0.5))
    hit = scene.ray_intersect(ray)

    def plane(values) -> np.ndarray:
        return np.array(values).reshape(height, width)

    seen, facing, length = plane(hit.is_valid()), plane(dr.dot(hit.sh_frame.n, ray.d)), plane(dr.norm(hit.sh_frame.n))
    away = seen & (facing > 0.02)
    without = seen & ((np.abs(length - 1) > 0.01) | ~np.isfinite(facing))
    picture = np.repeat((np.clip(-np.nan_to_num(facing), 0, 1) * 160).astype(np.uint8)[..., None], 3, -1)
    picture[away], picture[without] = (255, 0, 0), (255, 0, 255)
    Image.fromarray(picture).save(target)
    print(f"{name}: {away.mean():.2%} turned away, {without.mean():.2%} without a normal; {target}")


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2] if len(sys.argv) > 2 else f"{sys.argv[1]}_turned_away.png")
