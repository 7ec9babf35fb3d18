"""Hot pixels: single sites far above, or below, all eight neighbours of their colour.

A star or a glint spreads over several sites through the lens, however sharp; a hot site stands alone. Of the light of a point
with a Gaussian spread of half a site each site beside gets 0.23 of what the middle one gets, of a third of a site still 0.07.
A site counts as hot when it passes the second largest of its eight neighbours of the same colour by 8 standard deviations of
the noise there, by twice the spread of those neighbours, and by a quarter of its own value (cold: the same below the second
smallest), and the four sites beside it, of other colours, do not rise with it: neither their mean nor the brightest by more
than :data:`BESIDE` of it and what noise explains.
"""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

DEVIATIONS = 8.0
SPREADS = 2.0
BESIDE = 0.06
PART = 128
"""Sites of a row that are looked at together: mostly none of them stands out."""


@njit(inline="always")
def _quick(above, line, below, least, black, near):
    """Marks the sites of a part of a row that may be hot or cold: above or below the four nearest of their colour by what noise
    in the dark explains, and the second of these by a quarter of the light (``black``: the higher one). ``above`` and ``below``
    are the rows of this colour next to it; ``line`` has two sites more at both ends. How many there are."""
    count = np.int32(0)
    for x in range(near.size):
        v, left, right = np.int32(line[x + 2]), np.int32(line[x]), np.int32(line[x + 4])
        up, down = np.int32(above[x]), np.int32(below[x])
        more_across, more_along = max(left, right), max(up, down)
        less_across, less_along = min(left, right), min(up, down)
        top, bottom = max(more_across, more_along), min(less_across, less_along)
        second = max(min(more_across, more_along), max(less_across, less_along))
        second_low = min(max(less_across, less_along), min(more_across, more_along))
        hot = (v > top + least) & (4 * (v - second) > v - black - 4)
        cold = (v < bottom - least) & (4 * (second_low - v) > second_low - black - 4)
        near[x] = np.uint8(hot | cold)
        count += np.int32(hot | cold)
    return count


@njit(nogil=True, cache=True)
def _looked_at(mosaic, y, start, near, black, slope, offset, found, values):
    """Marks those of the sites that :func:`_quick` marked, from column ``start`` on, that are hot or cold; how many there are."""
    count = 0
    for k in range(near.size):
        if near[k] == 0:
            continue
        x = start + k
        v = np.int32(mosaic[y, x])
        left, right = np.int32(mosaic[y, x - 2]), np.int32(mosaic[y, x + 2])
        up, down = np.int32(mosaic[y - 2, x]), np.int32(mosaic[y + 2, x])
        b = black[y & 1, x & 1]
        n1, n2 = np.int32(mosaic[y - 2, x - 2]), np.int32(mosaic[y - 2, x + 2])
        n3, n4 = np.int32(mosaic[y + 2, x - 2]), np.int32(mosaic[y + 2, x + 2])
        high, second_high, low, second_low = np.int32(-1), np.int32(-1), np.int32(1 << 20), np.int32(1 << 20)
        total = np.int32(0)
        for n in (left, right, up, down, n1, n2, n3, n4):
            total += n
            if n > high:
                high, second_high = n, high
            elif n > second_high:
                second_high = n
            if n < low:
                low, second_low = n, low
            elif n < second_low:
                second_low = n
        mean = (total - high - low) / 6.0
        # where the neighbours themselves differ there is drawing, or more noise than the model knows
        spread = SPREADS * (second_high - second_low)
        deviation = max(DEVIATIONS * np.sqrt(max(slope * max(mean - b, 0.0) + offset, 1.0)), spread)
        beside = (
            np.int32(mosaic[y, x - 1]) + np.int32(mosaic[y, x + 1]) + np.int32(mosaic[y - 1, x]) + np.int32(mosaic[y + 1, x])
        ) / 4.0
        around = (
            np.int32(mosaic[y - 1, x - 2])
            + np.int32(mosaic[y - 1, x + 2])
            + np.int32(mosaic[y + 1, x - 2])
            + np.int32(mosaic[y + 1, x + 2])
        ) / 4.0
        explained = deviation / DEVIATIONS
        brightest = max(
            max(np.int32(mosaic[y, x - 1]), np.int32(mosaic[y, x + 1])),
            max(np.int32(mosaic[y - 1, x]), np.int32(mosaic[y + 1, x])),
        )
        alone_hot = (beside - around < BESIDE * (v - mean) + 0.7 * explained) & (
            brightest - around < BESIDE * (v - mean) + 2.2 * explained
        )
        alone_cold = around - beside < 0.25 * (mean - v)
        is_hot = (v - second_high > deviation) & (v - second_high > 0.25 * (v - b)) & alone_hot
        is_cold = (second_low - v > deviation) & (second_low - v > 0.25 * (mean - b)) & alone_cold
        if is_hot or is_cold:
            found[y, x] = 1
            values[y, x] = np.uint16(mean + 0.5)
            count += 1
    return count


@njit(parallel=True, nogil=True, cache=True)
def _find(mosaic, black, slope, offset, found, values, counts):
    height, width = mosaic.shape
    least = np.int32(DEVIATIONS * np.sqrt(max(offset, 1.0)))
    for y in prange(2, height - 2):
        near, count, higher = np.empty(PART, np.uint8), 0, np.int32(black[y & 1].max())
        for start in range(2, width - 2, PART):
            end = min(start + PART, width - 2)
            above, below = mosaic[y - 2, start:end], mosaic[y + 2, start:end]
            part = near[: end - start]
            if _quick(above, mosaic[y, start - 2 : end + 2], below, least, higher, part) == 0:
                continue
            count += _looked_at(mosaic, y, start, part, black, slope, offset, found, values)
        counts[y] = count


def hot_sites(
    mosaic: NDArray[np.uint16], black: NDArray[np.float64], white: float, slope: float, offset: float
) -> tuple[NDArray[np.intp], NDArray[np.uint16]]:
    """Places (n, 2) as y, x of hot and cold sites of a Bayer mosaic, from top to bottom, and the mean (n,) of each one's
    neighbours, which is to stand for it.

    ``slope`` and ``offset`` are the noise model's, for white at 1.
    """
    span = white - float(black.mean())
    found, values = np.zeros(mosaic.shape, np.uint8), np.empty_like(mosaic)
    counts = np.zeros(len(mosaic), np.int64)
    _find(mosaic, np.ascontiguousarray(black, np.float64), slope * span, offset * span * span, found, values, counts)
    # only rows that have any: looking through all takes longer than the search
    rows = [np.stack(np.broadcast_arrays(y, np.flatnonzero(found[y])), 1) for y in np.flatnonzero(counts)]
    places = np.concatenate([np.zeros((0, 2), np.intp), *rows])
    return places, values[places[:, 0], places[:, 1]]


def replaced(
    mosaic: NDArray[np.uint16], places: NDArray[np.intp], values: NDArray[np.uint16], y: int = 0, x: int = 0
) -> NDArray[np.uint16]:
    """A copy of a part of a mosaic that begins at (y, x) of it, with other values at places (n, 2) of the whole one."""
    rows, columns = mosaic.shape
    first, last = np.searchsorted(places[:, 0], (y, y + rows))
    there = (places[first:last, 1] >= x) & (places[first:last, 1] < x + columns)
    out = mosaic.copy()
    out[places[first:last, 0][there] - y, places[first:last, 1][there] - x] = values[first:last][there]
    return out
