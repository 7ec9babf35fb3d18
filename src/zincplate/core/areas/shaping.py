"""What is done to a whole area: growing and shrinking, softening, drawing its edges to those of the picture, and its joins."""

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL, load
from zincplate.core.tone.low_planes import Moments, guided

Float32 = NDArray[np.float32]

MOST_AT_ONCE = 12
"""Samples by which an area is grown in one go; disks of more are put together from smaller ones, which makes their outline a
polygon of no fewer sides."""
FINE_RADIUS, FOUND_RADIUS, FINE_EPSILON_EV2 = 2, 5, 0.004
"""The guided filter that carries what was found on a small picture to a large one."""
ROWS, WIDTH = 32, 1024
"""The most of an area that is carried at a time: what it is read from stays in the nearest cache."""
RESIDUE = np.float32(1 / 512)
"""Cover that is a trace of filtering."""
CLING_EPSILON_EV2 = 0.02
LEAST_DISTANCE = 0.1
"""Of samples: an edge that runs out over less is as it was."""
LEAST_CLING, MOST_CLING = 3, 26
"""Radius in samples of the small picture over which edges are looked for."""


@njit(**KERNEL)
def _join(area, part, join, strength, inverted):
    height, width = area.shape
    o = np.float32(1)
    for y in prange(height):
        line, given = area[y], part[y]
        for x in range(width):
            w = (o - given[x] if inverted else given[x]) * strength
            if join == 0:
                line[x] = max(line[x], w)
            elif join == 1:
                line[x] *= o - w
            else:
                line[x] *= o - strength + w


JOINS = {"add": 0, "without": 1, "only": 2}


def joined(area: Float32 | None, part: Float32, join: str, strength: float, inverted: bool) -> Float32:
    """An area with one more term: added (the greater of both), taken away, or kept only where both are (a weak "only" narrows
    weakly). Before the first term there is nothing to add to and everything to take away from. ``area`` is written to, and what
    is returned for a first term may be ``part`` itself."""
    if area is None and join == "add":
        if strength == 1 and not inverted:
            return part
        return np.asarray((1 - part if inverted else part) * np.float32(strength), np.float32)
    if area is None:
        area = np.ones_like(part)
    _join(area, part, JOINS[join], np.float32(strength), inverted)
    return area


@njit(**KERNEL)
def carried(a, b, guide, x0, y0, step_x, step_y, out):
    """a * guide + b, kept in 0..1; ``a`` and ``b`` are small planes that are read between their samples, the first at (``x0``,
    ``y0``) samples, further ones by steps."""
    small_height, small_width = a.shape
    height, width = out.shape
    z, o = np.float32(0), np.float32(1)
    columns, shares = np.empty(width, np.int32), np.empty(width, np.float32)
    for x in range(width):
        u = min(max(x0 + x * step_x, 0.0), small_width - 1.0)
        columns[x] = min(int(u), max(small_width - 2, 0))
        shares[x] = u - columns[x]
    across = (width + WIDTH - 1) // WIDTH
    for part in prange((height + ROWS - 1) // ROWS * across):
        top, left = np.int64(part) // across * ROWS, np.int64(part) % across * WIDTH
        bottom, stop = min(top + ROWS, height), min(left + WIDTH, width)
        n, cols, shs = stop - left, columns[left:stop], shares[left:stop]
        begin, end = cols[0], min(cols[n - 1] + 2, small_width)
        row = np.zeros(small_width + 1, np.float32)
        # the two rows of small planes about a row, at the width of the part, and whether there is something in them
        wide, held, some = np.empty((2, 2, n), np.float32), np.full(2, -1, np.int32), np.zeros(2, np.bool_)
        for y in range(top, bottom):
            v = min(max(y0 + y * step_y, 0.0), small_height - 1.0)
            j = np.int32(v)
            k = min(np.int32(j + 1), np.int32(small_height - 1))
            fv = np.float32(v - j)
            for there in (j, k):
                slot = there & 1
                if held[slot] == there:
                    continue
                held[slot], some[slot] = there, False
                for m in range(2):
                    small = a[there] if m == 0 else b[there]
                    for i in range(begin, end):
                        row[i] = small[i]
                        some[slot] |= small[i] != z
                    for x in range(n):
                        i = cols[x]
                        value = load(row, i)
                        wide[slot, m, x] = value + (load(row, np.int32(i + np.int32(1))) - value) * shs[x]
            line, target = guide[y, left:stop], out[y, left:stop]
            if not (some[j & 1] | some[k & 1]):
                # nothing comes of nothing: most areas are a part of the picture
                target[:] = z
                continue
            a_up, b_up, a_down, b_down = wide[j & 1, 0], wide[j & 1, 1], wide[k & 1, 0], wide[k & 1, 1]
            for x in range(n):
                slope = a_up[x] + (a_down[x] - a_up[x]) * fv
                target[x] = min(max(slope * line[x] + b_up[x] + (b_down[x] - b_up[x]) * fv, z), o)


def shaped(area: Float32, close: float, smooth: float, grow: float) -> Float32:
    """An area (h, w) with gaps closed, its outline smoothed, and grown or shrunk: by samples, in this order."""
    if close > 0:
        area = grown(grown(area, close / 2), -close / 2)
    if smooth > 0:
        # blurred, and as steep again as it was: small teeth are gone, a straight edge is where it was
        area = np.clip((softened(area, 2 * smooth) - np.float32(0.5)) * np.float32(4) + np.float32(0.5), 0, 1)
    return grown(area, grow)


def disk(radius: int) -> NDArray[np.uint8]:
    """Samples whose middle is no farther from the middle one than ``radius``."""
    y, x = np.ogrid[-radius : radius + 1, -radius : radius + 1]
    return np.asarray(x * x + y * y <= radius * radius, np.uint8)


def grown(area: Float32, radius: float) -> Float32:
    """The greatest value within ``radius`` samples (grey dilation by a disk); a negative radius takes the least. Parts of a
    sample are a blend of the two radii around."""
    if radius == 0:
        return area
    size = abs(radius)
    low = int(size)
    share = np.float32(size - low)
    act = cv2.dilate if radius > 0 else cv2.erode

    def by(whole: int) -> Float32:
        out = area
        while whole > 0:
            once = min(whole, MOST_AT_ONCE)
            out = np.asarray(act(out, disk(once), borderType=cv2.BORDER_REPLICATE), np.float32)
            whole -= once
        return out

    first = by(low)
    return first if share < 1e-3 else np.asarray(first + (by(low + 1) - first) * share, np.float32)


def softened(area: Float32, distance: float) -> Float32:
    """Edges that run out over ``distance`` samples: a Gaussian of half that deviation, so that at half the distance inside a
    straight edge 84 % are reached, and 98 % at the distance."""
    if distance < LEAST_DISTANCE:
        return area
    return np.asarray(cv2.GaussianBlur(area, (0, 0), distance / 2, borderType=cv2.BORDER_REPLICATE), np.float32)


def fine(area: Float32, guide_ev: Float32, radius: int = FINE_RADIUS, moments: Moments | None = None) -> tuple[Float32, Float32]:
    """Coefficients (a, b) by which an area of a small picture is carried to any size: a * guide + b (guided filter, He 2013).

    What the filter leaves in places where nothing was found, and takes away where all was, is taken off: less than RESIDUE."""
    a, b = guided(guide_ev, area, radius, FINE_EPSILON_EV2, moments)
    something = np.float32(RESIDUE) * ((a != 0) | (b != 0))
    a *= np.float32(1 + 2 * RESIDUE)
    b *= np.float32(1 + 2 * RESIDUE)
    b -= something
    return a, b


def clinging(area: Float32, guide_ev: Float32, cling: float) -> tuple[Float32, Float32]:
    """The same with edges looked for over a distance that grows with ``cling`` (0..1)."""
    radius = round(LEAST_CLING * (MOST_CLING / LEAST_CLING) ** cling)
    return guided(guide_ev, area, radius, CLING_EPSILON_EV2 * (1 - 0.9 * cling))
