"""Areas by what a place looks like: ranges of lightness and of depth, colours, likeness to a place, edges of the drawing.

What is seen is measured in Oklab (Ottosson 2020) on the frame as it came in, so that no other control moves an area.
"""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import INLINE, KERNEL, smoothstep

Float32 = NDArray[np.float32]

LIGHTNESS_SHARE = 0.5
"""How much a difference of lightness counts beside one of hue and chroma."""
EDGE_SIGMA_PX = 1.0
EDGE_FULL = 0.08
"""Change of Oklab lightness for each sample that is an edge in full at a threshold of 1."""
LIKE = 0.055
"""Oklab distance at which a place looks by half like those that a stroke went over."""
OPEN = 1e6
"""Where the end of an open range lies."""


@dataclass(frozen=True)
class Fading:
    """How an area fades with the distance from a place: 1 there, 0 at ``reach``; ``x`` (1, w) and ``y`` (h, 1) in its units."""

    x: Float32
    y: Float32
    place: tuple[float, float]
    reach: float


@njit(**INLINE)
def _square(lab, y, light, a, b, out):
    """Squares of the distances of a row of Oklab colours to one."""
    lightness, green_red, blue_yellow = lab[0, y], lab[1, y], lab[2, y]
    for x in range(len(out)):
        d, e, f = np.float32(LIGHTNESS_SHARE) * (lightness[x] - light), green_red[x] - a, blue_yellow[x] - b
        out[x] = d * d + e * e + f * f


@njit(**KERNEL)
def _between(values, low, high, run, out):
    height, width = values.shape
    for y in prange(height):
        line, target = values[y], out[y]
        for x in range(width):
            target[x] = smoothstep((line[x] - (low - run)) / run) * smoothstep(((high + run) - line[x]) / run)


@njit(**KERNEL)
def _near(lab, seen, reach, xs, ys, fades, place_x, place_y, fade, out):
    _, height, width = lab.shape
    z, o = np.float32(0), np.float32(1)
    for y in prange(height):
        target, down = out[y], ys[y] - place_y
        if fades and abs(down) >= fade:
            target[:] = z
            continue
        _square(lab, y, seen[0], seen[1], seen[2], target)
        for x in range(width):
            near = max(o - target[x] / (reach * reach), z)
            target[x] = near * near
        if fades:
            for x in range(width):
                across = xs[x] - place_x
                target[x] *= smoothstep(o - math.sqrt(across * across + down * down) / fade)


@njit(**KERNEL)
def _like(lab, seen, out):
    _, height, width = lab.shape
    o = np.float32(1)
    for y in prange(height):
        target, apart = out[y], np.empty(width, np.float32)
        _square(lab, y, seen[0, 0], seen[0, 1], seen[0, 2], target)
        for i in range(1, seen.shape[0]):
            _square(lab, y, seen[i, 0], seen[i, 1], seen[i, 2], apart)
            for x in range(width):
                target[x] = min(target[x], apart[x])
        for x in range(width):
            # half at LIKE, steeper than a bell on its way down: neighbours across an edge are to fall out
            far = target[x] * np.float32(1 / LIKE**2)
            target[x] = o / (o + far * far)


def between(values: Float32, low: float, high: float, softness: float) -> Float32:
    """1 where values (h, w) of lightness or depth lie from ``low`` to ``high``, running out over ``softness`` beyond each; an end
    at 0 or 1 is open."""
    out = np.empty_like(values)
    run = np.float32(max(softness, 1e-3))
    _between(values, np.float32(low if low > 0 else -OPEN), np.float32(high if high < 1 else OPEN), run, out)
    return out


def colour(lab: Float32, centre: tuple[float, float, float], reach: float) -> Float32:
    """How near Oklab colours (3, h, w) are to one: 1 there, 0 at ``reach``."""
    return near(lab, centre, reach, None)


def near(lab: Float32, centre: tuple[float, float, float], reach: float, fading: Fading | None) -> Float32:
    """The same, and how near in place."""
    _, height, width = lab.shape
    out = np.empty((height, width), np.float32)
    if fading is None:
        x, y, place, fade = np.zeros(width, np.float32), np.zeros(height, np.float32), (0.0, 0.0), 1.0
    else:
        x, y, place, fade = fading.x.ravel(), fading.y.ravel(), fading.place, max(fading.reach, 1e-6)
    numbers = np.array([*place, fade], np.float32)
    _near(lab, np.asarray(centre, np.float32), np.float32(reach), x, y, fading is not None, *numbers, out)
    return out


def like_any(lab: Float32, seen: Float32) -> Float32:
    """How much Oklab colours (3, h, w) look like any of some (n, 3)."""
    out = np.empty(lab.shape[1:], np.float32)
    _like(lab, np.ascontiguousarray(seen, np.float32), out)
    return out


def edges(lightness: Float32, threshold: float, width_px: float) -> Float32:
    """1 along edges that are stronger than ``threshold`` (0..1), widened to ``width_px`` samples."""
    soft = cv2.GaussianBlur(lightness, (0, 0), EDGE_SIGMA_PX, borderType=cv2.BORDER_REFLECT)
    dx = cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=1 / 8, borderType=cv2.BORDER_REFLECT)
    dy = cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=1 / 8, borderType=cv2.BORDER_REFLECT)
    strength = np.hypot(dx, dy) / np.float32(EDGE_FULL)
    t = max(threshold, 0.02)
    found = between(strength, 1.5 * t, 1.0, t)
    if width_px > 1:
        size = 2 * round(width_px / 2) + 1
        found = cv2.dilate(found, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)))
    return np.asarray(cv2.GaussianBlur(found, (0, 0), 0.7), np.float32)
