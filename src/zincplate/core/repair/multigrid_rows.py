"""Single rows of what :mod:`zincplate.core.repair.membrane` does with Poisson's equation at one size of cells.

``u`` and ``right`` (h, w) float32 are the answer so far and the right side, ``inside`` (h, w) where it is looked for.
"""

import numpy as np
from numba import njit

from zincplate.core.kernels.kernel_math import INLINE

ROW = {"nogil": True, "cache": True, "fastmath": True, "error_model": "numpy"}


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


@njit(**INLINE)
def _left_of(u, y, x):
    """The left side of the equation at a place."""
    total, count = _around(u, y, x)
    return count * u[y, x] - total


@njit(**ROW)
def sweep_row(u, right, inside, weight, out, y):
    """One row of a sweep: every place moved by so much of what its neighbours ask for."""
    h, w = u.shape
    here, side, mask, line = u[y], right[y], inside[y], out[y]
    first, last = (1, w - 1) if 0 < y < h - 1 else (w, w)
    if last > first:
        above, below = u[y - 1], u[y + 1]
        for x in range(first, last):
            old = here[x]
            new = np.float32(0.25) * (side[x] + here[x - 1] + here[x + 1] + above[x] + below[x])
            line[x] = old + weight * (new - old) if mask[x] else old
    for x in range(w):
        if first <= x < last:
            break
        line[x] = _swept(u, right, inside, weight, y, x)
    if last > first:
        line[w - 1] = _swept(u, right, inside, weight, y, w - 1)


@njit(**INLINE)
def _swept(u, right, inside, weight, y, x):
    if not inside[y, x]:
        return u[y, x]
    total, count = _around(u, y, x)
    return u[y, x] + weight * ((right[y, x] + total) / max(count, np.float32(1)) - u[y, x])


@njit(**ROW)
def residual_row(u, right, inside, out, y):
    """What is missing of the equation in a row; the largest of it."""
    h, w = u.shape
    here, side, mask, line = u[y], right[y], inside[y], out[y]
    worst = np.float32(0)
    if 0 < y < h - 1 and w > 2:
        above, below = u[y - 1], u[y + 1]
        for x in range(1, w - 1):
            r = side[x] - (np.float32(4) * here[x] - here[x - 1] - here[x + 1] - above[x] - below[x])
            line[x] = r if mask[x] else np.float32(0)
        for x in (0, w - 1):
            line[x] = side[x] - _left_of(u, y, x) if mask[x] else np.float32(0)
    else:
        for x in range(w):
            line[x] = side[x] - _left_of(u, y, x) if mask[x] else np.float32(0)
    for x in range(w):
        r = abs(line[x])
        worst = r if r > worst else worst
    return worst


@njit(**ROW)
def down_row(fine, coarse, y):
    """Sums of four."""
    h, w = fine.shape
    upper, line = fine[2 * y], coarse[y]
    pairs = w // 2
    if 2 * y + 1 < h:
        lower = fine[2 * y + 1]
        for x in range(pairs):
            line[x] = upper[2 * x] + upper[2 * x + 1] + lower[2 * x] + lower[2 * x + 1]
        if w & 1:
            line[pairs] = upper[w - 1] + lower[w - 1]
    else:
        for x in range(pairs):
            line[x] = upper[2 * x] + upper[2 * x + 1]
        if w & 1:
            line[pairs] = upper[w - 1]


@njit(**ROW)
def up_row(coarse, inside, out, y, clear):
    """Bilinear between the middles of coarse cells; what is not inside is cleared or left."""
    ch, cw = coarse.shape
    w = out.shape[1]
    far_y = min(max((y >> 1) + (1 if y & 1 else -1), 0), ch - 1)
    near, far, mask, line = coarse[y >> 1], coarse[far_y], inside[y], out[y]
    most, least = np.float32(0.75), np.float32(0.25)
    now = most * near[0] + least * far[0]
    before = now
    for x in range(cw):
        after = now
        if x + 1 < cw:
            after = most * near[x + 1] + least * far[x + 1]
        if mask[2 * x]:
            line[2 * x] = most * now + least * before
        elif clear:
            line[2 * x] = np.float32(0)
        if 2 * x + 1 < w:
            if mask[2 * x + 1]:
                line[2 * x + 1] = most * now + least * after
            elif clear:
                line[2 * x + 1] = np.float32(0)
        before, now = now, after


@njit(**ROW)
def fit_row(step, residual, inside, y):
    """A row's share of what a correction gains, and of what it costs."""
    h, w = step.shape
    here, rest, mask = step[y], residual[y], inside[y]
    along, across = np.float32(0), np.float32(0)
    if 0 < y < h - 1 and w > 2:
        above, below = step[y - 1], step[y + 1]
        for x in range(1, w - 1):
            v = np.float32(4) * here[x] - here[x - 1] - here[x + 1] - above[x] - below[x]
            along += here[x] * rest[x]
            across += here[x] * v if mask[x] else np.float32(0)
        for x in (0, w - 1):
            along += here[x] * rest[x]
            across += here[x] * _left_of(step, y, x) if mask[x] else np.float32(0)
    else:
        for x in range(w):
            along += here[x] * rest[x]
            across += here[x] * _left_of(step, y, x) if mask[x] else np.float32(0)
    return along, across
