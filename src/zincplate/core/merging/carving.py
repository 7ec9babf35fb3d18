"""The cheapest way through a picture from top to bottom."""

import numpy as np
from numba import njit


@njit(cache=True)
def cheapest_seam(energy, covered, missing):
    """Column of the cheapest seam in each row, from top to bottom (Avidan & Shamir, SIGGRAPH 2007)."""
    h, w = energy.shape
    total = np.empty((h, w), np.float64)
    for x in range(w):
        total[0, x] = energy[0, x] if covered[0, x] else missing
    for y in range(1, h):
        for x in range(w):
            best = total[y - 1, x]
            if x > 0:
                best = min(best, total[y - 1, x - 1])
            if x < w - 1:
                best = min(best, total[y - 1, x + 1])
            total[y, x] = best + (energy[y, x] if covered[y, x] else missing)
    out = np.empty(h, np.int64)
    x = 0
    for k in range(1, w):
        if total[h - 1, k] < total[h - 1, x]:
            x = k
    out[h - 1] = x
    for y in range(h - 2, -1, -1):
        best = x
        for k in (x - 1, x + 1):
            if 0 <= k < w and total[y, k] < total[y, best]:
                best = k
        x = best
        out[y] = x
    return out
