"""Places of a whole picture in another one: a homography and a cubic field, worked out for millions of pixels."""

import numpy as np
from numba import njit, prange

CELL = 32
"""Pixels of a row whose ends say whether what lies between them is inside: nothing bends by a pixel in so many."""


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
