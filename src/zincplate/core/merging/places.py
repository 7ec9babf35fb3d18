"""Places of a whole picture in another one: a homography and a cubic field, worked out for millions of pixels."""

import numpy as np
from numba import njit, prange

from zincplate.core.kernels.kernel_math import stack_floats

CELL = 32
"""Pixels of a row whose ends say whether what lies between them is inside: nothing bends by a pixel in so many."""
DOUBT_ROWS, DOUBT_COLUMNS = 16, 64
"""Samples of a block of which it is known whether any is in doubt."""


@njit(inline="always", fastmath=True)
def _there(a, field, width, height, x, y):
    """The place of one pixel of the reference in the other picture."""
    u, v = 2 * (x - (width - 1) / 2) / width, 2 * (y - (height - 1) / 2) / width
    z = a[2, 0] * x + a[2, 1] * y + a[2, 2]
    there_x = (a[0, 0] * x + a[0, 1] * y + a[0, 2]) / z
    there_y = (a[1, 0] * x + a[1, 1] * y + a[1, 2]) / z
    for c in range(2):
        f = field[c]
        low = f[0] + u * (f[1] + u * (f[3] + u * f[6])) + v * (f[2] + v * (f[5] + v * f[9]))
        moved = low + u * v * (f[4] + u * f[7] + v * f[8])
        if c == 0:
            there_x += moved
        else:
            there_y += moved
    return there_x, there_y


@njit(parallel=True, nogil=True, cache=True)
def beyond(homography, field, width, height, left, top, other_width, other_height, trust):
    """Puts -1 into ``trust`` (rows, columns) of the reference's pixels from (left, top) on whose places lie beside the other
    picture; arguments as those of :func:`places`."""
    rows, columns = trust.shape
    most_x, most_y = other_width - 1, other_height - 1
    for i in prange(rows):
        y = float(top + i)
        line = trust[i]
        ax, ay = _there(homography, field, width, height, float(left), y)
        for start in range(0, columns, CELL):
            end = min(start + CELL, columns)
            bx, by = _there(homography, field, width, height, float(left + end), y)
            inside = (min(ax, bx) > 1) & (max(ax, bx) < most_x - 1) & (min(ay, by) > 1) & (max(ay, by) < most_y - 1)
            if not inside:
                for k in range(start, end):
                    px, py = _there(homography, field, width, height, float(left + k), y)
                    if (px < 0) | (py < 0) | (px > most_x) | (py > most_y):
                        line[k] = np.float32(-1)
            ax, ay = bx, by


@njit(inline="always")
def _block(place, size, of):
    """The block of so many samples that the one at a place lies in, kept within them all."""
    return min(max(np.int64(place), 0), size - 1) // of


@njit(parallel=True, nogil=True, cache=True)
def carried_trust(own, x0, y0, homography, field, width, height, left, top, out):
    """Trust of the reference's pixels from (left, top) on, ``out`` (rows, columns), by that of the other picture's samples from
    (``x0``, ``y0``) on, ``own`` (h, w), read between them and going on at its edges; the others as those of :func:`places`.

    Mostly nothing near is in doubt: that is known for blocks of samples. Places between the ends of a cell lie on a line."""
    h, w = own.shape
    rows, columns = out.shape
    down, across = (h + DOUBT_ROWS - 1) // DOUBT_ROWS, (w + DOUBT_COLUMNS - 1) // DOUBT_COLUMNS
    doubtful, flat = np.zeros((down, across), np.uint8), own.reshape(-1)
    zero, right, lower, across_one = np.float32(0), np.float32(w - 1), np.float32(h - 1), np.int32(w)
    for r in prange(down):
        for row in range(r * DOUBT_ROWS, min(np.int64(r) * DOUBT_ROWS + DOUBT_ROWS, h)):
            for c in range(across):
                part = own[row, c * DOUBT_COLUMNS : min((c + 1) * DOUBT_COLUMNS, w)]
                less = np.int32(0)
                for x in range(len(part)):
                    less += np.int32(part[x] < np.float32(1))
                if less > 0:
                    doubtful[r, c] = 1
    for i in prange(rows):
        y, found = float(top + i), stack_floats()
        line = out[i]
        ax, ay = _there(homography, field, width, height, float(left), y)
        for start in range(0, columns, CELL):
            n = min(CELL, columns - start)
            bx, by = _there(homography, field, width, height, float(left + start + n), y)
            first_c, last_c = _block(min(ax, bx) - x0 - 1, w, DOUBT_COLUMNS), _block(max(ax, bx) - x0 + 2, w, DOUBT_COLUMNS)
            first_r, last_r = _block(min(ay, by) - y0 - 1, h, DOUBT_ROWS), _block(max(ay, by) - y0 + 2, h, DOUBT_ROWS)
            doubt = False
            for r in range(first_r, last_r + 1):
                for c in range(first_c, last_c + 1):
                    doubt |= doubtful[r, c] != 0
            target = line[start : start + n]
            if doubt:
                step_x, step_y = np.float32((bx - ax) / n), np.float32((by - ay) / n)
                at_x, at_y = np.float32(ax - x0), np.float32(ay - y0)
                for k in range(n):
                    px = min(max(at_x + step_x * np.float32(k), zero), right)
                    py = min(max(at_y + step_y * np.float32(k), zero), lower)
                    ix, iy = np.int32(px), np.int32(py)
                    tx, ty = px - np.float32(ix), py - np.float32(iy)
                    first = iy * across_one + ix
                    beside = np.int32(tx > zero)
                    under = np.int32(ty > zero) * across_one
                    a, b = flat[np.uint32(first)], flat[np.uint32(first + beside)]
                    c, d = flat[np.uint32(first + under)], flat[np.uint32(first + under + beside)]
                    above = a + (b - a) * tx
                    found[k] = above + (c + (d - c) * tx - above) * ty
                for k in range(n):
                    target[k] = found[k]
            else:
                for k in range(n):
                    target[k] = np.float32(1)
            ax, ay = bx, by


@njit(parallel=True, cache=True)
def places(homography, field, width, height, first_x, first_y, step, out_x, out_y):
    """Places (rows, columns), float32, of pixels whose middles lie at ``first + step * index`` in the reference of ``width`` x
    ``height`` pixels; given in the same reduced pixels of the other picture. ``field`` (2, 10) is zero where there is none."""
    rows, columns = out_x.shape
    for i in prange(rows):
        y = first_y + step * i
        for k in range(columns):
            there_x, there_y = _there(homography, field, width, height, first_x + step * k, y)
            out_x[i, k] = np.float32((there_x - first_x) / step)
            out_y[i, k] = np.float32((there_y - first_y) / step)
