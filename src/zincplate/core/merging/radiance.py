"""Adding exposures of one subject up to its radiance, with the weights that give the least noise.

Each frame i recorded x = t E with a variance of a x + b (photons, and what the sensor adds). The sum of E = x / t weighted by
t^2 / (a t E + b) has the smallest variance of all that are true to E (Hasinoff, Durand & Freeman, CVPR 2010; Granados et al.,
CVPR 2010). The variance is taken at the expected signal, not at the noisy one: weights that follow the noise would bias the sum.
"""

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import BLOCK, KERNEL

Float32 = NDArray[np.float32]

BINS = 4096
"""Of quotients up to four times the expected one: those beyond are as far away as can be."""
FEWEST_PAIRS = 50
SURE = 0.1
"""Relative noise below which one pixel counts as much as another: a few bright ones, where something may move, decide nothing."""


@njit(inline="always")
def _taken(values, trust, exposure, slope, offset, fallback, gains, y, x, out, variance):
    """One place where no frame can be trusted: the first of ``fallback`` that is there."""
    taken = fallback[0]
    for k in range(values.shape[0]):
        if trust[fallback[k], y, x] >= 0:
            taken = fallback[k]
            break
    t = exposure[taken]
    for c in range(3):
        out[c, y, x] = gains[c] * values[taken, c, y, x] / t
    variance[y, x] = (slope[taken, 1] * max(values[taken, 1, y, x], np.float32(0)) + offset[taken, 1]) / (t * t)


@njit(**KERNEL)
def add_up(values, trust, exposure, slope, offset, fallback, gains, out, variance, clipped):
    """Radiance of a strip.

    ``values`` (n, 3, h, w) float32: linear, black at 0; ``trust`` (n, h, w): 0 leaves a frame out there; ``exposure`` (n,): light
    of each against the reference's; ``slope`` and ``offset`` (n, 3) of its noise; ``fallback`` (n,): frames, the darkest first.
    ``out`` (3, h, w) in units of the reference, times ``gains`` (3,); ``variance`` (h, w): of its green, without gains;
    ``clipped`` (h, w) uint8: 1 where no frame could be trusted and the first of ``fallback`` that is there at all (trust not
    negative) was taken.
    """
    n, _, rows, columns = values.shape
    z, least = np.float32(0), np.float32(1e-3)
    for y in prange(rows):
        total, light, time = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
        above, below, spread = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
        for start in range(0, columns, BLOCK):
            m = min(BLOCK, columns - start)
            lost = np.int32(0)
            for x in range(m):
                total[x] = z
            for i in range(n):
                share = trust[i, y, start : start + m]
                for x in range(m):
                    total[x] += max(share[x], z)
            for x in range(m):
                lost += np.int32(total[x] < least)
            for c in range(3):
                for x in range(m):
                    light[x], time[x], above[x], below[x], spread[x] = z, z, z, z, z
                for i in range(n):
                    share, line, t = trust[i, y, start : start + m], values[i, c, y, start : start + m], exposure[i]
                    for x in range(m):
                        g = max(share[x], z)
                        light[x] += g * line[x]
                        time[x] += g * t
                for x in range(m):
                    light[x] = max(light[x] / max(time[x], np.float32(1e-30)), z)
                for i in range(n):
                    share, line, t = trust[i, y, start : start + m], values[i, c, y, start : start + m], exposure[i]
                    for x in range(m):
                        g = max(share[x], z)
                        weight = g * t * t / (slope[i, c] * light[x] * t + offset[i, c])
                        spread[x] += g * weight
                        above[x] += weight * line[x] / t
                        below[x] += weight
                target = out[c, y, start : start + m]
                for x in range(m):
                    target[x] = gains[c] * above[x] / max(below[x], np.float32(1e-30))
                if c == 1:
                    varied = variance[y, start : start + m]
                    for x in range(m):
                        varied[x] = spread[x] / max(below[x] * below[x], np.float32(1e-37))
            none = clipped[y, start : start + m]
            for x in range(m):
                none[x] = np.uint8(total[x] < least)
            if lost > 0:
                for x in range(m):
                    if total[x] < least:
                        _taken(values, trust, exposure, slope, offset, fallback, gains, y, start + x, out, variance)


def exposure_ratio(
    first: Float32, second: Float32, light: Float32, variance_1: Float32, variance_2: Float32, start: float
) -> float:
    """How much more light the second of two planes recorded, from pixels that are chosen by the first alone (1-D arrays): the
    median of their quotients, each counted by how surely it is known about ``start``.

    ``light`` and the variances are of the first's places, without its own noise as far as may be: choosing or weighing pixels by
    what noise made of one of the two would count its lucky ones more. A mean would count what moved.
    """
    if first.size < FEWEST_PAIRS:
        return math.nan
    quotient = second / first
    weight = 1 / ((variance_2 + np.float32(start * start) * variance_1) / (np.float32(start) * light) ** 2 + np.float32(SURE**2))
    # the median's neighbourhood by a coarse count, and only that in order
    bins = np.clip((quotient * np.float32(BINS / 4 / start)), 0, BINS - 1).astype(np.int32)
    counts = np.bincount(bins, weights=weight, minlength=BINS)
    summed = np.cumsum(counts)
    middle = int(np.searchsorted(summed, summed[-1] / 2))
    here = np.nonzero(bins == middle)[0]
    order = here[np.argsort(quotient[here], kind="stable")]
    within = np.cumsum(weight[order].astype(np.float64)) + (summed[middle] - counts[middle])
    return float(quotient[order][min(np.searchsorted(within, summed[-1] / 2), len(order) - 1)])
