"""The course of something measured over a series, and what does not follow it.

The light of an outdoor series drifts; a frame that was set differently jumps. Each value is held against the line through its
neighbours in time (Theil-Sen: the median of all slopes; Sen 1968), which stands up to almost a third of odd ones among them.
"""

import numpy as np
from numpy.typing import NDArray

Float64 = NDArray[np.float64]

NEIGHBOURS = 10
"""Values about one that decide where it should lie."""
FEWEST, FEWEST_FOR_LINE = 4, 6
"""Others that make a course at all, and a sloping one: at the end of a short series one odd value tilts a line."""


def theil_sen(x: Float64, y: Float64) -> tuple[float, float]:
    """Slope and offset of the line through points (1-D arrays of one length, at least two different ``x``)."""
    i, j = np.triu_indices(len(x), 1)
    run = x[j] - x[i]
    slopes = (y[j] - y[i])[run != 0] / run[run != 0]
    slope = float(np.median(slopes)) if len(slopes) else 0.0
    return slope, float(np.median(y - slope * x))


def expected(order: Float64, values: Float64) -> Float64:
    """Where each value (n,) should lie by the others nearest to it in ``order`` (n,). With fewer than four others there is no
    course: zero, the source itself, is expected."""
    out = np.zeros(len(values))
    for i in range(len(values)):
        others = np.delete(np.arange(len(values)), i)
        others = others[np.argsort(np.abs(order[others] - order[i]), kind="stable")][:NEIGHBOURS]
        if len(others) < FEWEST:
            continue
        if len(others) < FEWEST_FOR_LINE:
            out[i] = np.median(values[others])
            continue
        slope, offset = theil_sen(order[others], values[others])
        out[i] = slope * order[i] + offset
    return out
