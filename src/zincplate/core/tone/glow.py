"""Glow round light sources, in linear light: what shines far above the picture is spread as a lens or damp air spreads it.

Spread light falls off steeply near a source and slowly far away. Glare of eyes and lenses is a sum of such shares (Spencer,
Shirley, Zimmerman, Greenberg, "Physically-based glare effects for digital images", SIGGRAPH 1995); here four Gaussians, each
twice as wide as the one before and with less of the light. The colour of the source stays its own.
"""

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL
from zincplate.core.tone.at_width import ROWS, columns_at, held_at, place_at

Float32 = NDArray[np.float32]

SHARES = (0.5, 0.27, 0.15, 0.08)
"""Of the light, in Gaussians of a quarter, half, one and two of the size as standard deviation."""
SOURCE_FROM_EV, SOURCE_SPAN_EV = 1.2, 1.2
"""Above middle grey, from which on a place counts as a source, and over how much it becomes one in full."""
BOOST, MOST = 3.0, 0.22
"""How much brighter sources are taken to be than the sensor could say (lamps in the picture are far above its end), and the
greatest luminance that spread light tends to, of white: windows as large as the glow would drown the picture."""


def glow_planes(planes: Float32, lightness_ev: Float32, size_percent: float) -> Float32:
    """Spread light (3, h, w) of a small picture (3, h, w) and its EV about middle grey (h, w); ``size_percent`` of the long
    edge."""
    share = np.clip((lightness_ev - SOURCE_FROM_EV) / SOURCE_SPAN_EV, 0, 1)
    share = share * share * (3 - 2 * share)
    source = np.maximum(planes, 0) * (share * np.float32(BOOST))
    size = size_percent / 100 * max(lightness_ev.shape)
    out = np.zeros_like(planes)
    for weight, wide in zip(SHARES, (0.25, 0.5, 1.0, 2.0), strict=True):
        sigma = max(size * wide, 0.4)
        for c in range(3):
            # nothing shines from beyond the picture
            out[c] += np.float32(weight) * cv2.GaussianBlur(source[c], (0, 0), sigma, borderType=cv2.BORDER_CONSTANT)
    luminance = out.mean(0)
    return np.asarray(out / (1 + luminance / np.float32(MOST)), np.float32)


@njit(**KERNEL)
def _add(planes, low, asked, full_width, full_height, x0, y0, out):
    _, height, width = planes.shape
    _, low_height, low_width = low.shape
    step_x, step_y = np.float32(low_width) / full_width, np.float32(low_height) / full_height
    columns, shares = np.empty(width, np.int32), np.empty(width, np.float32)
    columns_at(x0, step_x, low_width, columns, shares, width)
    for part in prange((height + ROWS - 1) // ROWS):
        row, wide = np.zeros(low_width + 1, np.float32), np.empty((2, 3, width), np.float32)
        held = np.full(2, -1, np.int32)
        for y in range(part * ROWS, min(part * ROWS + ROWS, height)):
            j, k, fv = place_at(y0 + y, step_y, low_height)
            held_at(low, 0, 3, j, held, wide, columns, shares, row, width)
            held_at(low, 0, 3, k, held, wide, columns, shares, row, width)
            for c in range(3):
                up, down = wide[j & 1, c], wide[k & 1, c]
                for x in range(width):
                    out[c, y, x] = planes[c, y, x] + asked[y, x] * (up[x] + (down[x] - up[x]) * fv)


def glowing(planes: Float32, low: Float32, asked: Float32, full_width: int, full_height: int, x0: int, y0: int) -> Float32:
    """Planes (3, h, w) with spread light ``low`` (3, lh, lw) of the whole picture added, by ``asked`` (h, w) 0..1."""
    out = np.empty_like(planes)
    _add(planes, low, asked, np.float32(full_width), np.float32(full_height), x0, y0, out)
    return out
