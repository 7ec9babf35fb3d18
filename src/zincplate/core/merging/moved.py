"""What moved between pictures of one subject: places where they differ by more than their noise can explain.

Pictures are compared two by two in their own light, each pixel against the variance that the sensor's noise gives it and against
what a tenth of a pixel of misplacing would do at its edges; of the differences only connected ones of some size count.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]
Mask = NDArray[np.bool_]

EDGE_PX = 0.35
"""Misplacing (of reduced pixels) that edges are forgiven."""
SHARE = 0.03
"""Relative difference that is forgiven everywhere: fall-off, flicker, rounding of exposure times."""
RIM_PX, BESIDE_SHARE, BESIDE_EDGE_PX = 4, 0.15, 1.0
"""How far what moved goes on beside clipped places, and the relative difference and misplacing that are forgiven there."""
LEAST = 3e-4
"""Of the picture: smaller connected differences are none."""
FEWEST_AS_BRIGHT = 200, 0.002
"""Places, and their share of all, to say how much they differ: what moved is not to be all that is as bright."""
OF_THE_USUAL = 5.0
"""Times the median difference of what is as bright (3.4 standard deviations of Gaussian ones)."""
AGREE = 0.06
"""Share of a region that may differ where two frames are said to show the same there."""


@dataclass(frozen=True)
class Region:
    """A part of the picture where something moved. Sizes are in reduced pixels."""

    number: int
    box: tuple[int, int, int, int]
    """x, y, width, height."""
    share: float
    """Of the whole picture."""
    base: int
    """The frame that counts here."""
    agreeing: tuple[int, ...]
    """Frames that show the same as it."""


@dataclass(frozen=True)
class Moved:
    """All that moved. ``labels`` (h, w): 0 is nothing, else a region's number; ``differs`` (n, n, h, w): which pairs differ."""

    labels: NDArray[np.int32]
    regions: tuple[Region, ...]
    differs: Mask


def moved(
    light: Float32,
    variance: Float32,
    shown: Mask,
    worth: Float32,
    strictness: float,
    base: dict[int, int],
    by_codes: bool = False,
    clipped: Mask | None = None,
    each: Callable[[Callable[[Any], Any], Iterable[Any]], Iterable[Any]] = map,
) -> Moved:
    """Compares frames laid on each other.

    ``light`` (n, h, w): linear light in one unit; ``variance`` (n, h, w) of it; ``shown`` (n, h, w): neither clipped nor outside,
    ``clipped``: inside, and at the end of what the frame can show;
    ``worth`` (n,): signal that each frame collected (relative exposure). ``strictness`` in standard deviations: lower finds more.
    ``base`` names the frame that counts in a region, by the region's number; elsewhere it is the one that most others agree with,
    of equals the one with the most light. ``by_codes``: what light codes stand for is known roughly, so that all that is as
    bright may differ by as much, and movement is what differs otherwise. ``each`` does a piece of work for each of many frames or
    pairs, in their order: several at once may be.
    """
    count, h, w = light.shape
    differs = np.zeros((count, count, h, w), bool)
    blown = np.zeros_like(shown) if clipped is None else clipped

    def prepared(i: int) -> tuple[Float32, Float32, Float32, Mask]:
        blurred = cv2.GaussianBlur(light[i], (0, 0), 1.0)
        along, down = (cv2.Sobel(blurred, cv2.CV_32F, *axis, scale=1 / 8) for axis in ((1, 0), (0, 1)))
        slope = cv2.magnitude(along, down)
        # the blur carries what is clipped into its surroundings
        unblown = cv2.erode(shown[i].astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        return blurred, cv2.dilate(slope, _CROSS), cv2.dilate(slope, _disc(5)), unblown

    soft, near_edges, about_edges, sound = zip(*each(prepared, range(count)), strict=True)

    def compared(pair: tuple[int, int]) -> Mask:
        i, j = pair
        both = sound[i] & sound[j]
        level = np.maximum(np.minimum(soft[i], soft[j]), 0)
        edge = EDGE_PX * np.minimum(near_edges[i], near_edges[j])
        # the blur leaves an eighth of the variance of white noise
        noise = np.sqrt((variance[i] + variance[j]) / 8 + 1e-18)
        usual, share = _usual(soft[i], soft[j], both) if by_codes else (np.float32(1), np.float32(SHARE))
        far = np.abs(soft[i] - usual * soft[j]) > strictness * noise + share * level + edge
        found = _clean(far & both)
        if not both.all():
            apart = light[i] - usual * light[j]
            # what is clipped has at least as much light as it shows
            also = (shown[i] & blown[j] & (apart < 0)) | (shown[j] & blown[i] & (apart > 0))
            told = (shown[i] & shown[j]) | also
            noise = np.sqrt(variance[i] * shown[i] + variance[j] * shown[j] + 1e-18)
            apart = np.abs(apart) - strictness * noise - (BESIDE_SHARE + share) * np.maximum(light[i], light[j])
            # bars of a window stand in both; what is clipped has no edges of its own
            steep = about_edges[i], about_edges[j]
            steep_at = np.where(also, np.where(shown[i], *steep), np.minimum(*steep))
            found |= _clean((apart > BESIDE_EDGE_PX * steep_at) & told & ~both)
            # the rim of somebody dark before what is clipped belongs to him
            near = cv2.dilate(found.astype(np.uint8), _disc(2 * RIM_PX + 1)) > 0
            found |= near & (apart > 0) & told & ~both
        return found

    pairs = [(i, j) for i in range(count) for j in range(i)]
    for (i, j), found in zip(pairs, each(compared, pairs), strict=True):
        differs[i, j] = differs[j, i] = found
    any_pair: Mask = np.asarray(differs.any((0, 1)))
    grown = cv2.morphologyEx(any_pair.astype(np.uint8), cv2.MORPH_CLOSE, _disc(9))
    number, labels, statistics, _ = cv2.connectedComponentsWithStats(grown, connectivity=8)
    regions: list[Region] = []
    kept = np.zeros_like(labels)
    for region in range(1, number):
        x, y, width, height, area = (int(v) for v in statistics[region])
        if area < LEAST * h * w:
            continue
        box = np.s_[y : y + height, x : x + width]
        inside = labels[box] == region
        if not (any_pair[box] & inside).sum() > 0.3 * LEAST * h * w:
            continue
        name = len(regions) + 1
        kept[box][inside] = name
        share = np.array([[float(differs[i, j][box][inside].mean()) for j in range(count)] for i in range(count)])
        seen = np.array([float(shown[i][box][inside].mean()) for i in range(count)])
        friends = [tuple(j for j in range(count) if j != i and share[i, j] < AGREE and seen[j] > 0.3) for i in range(count)]
        able = [i for i in range(count) if seen[i] >= seen.max() - 0.05]
        chosen = base.get(name, max(able, key=lambda i: (len(friends[i]), float(worth[i]))))
        regions.append(Region(name, (x, y, width, height), area / (h * w), chosen, friends[chosen]))
    return Moved(kept, tuple(regions), differs)


def _usual(first: Float32, second: Float32, both: Mask) -> tuple[Float32, Float32]:
    """How much brighter places as bright as each place are in the first of two pictures, in the median, and the share of light by
    which they differ from that; (h, w) each."""
    a, b = (np.log2(np.maximum(p, np.float32(1e-6))) for p in (first, second))
    level = (a + b) / 2
    at, ratio = level[both], (a - b)[both]
    rows = []
    fewest = max(FEWEST_AS_BRIGHT[0], FEWEST_AS_BRIGHT[1] * at.size)
    for low in np.arange(np.floor(at.min()), at.max(), 0.5) if at.size else ():
        inside = ratio[(at >= low) & (at < low + 0.5)]
        if inside.size >= fewest:
            middle = float(np.median(inside))
            rows.append((low + 0.25, middle, float(np.median(np.abs(inside - middle)))))
    if not rows:
        return np.float32(1) + 0 * first, np.float32(SHARE) + 0 * first
    where, middles, spreads = np.array(rows).T
    usual = 2.0 ** np.interp(level, where, middles)
    share = np.maximum(SHARE, OF_THE_USUAL * np.log(2) * np.interp(level, where, spreads))
    return usual.astype(np.float32), share.astype(np.float32)


def allowed(found: Moved, frames: int) -> Float32:
    """(n, h, w) how much of each frame counts, 0..1: everywhere all of it, in a region only where it agrees with the region's
    base, with soft edges."""
    out = np.ones((frames, *found.labels.shape), np.float32)
    for region in found.regions:
        inside = cv2.dilate((found.labels == region.number).astype(np.uint8), _disc(7))
        for i in range(frames):
            if i == region.base:
                continue
            if i in region.agreeing:
                away = cv2.dilate((found.differs[i, region.base] & (inside > 0)).astype(np.uint8), _disc(7))
            else:
                away = inside
            out[i] *= 1 - away
    return np.stack([cv2.GaussianBlur(p, (0, 0), 1.5) for p in out])


_CROSS = np.ones((3, 3), np.uint8)


def _disc(size: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)), np.uint8)


def _clean(mask: Mask) -> Mask:
    return np.asarray(cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, _CROSS) > 0)
