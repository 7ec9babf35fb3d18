"""Poisson's equation on any set of pixels: what healing and filling lay between a border and its inside.

For every pixel p of the inside, with its neighbours q to the left, right, above and below (those the picture has):

    sum over q of (u(p) - u(q)) = right(p)

where u is given outside. Right sides of zero give the membrane of Perez, Gangnet & Blake, "Poisson image editing", SIGGRAPH
2003 (equation 2); others put gradients together. Solved by multigrid: sweeps of Jacobi on cells of twice the size each,
sums of four residuals down, bilinear corrections up (Briggs, Henson & McCormick, "A Multigrid Tutorial", 2nd edition,
chapters 2 to 4), every correction stretched by what it does best (the energy's line minimum), so that borders which coarse
cells meet badly never make it diverge.
"""

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL
from zincplate.core.repair.multigrid_rows import ROW, down_row, fit_row, residual_row, sweep_row, up_row

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]

CLOSE = 5e-6
"""Largest residual that is left, as a share of the range of what is given."""
MOST_CYCLES = 40
SMOOTHER = 0.3
ROUGHLY = 1e-3
"""Where that much may be left, one cycle on top of the answer at half the size is enough."""
_NESTED = 4000
"""Pixels of an inside from which the answer at half the size comes first."""
SMALLEST = 3
_LAST_SWEEPS = 12
SERIAL = 3_000
"""Values up to which one thread is faster than two."""
WEIGHTS = tuple(np.float32(1 / (1.25 + 0.75 * math.cos((2 * k - 1) * math.pi / 8))) for k in (1, 2, 3, 4))[::-1]
"""Of four sweeps of Jacobi that take away the most of what is finer than coarse cells: Chebyshev's for eigenvalues of 0.5
to 2 (Saad, "Iterative Methods for Sparse Linear Systems", 2nd edition, section 12.3). Gauss and Seidel's cannot read whole rows
at once."""


@njit(**KERNEL)
def _sweep_all(u, right, inside, weight, out):
    channels, h, _ = u.shape
    for job in prange(channels * h):
        c, y = job // h, job % h
        sweep_row(u[c], right[c], inside, weight, out[c], y)


@njit(**KERNEL)
def _residual_all(u, right, inside, out, worst):
    channels, h, _ = u.shape
    for job in prange(channels * h):
        c, y = job // h, job % h
        worst[c, y] = residual_row(u[c], right[c], inside, out[c], y)


@njit(**KERNEL)
def _down_all(fine, coarse):
    channels, h, _ = coarse.shape
    for job in prange(channels * h):
        down_row(fine[job // h], coarse[job // h], job % h)


@njit(**KERNEL)
def _up_all(coarse, inside, out):
    channels, h, _ = out.shape
    for job in prange(channels * h):
        up_row(coarse[job // h], inside, out[job // h], job % h, True)


@njit(**KERNEL)
def _fit_all(step, residual, inside, sums):
    channels, h, _ = step.shape
    for job in prange(channels * h):
        c, y = job // h, job % h
        sums[c, y, 0], sums[c, y, 1] = fit_row(step[c], residual[c], inside, y)


@njit(**KERNEL)
def _add_all(u, step, shares):
    channels, h, w = u.shape
    for job in prange(channels * h):
        c, y = job // h, job % h
        share, line, more = shares[c], u[c, y], step[c, y]
        for x in range(w):
            line[x] += share * more[x]


@njit(**ROW)
def _swept_all(u, right, inside, spare, times):
    """Sweeps, in place; ``spare`` is memory of the same shape."""
    channels, h, w = u.shape
    for _ in range(times):
        for k in range(len(WEIGHTS)):
            a, b = (u, spare) if k % 2 == 0 else (spare, u)
            if channels * h * w < SERIAL:
                for c in range(channels):
                    for y in range(h):
                        sweep_row(a[c], right[c], inside, WEIGHTS[k], b[c], y)
            else:
                _sweep_all(a, right, inside, WEIGHTS[k], b)


@njit(**ROW)
def _residuals(u, right, inside, out, worst):
    channels, h, w = u.shape
    if channels * h * w < SERIAL:
        for c in range(channels):
            for y in range(h):
                worst[c, y] = residual_row(u[c], right[c], inside, out[c], y)
    else:
        _residual_all(u, right, inside, out, worst)


@njit(**ROW)
def _corrected(u, coarse, residual, inside, step, sums):
    """Adds the share of a coarser answer that lowers the energy most."""
    channels, h, w = u.shape
    if channels * h * w < SERIAL:
        for c in range(channels):
            for y in range(h):
                up_row(coarse[c], inside, step[c], y, True)
            for y in range(h):
                sums[c, y, 0], sums[c, y, 1] = fit_row(step[c], residual[c], inside, y)
    else:
        _up_all(coarse, inside, step)
        _fit_all(step, residual, inside, sums)
    shares = np.zeros(channels, np.float32)
    for c in range(channels):
        along, across = 0.0, 0.0
        for y in range(h):
            along += sums[c, y, 0]
            across += sums[c, y, 1]
        if along > 0 and across > 0:
            shares[c] = min(along / across, 4.0)
    if channels * h * w < SERIAL:
        for c in range(channels):
            for y in range(h):
                for x in range(w):
                    u[c, y, x] += shares[c] * step[c, y, x]
    else:
        _add_all(u, step, shares)


@njit(nogil=True, cache=True, error_model="numpy")
def _coarser(inside):
    """Cells of which every pixel lies inside."""
    h, w = inside.shape
    out = np.zeros(((h + 1) // 2, (w + 1) // 2), np.bool_)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            every = True
            for j in range(2 * y, min(2 * y + 2, h)):
                for i in range(2 * x, min(2 * x + 2, w)):
                    every = every and inside[j, i]
            out[y, x] = every
    return out


@njit(nogil=True, cache=True, error_model="numpy")
def _solve(u, right, insides, shapes, close, most):
    """All sizes of cells lie one after the other in flat memory; ``shapes`` (n, 3) says where each begins and its rows and
    columns."""
    levels, channels = len(shapes), len(u)
    room = channels * insides.size
    us, rights = np.zeros(room, np.float32), np.zeros(room, np.float32)
    residuals, steps = np.empty(room, np.float32), np.empty(room, np.float32)
    whole = channels * u.shape[1] * u.shape[2]
    us[:whole], rights[:whole] = u.ravel(), right.ravel()
    sums, worst = np.empty((channels, u.shape[1], 2), np.float32), np.empty((channels, u.shape[1]), np.float32)
    for _ in range(most):
        for level in range(levels):
            start, h, w = shapes[level]
            a, b = channels * start, channels * (start + h * w)
            one, side = us[a:b].reshape(channels, h, w), rights[a:b].reshape(channels, h, w)
            inside, rest = insides[start : start + h * w].reshape(h, w), residuals[a:b].reshape(channels, h, w)
            spare = steps[a:b].reshape(channels, h, w)
            _swept_all(one, side, inside, spare, _LAST_SWEEPS if level == levels - 1 else 1)
            if level < levels - 1:
                _residuals(one, side, inside, rest, worst)
                start, h, w = shapes[level + 1]
                a, b = channels * start, channels * (start + h * w)
                _down_all(rest, rights[a:b].reshape(channels, h, w))
                us[a:b] = 0
        for level in range(levels - 2, -1, -1):
            start, h, w = shapes[level]
            a, b = channels * start, channels * (start + h * w)
            one, side = us[a:b].reshape(channels, h, w), rights[a:b].reshape(channels, h, w)
            inside, rest = insides[start : start + h * w].reshape(h, w), residuals[a:b].reshape(channels, h, w)
            step = steps[a:b].reshape(channels, h, w)
            start, h, w = shapes[level + 1]
            a, b = channels * start, channels * (start + h * w)
            _corrected(one, us[a:b].reshape(channels, h, w), rest, inside, step, sums)
            _swept_all(one, side, inside, step, 1)
        start, h, w = shapes[0]
        one, side = us[:whole].reshape(channels, h, w), rights[:whole].reshape(channels, h, w)
        _residuals(one, side, insides[: h * w].reshape(h, w), residuals[:whole].reshape(channels, h, w), worst)
        near = True
        for c in range(channels):
            for y in range(h):
                near = near and worst[c, y] <= close[c]
        if near:
            break
    u[:] = us[:whole].reshape(u.shape)


def _sizes(inside: Bool) -> tuple[Bool, NDArray[np.int64]]:
    """The inside at every size of cells, in flat memory."""
    found = [inside]
    while min(found[-1].shape) > SMALLEST and found[-1].any():
        found.append(_coarser(found[-1]))
    starts = np.cumsum([0, *(f.size for f in found[:-1])])
    shapes = np.array([(start, *f.shape) for start, f in zip(starts, found, strict=True)], np.int64)
    return np.concatenate([f.ravel() for f in found]), shapes


@njit(**KERNEL)
def _rows_told(u, inside, told):
    """For every row of every plane the least and the most outside, and their sum; how many there are."""
    channels, h, w = u.shape
    for job in prange(channels * h):
        c, y = job // h, job % h
        line, mask = u[c, y], inside[y]
        low, high, total, count = np.float32(3e38), np.float32(-3e38), 0.0, 0
        for x in range(w):
            if not mask[x]:
                low, high = min(low, line[x]), max(high, line[x])
                total += line[x]
                count += 1
        told[c, y, 0], told[c, y, 1], told[c, y, 2], told[c, y, 3] = low, high, total, count


@njit(**KERNEL)
def _halved(u, inside, small, unknown):
    """Means of what is outside in cells of four, and which cells have nothing of it."""
    channels, h, w = u.shape
    rows, columns = unknown.shape
    for y in prange(rows):
        for x in range(columns):
            count = 0
            for j in range(2 * y, min(2 * y + 2, h)):
                for i in range(2 * x, min(2 * x + 2, w)):
                    count += 0 if inside[j, i] else 1
            unknown[y, x] = count == 0
            for c in range(channels):
                total = np.float32(0)
                for j in range(2 * y, min(2 * y + 2, h)):
                    for i in range(2 * x, min(2 * x + 2, w)):
                        total += np.float32(0) if inside[j, i] else u[c, j, i]
                small[c, y, x] = total / np.float32(max(count, 1))


@njit(**KERNEL)
def _begun(small, inside, u):
    channels, h, _ = u.shape
    for job in prange(channels * h):
        up_row(small[job // h], inside, u[job // h], job % h, False)


def poisson(given: Float32, inside: Bool, right: Float32 | None = None, close: float = CLOSE) -> Float32:
    """Planes (n, h, w) that are ``given`` outside and solve the equation inside (h, w); ``right`` (n, h, w) is zero when left
    out.

    ``close`` is the largest residual that may be left, as a share of the range of what is given. Where the picture has no
    outside at all the answer is known but for a constant: it keeps the mean that was given.
    """
    u = np.array(given, np.float32, order="C")
    inside = np.ascontiguousarray(inside)
    told = np.empty((*u.shape[:2], 4))
    _rows_told(u, inside, told)
    outside = int(told[0, :, 3].sum())
    if outside == inside.size:
        return u
    ranges, means = np.ones(len(u)), u.mean((1, 2))
    if outside:
        ranges, means = told[:, :, 1].max(1) - told[:, :, 0].min(1), told[:, :, 2].sum(1) / outside
    cycles = MOST_CYCLES
    if right is None and outside and inside.size - outside > _NESTED:
        small = np.empty((len(u), (inside.shape[0] + 1) // 2, (inside.shape[1] + 1) // 2), np.float32)
        unknown = np.empty(small.shape[1:], np.bool_)
        _halved(u, inside, small, unknown)
        _begun(poisson(small, unknown, None, max(close, 1e-3)), inside, u)
        cycles = 1 if close > ROUGHLY else MOST_CYCLES
    else:
        for plane, mean in zip(u, means, strict=True):
            plane[inside] = mean
    sides = np.zeros_like(u) if right is None else np.ascontiguousarray(right, np.float32)
    if right is not None:
        # begun from nothing: what is left is smoother, and residuals show less of it
        ranges = SMOOTHER * np.maximum(ranges, np.abs(sides).reshape(len(u), -1).max(1))
    insides, shapes = _sizes(inside)
    _solve(u, sides, insides, shapes, (close * np.maximum(ranges, 1e-9)).astype(np.float32), cycles)
    if not outside:  # sweeps let the constant drift
        u += given.mean((1, 2), keepdims=True) - u.mean((1, 2), keepdims=True)
    return u
