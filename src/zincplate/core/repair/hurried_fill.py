"""A hole filled in a hurry: a large one at a smaller size, with the grain of what is copied at full size."""

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL
from zincplate.core.repair.fill import blended, found, halved
from zincplate.core.repair.healing import CLOSE_WHILE_MOVING

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]

MOST_PX = 80_000
"""Of a hole that is filled at the size it has."""


@njit(**KERNEL)
def _copied(roots, hole, usable, labels, offsets, top, left, factor, rough, detail, out):
    """Inside the hole what is copied from places that may be taken, with the light of ``rough``: that and the difference of the
    copy from ``detail``, the same copy at the smaller size; ``rough`` alone where a place leads nowhere."""
    channels, h, w = roots.shape
    rows, columns = labels.shape
    for y in prange(h):
        for x in range(w):
            if not hole[y, x]:
                continue
            j, i = min(max(y // factor - top, 0), rows - 1), min(max(x // factor - left, 0), columns - 1)
            ty, tx = y + factor * offsets[labels[j, i], 0], x + factor * offsets[labels[j, i], 1]
            leads = 0 <= ty < h and 0 <= tx < w and usable[ty, tx]
            for c in range(channels):
                out[c, y, x] = rough[c, y, x]
                if leads:
                    out[c, y, x] += roots[c, ty, tx] - detail[c, y, x]


def hurried(roots: Float32, hole: Bool, usable: Bool, seed: int, void: Bool | None = None) -> Float32:
    """``roots`` (3, h, w) with the hole (h, w) filled from what is ``usable``. Raises ``ValueError`` with a sentence when there
    is nothing to take."""
    h, w = hole.shape
    nothing = np.zeros_like(hole) if void is None else void
    small, holes, takes, voids, factor = roots, hole, usable & ~hole & ~nothing, nothing & ~hole, 1
    while holes.sum() > MOST_PX:
        half = halved(small, holes, takes, voids)
        if not half[2].any():  # a rim so thin that nothing of it would be left
            break
        (small, holes, takes, voids), factor = half, 2 * factor
    fill = found(small, holes, takes, seed, True, void=voids)
    filled = blended(small, holes, fill, CLOSE_WHILE_MOVING, voids if voids.any() else None)
    if factor == 1:
        return filled
    copied = np.array(small, np.float32, order="C")
    ys, xs = np.nonzero(holes)
    to = fill.offsets[fill.labels[ys - fill.top, xs - fill.left]]
    copied[:, ys, xs] = small[:, ys + to[:, 0], xs + to[:, 1]]
    out = np.array(roots, np.float32, order="C")
    rough, detail = (_enlarged(planes, factor, h, w) for planes in (filled, copied))
    _copied(roots, hole, usable, fill.labels, fill.offsets, fill.top, fill.left, factor, rough, detail, out)
    return out


def _enlarged(planes: Float32, factor: int, h: int, w: int) -> Float32:
    size = (planes.shape[2] * factor, planes.shape[1] * factor)
    return np.stack([cv2.resize(p, size, interpolation=cv2.INTER_LINEAR)[:h, :w] for p in planes])
