"""Projections of a view onto paper: from directions to places and back, in units of the focal length, y down.

Flat (gnomonic), cylinder, sphere (equirectangular) and the one in between, which keeps lines through the middle and all upright
ones straight: the Pannini projection (Sharpless, Postle & German, "Pannini: a new projection for rendering wide angle perspective
images", Computational Aesthetics 2010, equations 1 to 4).
"""

from typing import Literal

import numpy as np
from numpy.typing import NDArray

Float64 = NDArray[np.float64]

Kind = Literal["flat", "straightened", "cylinder", "sphere"]
WIDEST = {"flat": 140.0, "straightened": 300.0, "cylinder": 360.0, "sphere": 360.0}
"""Degrees across that a projection can show."""
HIGHEST = {"flat": 140.0, "straightened": 150.0, "cylinder": 150.0, "sphere": 180.0}
FURTHER = 1.0
"""Pannini's distance: 0 is flat, 1 as in the paper."""


def to_plane(kind: Kind, rays: Float64) -> Float64:
    """(n, 3) directions -> (n, 2); NaN where a projection cannot show them."""
    x, y, z = rays.T
    across, level = np.arctan2(x, z), np.hypot(x, z)
    with np.errstate(divide="ignore", invalid="ignore"):
        if kind == "flat":
            out = np.stack([x / z, y / z], 1)
            out[z <= np.cos(np.radians(WIDEST["flat"] / 2)) * np.linalg.norm(rays, axis=1)] = np.nan
            return out
        if kind == "sphere":
            return np.stack([across, np.arctan2(y, level)], 1)
        if kind == "cylinder":
            out = np.stack([across, y / level], 1)
        else:
            s = (FURTHER + 1) / (FURTHER + np.cos(across))
            out = np.stack([s * np.sin(across), s * y / level], 1)
            out[np.abs(across) > np.radians(WIDEST["straightened"] / 2)] = np.nan
        out[np.abs(y) > np.tan(np.radians(HIGHEST[kind] / 2)) * level] = np.nan
        return out


def to_rays(kind: Kind, x: Float64, y: Float64) -> Float64:
    """Places (any shape) -> (..., 3) directions, of any length."""
    if kind == "flat":
        return np.stack([x, y, np.ones_like(x)], -1)
    if kind == "sphere":
        return np.stack([np.sin(x) * np.cos(y), np.sin(y), np.cos(x) * np.cos(y)], -1)
    if kind == "cylinder":
        return np.stack([np.sin(x), y, np.cos(x)], -1)
    d = FURTHER
    k = x * x / (d + 1) ** 2
    cosine = (-k * d + np.sqrt(np.maximum(k * k * d * d - (k + 1) * (k * d * d - 1), 0))) / (k + 1)
    s = (d + 1) / (d + cosine)
    return np.stack([x / s, y / s, cosine], -1)


def fitting(across_degrees: float, up_degrees: float) -> Kind:
    """The projection that shows a view of some width and height with the least bending and stretching (common practice)."""
    if max(across_degrees, up_degrees) <= 80:
        return "flat"
    if up_degrees > 100:
        return "sphere"
    return "straightened" if across_degrees <= 130 else "cylinder"
