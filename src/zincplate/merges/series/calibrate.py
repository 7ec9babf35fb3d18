"""Darks, flats and bias frames: averaged, and applied to mosaics before they are demosaiced.

A light becomes (light - dark) / flat, the flat being what even light gives, each colour's middle 1 (Howell, "Handbook of CCD
Astronomy", 2nd ed., 2006, section 4.5). A dark of another exposure time is scaled by it above the bias, where there is a bias.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.orientation import upright_size
from zincplate.merges.errors import MergeError
from zincplate.merges.series.options import Role
from zincplate.merges.view import Opened
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]

FULL = 0.995
LEAST_FLAT = 0.05
SAME_TIME = 0.05
"""Relative difference of exposure times that darks are taken as they are to."""
OUTLIER = 4.0
HOT_DEVIATIONS, HOT_SHARE = 12.0, 0.01
"""A site is not to be used when its dark rises above the others' by so many deviations and by that share of the white level."""


@dataclass(frozen=True)
class Masters:
    """Averages of calibration frames; None where there is none."""

    dark: Float32 | None
    dark_time_s: float
    flat: Float32 | None
    bias: Float32 | None
    hot: NDArray[np.bool_] | None
    """Sites that no dark mends: full, or nearly so, without light."""
    notes: tuple[str, ...]


def masters_of(frames: Sequence[Opened], roles: Sequence[Role]) -> Masters:
    """Averages the frames of each role; raises :class:`MergeError` for frames that do not fit each other."""
    lights = [f for f, r in zip(frames, roles, strict=True) if r == "light"]
    by = {role: [f for f, r in zip(frames, roles, strict=True) if r == role] for role in ("dark", "flat", "bias")}
    if not any(by.values()):
        return Masters(None, 0.0, None, None, None, ())
    for frame in (*lights, *(f for group in by.values() for f in group)):
        _fits(frame, lights[0] if lights else frame)
    bias = _average(by["bias"]) if by["bias"] else None
    dark = _average(by["dark"]) if by["dark"] else None
    flat = _average(by["flat"]) if by["flat"] else None
    notes: list[str] = []
    time_s = float(np.median([f.source.capture.exposure_time_s for f in by["dark"]])) if by["dark"] else 0.0
    hot = None
    if dark is not None:
        middle = float(np.median(dark))
        spread = 1.4826 * float(np.median(np.abs(dark[::3, ::3] - middle)))
        hot = dark - middle > max(HOT_DEVIATIONS * spread, HOT_SHARE)
        notes += _unlike(by["dark"], lights, bias is not None)
    if flat is not None:
        if bias is not None:
            flat = flat - bias
        flat = _even(flat)
    return Masters(dark, time_s, flat, bias, hot, tuple(notes))


def _fits(frame: Opened, first: Opened) -> None:
    source = frame.source
    if not source.mosaic:
        raise MergeError(f"{frame.name}: Darks, flats and bias frames are taken off mosaics; it is none.")
    # how the camera was held when its cap was on says nothing: sites are taken off sites
    if _sensor_size(source) != _sensor_size(first.source):
        raise MergeError(f"{frame.name}: It has another size than {first.name}.")


def _sensor_size(source: Source) -> tuple[int, int]:
    return upright_size(source.width, source.height, source.orientation)


def _unlike(darks: Sequence[Opened], lights: Sequence[Opened], with_bias: bool) -> list[str]:
    times = [f.source.capture.exposure_time_s for f in darks]
    light = [f.source.capture.exposure_time_s for f in lights]
    notes = []
    if light and abs(np.median(times) / max(float(np.median(light)), 1e-9) - 1) > SAME_TIME and not with_bias:
        notes.append(
            f"The darks were exposed for {np.median(times):g} s, the frames for {np.median(light):g} s; without bias frames they "
            "are taken off as they are."
        )
    if {f.source.capture.iso for f in darks} != {f.source.capture.iso for f in lights} and lights:
        notes.append("The darks were taken at another ISO than the frames.")
    return notes


def _average(frames: Sequence[Opened]) -> Float32:
    """(h, w) mean of site values, what lies far off in one of three or more left out (a cosmic ray, a star)."""
    if len(frames) < 3:
        return np.asarray(np.mean([f.source.site_values() for f in frames], 0), np.float32)
    values = np.stack([f.source.site_values() for f in frames])
    out = np.empty(values.shape[1:], np.float32)
    for top in range(0, values.shape[1], 256):
        part = values[:, top : top + 256]
        middle = np.median(part, 0)
        spread = 1.4826 * np.median(np.abs(part - middle), 0)
        floor = float(np.median(spread)) + 1e-7
        good = np.abs(part - middle) <= OUTLIER * np.maximum(spread, floor)
        out[top : top + 256] = (part * good).sum(0) / np.maximum(good.sum(0), 1)
    return out


def _even(flat: Float32) -> Float32:
    """Each colour's middle becomes 1."""
    out = flat.copy()
    h, w = flat.shape
    for row in range(2):
        for column in range(2):
            sites = out[row::2, column::2]
            sites /= np.float32(max(float(np.median(sites[h // 8 : -h // 8, w // 8 : -w // 8])), 1e-6))
    return np.maximum(out, np.float32(LEAST_FLAT))


def calibrated(frame: Opened, masters: Masters) -> Opened:
    """A light without its dark, and evened by the flat."""
    if masters.dark is None and masters.flat is None and masters.bias is None:
        return frame
    values = frame.source.site_values()
    full = values >= FULL
    if masters.dark is not None:
        scale = 1.0
        time_s = frame.source.capture.exposure_time_s
        if masters.bias is not None and masters.dark_time_s > 0 and time_s > 0:
            scale = time_s / masters.dark_time_s
            values -= masters.bias + np.float32(scale) * (masters.dark - masters.bias)
        else:
            values -= masters.dark
    elif masters.bias is not None:
        values -= masters.bias
    if masters.flat is not None:
        values /= masters.flat
    if masters.hot is not None:
        values = _without(values, masters.hot & ~full)
    from zincplate.merges.view import opened

    return opened([(frame.name, frame.source.calibrated(values, full))])[0]


def _without(values: Float32, hot: NDArray[np.bool_]) -> Float32:
    """Hot sites become the median of their good neighbours of the same colour."""
    y, x = np.nonzero(hot)
    if not len(y):
        return values
    h, w = values.shape
    near = []
    for dy, dx in ((-2, 0), (2, 0), (0, -2), (0, 2), (-2, -2), (-2, 2), (2, -2), (2, 2)):
        ny, nx = np.clip(y + dy, y % 2, h - 2 + y % 2), np.clip(x + dx, x % 2, w - 2 + x % 2)
        near.append(np.where(hot[ny, nx], np.nan, values[ny, nx]))
    out = values.copy()
    with np.errstate(all="ignore"):
        found = np.nanmedian(np.stack(near), 0)
    out[y, x] = np.where(np.isfinite(found), found, 0)
    return out
