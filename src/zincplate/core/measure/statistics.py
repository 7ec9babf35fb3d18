"""Counts over rendered pictures: histograms and clipping."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

_KERNEL = {"parallel": True, "nogil": True, "cache": True}

CLIP_HIGHLIGHT, CLIP_SHADOW, CLIP_RAW, CLIP_GAMUT = 1, 2, 4, 8
"""Bits of a clipping map: a delivered channel at its top, all three at zero, the sensor at its limit, outside the space."""


@njit(**_KERNEL)
def _full(planes, limits, out):
    height, width = out.shape
    for y in prange(height):
        red, green, blue, line = planes[0, y], planes[1, y], planes[2, y], out[y]
        for x in range(width):
            line[x] = np.uint8((red[x] >= limits[0]) * 1 + (green[x] >= limits[1]) * 2 + (blue[x] >= limits[2]) * 4)


def full_of(planes: NDArray[np.float32], limits: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Where plates (3, h, w) reach ``limits`` (3,), the sensor was full: bit 0 of (h, w) for red, 1 for green, 2 for blue."""
    out = np.empty(planes.shape[1:], np.uint8)
    _full(np.ascontiguousarray(planes), np.asarray(limits, np.float32), out)
    return out


@njit(**_KERNEL)
def _measure(picture, full, every, channel, mapped, counts, clipped, out):
    height, width, _ = picture.shape
    parts = counts.shape[0]
    for part in prange(parts):
        c = counts[part]
        high, low, raw = 0, 0, 0
        r_raw, g_raw, b_raw = 0, 0, 0
        for y in range(part * height // parts, (part + 1) * height // parts):
            if y % every and not mapped:
                continue
            line, sensor = picture[y], full[y]
            bits = out[y if mapped else 0]
            # the rows from here to the next one that is counted, or to the end
            rows = min(every, height - y)
            here_high, here_low, here_raw, here_r, here_g, here_b = 0, 0, 0, 0, 0, 0
            if y % every == 0:
                for x in range(width):
                    r, g, b = np.int32(line[x, 0]), np.int32(line[x, 1]), np.int32(line[x, 2])
                    c[0, r] += rows
                    c[1, g] += rows
                    c[2, b] += rows
                    c[3, (54 * r + 183 * g + 19 * b + 128) >> 8] += rows
            for x in range(width):
                r, g, b = np.int32(line[x, 0]), np.int32(line[x, 1]), np.int32(line[x, 2])
                is_high = max(r, max(g, b)) == 255
                is_low = max(r, max(g, b)) == 0
                s = int(sensor[x])
                full_r, full_g, full_b = s & 1 > 0, s & 2 > 0, s & 4 > 0
                is_raw = full_r | full_g | full_b
                here_r += full_r
                here_g += full_g
                here_b += full_b
                here_high += is_high
                here_low += is_low
                here_raw += is_raw
                if channel < 0:
                    bits[x] = np.uint8(is_high * 1 + is_low * 2 + is_raw * 4)
                else:
                    v = line[x, channel]
                    bits[x] = np.uint8((v == 255) * 1 + (v == 0) * 2 + ((s >> channel) & 1) * 4)
            stands_for = 1 if mapped else rows
            high += here_high * stands_for
            low += here_low * stands_for
            raw += here_raw * stands_for
            r_raw += here_r * stands_for
            g_raw += here_g * stands_for
            b_raw += here_b * stands_for
        k = clipped[part]
        k[0, 0], k[0, 1], k[0, 2] = high, low, raw
        k[1, 0], k[1, 1], k[1, 2] = c[0, 255], c[1, 255], c[2, 255]
        k[2, 0], k[2, 1], k[2, 2] = c[0, 0], c[1, 0], c[2, 0]
        k[3, 0], k[3, 1], k[3, 2] = r_raw, g_raw, b_raw


COUNT_ALL_BELOW = 300_000
"""Pixels from which on every other row stands for two: a scope shows no difference, and a drag does."""
COUNTED, COUNTED_IN_A_DRAG = 1_000_000, 80_000
"""About as many pixels are counted of larger pictures, and of all while a hand moves."""


def every_row(pixels: int, quick: bool) -> int:
    """1, or every how many rows of a picture of so many pixels are counted, each for those between."""
    if quick:
        return max(round(pixels / COUNTED_IN_A_DRAG), 1)
    return 1 if pixels < COUNT_ALL_BELOW else max(round(pixels / COUNTED), 2)


def measure(
    picture: NDArray[np.uint8], full: NDArray[np.uint8], channel: int = -1, mapped: bool = True, quick: bool = False
) -> tuple[NDArray[np.int64], NDArray[np.uint8], NDArray[np.int64]]:
    """Histogram (4, 256) of R, G, B and luma (Rec.709 weights of encoded values), bit map (h, w) of clipped pixels, counts.

    ``full`` (h, w) says where the sensor was full (:func:`full_of`) when it took the picture (h, w, 3); without ``mapped`` it is
    asked every :func:`every_row` only. Without ``mapped`` the bit map is left empty (0, 0); ``quick`` counts some rows for all.
    With ``channel`` 0, 1 or 2 the map tells of that channel alone: at the top, at zero, sensor full. Counts (4, 3): pixels at
    highlights, shadows, raw; then R, G, B at the top, at zero, sensor full.
    """
    out = np.empty(picture.shape[:2], np.uint8) if mapped else np.empty((1, picture.shape[1]), np.uint8)
    counts = np.zeros((4, 4, 256), np.int64)
    clipped = np.zeros((4, 4, 3), np.int64)
    every = every_row(picture.shape[0] * picture.shape[1], quick)
    _measure(picture, full, every, channel, mapped, counts, clipped, out)
    return np.asarray(counts.sum(0)), out if mapped else out[:0, :0], np.asarray(clipped.sum(0))


def raw_histogram(camera: NDArray[np.float32]) -> NDArray[np.int64]:
    """Histogram (3, 256) of camera values (3, h, w), black 0 and white 1, over their square roots (even photon noise)."""
    bins = np.clip(np.sqrt(np.fmax(camera, 0)) * 255 + 0.5, 0, 255).astype(np.uint8)
    return np.stack([np.bincount(b.ravel(), minlength=256) for b in bins])
