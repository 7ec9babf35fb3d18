"""Drawing a picture's border out to a crop that reaches a little beyond it, as far as that is missing there and no farther in
than some times that: an honest alternative to inventing what was not seen.

Along each side a table says how many pixels are missing at each place. Across the side, places from there to the end of a band
are mapped onto the band by a parabola that meets the rest of the picture with the same slope.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import INLINE

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

PLACES = 512
"""Of each side in the table."""
BAND_TIMES, WIDEST_BAND, LEAST_BAND_TIMES = 6.0, 0.45, 1.5
"""Width of the band: times of what is missing, but no more than a share of the picture. Where it would be less than some times of
what is missing, only so much is drawn out."""


@njit(**INLINE)
def _pulled(place, size, missing):
    """A place of an axis, pulled in from its first end; others stay."""
    band = min(np.float32(BAND_TIMES) * missing, np.float32(WIDEST_BAND) * size)
    m = min(missing, band / np.float32(LEAST_BAND_TIMES))
    if m <= 0 or place >= band:
        return place
    u = max((place + m) / (band + m), np.float32(0))
    slope = np.float32(1) - m / band
    return band * u * (slope + (np.float32(1) - slope) * u)


@njit(**INLINE)
def _missing(table, side, place, size):
    """What is missing at a place along a side: 0 left, 1 top, 2 right, 3 bottom."""
    t = min(max(place / size, np.float32(0)), np.float32(1)) * np.float32(PLACES - 1)
    i = min(np.int32(t), np.int32(PLACES - 2))
    f = t - np.float32(i)
    at = side * PLACES + i
    return table[at] + (table[at + 1] - table[at]) * f


@njit(**INLINE)
def drawn_x(table, x, y, width, height):
    """Source column that stands at a place, which may lie beyond the picture."""
    x = _pulled(x, width, _missing(table, 0, y, height))
    far = width - x
    return x + (far - _pulled(far, width, _missing(table, 2, y, height)))


@njit(**INLINE)
def drawn_y(table, x, y, width, height):
    """The same for rows."""
    y = _pulled(y, height, _missing(table, 1, x, width))
    far = height - y
    return y + (far - _pulled(far, height, _missing(table, 3, x, width)))


@njit(nogil=True, cache=True)
def _all_drawn(table, points, width, height, out):
    for i in range(len(points)):
        x, y = np.float32(points[i, 0]), np.float32(points[i, 1])
        # moved by as much as in the kernels, but a place that stays is not rounded
        out[i, 0] = points[i, 0] + np.float64(drawn_x(table, x, y, width, height) - x)
        out[i, 1] = points[i, 1] + np.float64(drawn_y(table, x, y, width, height) - y)


@dataclass(frozen=True, eq=False)
class RimStretch:
    """``table`` (4 * PLACES): pixels missing along the left, top, right and bottom side of a picture."""

    table: Float32
    width: int
    height: int

    @property
    def most_px(self) -> float:
        """The most that is missing anywhere."""
        return float(self.table.max())

    def into(self, points: Float64) -> Float64:
        """(n, 2) places of the picture's plane, in its pixels -> places of the picture that stand there."""
        out = np.empty((len(points), 2))
        _all_drawn(self.table, np.asarray(points, np.float64), np.float32(self.width), np.float32(self.height), out)
        return out

    def out_of(self, points: Float64) -> Float64:
        """The opposite, to a hundredth of a pixel: by repeating, since slopes are below 1."""
        given = np.asarray(points, np.float64)
        found = given.copy()
        for _ in range(40):
            found = found + (given - self.into(found)) * 1.4
            if not np.isfinite(found).any() or np.nanmax(np.abs(given - self.into(found))) < 0.01:
                break
        return found


def missing_along(outline: Float64, width: int, height: int) -> RimStretch | None:
    """What of the area inside an outline (n, 2), in pixels of a picture, lies beyond each of its sides; None when nothing
    does."""
    table = np.zeros((4, PLACES), np.float32)
    for side in range(4):
        across, along = (0, 1) if side in (0, 2) else (1, 0)
        size, length = (width, height) if across == 0 else (height, width)
        places = np.linspace(0, length, PLACES)
        ends = np.roll(outline, -1, axis=0)
        for a, b in zip(outline, ends, strict=True):
            low, high = sorted((a[along], b[along]))
            here = (places >= low) & (places <= high) if high > low else np.zeros(PLACES, np.bool_)
            if not here.any():
                continue
            t = (places[here] - a[along]) / (b[along] - a[along])
            value = a[across] + t * (b[across] - a[across])
            beyond = -value if side < 2 else value - size
            table[side, here] = np.maximum(table[side, here], beyond)
    # corners beyond both sides: the last place along a side answers for what lies past it
    for side in range(4):
        across, along = (0, 1) if side in (0, 2) else (1, 0)
        size, length = (width, height) if across == 0 else (height, width)
        beyond = -outline[:, across] if side < 2 else outline[:, across] - size
        for end, past in ((0, outline[:, along] < 0), (PLACES - 1, outline[:, along] > length)):
            if past.any():
                table[side, end] = max(table[side, end], float(beyond[past].max()))
    return RimStretch(table.ravel(), width, height) if float(table.max()) > 0.01 else None
