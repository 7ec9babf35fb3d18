"""Counts over rendered pictures: histograms and clipping."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

_KERNEL = {"parallel": True, "nogil": True, "cache": True}

CLIP_HIGHLIGHT, CLIP_SHADOW, CLIP_RAW = 1, 2, 4
"""Bits of a clipping map: a delivered channel at its top, all three at zero, the sensor at its limit."""


@njit(**_KERNEL)
def _histogram(picture, counts):
    height, width, _ = picture.shape
    parts = counts.shape[0]
    for part in prange(parts):
        c = counts[part]
        for y in range(part * height // parts, (part + 1) * height // parts):
            for x in range(width):
                r, g, b = np.int32(picture[y, x, 0]), np.int32(picture[y, x, 1]), np.int32(picture[y, x, 2])
                c[0, r] += 1
                c[1, g] += 1
                c[2, b] += 1
                c[3, (54 * r + 183 * g + 19 * b + 128) >> 8] += 1


def histogram(picture: NDArray[np.uint8]) -> NDArray[np.int64]:
    """(h, w, 3) uint8 -> (4, 256) counts of R, G, B and luma (Rec.709 weights of the encoded values)."""
    counts = np.zeros((2, 4, 256), np.int64)
    _histogram(picture, counts)
    return np.asarray(counts.sum(0))


@njit(**_KERNEL)
def _clipping(picture, planes, limits, out, counts):
    height, width, _ = picture.shape
    parts = counts.shape[0]
    for part in prange(parts):
        for y in range(part * height // parts, (part + 1) * height // parts):
            for x in range(width):
                r, g, b = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
                v = np.uint8(0)
                if r == 255 or g == 255 or b == 255:
                    v |= np.uint8(1)
                    counts[part, 0] += 1
                if r == 0 and g == 0 and b == 0:
                    v |= np.uint8(2)
                    counts[part, 1] += 1
                if planes[0, y, x] >= limits[0] or planes[1, y, x] >= limits[1] or planes[2, y, x] >= limits[2]:
                    v |= np.uint8(4)
                    counts[part, 2] += 1
                out[y, x] = v


def clipping_map(
    picture: NDArray[np.uint8], planes: NDArray[np.float32], limits: NDArray[np.float32]
) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
    """Bit map (h, w) of clipped pixels and the counts (highlights, shadows, raw).

    ``planes`` (3, h, w) is the plate that the picture was made from, ``limits`` its values at the sensor's white level.
    """
    out = np.empty(picture.shape[:2], np.uint8)
    counts = np.zeros((2, 3), np.int64)
    _clipping(picture, planes, limits, out, counts)
    return out, np.asarray(counts.sum(0))
