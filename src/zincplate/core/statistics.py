"""Counts over rendered pictures: histograms and clipping."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

_KERNEL = {"parallel": True, "nogil": True, "cache": True}

CLIP_HIGHLIGHT, CLIP_SHADOW, CLIP_RAW = 1, 2, 4
"""Bits of a clipping map: a delivered channel at its top, all three at zero, the sensor at its limit."""


@njit(**_KERNEL)
def _measure(picture, planes, limits, counts, clipped, out):
    height, width, _ = picture.shape
    parts = counts.shape[0]
    for part in prange(parts):
        c = counts[part]
        high, low, raw = 0, 0, 0
        for y in range(part * height // parts, (part + 1) * height // parts):
            line, red, green, blue, bits = picture[y], planes[0, y], planes[1, y], planes[2, y], out[y]
            for x in range(width):
                r, g, b = np.int32(line[x, 0]), np.int32(line[x, 1]), np.int32(line[x, 2])
                c[0, r] += 1
                c[1, g] += 1
                c[2, b] += 1
                c[3, (54 * r + 183 * g + 19 * b + 128) >> 8] += 1
                is_high = max(r, max(g, b)) == 255
                is_low = max(r, max(g, b)) == 0
                is_raw = (red[x] >= limits[0]) | (green[x] >= limits[1]) | (blue[x] >= limits[2])
                high += is_high
                low += is_low
                raw += is_raw
                bits[x] = np.uint8(is_high * 1 + is_low * 2 + is_raw * 4)
        clipped[part, 0] = high
        clipped[part, 1] = low
        clipped[part, 2] = raw


def measure(
    picture: NDArray[np.uint8], planes: NDArray[np.float32], limits: NDArray[np.float32]
) -> tuple[NDArray[np.int64], NDArray[np.uint8], NDArray[np.int64]]:
    """Histogram (4, 256) of R, G, B and luma (Rec.709 weights of encoded values), bit map (h, w) of clipped pixels, counts.

    ``planes`` (3, h, w) is the plate that the picture (h, w, 3) was made from, ``limits`` its values at the sensor's white
    level. Counts are of highlights, shadows, raw.
    """
    out = np.empty(picture.shape[:2], np.uint8)
    counts = np.zeros((4, 4, 256), np.int64)
    clipped = np.zeros((4, 3), np.int64)
    _measure(picture, planes, limits, counts, clipped, out)
    return np.asarray(counts.sum(0)), out, np.asarray(clipped.sum(0))
