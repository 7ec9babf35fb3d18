"""CIE L*a*b* (CIE 15:2018) relative to D65, and the CIEDE2000 difference (Sharma, Wu, Dalal 2005)."""

import numpy as np
from numpy.typing import ArrayLike, NDArray

from zincplate.core.colour.adaptation import D65_XY, xy_to_xyz

Float = NDArray[np.float64]


def xyz_to_lab(xyz: ArrayLike, white_xy: ArrayLike = D65_XY) -> Float:
    """XYZ (..., 3) with Y of white = 1 -> L*, a*, b*."""
    t = np.asarray(xyz, np.float64) / xy_to_xyz(white_xy)
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t * (29 / 6) ** 2 / 3 + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)


def delta_e_2000(lab_1: ArrayLike, lab_2: ArrayLike) -> Float:
    """CIEDE2000 colour difference of L*a*b* arrays (..., 3), kL = kC = kH = 1."""
    a1, a2 = np.asarray(lab_1, np.float64), np.asarray(lab_2, np.float64)
    c_mean = (np.hypot(a1[..., 1], a1[..., 2]) + np.hypot(a2[..., 1], a2[..., 2])) / 2
    g = 0.5 * (1 - np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7)))
    ap1, ap2 = (1 + g) * a1[..., 1], (1 + g) * a2[..., 1]
    c1, c2 = np.hypot(ap1, a1[..., 2]), np.hypot(ap2, a2[..., 2])
    h1 = np.degrees(np.arctan2(a1[..., 2], ap1)) % 360
    h2 = np.degrees(np.arctan2(a2[..., 2], ap2)) % 360
    grey = c1 * c2 == 0
    dh = np.where(grey, 0.0, (h2 - h1 + 180) % 360 - 180)
    dh = np.where(np.isclose(np.abs(h2 - h1), 180.0, atol=1e-12) & ~grey, h2 - h1, dh)
    dl, dc = a2[..., 0] - a1[..., 0], c2 - c1
    d_hue = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    l_mean, c_mean = (a1[..., 0] + a2[..., 0]) / 2, (c1 + c2) / 2
    total, gap = h1 + h2, np.abs(h1 - h2)
    h_mean = np.where(gap <= 180, total / 2, np.where(total < 360, (total + 360) / 2, (total - 360) / 2))
    h_mean = np.radians(np.where(grey, total, h_mean))
    t = (
        1
        - 0.17 * np.cos(h_mean - np.radians(30))
        + 0.24 * np.cos(2 * h_mean)
        + 0.32 * np.cos(3 * h_mean + np.radians(6))
        - 0.20 * np.cos(4 * h_mean - np.radians(63))
    )
    theta = np.radians(30 * np.exp(-(((np.degrees(h_mean) - 275) / 25) ** 2)))
    rotation = -np.sin(2 * theta) * 2 * np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7))
    sl = 1 + 0.015 * (l_mean - 50) ** 2 / np.sqrt(20 + (l_mean - 50) ** 2)
    sc, sh = 1 + 0.045 * c_mean, 1 + 0.015 * c_mean * t
    return np.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (d_hue / sh) ** 2 + rotation * (dc / sc) * (d_hue / sh))
