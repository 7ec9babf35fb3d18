"""Opcode lists of DNG files (specification 1.7.1, chapter 7): parsed, and worked on raw samples, on linear mosaics or on planes.

Lists are big-endian whatever the file is. Values of a list's stage run from 0 to 1 (whole numbers before linearisation: 0 to
65535) and are clipped to that by the steps that change them, as the specification asks.
"""

import struct
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[Any]
Float64 = NDArray[np.float64]

NAMES = {
    1: "WarpRectilinear", 2: "WarpFisheye", 3: "FixVignetteRadial", 4: "FixBadPixelsConstant", 5: "FixBadPixelsList", 6:
    "TrimBounds", 7: "MapTable", 8: "MapPolynomial", 9: "GainMap", 10: "DeltaPerRow", 11: "DeltaPerColumn", 12: "ScalePerRow", 13:
    "ScalePerColumn", 14: "WarpRectilinear2",
}  # fmt: skip
WARPS, VIGNETTE, BAD_CONSTANT, BAD_LIST, TRIM = (1, 2, 14), 3, 4, 5, 6
_LARGEST_MAP = 4_000_000


class OpcodeError(ValueError):
    """A list that cannot be worked; the message goes on after "The file's list of steps ..."."""


@dataclass(frozen=True)
class Opcode:
    """One step: its number, whether a reader may leave it out, and its parameters as bytes."""

    number: int
    optional: bool
    data: bytes

    @property
    def name(self) -> str:
        """As the specification calls it."""
        return NAMES.get(self.number, f"number {self.number}")


def parse(data: bytes) -> tuple[list[Opcode], list[str]]:
    """The steps of a list that are known, and names of unknown ones that may be left out; raises :class:`OpcodeError`."""
    if not data:
        return [], []
    if len(data) < 4:
        raise OpcodeError("is cut off")
    count = struct.unpack_from(">I", data, 0)[0]
    if count > 1000:
        raise OpcodeError("claims more than a thousand steps")
    found, unknown, place = [], [], 4
    for _ in range(count):
        if place + 16 > len(data):
            raise OpcodeError("is cut off")
        number, _, flags, size = struct.unpack_from(">IIII", data, place)
        if place + 16 + size > len(data):
            raise OpcodeError("is cut off")
        opcode = Opcode(number, bool(flags & 1), data[place + 16 : place + 16 + size])
        place += 16 + size
        if number in NAMES:
            found.append(opcode)
        elif opcode.optional:
            unknown.append(opcode.name)
        else:
            raise OpcodeError(f"holds a step that is needed and not known here ({opcode.name})")
    return found, unknown


# ---- warps and vignettes, as functions of the radius ----------------------------------------------------------------------


@dataclass(frozen=True)
class Warp:
    """Where the light of a place of the corrected picture lies in the file. Radii are in distances to the farthest corner."""

    kind: int
    coefficients: tuple[tuple[float, ...], ...]
    """For each plane (or one for all): radial coefficients."""
    tangential: tuple[tuple[float, float], ...]
    centre: tuple[float, float]
    """x, y of the optical centre, 0 to 1 from the middle of the first to that of the last pixel."""
    limits: tuple[tuple[float, float], ...] = ()
    reciprocal: bool = False

    def ratio(self, radius: Float64, plane: int) -> Float64:
        """Radius in the file over radius in the corrected picture."""
        plane = min(plane, len(self.coefficients) - 1)
        k = self.coefficients[plane]
        r = np.asarray(radius, np.float64)
        if self.kind == 2:
            angle = np.arctan(r)
            bent = k[0] * angle + k[1] * angle**3 + k[2] * angle**5 + k[3] * angle**7
            return np.where(r > 1e-9, bent / np.maximum(r, 1e-9), k[0])
        if self.kind == 1:
            return np.asarray(k[0] + k[1] * r**2 + k[2] * r**4 + k[3] * r**6)
        low, high = self.limits[plane]
        at = np.clip(r, low, high) if high > low else r
        total = np.asarray(sum(c * at**i for i, c in enumerate(k)))
        return np.asarray(1 / np.where(np.abs(total) < 1e-9, 1e-9, total)) if self.reciprocal else total

    @property
    def radial(self) -> bool:
        """Nothing but the radius about the middle counts."""
        return not any(a or b for a, b in self.tangential)


@dataclass(frozen=True)
class Vignette:
    """gain = 1 + k0 r^2 + k1 r^4 + ... + k4 r^10, r in distances to the farthest corner."""

    coefficients: tuple[float, float, float, float, float]
    centre: tuple[float, float]

    def gain(self, radius: Float64) -> Float64:
        """Factor on the light."""
        r2 = np.asarray(radius, np.float64) ** 2
        return np.asarray(1 + sum(k * r2 ** (i + 1) for i, k in enumerate(self.coefficients)))


def _doubles(data: bytes, place: int, count: int) -> tuple[float, ...]:
    if place + 8 * count > len(data):
        raise OpcodeError("is cut off")
    values: tuple[float, ...] = struct.unpack_from(f">{count}d", data, place)
    if not all(np.isfinite(v) and abs(v) < 1e12 for v in values):
        raise OpcodeError("holds numbers that cannot be")
    return values


def warp_of(opcode: Opcode) -> Warp:
    """Parameters of WarpRectilinear, WarpFisheye or WarpRectilinear2."""
    (planes,) = _integers(opcode.data, 0, 1)
    if planes not in (1, 3, 4):
        raise OpcodeError(f"warps {planes} planes")
    length = {1: 6, 2: 4, 14: 19}[opcode.number]
    rows = [_doubles(opcode.data, 4 + 8 * length * p, length) for p in range(planes)]
    end = 4 + 8 * length * planes
    x, y = _doubles(opcode.data, end, 2)
    if not (-1 <= x <= 2 and -1 <= y <= 2):
        raise OpcodeError("has its centre far outside the picture")
    none = tuple((0.0, 0.0) for _ in rows)
    if opcode.number == 1:
        return Warp(1, tuple(r[:4] for r in rows), tuple((r[4], r[5]) for r in rows), (x, y))
    if opcode.number == 2:
        return Warp(2, tuple(rows), none, (x, y))
    (reciprocal,) = _integers(opcode.data, end + 16, 1)
    tangential, limits = tuple((r[15], r[16]) for r in rows), tuple((r[17], r[18]) for r in rows)
    return Warp(14, tuple(r[:15] for r in rows), tangential, (x, y), limits, bool(reciprocal))


def vignette_of(opcode: Opcode) -> Vignette:
    """Parameters of FixVignetteRadial."""
    k0, k1, k2, k3, k4, x, y = _doubles(opcode.data, 0, 7)
    return Vignette((k0, k1, k2, k3, k4), (x, y))


def centre_and_reach(centre: tuple[float, float], width: int, height: int) -> tuple[float, float, float]:
    """Pixel coordinates of an optical centre, and the distance to the farthest corner."""
    x, y = centre[0] * (width - 1), centre[1] * (height - 1)
    reach = float(np.hypot(max(x, width - 1 - x), max(y, height - 1 - y)))
    return x, y, max(reach, 1e-6)


def warped(planes: NDArray[np.float32], warp: Warp) -> NDArray[np.float32]:
    """(h, w, n) -> the same size, resampled (Lanczos over eight samples), for warps that are not about the middle."""
    import cv2  # few files ask for it, and facts are to come at once

    height, width = planes.shape[:2]
    cx, cy, reach = centre_and_reach(warp.centre, width, height)
    x = (np.arange(width) - cx) / reach
    out = np.empty_like(planes)
    for first in range(0, height, 256):
        y = ((np.arange(first, min(first + 256, height)) - cy) / reach)[:, None]
        r2 = x**2 + y**2
        r = np.sqrt(r2)
        for plane in range(planes.shape[2]):
            ratio = warp.ratio(r, plane)
            t0, t1 = warp.tangential[min(plane, len(warp.tangential) - 1)]
            dx = x * ratio + t0 * 2 * x * y + t1 * (r2 + 2 * x**2)
            dy = y * ratio + t1 * 2 * x * y + t0 * (r2 + 2 * y**2)
            at_x, at_y = (cx + reach * dx).astype(np.float32), (cy + reach * dy).astype(np.float32)
            source = np.ascontiguousarray(planes[..., plane])
            out[first : first + 256, :, plane] = cv2.remap(
                source, at_x, at_y, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE
            )
    return out


def vignetted(planes: NDArray[np.float32], vignette: Vignette) -> None:
    """Multiplies (h, w, n) by the gain, in place."""
    height, width = planes.shape[:2]
    cx, cy, reach = centre_and_reach(vignette.centre, width, height)
    x = (np.arange(width) - cx) / reach
    for first in range(0, height, 256):
        y = ((np.arange(first, min(first + 256, height)) - cy) / reach)[:, None]
        planes[first : first + 256] *= vignette.gain(np.sqrt(x**2 + y**2)).astype(np.float32)[..., None]


# ---- steps on areas -------------------------------------------------------------------------------------------------------


def _integers(data: bytes, place: int, count: int) -> tuple[int, ...]:
    if place + 4 * count > len(data):
        raise OpcodeError("is cut off")
    return struct.unpack_from(f">{count}I", data, place)


@dataclass(frozen=True)
class _Area:
    top: int
    left: int
    bottom: int
    right: int
    plane: int
    planes: int
    row_pitch: int
    column_pitch: int

    def of(self, samples: Samples) -> Samples:
        """A view (rows, columns, planes) of the samples (h, w, n) that are meant; raises :class:`OpcodeError`."""
        height, width, planes = samples.shape
        inside = self.top <= self.bottom <= height and self.left <= self.right <= width
        if not inside or self.row_pitch < 1 or self.column_pitch < 1 or self.plane >= planes:
            raise OpcodeError("names an area outside the picture")
        last = min(self.plane + self.planes, planes)
        return samples[self.top : self.bottom : self.row_pitch, self.left : self.right : self.column_pitch, self.plane : last]


def _area(data: bytes) -> _Area:
    return _Area(*_integers(data, 0, 8))


def work(opcode: Opcode, samples: Samples, top_value: float, cfa: NDArray[np.int64] | None) -> Samples:
    """One step on (h, w, n) samples whose range is 0 to ``top_value``; the same array changed, or a smaller one (TrimBounds).

    ``cfa`` (rows, columns of the pattern) gives the colour of each site of a mosaic, for defects. Raises :class:`OpcodeError`.
    """
    number, data = opcode.number, opcode.data
    if number == TRIM:
        top, left, bottom, right = _integers(data, 0, 4)
        if not (top < bottom <= samples.shape[0] and left < right <= samples.shape[1]):
            raise OpcodeError("trims to an area outside the picture")
        return samples[top:bottom, left:right]
    if number == BAD_CONSTANT:
        (constant,) = _integers(data, 0, 1)
        _mend(samples, samples[..., 0] == constant, cfa)
        return samples
    if number == BAD_LIST:
        _mend(samples, _listed(data, samples.shape[0], samples.shape[1]), cfa)
        return samples
    view = _area(data).of(samples)
    values = view.astype(np.float32)
    if number == 7:
        (size,) = _integers(data, 32, 1)
        if not 1 <= size <= 65536 or 36 + 2 * size > len(data):
            raise OpcodeError("holds a table that is cut off")
        table = np.frombuffer(data, ">u2", size, 36).astype(np.float32) * (top_value / 65535)
        index = np.clip(np.round(values * (65535 / top_value)), 0, size - 1).astype(np.intp)
        values = table[index]
    elif number == 8:
        (degree,) = _integers(data, 32, 1)
        if degree > 8:
            raise OpcodeError("holds a polynomial of more than the eighth degree")
        x, total = values / top_value, np.zeros_like(values)
        for coefficient in reversed(_doubles(data, 36, degree + 1)):
            total = total * x + np.float32(coefficient)
        values = total * top_value
    elif number == 9:
        values *= _gain_map(data, view.shape, _area(data), samples.shape)
    else:
        (count,) = _integers(data, 32, 1)
        along = 0 if number in (10, 12) else 1
        if count != view.shape[along] or 36 + 4 * count > len(data):
            raise OpcodeError("holds another number of lines than its area has")
        line = np.frombuffer(data, ">f4", count, 36).astype(np.float32)
        if not np.isfinite(line).all():
            raise OpcodeError("holds numbers that cannot be")
        line = line[:, None, None] if along == 0 else line[None, :, None]
        values = values + line * top_value if number in (10, 11) else values * line
    values = np.clip(values, 0, top_value)
    view[...] = np.round(values) if samples.dtype.kind in "ui" else values
    return samples


def _gain_map(data: bytes, shape: Sequence[int], area: _Area, whole: Sequence[int]) -> NDArray[np.float32]:
    """Gains (rows, columns, planes) by bilinear interpolation; the map's coordinates run over the whole picture from 0 to 1."""
    points_v, points_h = _integers(data, 32, 2)
    spacing_v, spacing_h, origin_v, origin_h = _doubles(data, 40, 4)
    (map_planes,) = _integers(data, 72, 1)
    count = points_v * points_h * map_planes
    if not 0 < count <= _LARGEST_MAP or 76 + 4 * count > len(data) or map_planes > 8:
        raise OpcodeError("holds a gain map that is cut off")
    gains = np.frombuffer(data, ">f4", count, 76).astype(np.float32).reshape(points_v, points_h, map_planes)
    if not np.isfinite(gains).all():
        raise OpcodeError("holds numbers that cannot be")

    def places(first: int, pitch: int, n: int, size: int, origin: float, spacing: float, points: int) -> Float64:
        relative = (first + pitch * np.arange(n) + 0.5) / size
        return np.clip((relative - origin) / spacing if spacing > 0 else np.zeros(n), 0, points - 1)

    v = places(area.top, area.row_pitch, shape[0], whole[0], origin_v, spacing_v, points_v)
    h = places(area.left, area.column_pitch, shape[1], whole[1], origin_h, spacing_h, points_h)
    v0, h0 = np.minimum(v.astype(np.intp), max(points_v - 2, 0)), np.minimum(h.astype(np.intp), max(points_h - 2, 0))
    v1, h1 = np.minimum(v0 + 1, points_v - 1), np.minimum(h0 + 1, points_h - 1)
    fv, fh = (v - v0).astype(np.float32)[:, None], (h - h0).astype(np.float32)[None, :]
    out = np.empty(tuple(shape), np.float32)
    for plane in range(shape[2]):
        grid = gains[..., min(plane, map_planes - 1)]
        upper = grid[v0][:, h0] * (1 - fh) + grid[v0][:, h1] * fh
        lower = grid[v1][:, h0] * (1 - fh) + grid[v1][:, h1] * fh
        out[..., plane] = upper * (1 - fv) + lower * fv
    return out


def _listed(data: bytes, height: int, width: int) -> NDArray[np.bool_]:
    _, points, rectangles = _integers(data, 0, 3)
    if 12 + 8 * points + 16 * rectangles > len(data):
        raise OpcodeError("holds a list of defects that is cut off")
    bad = np.zeros((height, width), bool)
    places = np.frombuffer(data, ">u4", 2 * points, 12).reshape(-1, 2).astype(np.intp)
    inside = (places[:, 0] < height) & (places[:, 1] < width)
    bad[places[inside, 0], places[inside, 1]] = True
    for top, left, bottom, right in np.frombuffer(data, ">u4", 4 * rectangles, 12 + 8 * points).reshape(-1, 4).astype(np.intp):
        bad[top:bottom, left:right] = True
    return bad


def _mend(samples: Samples, bad: NDArray[np.bool_], cfa: NDArray[np.int64] | None) -> None:
    """Bad sites get the mean of the good sites of their colour around them, weighted by the inverse square of the distance."""
    height, width = bad.shape
    rows, columns = np.nonzero(bad)
    if len(rows) == 0:
        return
    if len(rows) > height * width // 4:
        raise OpcodeError("calls more than a quarter of the sensor defect")
    colour = np.zeros((1, 1), np.int64) if cfa is None else cfa
    period_v, period_h = colour.shape
    total, weights = np.zeros((len(rows), samples.shape[2])), np.zeros(len(rows))
    for reach in (3, 7, 15):
        left = np.flatnonzero(weights == 0)
        if len(left) == 0:
            break
        r, c = rows[left], columns[left]
        for dy in range(-reach, reach + 1):
            for dx in range(-reach, reach + 1):
                if dy == dx == 0:
                    continue
                y, x = np.clip(r + dy, 0, height - 1), np.clip(c + dx, 0, width - 1)
                same = colour[y % period_v, x % period_h] == colour[r % period_v, c % period_h]
                good = same & ~bad[y, x] & (r + dy == y) & (c + dx == x)
                weight = good / (dy * dy + dx * dx)
                total[left] += samples[y, x] * weight[:, None]
                weights[left] += weight
    known = weights > 0
    mean = total[known] / weights[known][:, None]
    samples[rows[known], columns[known]] = np.round(mean) if samples.dtype.kind in "ui" else mean
