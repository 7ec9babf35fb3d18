"""Drawn shapes as coverage of pixels: bands, rings, strokes of a brush.

Places and radii are in source pixels; a grid says which source pixels the samples of a window stand for. Edges that are
harder than a sample is wide run over one sample, so that they are smooth at every size.
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels import memory
from zincplate.core.kernels.kernel_math import INLINE, KERNEL, smoothstep

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

STAMPS = 8
"""Marks of a brush that builds up which cover one place on one straight pass."""


@dataclass(frozen=True)
class Grid:
    """Samples of a window: the middle of sample (i, j) lies at ``x0 + (i + 1/2) step_x``, ``y0 + (j + 1/2) step_y`` source
    pixels."""

    width: int
    height: int
    x0: float
    y0: float
    step_x: float
    step_y: float

    def empty(self) -> Float32:
        """(height, width), not filled."""
        return memory.empty(self.height, self.width)

    def zeros(self) -> Float32:
        """(height, width) of nothing."""
        return memory.zeros(self.height, self.width)

    def part(self, rows: slice, columns: slice) -> "Grid":
        """Some of its rows and columns."""
        x0, y0 = self.x0 + columns.start * self.step_x, self.y0 + rows.start * self.step_y
        return replace(self, width=columns.stop - columns.start, height=rows.stop - rows.start, x0=x0, y0=y0)

    def beside(self, left: float, top: float, right: float, bottom: float) -> bool:
        """Whether a rectangle of the source lies beside all samples, by a sample at least."""
        return (
            right < self.x0 - self.step_x
            or left > self.x0 + (self.width + 1) * self.step_x
            or bottom < self.y0 - self.step_y
            or top > self.y0 + (self.height + 1) * self.step_y
        )

    def places(self) -> tuple[Float32, Float32]:
        """x (1, width) and y (height, 1) of the samples, in source pixels."""
        x = self.x0 + (np.arange(self.width) + 0.5) * self.step_x
        y = self.y0 + (np.arange(self.height) + 0.5) * self.step_y
        return x[None].astype(np.float32), y[:, None].astype(np.float32)


@njit(**INLINE)
def _across(x0, step_x, from_x, width):
    """Places (width,) of the samples of a row, counted from a place of the shape: as float32 that does not depend on where a
    window begins, so that parts of a picture meet."""
    places = np.empty(width, np.float32)
    for i in range(width):
        places[i] = np.float32(x0 + (i + 0.5) * step_x - from_x)
    return places


@njit(**KERNEL)
def _band(x0, y0, step_x, step_y, fx, fy, dx, dy, out):
    height, width = out.shape
    left, right = x0 + 0.5 * step_x - fx, x0 + (width - 0.5) * step_x - fx
    xs, slope = _across(x0, step_x, fx, width), np.float32(dx)
    for j in prange(height):
        y = y0 + (j + 0.5) * step_y - fy
        least, most = min(left * dx, right * dx) + y * dy, max(left * dx, right * dx) + y * dy
        if (most <= 0) | (least >= 1):
            out[j] = np.float32(1 if most <= 0 else 0)
            continue
        line, start = out[j], np.float32(y * dy)
        for i in range(width):
            line[i] = np.float32(1) - smoothstep(xs[i] * slope + start)


def band(grid: Grid, full: tuple[float, float], none: tuple[float, float]) -> Float32 | None:
    """1 before the line through ``full``, 0 beyond the one through ``none``, both square to the way between them; None where all
    of the grid lies beyond."""
    away = np.subtract(none, full).astype(np.float64)
    length = max(float(np.hypot(*away)), 1e-9)
    direction = away / length
    run = max(length, grid.step_x, grid.step_y)
    start = np.asarray(full) - direction * (run - length) / 2
    nearest = [
        grid.x0 + (grid.width * grid.step_x if direction[0] < 0 else 0) - start[0],
        grid.y0 + (grid.height * grid.step_y if direction[1] < 0 else 0) - start[1],
    ]
    if direction @ nearest >= run:
        return None
    out = grid.empty()
    _band(grid.x0, grid.y0, grid.step_x, grid.step_y, start[0], start[1], direction[0] / run, direction[1] / run, out)
    return out


@njit(**KERNEL)
def _ring(x0, y0, step_x, step_y, mx, my, ax, ay, bx, by, inner, slope, out):
    height, width = out.shape
    outer = inner + 1 / slope
    # u u + v v = (A x + 2 B y) x + C y y, which is to be less than the outer radius squared
    square_x, mixed, square_y = max(ax * ax + bx * bx, 1e-24), ax * ay + bx * by, ay * ay + by * by
    xs, across_a, across_b = _across(x0, step_x, mx, width), np.float32(ax), np.float32(bx)
    begin, steep = np.float32(inner), np.float32(slope)
    for j in prange(height):
        y = y0 + (j + 0.5) * step_y - my
        middle = -mixed * y / square_x
        half = math.sqrt(max(middle * middle - (square_y * y * y - outer * outer) / square_x, 0.0))
        first = min(max(int((middle - half + mx - x0) / step_x - 2), 0), width)
        last = min(max(int((middle + half + mx - x0) / step_x + 2), first), width)
        out[j, :first] = np.float32(0)
        out[j, last:] = np.float32(0)
        line, places = out[j, first:last], xs[first:last]
        down_a, down_b = np.float32(y * ay), np.float32(y * by)
        for i in range(last - first):
            u, v = places[i] * across_a + down_a, places[i] * across_b + down_b
            line[i] = np.float32(1) - smoothstep((math.sqrt(u * u + v * v) - begin) * steep)


def ring(grid: Grid, middle: tuple[float, float], axes: Float64, softness: float) -> Float32 | None:
    """1 inside an ellipse whose half axes are the rows of ``axes`` (2, 2), running out over ``softness`` (0..1) of its radius;
    None where all of it lies beside the grid."""
    lengths = np.maximum(np.hypot(axes[:, 0], axes[:, 1]), 1e-6)
    least = max(grid.step_x, grid.step_y) / float(lengths.min())
    run = max(softness, least)
    outer = 1.0 + max(least - softness, 0) / 2
    a, b = axes[0] / lengths[0] ** 2, axes[1] / lengths[1] ** 2
    turned = abs(a[0] * b[1] - a[1] * b[0])
    across, down = (outer * math.hypot(a[i], b[i]) / turned if turned else math.inf for i in (1, 0))
    if grid.beside(middle[0] - across, middle[1] - down, middle[0] + across, middle[1] + down):
        return None
    out = grid.empty()
    where = (grid.x0, grid.y0, grid.step_x, grid.step_y, middle[0], middle[1])
    _ring(*where, a[0], a[1], b[0], b[1], outer - run, 1 / run, out)
    return out


@njit(**INLINE)
def _fall(distance, radius, hardness, pixel):
    """Coverage of a round brush at a distance from its middle (all float32)."""
    soft = radius * (np.float32(1) - hardness)
    inner = radius * hardness if soft > pixel else radius - pixel * np.float32(0.5)
    return np.float32(1) - smoothstep((distance - inner) / max(soft, pixel))


@njit(**KERNEL)
def _stroke(x0, y0, step_x, step_y, segments, hardness, out):
    """The most that any part of a stroke covers: passing over a place twice is once."""
    height, width = out.shape
    pixel = max(step_x, step_y)
    z, o, hard, sample = np.float32(0), np.float32(1), np.float32(hardness), np.float32(pixel)
    from_x = segments[0, 0]
    xs = _across(x0, step_x, from_x, width)
    for j in prange(height):
        y = y0 + (j + 0.5) * step_y
        for s in range(segments.shape[0]):
            ax, ay, ar, bx, by, br = segments[s]
            reach = max(ar, br) + pixel
            if (y < min(ay, by) - reach) | (y > max(ay, by) + reach):
                continue
            vx, vy = bx - ax, by - ay
            # of the segment only what is near enough to this row
            near, far = 0.0, 1.0
            if vy != 0:
                one, other = (y - reach - ay) / vy, (y + reach - ay) / vy
                near, far = max(min(one, other), 0.0), min(max(one, other), 1.0)
            left, right = ax + vx * near, ax + vx * far
            first = max(int((min(left, right) - reach - x0) / step_x) - 1, 0)
            last = min(int((max(left, right) + reach - x0) / step_x) + 2, width)
            if last <= first:
                continue
            long = vx * vx + vy * vy
            # how far along the segment a sample lies, 0 to 1, is a line in x; a single place has no length
            along_x = np.float32(vx / long if long > 0 else 0.0)
            along_y = np.float32((y - ay) * vy / long if long > 0 else 0.0)
            start, down, across_x, across_y = np.float32(ax - from_x), np.float32(y - ay), np.float32(vx), np.float32(vy)
            radius, wider = np.float32(ar), np.float32(br - ar)
            line, places = out[j, first:last], xs[first:last]
            for i in range(last - first):
                x = places[i] - start
                t = min(max(x * along_x + along_y, z), o)
                dx, dy = x - t * across_x, down - t * across_y
                line[i] = max(line[i], _fall(math.sqrt(dx * dx + dy * dy), radius + wider * t, hard, sample))


@njit(**KERNEL)
def _stamps(x0, y0, step_x, step_y, marks, hardness, share, out):
    """Marks laid over each other, each with a share of its coverage."""
    height, width = out.shape
    pixel = max(step_x, step_y)
    hard, sample, part = np.float32(hardness), np.float32(pixel), np.float32(share)
    from_x = marks[0, 0]
    xs = _across(x0, step_x, from_x, width)
    for j in prange(height):
        y = y0 + (j + 0.5) * step_y
        for s in range(marks.shape[0]):
            mx, my, radius = marks[s]
            dy = y - my
            if abs(dy) > radius + pixel:
                continue
            first = max(int((mx - radius - pixel - x0) / step_x), 0)
            last = min(int((mx + radius + pixel - x0) / step_x) + 1, width)
            if last <= first:
                continue
            start, down, wide = np.float32(mx - from_x), np.float32(dy), np.float32(radius)
            line, places = out[j, first:last], xs[first:last]
            for i in range(last - first):
                dx = places[i] - start
                line[i] += (np.float32(1) - line[i]) * _fall(math.sqrt(dx * dx + down * down), wide, hard, sample) * part


def radii_of(count: int, radius_px: float, widths: tuple[float, ...]) -> Float64:
    """(n,) the radius at each place of a stroke: ``widths`` are shares of it, none of them the whole everywhere."""
    return radius_px * (np.asarray(widths, np.float64) if widths else np.ones(count))


def reached(grid: Grid, places: Float64, radii: Float64) -> tuple[slice, slice] | None:
    """Rows and columns of a grid that a stroke through ``places`` (n, 2) with a radius at each (n,) may reach; None for none."""
    reach = float(radii.max()) + max(grid.step_x, grid.step_y)
    left, top = places.min(0) - reach
    right, bottom = places.max(0) + reach
    if grid.beside(left, top, right, bottom):
        return None

    def stretch(first: float, last: float, start: float, step: float, samples: int) -> slice:
        begin = min(max(math.floor((first - start) / step), 0), samples - 1)
        return slice(begin, min(max(math.ceil((last - start) / step), begin + 1), samples))

    return stretch(top, bottom, grid.y0, grid.step_y, grid.height), stretch(left, right, grid.x0, grid.step_x, grid.width)


def stroke(grid: Grid, places: Float64, radii: Float64, hardness: float) -> Float32:
    """Coverage 0..1 of one stroke through ``places`` (n, 2) with a radius at each (n,)."""
    both = np.column_stack([places, radii])
    segments = np.hstack([both, both]) if len(both) == 1 else np.hstack([both[:-1], both[1:]])
    out = grid.zeros()
    _stroke(grid.x0, grid.y0, grid.step_x, grid.step_y, np.ascontiguousarray(segments), hardness, out)
    return out


@njit(**KERNEL)
def laid(area, cover, erase):
    """One more stroke (h, w) on those before it, in place: it takes its share of what is not covered yet, or of what is."""
    height, width = area.shape
    for j in prange(height):
        line, share = area[j], cover[j]
        for i in range(width):
            line[i] += share[i] * (-line[i] if erase else np.float32(1) - line[i])


def building_stroke(grid: Grid, places: Float64, radii: Float64, hardness: float, flow: float) -> Float32:
    """The same where going over a place again adds to it; a straight pass covers its middle with ``flow``."""
    out = grid.zeros()
    marks = _along(places, radii)
    share = 1 - (1 - min(flow, 0.999)) ** (1 / (STAMPS if len(marks) > 1 else 1))
    _stamps(grid.x0, grid.y0, grid.step_x, grid.step_y, marks, hardness, share, out)
    return out


def _along(places: Float64, radii: Float64) -> Float64:
    """Marks (n, 3) of x, y, radius at even steps of a stroke: an eighth of the diameter that is covered in full."""
    lengths = np.hypot(*np.diff(places, axis=0).T) if len(places) > 1 else np.zeros(0)
    far = np.concatenate([[0.0], np.cumsum(lengths)])
    if far[-1] <= 0:
        return np.array([[places[0, 0], places[0, 1], radii[0]]])
    if np.ptp(radii) > 0:
        # closer to each other where it is narrower: as many lie over every place of its middle
        fine = np.union1d(far, np.linspace(0, far[-1], 200))
        close = STAMPS / (2 * np.maximum(np.interp(fine, far, radii), 0.25))
        number = np.concatenate([[0.0], np.cumsum(np.diff(fine) * (close[:-1] + close[1:]) / 2)])
        at = np.interp(np.linspace(0, number[-1], max(int(number[-1]), 1) + 1), number, fine)
    else:
        step = max(2 * float(radii.mean()) / STAMPS, 1e-3)
        at = np.linspace(0, far[-1], max(int(far[-1] / step), 1) + 1)
    return np.column_stack([np.interp(at, far, places[:, 0]), np.interp(at, far, places[:, 1]), np.interp(at, far, radii)])
