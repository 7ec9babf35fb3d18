"""Correlated colour temperature and tint of a white point, both ways.

The locus is Planckian below 4000 K (Krystek 1985, within 8e-5 in u, v) and the CIE daylight locus above
5000 K (CIE 15:2018, eq. 3.3), blended linearly in reciprocal temperature between, so that illuminant A and
the D series both have tint zero. Tint is the distance from the locus in CIE 1960 u, v, in units of 1/3000;
positive tint is a light on the green side (above the locus), so that making it neutral turns the picture towards magenta,
as making a bluer light neutral (more kelvin) turns it towards yellow.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

Float = NDArray[np.float64]

KELVIN_MIN, KELVIN_MAX = 1600.0, 25000.0
TINT_PER_UV = 3000.0


def _planckian_uv(kelvin: Float) -> Float:
    t = kelvin
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t**2) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t**2)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t**2) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t**2)
    return np.stack([u, v], -1)


def _daylight_uv(kelvin: Float) -> Float:
    t = np.maximum(kelvin, 4000.0)
    x_low = 0.244063 + 0.09911e3 / t + 2.9678e6 / t**2 - 4.6070e9 / t**3
    x_high = 0.237040 + 0.24748e3 / t + 1.9018e6 / t**2 - 2.0064e9 / t**3
    x = np.where(t <= 7000.0, x_low, x_high)
    return xy_to_uv(np.stack([x, -3.0 * x**2 + 2.870 * x - 0.275], -1))


def xy_to_uv(xy: ArrayLike) -> Float:
    """CIE 1931 (x, y) -> CIE 1960 (u, v); last axis 2."""
    a = np.asarray(xy, np.float64)
    d = -2.0 * a[..., 0] + 12.0 * a[..., 1] + 3.0
    return np.stack([4.0 * a[..., 0] / d, 6.0 * a[..., 1] / d], -1)


def uv_to_xy(uv: ArrayLike) -> Float:
    """CIE 1960 (u, v) -> CIE 1931 (x, y); last axis 2."""
    a = np.asarray(uv, np.float64)
    d = 2.0 * a[..., 0] - 8.0 * a[..., 1] + 4.0
    return np.stack([3.0 * a[..., 0] / d, 2.0 * a[..., 1] / d], -1)


def locus_uv(kelvin: ArrayLike) -> Float:
    """Point of the locus (u, v) for temperatures in kelvin, clipped to the supported range."""
    t = np.clip(np.asarray(kelvin, np.float64), KELVIN_MIN, KELVIN_MAX)
    # daylight above ~4 kK, Planckian below: weight linear in mired between 5000 K (200) and 4000 K (250)
    w = np.clip((250.0 - 1e6 / t) / 50.0, 0.0, 1.0)[..., None]
    return w * _daylight_uv(t) + (1 - w) * _planckian_uv(t)


def _normal(kelvin: float) -> Float:
    """Unit vector across the locus, towards green (increasing v)."""
    mired = 1e6 / kelvin
    a, b = locus_uv(1e6 / np.array([mired - 0.5, mired + 0.5]))
    tangent = (b - a) / np.linalg.norm(b - a)
    n = np.array([tangent[1], -tangent[0]])
    return n if n[1] > 0 else -n


def white_point_xy(kelvin: float, tint: float = 0.0) -> tuple[float, float]:
    """White point (x, y) of a temperature in kelvin (1600 to 25000) and a tint (about -150 to 150)."""
    uv = locus_uv(kelvin) + _normal(float(np.clip(kelvin, KELVIN_MIN + 5, KELVIN_MAX - 5))) * (tint / TINT_PER_UV)
    x, y = uv_to_xy(uv)
    return float(x), float(y)


_GRID_MIRED = np.linspace(1e6 / KELVIN_MAX, 1e6 / KELVIN_MIN, 600)
_GRID_UV = locus_uv(1e6 / _GRID_MIRED)


def temperature_and_tint(xy: ArrayLike) -> tuple[float, float]:
    """Inverse of :func:`white_point_xy`: nearest point of the locus in u, v -> (kelvin, tint).

    Temperatures outside 1600 to 25000 K give the nearest end.
    """
    x, y = (float(v) for v in np.asarray(xy, np.float64))
    return _located(x, y)


@lru_cache(maxsize=256)
def _located(x: float, y: float) -> tuple[float, float]:
    uv = xy_to_uv((x, y))
    grid, distances = _GRID_MIRED, ((_GRID_UV - uv) ** 2).sum(-1)
    for _ in range(5):  # narrow the bracket about the nearest point sixteenfold each time
        nearest = int(np.argmin(distances))
        grid = np.linspace(grid[max(nearest - 1, 0)], grid[min(nearest + 1, len(grid) - 1)], 33)
        distances = ((locus_uv(1e6 / grid) - uv) ** 2).sum(-1)
    kelvin = 1e6 / float(grid[int(np.argmin(distances))])
    tint = float((uv - locus_uv(kelvin)) @ _normal(kelvin)) * TINT_PER_UV
    return float(kelvin), tint
