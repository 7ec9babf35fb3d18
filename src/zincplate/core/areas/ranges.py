"""Areas by what a place looks like: ranges of lightness and of depth, colours, likeness to a place, edges of the drawing.

What is seen is measured in Oklab (Ottosson 2020) on the frame as it came in, so that no other control moves an area.
"""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]

LIGHTNESS_SHARE = 0.5
"""How much a difference of lightness counts beside one of hue and chroma."""
EDGE_SIGMA_PX = 1.0
EDGE_FULL = 0.08
"""Change of Oklab lightness for each sample that is an edge in full at a threshold of 1."""
LIKE = 0.055
"""Oklab distance at which a place looks by half like those that a stroke went over."""


def smooth(t: Float32) -> Float32:
    """0 below 0, 1 above 1, level at both ends."""
    t = np.clip(t, np.float32(0), np.float32(1))
    steep = np.float32(3) - 2 * t
    t *= t
    t *= steep
    return np.asarray(t, np.float32)


def between(values: Float32, low: float, high: float, softness: float) -> Float32:
    """1 where values (lightness, depth) lie from ``low`` to ``high``, running out over ``softness`` beyond each; an end at 0 or 1
    is open."""
    run = max(softness, 1e-3)
    out = np.ones_like(values)
    if low > 0:
        out = out * smooth((values - (low - run)) / np.float32(run))
    if high < 1:
        out = out * smooth(((high + run) - values) / np.float32(run))
    return np.asarray(out, np.float32)


def _apart(lab: Float32, centre: Sequence[float] | Float32) -> Float32:
    """(h, w) square of the distance of Oklab colours (3, h, w) to one."""
    out = (np.float32(LIGHTNESS_SHARE) * (lab[0] - np.float32(centre[0]))) ** 2
    for plane, level in zip(lab[1:], centre[1:], strict=True):
        far = plane - np.float32(level)
        far *= far
        out += far
    return np.asarray(out, np.float32)


def colour(lab: Float32, centre: tuple[float, float, float], reach: float) -> Float32:
    """How near Oklab colours (3, h, w) are to one: 1 there, 0 at ``reach``."""
    near = 1 - _apart(lab, centre) / np.float32(reach * reach)
    np.maximum(near, 0, out=near)
    near *= near
    return near


def fading(x: Float32, y: Float32, place: tuple[float, float], reach: float) -> Float32:
    """1 at a place, 0 at a distance of ``reach`` from it; ``x`` (1, w) and ``y`` (h, 1) in the place's units."""
    far = (x - np.float32(place[0])) ** 2 + (y - np.float32(place[1])) ** 2
    np.sqrt(far, out=far)
    far /= np.float32(max(reach, 1e-6))
    return smooth(1 - far)


def like_any(lab: Float32, seen: Float32) -> Float32:
    """How much Oklab colours (3, h, w) look like any of some (n, 3)."""
    best = np.full(lab.shape[1:], np.inf, np.float32)
    for one in seen:
        np.minimum(best, _apart(lab, one), out=best)
    # half at LIKE, steeper than a bell on its way down: neighbours across an edge are to fall out
    return np.asarray(1 / (1 + (best / np.float32(LIKE * LIKE)) ** 2), np.float32)


def edges(lightness: Float32, threshold: float, width_px: float) -> Float32:
    """1 along edges that are stronger than ``threshold`` (0..1), widened to ``width_px`` samples."""
    soft = cv2.GaussianBlur(lightness, (0, 0), EDGE_SIGMA_PX, borderType=cv2.BORDER_REFLECT)
    dx = cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=1 / 8, borderType=cv2.BORDER_REFLECT)
    dy = cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=1 / 8, borderType=cv2.BORDER_REFLECT)
    strength = np.hypot(dx, dy) / np.float32(EDGE_FULL)
    t = max(threshold, 0.02)
    found = smooth((strength - np.float32(0.5 * t)) / np.float32(t))
    if width_px > 1:
        size = 2 * round(width_px / 2) + 1
        found = cv2.dilate(found, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)))
    return np.asarray(cv2.GaussianBlur(found, (0, 0), 0.7), np.float32)
