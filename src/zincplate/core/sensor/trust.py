"""How far a value is to be believed, by the highest level that it was made of: a sensor bends just below where it clips."""

import numpy as np
from numba import njit, prange

from zincplate.core.kernels.kernel_math import KERNEL

TRUSTED_TO, LOST_FROM = 0.88, 0.97
"""Of the white level: to there a value is taken as it is, from there on it may be clipped."""


@njit(**KERNEL)
def trust_of_codes(highest, x, y, black, span, out):
    """``out`` (h, w), 0..1, of the highest codes (uint16) about each place of a larger part, from its column ``x`` and row ``y``
    on; ``black`` is the code of no light, ``span`` what lies between it and white."""
    factor = np.float32(1) / (span * np.float32(LOST_FROM - TRUSTED_TO))
    zero, one, lost = np.float32(0), np.float32(1), black + np.float32(LOST_FROM) * span
    for row in prange(out.shape[0]):
        target = out[row]
        line = highest[y + np.int64(row), x : x + len(target)]
        for column in range(len(target)):
            target[column] = min(max((lost - np.float32(line[column])) * factor, zero), one)
