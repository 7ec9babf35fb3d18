"""Rendered pictures (interleaved, encoded) -> linear planes of their own primaries, whole windows or averaged blocks."""

import numpy as np
from numba import njit, prange

_KERNEL = {"parallel": True, "fastmath": True, "nogil": True, "cache": True}


@njit(**_KERNEL)
def window_from_codes(pixels, y0, x0, table, out):
    """Whole-number codes (h, w, 3) -> (3, rows, columns) linear; ``table`` is (3, levels) float32."""
    _, rows, columns = out.shape
    for y in prange(rows):
        for channel in range(3):
            line, decode = out[channel, y], table[channel]
            for x in range(columns):
                line[x] = decode[pixels[y0 + y, x0 + x, channel]]


@njit(**_KERNEL)
def window_from_linear(pixels, y0, x0, out):
    """The same for float32 pixels that are already linear."""
    _, rows, columns = out.shape
    for y in prange(rows):
        for channel in range(3):
            line = out[channel, y]
            for x in range(columns):
                line[x] = pixels[y0 + y, x0 + x, channel]


@njit(**_KERNEL)
def bin_codes(pixels, k, table, out):
    """Averages k x k pixels in linear light; blocks at the far edges average what there is."""
    _, rows, columns = out.shape
    height, width, _ = pixels.shape
    for y in prange(rows):
        for x in range(columns):
            y1, x1 = min((y + 1) * k, height), min((x + 1) * k, width)
            share = np.float32(1) / np.float32((y1 - y * k) * (x1 - x * k))
            for channel in range(3):
                total = np.float32(0)
                for yy in range(y * k, y1):
                    for xx in range(x * k, x1):
                        total += table[channel, pixels[yy, xx, channel]]
                out[channel, y, x] = total * share


@njit(**_KERNEL)
def bin_linear(pixels, k, out):
    """The same for float32 pixels that are already linear."""
    _, rows, columns = out.shape
    height, width, _ = pixels.shape
    for y in prange(rows):
        for x in range(columns):
            y1, x1 = min((y + 1) * k, height), min((x + 1) * k, width)
            share = np.float32(1) / np.float32((y1 - y * k) * (x1 - x * k))
            for channel in range(3):
                total = np.float32(0)
                for yy in range(y * k, y1):
                    for xx in range(x * k, x1):
                        total += pixels[yy, xx, channel]
                out[channel, y, x] = total * share
