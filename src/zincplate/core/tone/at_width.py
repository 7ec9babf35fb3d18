"""Rows of small planes at a window's width, for compiled kernels that go through its rows in order.

A small plane is read between its samples: first along its own rows, which one row of it needs once for all rows of the window
that lie beside it, then between two of them. Two rows are held, the even ones in one place and the odd ones in the other.
"""

import numpy as np
from numba import njit

from zincplate.core.kernels.kernel_math import INLINE, load

ROWS = 16
"""Of a window that one processor goes through in order."""


@njit(**INLINE)
def columns_at(x0, step, low_width, columns, shares, width):
    """Where samples of a window that begins at ``x0`` lie on a small plane: the column before each, and the share of the next."""
    for x in range(width):
        u = (np.float32(x0 + x) + np.float32(0.5)) * step - np.float32(0.5)
        u = min(max(u, np.float32(0)), np.float32(low_width - 1))
        columns[x] = np.int32(u)
        shares[x] = u - np.float32(columns[x])


@njit(**INLINE)
def place_at(y, step, low_height):
    """The rows of a small plane before and behind row ``y`` of the whole, and the share of the one behind."""
    v = (np.float32(y) + np.float32(0.5)) * step - np.float32(0.5)
    v = min(max(v, np.float32(0)), np.float32(low_height - 1))
    j = np.int32(v)
    return j, min(np.int32(j + 1), np.int32(low_height - 1)), v - np.float32(j)


@njit(**INLINE)
def held_at(planes, first, last, j, held, wide, columns, shares, row, width):
    """Row ``j`` of the small planes (n, lh, lw) from ``first`` to before ``last`` at full width in ``wide[j & 1]`` (n, width), if
    ``held`` (2,) does not say that it is there; ``row`` (lw + 1,) is for work."""
    if held[j & 1] != j:
        held[j & 1] = j
        for n in range(first, last):
            out = wide[j & 1, n]
            for x in range(planes.shape[2]):
                row[x] = planes[n, j, x]
            for x in range(width):
                i = columns[x]
                a = load(row, i)
                out[x] = a + (load(row, np.int32(i + np.int32(1))) - a) * shares[x]
