"""Haze by the dark channel prior (He, Sun, Tang, "Single image haze removal using dark channel prior", TPAMI 2011).

Air adds light A (1 - t) to a scene J seen through transmission t. In most small patches of a clear outdoor picture some
channel is nearly black; where the darkest value is high, that is air. The transmission is refined by a guided filter and
applied as coefficients on the root of the green plane, so that it follows edges at every zoom.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.tone.low_planes import Air, guided

Float32 = NDArray[np.float32]

PATCH = 13
"""Pixels of the small picture (512 long), about the share of the picture that the paper's 15 pixels are."""
AIR_SHARE = 0.001
KEPT = 0.95
"""Share of the air that full strength takes out: a trace is left, or far things look cut out (the paper's omega)."""
VEIL = 0.7
"""Share of the air that full strength the other way lays on."""
LEAST_TRANSMISSION = 0.3


def air_of(small: Float32) -> Air:
    """Haze of a small picture's planes (3, h, w), linear light."""
    kernel = np.ones((PATCH, PATCH), np.uint8)
    planes = np.maximum(small, 0)
    dark = cv2.erode(np.minimum(np.minimum(planes[0], planes[1]), planes[2]), kernel)
    count = min(max(int(dark.size * AIR_SHARE), 4), dark.size)
    haziest = np.argpartition(dark.ravel(), -count)[-count:]
    light = np.maximum(planes.reshape(3, -1)[:, haziest].mean(1), 1e-6).astype(np.float32)
    relative = (planes / light[:, None, None]).min(0)
    air = np.minimum(cv2.erode(relative, kernel), 1.0).astype(np.float32)
    # white things close by have no dark channel either; a patch is believed as far as its neighbourhood agrees
    a, b = guided(np.sqrt(planes[1]), air, 2 * PATCH, 1e-3)
    return Air(light, a, b)
