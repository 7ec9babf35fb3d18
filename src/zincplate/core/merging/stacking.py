"""Combining many frames of one thing, pixel by pixel: the mean by weight, the median, or the mean of what agrees with the median.

Of n frames with equal normal noise the mean's deviation is 1 / sqrt(n) of one frame's; the median's efficiency is 0.80 (for large
n its variance is pi / 2 times the mean's: common to textbooks of statistics). Clipping goes by the noise that the sensor's model
gives at the median, not by the spread of a few samples, which one trail would widen (cf. Huber, "Robust Statistics", 1981).
"""

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import BLOCK, KERNEL

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


@njit(inline="always")
def _middle_of(values, trust, exposure, c, y, x, order):
    """The median at one place, whoever is there."""
    n = values.shape[0]
    sure = False
    for i in range(n):
        sure |= trust[i, y, x] > np.float32(0.5)
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
        return np.float32(0)
    return order[half] if k % 2 == 1 else (order[half - 1] + order[half]) * np.float32(0.5)


@njit(**KERNEL)
def middles(values, trust, exposure, out):
    """Medians (3, h, w) in the reference's light of ``values`` (n, 3, h, w) whose ``trust`` (n, h, w) is above a half; of all
    that are there (trust not negative) where none is; 0 where nothing is."""
    n, _, rows, columns = values.shape
    half = n // 2
    for y in prange(rows):
        order = np.empty(MOST_FRAMES, np.float32)
        sorted_ = np.empty((n, BLOCK), np.float32)
        for start in range(0, columns, BLOCK):
            count = min(BLOCK, columns - start)
            doubted = np.int32(0)  # counted, since LLVM does not vectorise a running minimum
            for i in range(n):
                line = trust[i, y, start : start + count]
                for x in range(count):
                    doubted += np.int32(line[x] <= np.float32(0.5))
            if doubted > 0:
                for x in range(count):
                    for c in range(3):
                        out[c, y, start + x] = _middle_of(values, trust, exposure, c, y, start + x, order)
                continue
            for c in range(3):
                for i in range(n):
                    line, part = values[i, c, y, start : start + count], sorted_[i]
                    share = np.float32(1) / exposure[i]
                    for x in range(count):
                        part[x] = line[x] * share
                # every place of the block at once: neighbours change places by turns until all stand in order (Knuth 1973, 5.3.4)
                for turn in range(n):
                    for i in range(turn % 2, n - 1, 2):
                        low, high = sorted_[i], sorted_[i + 1]
                        for x in range(count):
                            a, b = low[x], high[x]
                            low[x], high[x] = min(a, b), max(a, b)
                target = out[c, y, start : start + count]
                upper, lower = sorted_[half], sorted_[half if n % 2 == 1 else half - 1]
                for x in range(count):
                    target[x] = (lower[x] + upper[x]) * np.float32(0.5)


@njit(**KERNEL)
def averaged(values, trust, exposure, slope, offset, middle, relief, deviations, out, refused):
    """``values`` (n, 3, h, w) float32 linear; ``trust`` (n, h, w): not positive leaves out, negative is outside; ``exposure``
    (n,) light of each against the reference; ``slope``, ``offset`` (n, 3) of the variance over the values; ``middle`` and
    ``relief`` (3, h, w): medians, and how much they change from pixel to pixel. With ``deviations`` 0 nothing is clipped.
    ``out`` (3, h, w) in the reference's light; ``refused`` (n, h): pixels of each row a frame was left out of by clipping."""
    n, _, rows, columns = values.shape
    z, o, half = np.float32(0), np.float32(1), np.float32(0.5)
    for y in prange(rows):
        use = np.empty((n, BLOCK), np.float32)
        count, left, far = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
        light, time = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
        above, below = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
        for i in range(n):
            refused[i, y] = 0
        for start in range(0, columns, BLOCK):
            m = min(BLOCK, columns - start)
            for x in range(m):
                count[x] = z
            for i in range(n):
                line, mine = trust[i, y, start : start + m], use[i]
                for x in range(m):
                    mine[x] = o if line[x] > half else z
                    count[x] += mine[x]
            # where none is sure, all that are there
            for x in range(m):
                left[x] = count[x]
            for i in range(n):
                line, mine = trust[i, y, start : start + m], use[i]
                for x in range(m):
                    if left[x] == z:
                        mine[x] = o if line[x] >= z else z
                        count[x] += mine[x]
            if deviations > z:
                for x in range(m):
                    left[x] = count[x]
                for i in range(n):
                    t = exposure[i]
                    share = o / t
                    for x in range(m):
                        far[x] = z
                    for c in range(3):
                        line = values[i, c, y, start : start + m]
                        mid, rough = middle[c, y, start : start + m], relief[c, y, start : start + m]
                        for x in range(m):
                            v = max(mid[x], z)
                            variance = (slope[i, c] * v * t + offset[i, c]) * share * share
                            room = deviations * np.sqrt(variance) + np.float32(SHARE) * v + np.float32(RELIEF) * rough[x]
                            far[x] = o if abs(line[x] * share - mid[x]) > room else far[x]
                    mine = use[i]
                    gone = z
                    for x in range(m):
                        # one frame stays, and of two nobody says which is right
                        out_ = o if (far[x] > z) & (mine[x] > z) & (left[x] > o) & (count[x] > np.float32(2)) else z
                        mine[x] -= out_
                        left[x] -= out_
                        gone += out_
                    refused[i, y] += np.int64(gone)
            for c in range(3):
                for x in range(m):
                    light[x], time[x], above[x], below[x] = z, z, z, z
                for i in range(n):
                    line, mine, t = values[i, c, y, start : start + m], use[i], exposure[i]
                    for x in range(m):
                        light[x] += mine[x] * line[x]
                        time[x] += mine[x] * t
                for x in range(m):
                    light[x] = max(light[x] / time[x], z) if time[x] > z else z
                for i in range(n):
                    line, mine, t = values[i, c, y, start : start + m], use[i], exposure[i]
                    share = o / t
                    for x in range(m):
                        weight = mine[x] * t * t / (slope[i, c] * light[x] * t + offset[i, c])
                        above[x] += weight * line[x] * share
                        below[x] += weight
                target = out[c, y, start : start + m]
                for x in range(m):
                    target[x] = above[x] / below[x] if below[x] > z else z


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
