"""Combining many frames of one thing, pixel by pixel: the mean by weight, the median, or the mean of what agrees with the median.

Of n frames with equal normal noise the mean's deviation is 1 / sqrt(n) of one frame's; the median's efficiency is 0.80 (for large
n its variance is pi / 2 times the mean's: common to textbooks of statistics). Clipping goes by the noise that the sensor's model
gives at the median, not by the spread of a few samples, which one trail would widen (cf. Huber, "Robust Statistics", 1981).
"""

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Float32 = NDArray[np.float32]

MEAN, MEDIAN, CLIPPED = 0, 1, 2
MOST_FRAMES = 128
SHARE, RELIEF = 0.05, 0.6
"""Of a pixel's light, and of what its neighbourhood spans, that is forgiven: a star falls on other sites in every frame."""


@njit(parallel=True, cache=True)
def taken_off(values, terms, top, width):
    """Takes a quadratic of the place (``terms`` (3, 6): 1, u, v, u^2, u v, v^2, places over ``width`` less a half) off planes
    (3, rows, columns) whose first row is ``top``."""
    rows, columns = values.shape[1:]
    for y in prange(rows):
        v = (top + y) / width - 0.5
        for c in range(3):
            t = terms[c]
            low, first, second = t[0] + v * (t[2] + v * t[5]), t[1] + v * t[4], t[3]
            for x in range(columns):
                u = x / width - 0.5
                values[c, y, x] -= np.float32(low + u * (first + u * second))


@njit(parallel=True, cache=True)
def middles(values, trust, exposure, out):
    """Medians (3, h, w) in the reference's light of ``values`` (n, 3, h, w) whose ``trust`` (n, h, w) is above a half; of all
    that are there (trust not negative) where none is; 0 where nothing is."""
    n, _, rows, columns = values.shape
    for y in prange(rows):
        order = np.empty(MOST_FRAMES, np.float32)
        for x in range(columns):
            sure = False
            for i in range(n):
                sure |= trust[i, y, x] > np.float32(0.5)
            for c in range(3):
                k = 0
                for i in range(n):
                    if (trust[i, y, x] > np.float32(0.5)) | ((not sure) & (trust[i, y, x] >= 0)):
                        v = values[i, c, y, x] / exposure[i]
                        j = k
                        while j > 0 and order[j - 1] > v:
                            order[j] = order[j - 1]
                            j -= 1
                        order[j] = v
                        k += 1
                half = k // 2
                if k == 0:
                    out[c, y, x] = 0
                else:
                    out[c, y, x] = order[half] if k % 2 == 1 else (order[half - 1] + order[half]) * np.float32(0.5)


@njit(parallel=True, cache=True)
def averaged(values, trust, exposure, slope, offset, middle, relief, deviations, out, refused):
    """``values`` (n, 3, h, w) float32 linear; ``trust`` (n, h, w): not positive leaves out, negative is outside; ``exposure``
    (n,) light of each against the reference; ``slope``, ``offset`` (n, 3) of the variance over the values; ``middle`` and
    ``relief`` (3, h, w): medians, and how much they change from pixel to pixel. With ``deviations`` 0 nothing is clipped.
    ``out`` (3, h, w) in the reference's light; ``refused`` (n, h): pixels of each row a frame was left out of by clipping."""
    n, _, rows, columns = values.shape
    for y in prange(rows):
        use = np.empty(MOST_FRAMES, np.bool_)
        for i in range(n):
            refused[i, y] = 0
        for x in range(columns):
            count = 0
            for i in range(n):
                use[i] = trust[i, y, x] > np.float32(0.5)
                if use[i]:
                    count += 1
            if count == 0:
                for i in range(n):
                    use[i] = trust[i, y, x] >= 0
                    if use[i]:
                        count += 1
            if count == 0:
                for c in range(3):
                    out[c, y, x] = 0
                continue
            if (deviations > 0) & (count > 2):
                left = count
                for i in range(n):
                    if not use[i]:
                        continue
                    t = exposure[i]
                    far = False
                    for c in range(3):
                        m = max(middle[c, y, x], np.float32(0))
                        variance = (slope[i, c] * m * t + offset[i, c]) / (t * t)
                        room = deviations * np.sqrt(variance) + np.float32(SHARE) * m + np.float32(RELIEF) * relief[c, y, x]
                        if abs(values[i, c, y, x] / t - middle[c, y, x]) > room:
                            far = True
                    if far and left > 1:
                        use[i] = False
                        left -= 1
                        refused[i, y] += 1
            for c in range(3):
                light = np.float32(0)
                time = np.float32(0)
                for i in range(n):
                    if use[i]:
                        light += values[i, c, y, x]
                        time += exposure[i]
                expected = max(light / time, np.float32(0))
                above = np.float32(0)
                below = np.float32(0)
                for i in range(n):
                    if use[i]:
                        t = exposure[i]
                        weight = t * t / (slope[i, c] * expected * t + offset[i, c])
                        above += weight * (values[i, c, y, x] / t)
                        below += weight
                out[c, y, x] = above / below


def combined(
    values: Float32, trust: Float32, exposure: Float32, slope: Float32, offset: Float32, method: int, deviations: float
) -> tuple[Float32, NDArray[np.int64]]:
    """The combination (3, h, w) in the reference's light, and how many pixels each frame was left out of by clipping. Arguments
    as those of :func:`averaged`."""
    n, _, rows, columns = values.shape
    middle = np.zeros((3, rows, columns), np.float32)
    out, refused = np.empty_like(middle), np.zeros((n, rows), np.int64)
    if method != MEAN:
        middles(values, trust, exposure, middle)
        if method == MEDIAN:
            return middle, refused.sum(1)
    around = np.ones((3, 3), np.uint8)
    relief = np.stack([cv2.morphologyEx(m, cv2.MORPH_GRADIENT, around) for m in middle]) if method == CLIPPED else middle
    limit = np.float32(deviations if method == CLIPPED else 0)
    averaged(values, trust, exposure, slope, offset, middle, relief, limit, out, refused)
    return out, refused.sum(1)
