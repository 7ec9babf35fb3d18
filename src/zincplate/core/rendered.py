"""Rendered pictures (interleaved, encoded) -> linear planes in the working space, whole windows or averaged blocks."""

import numpy as np
from numba import njit, prange

_KERNEL = {"parallel": True, "fastmath": True, "nogil": True, "cache": True}


@njit(**_KERNEL)
def window_from_codes(pixels, y0, x0, table, matrix, out):
    """Whole-number codes (h, w, 3) -> (3, rows, columns) linear; ``table`` (3, levels), ``matrix`` 3x3 float32."""
    _, rows, columns = out.shape
    for y in prange(rows):
        for x in range(columns):
            r = table[0, pixels[y0 + y, x0 + x, 0]]
            g = table[1, pixels[y0 + y, x0 + x, 1]]
            b = table[2, pixels[y0 + y, x0 + x, 2]]
            out[0, y, x] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
            out[1, y, x] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
            out[2, y, x] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b


@njit(**_KERNEL)
def window_from_linear(pixels, y0, x0, matrix, out):
    """The same for float32 pixels that are already linear."""
    _, rows, columns = out.shape
    for y in prange(rows):
        for x in range(columns):
            r, g, b = pixels[y0 + y, x0 + x, 0], pixels[y0 + y, x0 + x, 1], pixels[y0 + y, x0 + x, 2]
            out[0, y, x] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
            out[1, y, x] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
            out[2, y, x] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b


@njit(**_KERNEL)
def bin_codes(pixels, k, table, matrix, out):
    """Averages k x k pixels in linear light; blocks at the far edges average what there is."""
    _, rows, columns = out.shape
    height, width, _ = pixels.shape
    for y in prange(rows):
        for x in range(columns):
            r, g, b = np.float32(0), np.float32(0), np.float32(0)
            y1, x1 = min((y + 1) * k, height), min((x + 1) * k, width)
            for yy in range(y * k, y1):
                for xx in range(x * k, x1):
                    r += table[0, pixels[yy, xx, 0]]
                    g += table[1, pixels[yy, xx, 1]]
                    b += table[2, pixels[yy, xx, 2]]
            n = np.float32(1) / np.float32((y1 - y * k) * (x1 - x * k))
            r, g, b = r * n, g * n, b * n
            out[0, y, x] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
            out[1, y, x] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
            out[2, y, x] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b


@njit(**_KERNEL)
def bin_linear(pixels, k, matrix, out):
    """The same for float32 pixels that are already linear."""
    _, rows, columns = out.shape
    height, width, _ = pixels.shape
    for y in prange(rows):
        for x in range(columns):
            r, g, b = np.float32(0), np.float32(0), np.float32(0)
            y1, x1 = min((y + 1) * k, height), min((x + 1) * k, width)
            for yy in range(y * k, y1):
                for xx in range(x * k, x1):
                    r += pixels[yy, xx, 0]
                    g += pixels[yy, xx, 1]
                    b += pixels[yy, xx, 2]
            n = np.float32(1) / np.float32((y1 - y * k) * (x1 - x * k))
            r, g, b = r * n, g * n, b * n
            out[0, y, x] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
            out[1, y, x] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
            out[2, y, x] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b
