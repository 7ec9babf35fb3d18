"""Where a spot is best taken from: places whose surroundings go on as those of the spot do, and which are clean inside.

Scores follow the exemplar idea (Criminisi, Perez & Toyama, "Region filling and object removal by exemplar-based image
inpainting", IEEE TIP 13, 2004): the ring about the spot is compared with the ring about every other place near it, by
correlation. A difference of light counts little, since healing takes it away; texture and edges that do not meet count in
full.
"""

from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]

COMPARED_PX = 36
"""A larger spot is compared on a smaller picture."""
NEVER = 1e30
MEETS_PX = 7
"""Within this square about its pixels a spot has to meet what it is taken from."""
LIGHT_COUNTS = 0.12
NEARER = 0.02
"""Cost, in the ring's own variance, of a way as long as the spot."""


def candidates(roots: Float32, spot: Bool, usable: Bool, most: int = 12) -> list[tuple[int, int, float]]:
    """Rows and columns from the spot to where it may be taken from, and a cost each, the best first.

    ``roots`` (3, h, w): the spot and its surroundings in roots of light; ``spot`` (h, w); ``usable`` (h, w): what may be taken.
    Empty when nothing fits.
    """
    ys, xs = np.nonzero(spot)
    if not len(ys):
        return []
    size = max(int(np.ptp(ys)), int(np.ptp(xs))) + 1
    factor = max(int(np.ceil(size / COMPARED_PX)), 1)
    planes, small, free = _reduced(roots, spot, usable, factor)
    found = _scored(planes, small, free, most)
    ring = (cv2.dilate(spot.astype(np.uint8), np.ones((MEETS_PX, MEETS_PX), np.uint8)) > 0) & ~spot
    # how many before each column of a row cannot be taken, and the spot as runs of columns
    blocked = np.zeros((spot.shape[0], spot.shape[1] + 1), np.int32)
    np.cumsum(~usable | spot, axis=1, out=blocked[:, 1:])
    edges = np.diff(np.pad(spot, ((0, 0), (1, 1))).astype(np.int8), axis=1)
    (rows, firsts), (_, ends) = np.nonzero(edges > 0), np.nonzero(edges < 0)
    runs = np.stack([rows, firsts, ends], 1)
    where = (np.ascontiguousarray(roots, np.float32), blocked, *np.nonzero(ring), runs)
    return [(*_refined(where, dy * factor, dx * factor, factor), cost) for dy, dx, cost in found]


def _reduced(roots: Float32, spot: Bool, usable: Bool, factor: int) -> tuple[Float32, Bool, Bool]:
    if factor == 1:
        return roots, spot, usable & ~spot
    h, w = (s // factor * factor for s in spot.shape)
    small = np.asarray(_cells(spot, h, w, factor).any((-3, -1)), np.bool_)
    free = np.asarray(_cells(usable & ~spot, h, w, factor).all((-3, -1)), np.bool_)
    return np.ascontiguousarray(_cells(roots, h, w, factor).mean((-3, -1)), np.float32), small, free & ~small


def _cells(planes: NDArray[Any], h: int, w: int, factor: int) -> NDArray[Any]:
    return planes[..., :h, :w].reshape(*planes.shape[:-2], h // factor, factor, w // factor, factor)


def _scored(roots: Float32, spot: Bool, free: Bool, most: int) -> list[tuple[int, int, float]]:
    ys, xs = np.nonzero(spot)
    radius = max(int(np.ptp(ys)), int(np.ptp(xs)), 1) / 2 + 0.5
    width = int(np.ceil(max(radius * 0.6, 2)))
    top, bottom, left, right = ys.min() - width, ys.max() + width + 1, xs.min() - width, xs.max() + width + 1
    h, w = spot.shape
    # the whole template with its ring, as far as the arrays go
    rows, columns = np.arange(top, bottom), np.arange(left, right)
    there = ((rows >= 0) & (rows < h))[:, None] & ((columns >= 0) & (columns < w))
    at = np.ix_(np.clip(rows, 0, h - 1), np.clip(columns, 0, w - 1))
    inner = spot[at] & there
    size = 2 * width + 1
    ring = cv2.dilate(inner.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))) > 0
    ring &= ~inner & there & free[at]
    if ring.sum() < 4:
        return []
    mask, hole = ring.astype(np.float32), inner.astype(np.float32)
    count = float(mask.sum())
    anchor = (int(xs.min() - left), int(ys.min() - top))

    def sum_of(plane: Float32, kernel: Float32) -> Float32:
        reached = cv2.filter2D(plane, cv2.CV_32F, kernel, anchor=anchor, borderType=cv2.BORDER_REFLECT)
        return np.asarray(reached, np.float32)

    unlike, light, fine = np.zeros((3, h, w), np.float32)
    variance = 0.0
    for plane in roots:
        middle = float(plane[at][ring].mean())
        p = plane - np.float32(middle)
        kernel = np.where(ring, p[at], 0).astype(np.float32)
        own = float((kernel**2).sum())
        s1, s2 = sum_of(p, mask), sum_of(p * p, mask)
        squared = np.maximum(own - 2 * sum_of(p, kernel) + s2, 0)
        shifted = np.square(float(kernel.sum()) - s1) / count
        unlike += np.maximum(squared - shifted, 0) / count
        light += shifted / count
        variance += own / count
        rest = p - cv2.GaussianBlur(p, (0, 0), max(radius / 3, 1.2))
        fine += rest * rest
    activity = sum_of(fine, hole) / max(float(hole.sum()), 1.0)
    usual = float(fine[at][ring].mean())
    busy = np.square(np.sqrt(np.maximum(activity, 0)) - np.sqrt(usual))
    floor = max(variance, usual, 1e-9)
    cy, cx = int(ys.min()), int(xs.min())
    dy, dx = np.arange(h)[:, None] - cy, np.arange(w)[None] - cx
    far = np.hypot(dy, dx)
    cost = unlike + LIGHT_COUNTS * light + busy + NEARER * floor * far / (2 * radius)
    taken = sum_of((~free).astype(np.float32), hole) > 0.5
    outside = (dy + ys.max() >= h) | (dx + xs.min() < 0) | (dx + xs.max() >= w)
    blocked = taken | outside
    cost = np.where(blocked, np.inf, cost)
    found: list[tuple[int, int, float]] = []
    while len(found) < most:
        y, x = np.unravel_index(int(np.argmin(cost)), cost.shape)
        best = float(cost[y, x])
        if not np.isfinite(best):
            break
        found.append((int(y) - cy, int(x) - cx, best / floor))
        cost[np.hypot(np.arange(h)[:, None] - y, np.arange(w)[None] - x) < max(radius, 2)] = np.inf
    return found


@njit(**KERNEL)
def _costs_about(roots, blocked, ys, xs, runs, dy, dx, step, out):
    """(9,) how badly the ring about a spot meets what a translation leads it to, for a way and those ``step`` beside it; NEVER
    where the spot cannot be taken from there."""
    _, h, w = roots.shape
    for n in prange(9):
        oy, ox = dy + step * (n // 3 - 1), dx + step * (n % 3 - 1)
        out[n] = NEVER
        good = True
        for k in range(len(runs)):
            y, first, end = runs[k, 0] + oy, runs[k, 1] + ox, runs[k, 2] + ox
            if y < 0 or y >= h or first < 0 or end > w or blocked[y, end] != blocked[y, first]:
                good = False
                break
        if not good:
            continue
        count = 0
        means = np.zeros(3)
        squares = np.zeros(3)
        for k in range(len(ys)):
            y, x = ys[k] + oy, xs[k] + ox
            if y < 0 or y >= h or x < 0 or x >= w:
                continue
            count += 1
            for c in range(3):
                d = np.float64(roots[c, ys[k], xs[k]] - roots[c, y, x])
                means[c] += d
                squares[c] += d * d
        if count < 4:
            continue
        total = 0.0
        for c in range(3):
            total += squares[c] / count - (means[c] / count) ** 2
        # staying where it is wins when all are alike
        out[n] = max(total, 0.0) / 3 * (0.98 if n == 4 else 1.0)


def _refined(where: tuple[Any, ...], dy: int, dx: int, factor: int) -> tuple[int, int]:
    """The same way to the pixel: edges on both sides of a border have to meet. ``where`` begins :func:`_costs_about`."""
    step = factor
    costs = np.empty(9)
    while True:
        _costs_about(*where, dy, dx, step, costs)
        best = int(costs.argmin()) if costs.min() < NEVER else 4
        if best == 4 or costs[best] >= costs[4]:
            if step == 1:
                return dy, dx
            step = max(step // 2, 1)
        else:
            dy, dx = dy + step * (best // 3 - 1), dx + step * (best % 3 - 1)
