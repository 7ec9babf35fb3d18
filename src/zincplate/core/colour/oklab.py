"""Oklab, the perceptual space of all colour work (B. Ottosson, "A perceptual color space for image processing", 2020).

Chosen over CIELAB (blue turns purple when its chroma falls) and over CAM16-UCS (fifty times the cost, viewing conditions
to guess): hue stays constant when chroma changes, lightness is even, and it is three cube roots.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.colour_spaces import REC2020

Float = NDArray[np.float64]

XYZ_TO_LMS: Float = np.array(
    [
        [0.8189330101, 0.3618667424, -0.1288597137],
        [0.0329845436, 0.9293118715, 0.0361456387],
        [0.0482003018, 0.2643662691, 0.6338517070],
    ]
)
LMS_TO_LAB: Float = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
LAB_TO_LMS: Float = np.asarray(np.linalg.inv(LMS_TO_LAB), np.float64)


def _grey_exact(matrix: Float) -> Float:
    # the published matrices carry ten digits; rows are scaled so that white is exactly (1, 1, 1) and grey stays grey
    return np.asarray(matrix / matrix.sum(1, keepdims=True))


WORKING_TO_LMS: Float = _grey_exact(XYZ_TO_LMS @ REC2020.to_xyz)
"""Linear Rec.2020 -> cone-like responses before the cube root."""
LMS_TO_WORKING: Float = np.asarray(np.linalg.inv(WORKING_TO_LMS), np.float64)


def from_working(linear_rec2020: Any) -> Float:
    """Linear Rec.2020 (..., 3) -> L, a, b (..., 3); L of white is 1."""
    return np.asarray(np.cbrt(np.asarray(linear_rec2020) @ WORKING_TO_LMS.T) @ LMS_TO_LAB.T)


def to_working(lab: Any) -> Float:
    """L, a, b (..., 3) -> linear Rec.2020 (..., 3)."""
    return np.asarray((np.asarray(lab) @ LAB_TO_LMS.T) ** 3 @ LMS_TO_WORKING.T)


def hue_degrees(lab: Any) -> Float:
    """Hue angle 0..360 of L, a, b (..., 3)."""
    v = np.asarray(lab)
    return np.asarray(np.degrees(np.arctan2(v[..., 2], v[..., 1])) % 360)


def diamond(hue: Any) -> Float:
    """Hue angle in degrees -> 0..4, the angle measured along a diamond instead of a circle: no trigonometry in kernels."""
    t = np.radians(np.asarray(hue, np.float64))
    c, s = np.cos(t), np.sin(t)
    share = c / (np.abs(c) + np.abs(s))
    return np.asarray(np.where(s >= 0, 1 - share, 3 + share))


def hue_of_diamond(d: Any) -> Float:
    """Inverse of :func:`diamond`: 0..4 -> degrees 0..360."""
    d = np.asarray(d, np.float64) % 4
    upper = d <= 2
    share = np.where(upper, 1 - d, d - 3)
    height = np.where(upper, 1 - np.abs(share), np.abs(share) - 1)
    return np.asarray(np.degrees(np.arctan2(height, share)) % 360)
