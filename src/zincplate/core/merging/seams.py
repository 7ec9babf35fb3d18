"""Which frame each place of a view is taken from: seams run where frames agree, and round what moved.

The picture is divided into patches by a watershed of the frames' difference turned over (Gracias and others, "Fast
image blending using watersheds and graph cuts", Image and Vision Computing 27, 2009): what moved is a patch of its own, and
patches meet where frames agree. Each patch gets a frame by alpha expansion (Boykov, Veksler & Zabih, TPAMI 23, 2001) over the
costs of the seams between them (Kwatra et al., "Graphcut textures", SIGGRAPH 2003) and of the frame itself there.
"""

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import sum_labels
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import breadth_first_order, maximum_flow

from zincplate.core.merging.flooding import flooded

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Int32 = NDArray[np.int32]
Mask = NDArray[np.bool_]

LENGTH_COST = 0.02
"""Stops: what a seam costs where frames agree, so that it does not wander."""
APART = 8.0
"""Cost of a pixel of seam between frames that do not both show it."""
MOST_DIFFERENT = 3.0
"""Stops; more is not worse."""
WHOLE = 2000.0
"""Capacities are whole numbers: this many to a stop."""
SWEEPS = 4
SMOOTH_PX = 1.5


def patches_of(difference: Float32, codes: NDArray[np.int64]) -> tuple[Int32, int]:
    """Patches (h, w), from 1 on, 0 where nothing is (``codes`` 0), and how many. ``codes`` says which frames show a place."""
    smooth = cv2.GaussianBlur(difference, (0, 0), SMOOTH_PX)
    peaks = (smooth >= cv2.dilate(smooth, np.ones((5, 5), np.uint8))) & (smooth > 0) & (codes != 0)
    _, labels = cv2.connectedComponents(peaks.astype(np.uint8), connectivity=8)
    top = max(float(np.quantile(smooth, 0.999)), 1e-6)
    height = (255 - np.clip(smooth / top * 255, 0, 255)).astype(np.uint8)
    labels = np.ascontiguousarray(labels.astype(np.int32))
    # one peak may lie across the border of what a frame shows: it is two
    pairs = labels.astype(np.int64) * (int(codes.max()) + 1) + codes
    found, apart = np.unique(pairs[labels > 0], return_inverse=True)
    labels[labels > 0] = apart + 1
    flooded(height, np.ascontiguousarray(codes), labels, len(found))
    used, again = np.unique(labels, return_inverse=True)
    zero = int(used[0] == 0)
    return (again.reshape(labels.shape) + (1 - zero)).astype(np.int32), len(used) - zero


class _Edges:
    """Neighbouring patches, and what a seam between any two frames costs along each of their borders."""

    def __init__(self, patches: Int32, count: int, light: Float32, shown: Mask) -> None:
        self.frames = len(light)
        sides = []
        for axis in (0, 1):
            a, b = (np.take(patches, range(*s), axis) for s in ((0, patches.shape[axis] - 1), (1, patches.shape[axis])))
            where = (a != b) & (a > 0) & (b > 0)
            sides.append((axis, where, a[where] - 1, b[where] - 1))
        low = np.concatenate([np.minimum(p, q) for _, _, p, q in sides]).astype(np.int64)
        high = np.concatenate([np.maximum(p, q) for _, _, p, q in sides]).astype(np.int64)
        keys, which = np.unique(low * count + high, return_inverse=True)
        self.p, self.q = keys // count, keys % count
        self.long = np.bincount(which, minlength=len(keys)).astype(np.float64)
        self.costs: dict[tuple[int, int], Float64] = {}
        for i in range(self.frames):
            for j in range(i):
                both = shown[i] & shown[j]
                if not both.any():
                    continue
                apart = np.where(both, np.minimum(np.abs(light[i] - light[j]), MOST_DIFFERENT) + LENGTH_COST, APART)
                each = []
                for axis, where, _, _ in sides:
                    n = apart.shape[axis]
                    each.append((np.take(apart, range(n - 1), axis) + np.take(apart, range(1, n), axis))[where])
                self.costs[(j, i)] = np.bincount(which, np.concatenate(each), minlength=len(keys)).astype(np.float64)

    def between(self, a: NDArray[np.int64], b: NDArray[np.int64]) -> Float64:
        """Cost of each border when its patches have frames ``a`` and ``b``."""
        out = np.where(a == b, 0.0, 2 * APART * self.long)
        low, high = np.minimum(a, b), np.maximum(a, b)
        for (i, j), cost in self.costs.items():
            at = (low == i) & (high == j)
            out[at] = cost[at]
        return out


def chosen(light: Float32, shown: Mask, dislike: Float32) -> NDArray[np.int16]:
    """(h, w) the frame that each place is taken from; -1 where none shows it.

    ``light`` (n, h, w): logarithms (base 2) of light evened out between frames; ``shown`` (n, h, w): where each is to be had;
    ``dislike`` (n, h, w): what it costs, in stops for a pixel, to take it there (not sharp, clipped, at its edge).
    """
    n = len(light)
    codes = np.zeros(shown.shape[1:], np.int64)
    lowest, highest = np.full(codes.shape, np.inf, np.float32), np.full(codes.shape, -np.inf, np.float32)
    for i in range(n):
        codes |= shown[i].astype(np.int64) << i
        np.minimum(lowest, light[i], out=lowest, where=shown[i])
        np.maximum(highest, light[i], out=highest, where=shown[i])
    difference = np.where(np.isfinite(highest - lowest), np.minimum(highest - lowest, MOST_DIFFERENT), 0).astype(np.float32)
    patches, count = patches_of(difference, codes)
    if count == 0:
        return np.full(codes.shape, -1, np.int16)
    numbers = np.arange(1, count + 1)
    size = sum_labels(np.ones(codes.shape), patches, numbers)
    own = np.stack([sum_labels(dislike[i] * shown[i], patches, numbers) for i in range(n)])
    able = np.stack([sum_labels(shown[i], patches, numbers) >= size - 0.5 for i in range(n)])
    own = np.where(able, own, np.inf)
    labels = own.argmin(0)
    edges = _Edges(patches, count, light, shown)
    for _ in range(SWEEPS):
        changed = False
        for alpha in range(n):
            changed |= _expanded(labels, alpha, own, able[alpha], edges)
        if not changed:
            break
    full = np.concatenate([[-1], labels]).astype(np.int16)
    return np.asarray(full[patches])


def _expanded(labels: NDArray[np.int64], alpha: int, own: Float64, able: Mask, edges: _Edges) -> bool:
    """One expansion of ``alpha`` over every patch where that costs less; whether any changed."""
    count = len(labels)
    free = able & (labels != alpha)
    if not free.any():
        return False
    lp, lq = labels[edges.p], labels[edges.q]
    touched = free[edges.p] | free[edges.q]
    p, q, lp, lq = edges.p[touched], edges.q[touched], lp[touched], lq[touched]
    whole = np.full(len(lp), alpha)
    every = np.zeros(len(edges.p))

    def between(a: NDArray[np.int64], b: NDArray[np.int64]) -> Float64:
        full_a, full_b = np.zeros(len(edges.p), np.int64), np.zeros(len(edges.p), np.int64)
        full_a[touched], full_b[touched] = a, b
        every[:] = edges.between(full_a, full_b)
        return every[touched].copy()

    stay, to_q, to_p = between(lp, lq), between(lp, whole), between(whole, lq)
    unary = np.where(free, own[alpha] - own[labels, np.arange(count)], 0.0)
    np.add.at(unary, p, to_p - stay)
    np.add.at(unary, q, -to_p)
    weight = np.maximum(to_q + to_p - stay, 0)
    # patches that are not free stand where they stand: as alpha already, or never alpha
    fixed_alpha, fixed_not = ~free & (labels == alpha), ~free & (labels != alpha)
    huge = 1e5
    source, sink = count, count + 1
    out = np.where(fixed_not, huge, np.maximum(unary, 0))
    into = np.where(fixed_alpha, huge, np.maximum(-unary, 0))
    out[fixed_alpha], into[fixed_not] = 0, 0
    nodes = np.arange(count)
    rows = np.concatenate([p, np.full(count, source), nodes])
    columns = np.concatenate([q, nodes, np.full(count, sink)])
    capacity = np.minimum(np.concatenate([weight, out, into]) * WHOLE, 2**30 - 1).astype(np.int32)
    graph = csr_matrix((capacity, (rows, columns)), shape=(count + 2, count + 2), dtype=np.int32)
    flow = maximum_flow(graph, source, sink).flow
    rest = graph - flow
    rest.data[rest.data < 0] = 0
    rest.eliminate_zeros()
    reached = breadth_first_order(rest, source, return_predecessors=False)
    side = np.zeros(count + 2, bool)
    side[reached] = True
    taken = free & ~side[:count]
    if not taken.any():
        return False
    labels[taken] = alpha
    return True
