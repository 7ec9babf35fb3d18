"""Places of a whole picture in another one: a homography and a cubic field, worked out for millions of pixels."""

import numpy as np
from numba import njit, prange


@njit(parallel=True, cache=True)
def places(homography, field, width, height, first_x, first_y, step, out_x, out_y):
    """Places (rows, columns), float32, of pixels whose middles lie at ``first + step * index`` in the reference of ``width`` x
    ``height`` pixels; given in the same reduced pixels of the other picture. ``field`` (2, 10) is zero where there is none."""
    rows, columns = out_x.shape
    a = homography
    for i in prange(rows):
        y = first_y + step * i
        v = 2 * (y - (height - 1) / 2) / width
        for k in range(columns):
            x = first_x + step * k
            z = a[2, 0] * x + a[2, 1] * y + a[2, 2]
            there_x = (a[0, 0] * x + a[0, 1] * y + a[0, 2]) / z
            there_y = (a[1, 0] * x + a[1, 1] * y + a[1, 2]) / z
            u = 2 * (x - (width - 1) / 2) / width
            for c in range(2):
                f = field[c]
                low = f[0] + u * (f[1] + u * (f[3] + u * f[6])) + v * (f[2] + v * (f[5] + v * f[9]))
                moved = low + u * v * (f[4] + u * f[7] + v * f[8])
                if c == 0:
                    there_x += moved
                else:
                    there_y += moved
            out_x[i, k] = np.float32((there_x - first_x) / step)
            out_y[i, k] = np.float32((there_y - first_y) / step)
