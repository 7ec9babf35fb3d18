"""Light of an indoor still life: a north window with its mullions' shade, and a warm fill from the room."""

import materials as M
import mitsuba as mi
import numpy as np
from noise import spectral


def _panel(at, towards, scale, radiance):
    T = mi.ScalarTransform4f
    turn = T().look_at(list(map(float, at)), list(map(float, towards)), [0, 0, 1])
    return {"type": "rectangle", "to_world": turn @ T().scale(scale), "emitter": {"type": "area", "radiance": radiance}}


def window(at, towards, half_size, colour=(0.84, 0.95, 1.12), mottle=0.15):
    """Daylight through a window, brighter towards its top; ``half_size`` is (width, height) in metres."""
    light = np.clip(0.9 + mottle * spectral(256, 256, 2.4, 6, 1), 0.4, 2)[..., None] * np.float32(colour)
    light = light * np.linspace(1.5, 0.55, 256)[:, None, None]
    return _panel(at, towards, [*half_size, 1], M.bmp(light.astype(np.float32) * 10))


def fill(at, towards, half_size, radiance):
    """Warm light of the room from a square panel."""
    return _panel(at, towards, half_size, {"type": "rgb", "value": list(radiance)})
