"""Which pixel of the surroundings goes to which place of a hole: one translation for each, with seams where they show least.

Pritch, Kav-Venaki & Peleg, "Shift-map image editing", ICCV 2009, with the translations of He & Sun (2012): the labelling that
costs least is drawn near by expansions (Boykov, Veksler & Zabih, "Fast approximate energy minimization via graph cuts", PAMI 23,
2001) on a small picture and then carried from size to size, where translations find their pixel and seams move a little.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import INLINE, KERNEL
from zincplate.core.repair.max_flow import smallest_cut

Float32 = NDArray[np.float32]
Int = NDArray[np.int64]
Bool = NDArray[np.bool_]

UNKNOWN = np.float32(1e9)
"""Value of a feature that cannot be told; it is not compared."""
RING = 4
"""Pixels outside the hole that what lies inside it has to go with."""
_UNITS = 4096.0
_NEVER = np.float32(1e6)
_BLIND = np.float32(4.0)
"""Cost of a seam one side of which cannot be seen."""
SWEEPS = 2


@dataclass
class Problem:
    """A hole at one size. ``features`` (n, h, w) are compared, ``UNKNOWN`` in all of them where the picture does not go;
    ``source`` says what may be taken, ``hole`` where it goes."""

    features: Float32
    hole: Bool
    source: Bool


@njit(**INLINE)
def _apart(features, ay, ax, by, bx):
    total = np.float32(0)
    for c in range(features.shape[0]):
        difference = abs(features[c, ay, ax] - features[c, by, bx])
        total += difference if difference < UNKNOWN / 2 else np.float32(0)
    return total


@njit(**INLINE)
def _takes(source, y, x):
    h, w = source.shape
    return 0 <= y < h and 0 <= x < w and source[y, x]


@njit(**INLINE)
def _seam_end(features, source, y, x, ay, ax, by, bx):
    """How unlike two translations are at one end of a pair of neighbours."""
    if not _takes(source, y + ay, x + ax) or not _takes(source, y + by, x + bx):
        return _BLIND
    return _apart(features, y + ay, x + ax, y + by, x + bx)


@njit(**INLINE)
def _seam(features, source, y, x, v, u, ay, ax, by, bx):
    """Cost of translation a at (y, x) beside b at (v, u)."""
    if ay == by and ax == bx:
        return np.float32(0)
    return _seam_end(features, source, y, x, ay, ax, by, bx) + _seam_end(features, source, v, u, ay, ax, by, bx)


@njit(**INLINE)
def _data(features, hole, source, y, x, dy, dx):
    """Cost of a translation at a place of the hole: what its surroundings would say outside the hole."""
    h, w = hole.shape
    if not _takes(source, y + dy, x + dx):
        return _NEVER
    total, weight = np.float32(0), np.float32(0)
    for j in range(max(y - RING, 0), min(y + RING + 1, h)):
        for i in range(max(x - RING, 0), min(x + RING + 1, w)):
            if hole[j, i] or features[0, j, i] > UNKNOWN / 2:
                continue
            near = np.float32((j - y) * (j - y) + (i - x) * (i - x))
            if near > RING * RING:
                continue
            share = np.exp(-near / np.float32(5.0))
            weight += share
            if _takes(source, j + dy, i + dx):
                total += share * _apart(features, j, i, j + dy, i + dx)
            else:
                total += share * _BLIND
    return np.float32(2) * total / max(weight, np.float32(1)) * min(weight, np.float32(2)) if weight > 0 else np.float32(0)


@njit(**KERNEL)
def _data_of(features, hole, source, top, left, dy, dx, out):
    """Of a part of the arrays that begins at a row and a column."""
    h, w = out.shape
    for j in prange(h):
        y = top + j
        for i in range(w):
            x = left + i
            out[j, i] = _data(features, hole, source, y, x, dy, dx) if hole[y, x] else np.float32(0)


@njit(**KERNEL)
def _edges(features, hole, source, top, left, labels, offsets, one, now, take, capacity, ends):
    """Capacities for the choice between what is there and one translation. ``features`` and ``source`` are whole, all others a
    part of them that begins at a row and a column."""
    h, w = hole.shape
    for y in prange(h):
        for x in range(w):
            i = y * w + x
            for d in range(4):
                capacity[d, i] = 0
            ends[i] = 0
    unit = np.float32(_UNITS)
    oy, ox = offsets[one, 0], offsets[one, 1]
    for parity in range(2):
        # rows of one parity write to the row below them: never two threads to one pixel
        for half in prange((h + 1) // 2):
            y = 2 * half + parity
            if y >= h:
                continue
            for x in range(w):
                if not hole[y, x]:
                    continue
                i = y * w + x
                ends[i] += np.int32((min(take[y, x], np.float32(2e4)) - min(now[y, x], np.float32(2e4))) * unit)
                a = labels[y, x]
                for d in (0, 2):
                    v, u = (y, x + 1) if d == 0 else (y + 1, x)
                    if v >= h or u >= w or not hole[v, u]:
                        continue
                    j = v * w + u
                    b = labels[v, u]
                    ay, ax, by, bx = offsets[a, 0], offsets[a, 1], offsets[b, 0], offsets[b, 1]
                    yy, xx, vv, uu = top + y, left + x, top + v, left + u
                    both = _seam(features, source, yy, xx, vv, uu, ay, ax, by, bx)
                    second = _seam(features, source, yy, xx, vv, uu, ay, ax, oy, ox)
                    first = _seam(features, source, yy, xx, vv, uu, oy, ox, by, bx)
                    ends[i] += np.int32((first - both) * unit)
                    ends[j] -= np.int32(first * unit)
                    capacity[d, i] += np.int32(max(second + first - both, np.float32(0)) * unit)


def chosen(problem: Problem, offsets: Int, prior: NDArray[np.float64], seed: int = 0) -> NDArray[np.int32]:
    """(h, w) number of the translation for every pixel of the hole.

    ``prior`` (n,): what each translation costs anywhere. Every pixel of the hole has to have one translation at least that
    leads to what may be taken.
    """
    features, source = problem.features, problem.source
    # a hole is a small part of what is looked at
    rows, columns = np.flatnonzero(problem.hole.any(1)), np.flatnonzero(problem.hole.any(0))
    top, left = int(rows[0]), int(columns[0])
    part = slice(top, int(rows[-1]) + 1), slice(left, int(columns[-1]) + 1)
    hole = np.ascontiguousarray(problem.hole[part])
    h, w = hole.shape
    costs = np.empty((len(offsets), h, w), np.float32)
    for k, (dy, dx) in enumerate(offsets):
        _data_of(features, problem.hole, source, top, left, dy, dx, costs[k])
        costs[k] += np.float32(prior[k])
    labels = costs.argmin(0).astype(np.int32)
    rng = np.random.default_rng(seed)
    capacity, ends = np.empty((4, h * w), np.int32), np.empty(h * w, np.int32)
    for _ in range(SWEEPS):
        changed = 0
        for one in rng.permutation(len(offsets)):
            now = np.take_along_axis(costs, labels[None], 0)[0]
            _edges(features, hole, source, top, left, labels, offsets, one, now, costs[one], capacity, ends)
            side = smallest_cut(capacity, ends, w).reshape(h, w) & hole & (costs[one] < _NEVER)
            changed += int((side & (labels != one)).sum())
            labels[side] = one
        if changed == 0:
            break
    out = np.full(problem.hole.shape, int(np.argmin(prior)), np.int32)
    out[part] = labels
    return out


@njit(**KERNEL)
def _label_cost(features, hole, source, labels, offsets, ys, xs, edges, one, deltas, out):
    """Cost of one translation moved by each of ``deltas``: along its border (``edges`` of its places), and where it leads
    nowhere."""
    h, w = hole.shape
    oy, ox = offsets[one, 0], offsets[one, 1]
    for n in prange(len(deltas)):
        ay, ax = oy + deltas[n, 0], ox + deltas[n, 1]
        total = np.float32(0)
        for k in range(len(ys)):
            y, x = ys[k], xs[k]
            if not _takes(source, y + ay, x + ax):
                total += np.float32(2) * _BLIND
                continue
            if not edges[k]:
                continue
            for d in range(4):
                v = y + (1 if d == 2 else -1 if d == 3 else 0)
                u = x + (1 if d == 0 else -1 if d == 1 else 0)
                if v < 0 or v >= h or u < 0 or u >= w:
                    continue
                if not hole[v, u]:
                    if features[0, v, u] > UNKNOWN / 2:
                        continue
                    if _takes(source, v + ay, u + ax):
                        total += np.float32(2) * _apart(features, v, u, v + ay, u + ax)
                    else:
                        total += _BLIND
                elif labels[v, u] != one:
                    b = labels[v, u]
                    total += _seam(features, source, y, x, v, u, ay, ax, offsets[b, 0], offsets[b, 1])
        out[n] = total


@njit(nogil=True, cache=True)
def _places(labels, hole, count):
    """Rows and columns of the hole, those of each label together, whether a neighbour is something else, and where each label
    begins."""
    h, w = hole.shape
    firsts = np.zeros(count + 1, np.int64)
    for y in range(h):
        for x in range(w):
            if hole[y, x]:
                firsts[labels[y, x] + 1] += 1
    for k in range(count):
        firsts[k + 1] += firsts[k]
    at = firsts[:-1].copy()
    ys, xs = np.empty(firsts[-1], np.int32), np.empty(firsts[-1], np.int32)
    edges = np.empty(firsts[-1], np.bool_)
    for y in range(h):
        for x in range(w):
            if hole[y, x]:
                k = labels[y, x]
                edge = False
                for d in range(4):
                    v = y + (1 if d == 2 else -1 if d == 3 else 0)
                    u = x + (1 if d == 0 else -1 if d == 1 else 0)
                    if 0 <= v < h and 0 <= u < w:
                        edge = edge or not hole[v, u] or labels[v, u] != k
                ys[at[k]], xs[at[k]], edges[at[k]] = y, x, edge
                at[k] += 1
    return ys, xs, edges, firsts


@njit(nogil=True, cache=True)
def _settle(features, hole, source, labels, offsets, rounds):
    """Moves seams where a neighbour's translation costs less, and gives places whose own leads nowhere one that does."""
    h, w = hole.shape
    changed = 0
    for turn in range(rounds):
        changed = 0
        for row in range(h):
            y = row if turn % 2 == 0 else h - 1 - row
            for column in range(w):
                x = column if turn % 2 == 0 else w - 1 - column
                if not hole[y, x]:
                    continue
                mine = labels[y, x]
                border, ring = False, False
                for d in range(4):
                    v = y + (1 if d == 2 else -1 if d == 3 else 0)
                    u = x + (1 if d == 0 else -1 if d == 1 else 0)
                    if 0 <= v < h and 0 <= u < w:
                        if not hole[v, u]:
                            ring = True
                        elif labels[v, u] != mine:
                            border = True
                if not border:
                    continue
                best, cost = mine, np.float32(3e38)
                for choice in range(5):
                    k = mine
                    if choice:
                        d = choice - 1
                        v = y + (1 if d == 2 else -1 if d == 3 else 0)
                        u = x + (1 if d == 0 else -1 if d == 1 else 0)
                        if not (0 <= v < h and 0 <= u < w) or not hole[v, u] or labels[v, u] == mine:
                            continue
                        k = labels[v, u]
                    ay, ax = offsets[k, 0], offsets[k, 1]
                    if not _takes(source, y + ay, x + ax):
                        total = _NEVER
                    else:
                        total = _data(features, hole, source, y, x, ay, ax) if ring else np.float32(0)
                        for d in range(4):
                            v = y + (1 if d == 2 else -1 if d == 3 else 0)
                            u = x + (1 if d == 0 else -1 if d == 1 else 0)
                            if 0 <= v < h and 0 <= u < w and hole[v, u] and labels[v, u] != k:
                                b = labels[v, u]
                                total += _seam(features, source, y, x, v, u, ay, ax, offsets[b, 0], offsets[b, 1])
                    if total < cost:
                        best, cost = k, total
                if best != mine:
                    labels[y, x] = best
                    changed += 1
        if changed == 0:
            break
    return changed


def finer(problem: Problem, labels: NDArray[np.int32], offsets: Int, reach_px: int = 2) -> tuple[NDArray[np.int32], Int]:
    """A labelling of half the size at this one: translations moved by up to ``reach_px``, seams settled."""
    features, hole, source = problem.features, problem.hole, problem.source
    h, w = hole.shape
    grown = twice(labels, h, w)
    used = np.unique(grown[hole])
    index = np.zeros(len(offsets), np.int32)
    index[used] = np.arange(len(used))
    grown, offsets = index[grown].astype(np.int32), 2 * offsets[used]
    span = np.arange(-reach_px, reach_px + 1)
    deltas = np.stack(np.meshgrid(span, span, indexing="ij"), -1).reshape(-1, 2)
    # staying is best where all cost the same
    deltas = deltas[np.argsort(np.abs(deltas).sum(1), kind="stable")]
    ys, xs, edges, firsts = _places(grown, hole, len(offsets))
    costs = np.empty(len(deltas))
    for _ in range(2):
        for one in range(len(offsets)):
            its = slice(firsts[one], firsts[one + 1])
            _label_cost(features, hole, source, grown, offsets, ys[its], xs[its], edges[its], one, deltas, costs)
            offsets[one] += deltas[int(costs.argmin())]
    _settle(features, hole, source, grown, offsets, 4)
    return grown, offsets


def twice(labels: NDArray[np.int32], h: int, w: int) -> NDArray[np.int32]:
    """Every cell twice as large, cut or drawn out to a size."""
    rows = np.minimum(np.arange(h) // 2, labels.shape[0] - 1)
    columns = np.minimum(np.arange(w) // 2, labels.shape[1] - 1)
    return np.ascontiguousarray(labels[rows][:, columns])


def reachable(offsets: Int, problem: Problem, rng: np.random.Generator, most: int) -> Int:
    """The translations and as many more as are needed so that every pixel of the hole has one. Raises ``ValueError`` when nothing
    may be taken, or so little that it takes more than ``most``."""
    hole, source = problem.hole, problem.source
    if not source.any():
        raise ValueError("there is nothing around the place to take from")
    found = [tuple(int(v) for v in o) for o in offsets]
    left = hole.copy()
    for dy, dx in found:
        left &= ~moved(source, dy, dx)
    ys, xs = np.nonzero(source)
    while left.any():
        ly, lx = np.nonzero(left)
        pick = int(rng.integers(len(ly)))
        tries = rng.integers(len(ys), size=12)
        options = [(int(ys[t] - ly[pick]), int(xs[t] - lx[pick])) for t in tries]
        best = max(options, key=lambda o: int((left & moved(source, *o)).sum()))
        if len(found) >= most:
            raise ValueError("there is too little around the place to take from")
        found.append(best)
        left &= ~moved(source, *best)
    return np.array(found, np.int64).reshape(-1, 2)


def moved(source: Bool, dy: int, dx: int) -> Bool:
    """Where a translation leads to what may be taken."""
    h, w = source.shape
    out = np.zeros_like(source)
    y0, y1, x0, x1 = max(-dy, 0), min(h - dy, h), max(-dx, 0), min(w - dx, w)
    if y0 < y1 and x0 < x1:
        out[y0:y1, x0:x1] = source[y0 + dy : y1 + dy, x0 + dx : x1 + dx]
    return out


def thickness(hole: Bool) -> float:
    """Largest distance of a pixel of a hole from its border."""
    return float(cv2.distanceTransform(np.pad(hole, 1).astype(np.uint8), cv2.DIST_L2, 5).max())
