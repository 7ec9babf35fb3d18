"""Blends of two layers as W3C Compositing and Blending Level 1 (section 10, https://www.w3.org/TR/compositing-1/) defines them.

Values are encoded, 0..1. Scalar functions for kernels; the names are the standard's but for ``colour`` (its ``color``) and
``sum`` (``lighter`` of W3C Compositing, plus of Porter & Duff, without alpha).
"""

import math

import numpy as np
from numba import njit

from zincplate.core.kernels.kernel_math import INLINE

NAMES = ("normal", "lighten", "darken", "multiply", "screen", "overlay", "soft_light", "luminosity", "colour", "sum")
NUMBERS = {name: number for number, name in enumerate(NAMES)}


@njit(**INLINE)
def separable(mode, b, s):
    """One channel of a source ``s`` on a backdrop ``b``: section 10.1."""
    o = np.float32(1)
    if mode == 1:
        return max(b, s)
    if mode == 2:
        return min(b, s)
    if mode == 3:
        return b * s
    if mode == 4:
        return b + s - b * s
    if mode == 5:
        # hard light with the layers swapped
        return np.float32(2) * b * s if b <= np.float32(0.5) else (b + b - o) + s - (b + b - o) * s
    if mode == 6:
        if s <= np.float32(0.5):
            return b - (o - s - s) * b * (o - b)
        low = ((np.float32(16) * b - np.float32(12)) * b + np.float32(4)) * b
        d = low if b <= np.float32(0.25) else np.float32(math.sqrt(b))
        return b + (s + s - o) * (d - b)
    if mode == 9:
        return min(b + s, o)
    return s


@njit(**INLINE)
def _lum(r, g, b):
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@njit(**INLINE)
def with_luminosity(r, g, b, light):
    """``SetLum`` of section 10.2: a colour at another luminosity, drawn in to 0..1 (``ClipColor``)."""
    z, o, tiny = np.float32(0), np.float32(1), np.float32(1e-9)
    d = light - _lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    low, high = min(r, min(g, b)), max(r, max(g, b))
    if low < z:
        k = light / max(light - low, tiny)
        r, g, b = light + (r - light) * k, light + (g - light) * k, light + (b - light) * k
    if high > o:
        k = (o - light) / max(high - light, tiny)
        r, g, b = light + (r - light) * k, light + (g - light) * k, light + (b - light) * k
    return r, g, b


@njit(**INLINE)
def blended(mode, br, bg, bb, r, g, b):
    """Three channels of a source on a backdrop."""
    if mode == 7:
        return with_luminosity(br, bg, bb, _lum(r, g, b))
    if mode == 8:
        return with_luminosity(r, g, b, _lum(br, bg, bb))
    return separable(mode, br, r), separable(mode, bg, g), separable(mode, bb, b)
