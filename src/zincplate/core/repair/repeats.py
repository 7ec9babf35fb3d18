"""How far a picture repeats itself: translations under which much of it looks alike.

He & Sun, "Statistics of patch offsets for image completion", ECCV 2012: every patch of what is known is matched with its most
similar one at least some way off; the matches' translations heap up at few places. The matches are found by chance and spreading
(Barnes et al., "PatchMatch", SIGGRAPH 2009).
"""

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import INLINE, KERNEL

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]

HALF = 3
"""A patch has seven pixels along its side."""
_ROUNDS = 5


@njit(**INLINE)
def _unlike(features, channels, ay, ax, by, bx, stop):
    """Sum of squared differences of two patches; ends early beyond ``stop``. A patch's row is one piece of memory."""
    total, count = np.float32(0), (2 * HALF + 1) * channels
    first, other = (ax - HALF) * channels, (bx - HALF) * channels
    for j in range(-HALF, HALF + 1):
        one, two = features[ay + j, first : first + count], features[by + j, other : other + count]
        part = np.float32(0)
        for i in range(count):
            d = one[i] - two[i]
            part += d * d
        total += part
        if total >= stop:
            break
    return total


@njit(**KERNEL)
def _matches(features, whole, least, rounds, seed):
    """(h, w, 2) translation of the most similar patch found at least ``least`` away; (0, 0) where there is none. ``features``
    (h, w times channels) have all of a pixel side by side. Rows are shared out among bands that do not see each other, so
    that the answer does not depend on how many threads there are."""
    h, w = whole.shape
    channels = features.shape[1] // w
    found = np.zeros((h, w, 2), np.int32)
    costs = np.full((h, w), np.float32(3e38))
    bands = 8
    for band in prange(bands):
        state = np.uint64(seed * 7919 + band * 104729 + 12345)
        top, bottom = h * band // bands, h * (band + 1) // bands
        for turn in range(rounds):
            forward = turn % 2 == 0
            for row in range(top, bottom):
                y = row if forward else bottom - 1 - (row - top)
                for column in range(w):
                    x = column if forward else w - 1 - column
                    if not whole[y, x]:
                        continue
                    best, by, bx = costs[y, x], found[y, x, 0], found[y, x, 1]
                    step = -1 if forward else 1
                    for near in range(2):
                        ny, nx = (y + step, x) if near == 0 else (y, x + step)
                        if ny < top or ny >= bottom or nx < 0 or nx >= w or costs[ny, nx] > np.float32(1e38):
                            continue
                        dy, dx = found[ny, nx, 0], found[ny, nx, 1]
                        ty, tx = y + dy, x + dx
                        if 0 <= ty < h and 0 <= tx < w and whole[ty, tx]:
                            cost = _unlike(features, channels, y, x, ty, tx, best)
                            if cost < best:
                                best, by, bx = cost, dy, dx
                    reach = max(h, w)
                    tries = 0
                    while reach >= 1 or tries < 8:
                        state = state * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
                        ry = np.int64((state >> np.uint64(33)) % np.uint64(2 * max(reach, 1) + 1)) - max(reach, 1)
                        state = state * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
                        rx = np.int64((state >> np.uint64(33)) % np.uint64(2 * max(reach, 1) + 1)) - max(reach, 1)
                        dy, dx = (by + ry, bx + rx) if best < np.float32(1e38) else (ry, rx)
                        ty, tx = y + dy, x + dx
                        reach //= 2
                        tries += 1
                        if reach < 1 and best > np.float32(1e38) and tries < 8:
                            reach = max(h, w)
                        if dy * dy + dx * dx < least * least:
                            continue
                        if 0 <= ty < h and 0 <= tx < w and whole[ty, tx]:
                            cost = _unlike(features, channels, y, x, ty, tx, best)
                            if cost < best:
                                best, by, bx = cost, dy, dx
                    costs[y, x], found[y, x, 0], found[y, x, 1] = best, by, bx
    return found, costs


def translations(
    features: Float32, known: Bool, least: float, most: int, seed: int = 0
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """(n, 2) row and column translations, the commonest first, at most ``most``, none shorter than ``least`` pixels, and (n,)
    how many times as common as each the commonest is.

    ``features`` (n, h, w), what patches are compared by; ``known`` (h, w) is what may be looked at.
    """
    side = 2 * HALF + 1
    whole = cv2.erode(known.astype(np.uint8), np.ones((side, side), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=0) > 0
    if whole.sum() < 16:
        return np.zeros((0, 2), np.int64), np.zeros(0)
    by_pixel = np.ascontiguousarray(np.moveaxis(features, 0, -1)).reshape(features.shape[1], -1)
    found, costs = _matches(by_pixel, whole, float(least), _ROUNDS, seed)
    matched = whole & (costs < 1e38)
    offsets = found[matched]
    h, w = known.shape
    heap = np.zeros((2 * h + 1, 2 * w + 1), np.float32)
    np.add.at(heap, (offsets[:, 0] + h, offsets[:, 1] + w), 1)
    heap = cv2.GaussianBlur(heap, (0, 0), 1.4, borderType=cv2.BORDER_CONSTANT)
    # a way there is a way back
    heap = heap + heap[::-1, ::-1]
    peaks = (heap >= cv2.dilate(heap, np.ones((5, 5), np.uint8))) & (heap > 0)
    rows, columns = np.nonzero(peaks)
    order = np.argsort(-heap[rows, columns], kind="stable")[:most]
    counts = heap[rows[order], columns[order]].astype(np.float64)
    return np.stack([rows[order] - h, columns[order] - w], 1).astype(np.int64), counts.max(initial=1) / counts
