"""The depth guard: are tones missing in the data, or only on the screen?

A smooth surface from a deep file meets every delivered level between its darkest and lightest place. Where the file itself
has few levels, or hard curves have pulled them apart, the values come in steps with nothing between; these stay, however
the picture is delivered. So the gaps between the values that do occur are looked at, at full precision.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

FLAT_LEVELS = 3.0
MISSING_LEVELS = 1.6
"""A gap between neighbouring values that is wider than this many of 255 levels leaves levels out."""
GAP_SHARE = 0.5


@dataclass(frozen=True)
class Depth:
    """``full``: every level is there; ``missing``: the data come in steps; ``flat``: too even to tell."""

    verdict: Literal["full", "missing", "flat"]
    step: float
    """Usual distance of neighbouring values, in levels of 255."""


def depth_of(encoded: NDArray[np.float32]) -> Depth:
    """Verdict on a region's encoded planes (3, h, w), 0..1, before any rounding to a delivery's bits."""
    verdicts = [_of_channel(plane) for plane in encoded]
    telling = [d for d in verdicts if d.verdict != "flat"]
    if not telling:
        return Depth("flat", 0.0)
    # one channel without gaps proves the file deep: banding then is not in the data
    return min(telling, key=lambda d: d.step)


def _of_channel(plane: NDArray[np.float32]) -> Depth:
    values = np.unique(np.round(np.asarray(plane, np.float64) * 255, 2))
    values = values[(values > 0.5) & (values < 254.5)]
    if values.size < 2 or values[-1] - values[0] < FLAT_LEVELS:
        return Depth("flat", 0.0)
    gaps = np.diff(values)
    # values that are one level of the file apart by rounding only are one value
    gaps = gaps[gaps > 0.02]
    if gaps.size == 0:
        return Depth("flat", 0.0)
    covered = float(gaps[gaps > MISSING_LEVELS].sum() / gaps.sum())
    step = float(np.average(gaps, weights=gaps))
    return Depth("missing" if covered > GAP_SHARE else "full", step)
