"""Reducing a linear plate to an exact size: area averages, or a Lanczos-3 kernel widened by the reduction."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Float32 = NDArray[np.float32]


def box_weights(start: float, stop: float, outputs: int, source: int) -> tuple[NDArray[np.int32], Float32]:
    """Coverage of ``outputs`` equal boxes between ``start`` and ``stop`` (in source samples, may be fractional).

    Returns the first source index of each box (n,) and its weights (n, taps), which sum to 1; indices are kept inside.
    """
    edges = np.linspace(start, stop, outputs + 1)
    low, high = edges[:-1, None], edges[1:, None]
    first = np.floor(edges[:-1]).astype(np.int32)
    taps = int(np.ceil((stop - start) / outputs)) + 1
    cell = first[:, None] + np.arange(taps)[None]
    weights = np.clip(np.minimum(high, cell + 1) - np.maximum(low, cell), 0, None)
    weights[(cell < 0) | (cell >= source)] = 0
    total = weights.sum(1, keepdims=True)
    weights = weights / np.where(total > 0, total, 1)
    shift = np.clip(first, 0, max(source - taps, 0)) - first  # keep every tap inside the source
    if shift.any():
        moved = np.zeros_like(weights)
        for i in np.flatnonzero(shift):
            for t in range(taps):
                if 0 <= t - shift[i] < taps:
                    moved[i, t - shift[i]] = weights[i, t]
            weights[i] = moved[i]
        first = first + shift
    return first.astype(np.int32), weights.astype(np.float32)


@njit(parallel=True, nogil=True, cache=True, fastmath=True)
def _box(planes, first_x, weights_x, first_y, weights_y, out):
    channels, height, width = out.shape
    taps_x, taps_y = weights_x.shape[1], weights_y.shape[1]
    for job in prange(channels * height):
        c, y = job // height, job % height
        line = out[c, y]
        # down the columns first: what is read lies side by side
        begin = first_x[0]
        row = np.zeros(first_x[width - 1] + taps_x - begin, np.float32)
        for j in range(taps_y):
            wy = weights_y[y, j]
            if wy == 0:
                continue
            source = planes[c, first_y[y] + j, begin : begin + len(row)]
            for x in range(len(row)):
                row[x] += wy * source[x]
        for x in range(width):
            weights, inside = weights_x[x], row[first_x[x] - begin : first_x[x] - begin + taps_x]
            total = np.float32(0)
            for i in range(taps_x):
                total += weights[i] * inside[i]
            line[x] = total


def reduce_box(planes: Float32, x: tuple[float, float], y: tuple[float, float], width: int, height: int) -> Float32:
    """The part x[0]..x[1], y[0]..y[1] of linear planes (c, h, w) as (c, height, width) by exact area averages.

    For views: fast, no ringing; edges may be fractional, so that every zoom shows the same place.
    """
    if (x, y) == ((0.0, float(width)), (0.0, float(height))) and planes.shape[1:] == (height, width):
        return planes
    first_x, weights_x = box_weights(*x, width, planes.shape[2])
    first_y, weights_y = box_weights(*y, height, planes.shape[1])
    weights_x, first_x = _within(weights_x, first_x, planes.shape[2])
    weights_y, first_y = _within(weights_y, first_y, planes.shape[1])
    out = np.empty((planes.shape[0], height, width), np.float32)
    _box(planes, first_x, weights_x, first_y, weights_y, out)
    return out


def _within(weights: Float32, first: NDArray[np.int32], source: int) -> tuple[Float32, NDArray[np.int32]]:
    """Drops taps when the source itself is narrower than the boxes have taps."""
    taps = min(weights.shape[1], source)
    return np.ascontiguousarray(weights[:, :taps]), np.clip(first, 0, source - taps).astype(np.int32)


def lanczos_weights(source: int, target: int, start: int = 0, stop: int | None = None) -> tuple[NDArray[np.int32], Float32]:
    """Taps of a separable Lanczos-3 reduction of ``source`` samples to ``target``, for outputs start..stop.

    Returns first source index (n,) and normalised weights (n, taps); indices are to be clipped to the source. The kernel
    is widened by the reduction factor (antialiased) and never narrower than three samples (Turkowski 1990).
    """
    stop = target if stop is None else stop
    step = source / target
    scale = max(step, 1.0)
    support = 3.0 * scale
    taps = int(np.ceil(support)) * 2 + 1
    centre = (np.arange(start, stop) + 0.5) * step - 0.5
    first = np.floor(centre - support).astype(np.int32) + 1
    t = (first[:, None] + np.arange(taps)[None] - centre[:, None]) / scale
    weights = np.where(np.abs(t) < 3, np.sinc(t) * np.sinc(t / 3), 0.0)
    return first, (weights / weights.sum(1, keepdims=True)).astype(np.float32)


@njit(parallel=True, nogil=True, cache=True, fastmath=True)
def _rows(planes, first, weights, out):
    channels, height, width = out.shape
    taps, last = weights.shape[1], planes.shape[2] - 1
    for job in prange(channels * height):
        c, y = job // height, job % height
        source, line = planes[c, y], out[c, y]
        for x in range(width):
            total = np.float32(0)
            for t in range(taps):
                total += weights[x, t] * source[min(max(first[x] + t, 0), last)]
            line[x] = total


@njit(parallel=True, nogil=True, cache=True, fastmath=True)
def _columns(planes, first, weights, out):
    channels, height, width = out.shape
    taps, last = weights.shape[1], planes.shape[1] - 1
    for job in prange(channels * height):
        c, y = job // height, job % height
        line = out[c, y]
        for x in range(width):
            line[x] = np.float32(0)
        for t in range(taps):
            w = weights[y, t]
            source = planes[c, min(max(first[y] + t, 0), last)]
            for x in range(width):
                line[x] += w * source[x]
        for x in range(width):
            line[x] = max(line[x], np.float32(0))


def lanczos_rows(planes: Float32, width: int) -> Float32:
    """(c, h, w) linear -> (c, h, width): the first half of a reduction, may be done strip by strip."""
    first, weights = lanczos_weights(planes.shape[2], width)
    out = np.empty((*planes.shape[:2], width), np.float32)
    _rows(planes, first, weights, out)
    return out


def lanczos_columns(planes: Float32, height: int) -> Float32:
    """(c, h, w) linear -> (c, height, w), not below zero: the second half of a reduction."""
    first, weights = lanczos_weights(planes.shape[1], height)
    out = np.empty((planes.shape[0], height, planes.shape[2]), np.float32)
    _columns(planes, first, weights, out)
    return out
