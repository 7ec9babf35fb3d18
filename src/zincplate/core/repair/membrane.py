"""Poisson's equation on any set of pixels: what healing and filling lay between a border and its inside.

For every pixel p of the inside, with its neighbours q to the left, right, above and below (those the picture has):

    sum over q of (u(p) - u(q)) = right(p)

where u is given outside. Right sides of zero give the membrane of Perez, Gangnet & Blake, "Poisson image editing", SIGGRAPH
2003 (equation 2); others put gradients together. Solved by multigrid: red-black Gauss-Seidel on cells of twice the size each,
sums of four residuals down, bilinear corrections up (Briggs, Henson & McCormick, "A Multigrid Tutorial", 2nd edition,
chapters 2 to 4), every correction stretched by what it does best (the energy's line minimum), so that borders which coarse
cells meet badly never make it diverge.
"""

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import INLINE, KERNEL

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]

CLOSE = 5e-6
"""Largest residual that is left, as a share of the range of what is given."""
MOST_CYCLES = 40
ROUGHLY = 1e-3
"""Where that much may be left, one cycle on top of the answer at half the size is enough."""
_NESTED = 4000
"""Pixels of an inside from which the answer at half the size comes first."""
SMALLEST = 3
_LAST_SWEEPS = 24


@njit(**INLINE)
def _around(u, y, x):
    """Sum of a pixel's neighbours, and how many the picture has."""
    h, w = u.shape
    total, count = np.float32(0), np.float32(0)
    if y > 0:
        total += u[y - 1, x]
        count += np.float32(1)
    if y < h - 1:
        total += u[y + 1, x]
        count += np.float32(1)
    if x > 0:
        total += u[y, x - 1]
        count += np.float32(1)
    if x < w - 1:
        total += u[y, x + 1]
        count += np.float32(1)
    return total, count


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def _sweep(u, right, inside, colour):
    h, w = u.shape
    for y in range(h):
        first = (y + colour) & 1
        if 0 < y < h - 1:
            if first == 0 and inside[y, 0]:
                total, count = _around(u, y, 0)
                u[y, 0] = (right[y, 0] + total) / count
            here, above, below = u[y], u[y - 1], u[y + 1]
            side, mask = right[y], inside[y]
            last = w - 1
            for x in range(first if first else 2, last, 2):
                old = here[x]
                new = np.float32(0.25) * (side[x] + here[x - 1] + here[x + 1] + above[x] + below[x])
                here[x] = new if mask[x] else old
            if (last & 1) == first and last > 0 and inside[y, last]:
                total, count = _around(u, y, last)
                u[y, last] = (right[y, last] + total) / count
        else:
            for x in range(first, w, 2):
                if inside[y, x]:
                    total, count = _around(u, y, x)
                    if count > 0:
                        u[y, x] = (right[y, x] + total) / count


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def _left_side(u, inside, out):
    """The left side of the equation everywhere inside, 0 outside."""
    h, w = u.shape
    for y in range(h):
        if 0 < y < h - 1:
            here, above, below, mask, row = u[y], u[y - 1], u[y + 1], inside[y], out[y]
            for x in range(1, w - 1):
                v = np.float32(4) * here[x] - here[x - 1] - here[x + 1] - above[x] - below[x]
                row[x] = v if mask[x] else np.float32(0)
            for x in (0, w - 1):
                total, count = _around(u, y, x)
                row[x] = count * u[y, x] - total if mask[x] else np.float32(0)
        else:
            for x in range(w):
                total, count = _around(u, y, x)
                out[y, x] = count * u[y, x] - total if inside[y, x] else np.float32(0)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def _residual(u, right, inside, out):
    _left_side(u, inside, out)
    worst = np.float32(0)
    h, w = u.shape
    for y in range(h):
        row, side, mask = out[y], right[y], inside[y]
        for x in range(w):
            r = side[x] - row[x] if mask[x] else np.float32(0)
            row[x] = r
            worst = max(worst, abs(r))
    return worst


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def _down(fine, coarse):
    ch, cw = coarse.shape
    h, w = fine.shape
    for y in range(ch):
        for x in range(cw):
            total = np.float32(0)
            for j in range(2 * y, min(2 * y + 2, h)):
                for i in range(2 * x, min(2 * x + 2, w)):
                    total += fine[j, i]
            coarse[y, x] = total


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def _up(coarse, inside, out):
    """Bilinear between the middles of coarse cells."""
    ch, cw = coarse.shape
    h, w = out.shape
    for y in range(h):
        near_y = y >> 1
        far_y = min(max(near_y + (1 if y & 1 else -1), 0), ch - 1)
        for x in range(w):
            v = np.float32(0)
            if inside[y, x]:
                near_x = x >> 1
                far_x = min(max(near_x + (1 if x & 1 else -1), 0), cw - 1)
                v = (
                    np.float32(0.5625) * coarse[near_y, near_x]
                    + np.float32(0.1875) * (coarse[near_y, far_x] + coarse[far_y, near_x])
                    + np.float32(0.0625) * coarse[far_y, far_x]
                )
            out[y, x] = v


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def _correct(u, step, residual, inside, scratch):
    """Adds the share of a correction that lowers the energy most."""
    _left_side(step, inside, scratch)
    along, across = np.float32(0), np.float32(0)
    h, w = u.shape
    for y in range(h):
        s, r, a = step[y], residual[y], scratch[y]
        for x in range(w):
            along += s[x] * r[x]
            across += s[x] * a[x]
    if across <= 0 or along <= 0:
        return
    share = min(along / across, np.float32(4))
    for y in range(h):
        for x in range(w):
            u[y, x] += share * step[y, x]


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
    levels = len(shapes)
    room = insides.size
    us, rights = np.zeros(room, np.float32), np.zeros(room, np.float32)
    residuals, steps = np.empty(room, np.float32), np.empty(room, np.float32)
    scratch = np.empty(room, np.float32)
    first = u.size
    us[:first], rights[:first] = u.ravel(), right.ravel()
    for _ in range(most):
        for level in range(levels):
            start, h, w = shapes[level]
            end = start + h * w
            one, side = us[start:end].reshape(h, w), rights[start:end].reshape(h, w)
            inside, rest = insides[start:end].reshape(h, w), residuals[start:end].reshape(h, w)
            for _ in range(_LAST_SWEEPS if level == levels - 1 else 2):
                _sweep(one, side, inside, 0)
                _sweep(one, side, inside, 1)
            if level < levels - 1:
                _residual(one, side, inside, rest)
                start, h, w = shapes[level + 1]
                _down(rest, rights[start : start + h * w].reshape(h, w))
                us[start : start + h * w] = 0
        for level in range(levels - 2, -1, -1):
            start, h, w = shapes[level]
            end = start + h * w
            one, side = us[start:end].reshape(h, w), rights[start:end].reshape(h, w)
            inside, rest = insides[start:end].reshape(h, w), residuals[start:end].reshape(h, w)
            step, free = steps[start:end].reshape(h, w), scratch[start:end].reshape(h, w)
            start, h, w = shapes[level + 1]
            _up(us[start : start + h * w].reshape(h, w), inside, step)
            _correct(one, step, rest, inside, free)
            for _ in range(2):
                _sweep(one, side, inside, 1)
                _sweep(one, side, inside, 0)
        h, w = u.shape
        one, side = us[:first].reshape(h, w), rights[:first].reshape(h, w)
        if _residual(one, side, insides[:first].reshape(h, w), residuals[:first].reshape(h, w)) <= close:
            break
    u[:] = us[:first].reshape(u.shape)


@njit(**KERNEL)
def _solve_all(u, right, insides, shapes, close, most):
    for c in prange(u.shape[0]):
        _solve(u[c], right[c], insides, shapes, close[c], most)


def _sizes(inside: Bool) -> tuple[Bool, NDArray[np.int64]]:
    """The inside at every size of cells, in flat memory."""
    found = [inside]
    while min(found[-1].shape) > SMALLEST and found[-1].any():
        found.append(_coarser(found[-1]))
    starts = np.cumsum([0, *(f.size for f in found[:-1])])
    shapes = np.array([(start, *f.shape) for start, f in zip(starts, found, strict=True)], np.int64)
    return np.concatenate([f.ravel() for f in found]), shapes


def poisson(given: Float32, inside: Bool, right: Float32 | None = None, close: float = CLOSE) -> Float32:
    """Planes (n, h, w) that are ``given`` outside and solve the equation inside (h, w); ``right`` (n, h, w) is zero when left
    out.

    ``close`` is the largest residual that may be left, as a share of the range of what is given. Where the picture has no
    outside at all the answer is known but for a constant: it keeps the mean that was given.
    """
    u = np.array(given, np.float32, order="C")
    if not inside.any():
        return u
    outside = ~inside
    ranges = np.array([np.ptp(p[outside]) if outside.any() else 1.0 for p in u])
    cycles = MOST_CYCLES
    if right is None and outside.any() and inside.sum() > _NESTED:
        _begin_with_smaller(u, inside, close)
        cycles = 1 if close > ROUGHLY else MOST_CYCLES
    else:
        for plane in u:
            plane[inside] = plane[outside].mean() if outside.any() else plane.mean()
    sides = np.zeros_like(u) if right is None else np.ascontiguousarray(right, np.float32)
    ranges = np.maximum(ranges, np.abs(sides).reshape(len(u), -1).max(1))
    insides, shapes = _sizes(np.ascontiguousarray(inside))
    _solve_all(u, sides, insides, shapes, (close * np.maximum(ranges, 1e-9)).astype(np.float32), cycles)
    if not outside.any():  # sweeps let the constant drift
        u += given.mean((1, 2), keepdims=True) - u.mean((1, 2), keepdims=True)
    return u


def _begin_with_smaller(u: Float32, inside: Bool, close: float) -> None:
    """Fills the inside, in place, with the answer at half the size."""
    h, w = inside.shape
    odd = ((0, h % 2), (0, w % 2))
    known = np.pad((~inside).astype(np.float32), odd)
    cells = known.reshape(known.shape[0] // 2, 2, -1, 2).sum((1, 3))
    padded = (np.pad(u, ((0, 0), *odd)) * known).reshape(len(u), known.shape[0] // 2, 2, -1, 2).sum((2, 4))
    small = poisson((padded / np.maximum(cells, 1)).astype(np.float32), cells == 0, None, max(close, 1e-3))
    for plane, one in zip(u, small, strict=True):
        plane[inside] = cv2.resize(one, (2 * one.shape[1], 2 * one.shape[0]), interpolation=cv2.INTER_LINEAR)[:h, :w][inside]
