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


@njit(parallel=True, cache=True, fastmath=False)
def add_up(values, trust, exposure, slope, offset, fallback, out, clipped):
    """Radiance of a strip.

    ``values`` (n, 3, h, w) float32: linear, black at 0; ``trust`` (n, h, w): 0 leaves a frame out there; ``exposure`` (n,): light
    of each against the reference's; ``slope`` and ``offset`` (n, 3) of its noise; ``fallback`` (n,): frames, the darkest first.
    ``out`` (3, h, w) in units of the reference; ``clipped`` (h, w) uint8: 1 where no frame could be trusted and the first of
    ``fallback`` that is there at all (trust not negative) was taken.
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
                for i in range(n):
                    g = max(trust[i, y, x], np.float32(0))
                    if g > 0:
                        t = exposure[i]
                        weight = g * t * t / (slope[i, c] * expected * t + offset[i, c])
                        above += weight * values[i, c, y, x] / t
                        below += weight
                out[c, y, x] = above / below


def exposure_ratio(first: Float32, second: Float32, variance_1: Float32, variance_2: Float32, start: float) -> float:
    """How much more light the second of two planes recorded, from pixels that are chosen by the first alone (1-D arrays).

    The slope of a weighted straight line, so that black levels that are off by a fraction of a code do not count; the noise of
    the first is taken out of its spread; what moved is left out by what it differs in (iteratively, 3.5 standard deviations and
    3 %). Choosing pixels by the noisier of the two would count its lucky ones.
    """
    a, b, va, vb = (v.astype(np.float64) for v in (first, second, variance_1, variance_2))
    ratio, level = start, 0.0
    for tolerance in (0.5, 0.2, 0.1, 0.05, 0.03, 0.03, 0.03):
        variance = vb + ratio * ratio * va
        good = np.abs(b - ratio * a - level) < 3.5 * np.sqrt(variance) + tolerance * ratio * a
        if good.sum() < 50:
            return math.nan
        weight = 1 / (variance + (0.02 * ratio * a) ** 2)[good]
        weight /= weight.sum()
        x, y = a[good], b[good]
        mean_x, mean_y = float(weight @ x), float(weight @ y)
        spread = float(weight @ ((x - mean_x) ** 2 - va[good]))
        if spread <= 0.01 * mean_x**2:  # an even field: nothing but its level is known
            ratio, level = mean_y / mean_x, 0.0
            continue
        ratio = float(weight @ ((x - mean_x) * (y - mean_y))) / spread
        level = mean_y - ratio * mean_x
    return ratio
