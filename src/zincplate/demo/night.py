"""The night sky over the works: stars in real brightness that turn about the pole, and satellites that cross.

A star of magnitude m gives 2.54e-6 * 10^(-0.4 m) lux (Allen's Astrophysical Quantities, 4th ed., chapter 2; from memory).
"""

from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from zincplate.core.colour.adaptation import xy_to_xyz
from zincplate.core.colour.colour_spaces import SRGB
from zincplate.core.colour.temperature import white_point_xy
from zincplate.demo.lens import LensState
from zincplate.demo.sensor import CameraModel

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
SIDEREAL_DEGREES_PER_S = 360.0 / 86164.1
POLE = np.array([-0.46, -0.70, 0.546]) / np.linalg.norm([-0.46, -0.70, 0.546])
"""In the scene's axes (x right, y down, z ahead)."""
_BRIGHT_LUX = 2.54e-6
_ZENITH_CD_M2, _HORIZON_CD_M2 = 2.4e-4, 1.5e-3

# start and end of each pass: seconds, direction at the start, direction at the end, magnitude
SATELLITES = (
    (62.0, 118.0, (-0.70, -0.20, 0.75), (0.62, -0.62, 0.72), 2.6),
    (150.0, 230.0, (0.60, -0.55, 0.75), (-0.55, 0.02, 0.85), 3.4),
    (231.0, 262.0, (-0.10, -0.75, 0.70), (0.66, 0.10, 0.75), 1.8),
)


def sky_turn(seconds: float) -> Float64:
    """Rotation of the sky since time 0: Rodrigues about the pole."""
    a = np.radians(seconds * SIDEREAL_DEGREES_PER_S)
    x, y, z = POLE
    k = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.asarray(np.eye(3) + np.sin(a) * k + (1 - np.cos(a)) * k @ k)


@lru_cache(maxsize=1)
def stars(count: int = 130_000, seed: int = 60) -> tuple[Float64, Float64, Float64]:
    """Directions (n, 3), illuminance in lux (n,), colour as linear Rec.709 of luminance 1 (n, 3); crowded along a band.

    Numbers grow by 10^0.5 for each magnitude, to about magnitude 9.6.
    """
    rng = np.random.default_rng(seed)
    d = rng.standard_normal((count * 2, 3))
    d /= np.linalg.norm(d, axis=1, keepdims=True)
    band = np.array([0.62, 0.55, 0.56]) / np.linalg.norm([0.62, 0.55, 0.56])
    keep = rng.random(len(d)) < 0.28 + 0.72 * np.exp(-((d @ band / 0.16) ** 2))
    d = d[keep][:count]
    magnitude = 9.6 + 2 * np.log10(np.maximum(rng.random(len(d)), 1e-7))
    kelvin = np.clip(np.exp(rng.normal(np.log(6800), 0.38, len(d))), 2600, 20000)
    steps = np.geomspace(2600, 20000, 40)
    table = np.array([np.maximum(np.linalg.inv(SRGB.to_xyz) @ xy_to_xyz(white_point_xy(float(k))), 0.02) for k in steps])
    table /= (table @ SRGB.to_xyz[1])[:, None]
    return d, _BRIGHT_LUX * 10 ** (-0.4 * magnitude), table[np.searchsorted(steps, kelvin).clip(0, len(steps) - 1)]


@njit(cache=True)
def _splat(places, amounts, out):  # type: ignore[no-untyped-def]
    """Adds amounts (n, 3) at places (n, 2) of x, y, shared among four pixels."""
    _, height, width = out.shape
    for i in range(places.shape[0]):
        x, y = places[i, 0], places[i, 1]
        if not (0 <= x < width - 1 and 0 <= y < height - 1):
            continue
        ix, iy = int(x), int(y)
        fx, fy = x - ix, y - iy
        for c in range(3):
            out[c, iy, ix] += amounts[i, c] * (1 - fx) * (1 - fy)
            out[c, iy, ix + 1] += amounts[i, c] * fx * (1 - fy)
            out[c, iy + 1, ix] += amounts[i, c] * (1 - fx) * fy
            out[c, iy + 1, ix + 1] += amounts[i, c] * fx * fy


def on_sensor(directions: Float64, camera: CameraModel, lens: LensState, focal_px: float, turn: Float64) -> Float64:
    """(n, 2) sensor positions of scene directions, distortion included; NaN behind the camera."""
    seen = directions @ turn  # the inverse of a rotation is its transpose
    with np.errstate(invalid="ignore", divide="ignore"):
        u, v = seen[:, 0] / seen[:, 2], seen[:, 1] / seen[:, 2]
    half = min(camera.width, camera.height) / 2
    r = np.hypot(u, v) * focal_px / half
    k = lens.distortion_k1
    bend = 1 - k + k * r * r
    place = np.stack([u * bend * focal_px + (camera.width - 1) / 2, v * bend * focal_px + (camera.height - 1) / 2], 1)
    fold = np.sqrt((1 - k) / (-3 * k)) if k < 0 else np.inf  # beyond it the polynomial turns back into the picture
    place[(seen[:, 2] < 0.2) | (r > 0.95 * fold)] = np.nan
    return np.asarray(place)


def night_sky(
    camera: CameraModel, lens: LensState, focal_px: float, turn: Float64, start_s: float, exposure_time_s: float
) -> Float32:
    """(3, h, w) mean luminance of the sky during an exposure, cd/m2, linear Rec.709; points are spread on their pixels."""
    directions, lux, colours = stars()
    h, w = camera.height, camera.width
    out = np.zeros((3, h, w), np.float32)
    middle = (sky_turn(start_s + exposure_time_s / 2) @ directions.T).T
    place = on_sensor(middle, camera, lens, focal_px, turn)
    near = np.isfinite(place).all(1) & (np.abs(place - [w / 2, h / 2]) < [w * 0.7, h * 0.7]).all(1)
    # luminance that gives the focal plane the same light: E (pi / 4) f^2 / (q p^2)
    f_um, p_um = lens.focal_length_mm * 1000, camera.pixel_pitch_um
    spread = np.pi / 4 * (f_um / p_um) ** 2 / 0.65
    path_px = exposure_time_s * np.radians(SIDEREAL_DEGREES_PER_S) * focal_px
    steps = max(3, int(np.ceil(path_px * 3)))
    amounts = (lux[near] * spread / steps)[:, None] * colours[near]
    for k in range(steps):
        t = start_s + exposure_time_s * (k + 0.5) / steps
        _splat(on_sensor((sky_turn(t) @ directions[near].T).T, camera, lens, focal_px, turn), amounts, out)
    for begin, end, a, b, magnitude in SATELLITES:
        t0, t1 = max(begin, start_s), min(end, start_s + exposure_time_s)
        if t0 >= t1:
            continue
        first, last = np.array(a) / np.linalg.norm(a), np.array(b) / np.linalg.norm(b)
        n = 6000
        share = ((np.linspace(t0, t1, n) - begin) / (end - begin))[:, None]
        path = first * (1 - share) + last * share
        path /= np.linalg.norm(path, axis=1, keepdims=True)
        light = _BRIGHT_LUX * 10 ** (-0.4 * magnitude) * spread * (t1 - t0) / exposure_time_s / n
        _splat(on_sensor(path, camera, lens, focal_px, turn), np.full((n, 3), light), out)
    # the sky's own glow: brighter and warmer down to the horizon
    yy = (np.arange(h, dtype=np.float64) - (h - 1) / 2) / focal_px
    ray = np.stack([np.zeros(h), yy, np.ones(h)], 1) @ turn.T
    up = -ray[:, 1] / np.linalg.norm(ray, axis=1)
    glow = _ZENITH_CD_M2 + (_HORIZON_CD_M2 - _ZENITH_CD_M2) * np.clip(1 - up, 0, 1.2) ** 3
    warm = np.clip(1 - up, 0, 1)[None] * np.array([0.35, 0.05, -0.30])[:, None]
    out += (glow[None] * (np.array([0.86, 0.98, 1.32])[:, None] + warm)).astype(np.float32)[:, :, None]
    return out
