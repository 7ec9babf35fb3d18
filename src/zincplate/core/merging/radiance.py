"""Adding exposures of one subject up to its radiance, with the weights that give the least noise.

Each frame i recorded x = t E with a variance of a x + b (photons, and what the sensor adds). The sum of E = x / t weighted by
t^2 / (a t E + b) has the smallest variance of all that are true to E (Hasinoff, Durand & Freeman, CVPR 2010; Granados et al.,
CVPR 2010). The variance is taken at the expected signal, not at the noisy one: weights that follow the noise would bias the sum.
"""

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Float32 = NDArray[np.float32]

BINS = 4096
"""Of quotients up to four times the expected one: those beyond are as far away as can be."""
FEWEST_PAIRS = 50
SURE = 0.1
"""Relative noise below which one pixel counts as much as another: a few bright ones, where something may move, decide nothing."""


@njit(parallel=True, cache=True, fastmath=False)
def add_up(values, trust, exposure, slope, offset, fallback, out, variance, clipped):
    """Radiance of a strip.

    ``values`` (n, 3, h, w) float32: linear, black at 0; ``trust`` (n, h, w): 0 leaves a frame out there; ``exposure`` (n,): light
    of each against the reference's; ``slope`` and ``offset`` (n, 3) of its noise; ``fallback`` (n,): frames, the darkest first.
    ``out`` (3, h, w) in units of the reference; ``variance`` (h, w): of its green; ``clipped`` (h, w) uint8: 1 where no frame
    could be trusted and the first of ``fallback`` that is there at all (trust not negative) was taken.
    """
    n, _, rows, columns = values.shape
    for y in prange(rows):
        for x in range(columns):
            total = np.float32(0)
            for i in range(n):
                total += max(trust[i, y, x], np.float32(0))
            if total < np.float32(1e-3):
                taken = fallback[0]
                for k in range(n):
                    if trust[fallback[k], y, x] >= 0:
                        taken = fallback[k]
                        break
                for c in range(3):
                    out[c, y, x] = values[taken, c, y, x] / exposure[taken]
                t = exposure[taken]
                recorded = max(values[taken, 1, y, x], np.float32(0))
                variance[y, x] = (slope[taken, 1] * recorded + offset[taken, 1]) / (t * t)
                clipped[y, x] = 1
                continue
            clipped[y, x] = 0
            for c in range(3):
                light = np.float32(0)
                time = np.float32(0)
                for i in range(n):
                    g = max(trust[i, y, x], np.float32(0))
                    light += g * values[i, c, y, x]
                    time += g * exposure[i]
                expected = max(light / time, np.float32(0))
                above = np.float32(0)
                below = np.float32(0)
                spread = np.float32(0)
                for i in range(n):
                    g = max(trust[i, y, x], np.float32(0))
                    if g > 0:
                        t = exposure[i]
                        weight = g * t * t / (slope[i, c] * expected * t + offset[i, c])
                        spread += g * weight
                        above += weight * values[i, c, y, x] / t
                        below += weight
                out[c, y, x] = above / below
                if c == 1:
                    variance[y, x] = spread / (below * below)


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
