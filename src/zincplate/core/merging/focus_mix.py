"""A focus series mixed by its depth map: each place from the two frames that are focused nearest to it, each by its nearness."""

import numpy as np
from numba import njit, prange

from zincplate.core.kernels.kernel_math import KERNEL

SOFT = 0.75
"""Frames about a depth that count there."""


@njit(inline="always")
def _nearness(depth, k):
    return max(np.float32(1) - abs(np.float32(k) - depth) / np.float32(SOFT), np.float32(0))


@njit(**KERNEL)
def share_of(depth, k, count, out):
    """Share (h, w), 0..1, of frame ``k`` of ``count`` at depths (h, w), counted in frames; those of all frames sum up to 1."""
    rows, columns = depth.shape
    for y in prange(rows):
        for x in range(columns):
            d = depth[y, x]
            mine = _nearness(d, k)
            total = mine
            if mine > 0:
                for other in range(max(k - 2, 0), min(k + 3, count)):
                    if other != k:
                        total += _nearness(d, other)
            out[y, x] = mine / max(total, np.float32(1e-6))


@njit(**KERNEL)
def mixed_in(laid, factors, share, trust, left, out, total):
    """Adds ``laid`` (3, h, w), whose first column is ``left``, times a factor for each colour, by its ``share`` (h, all columns)
    to ``out`` (3, h, all columns), and the share to ``total``, where the frame shows anything (``trust`` not negative)."""
    rows, columns = trust.shape
    for y in prange(rows):
        part = np.empty(columns, np.float32)
        for x in range(columns):
            part[x] = share[y, left + x] if trust[y, x] >= 0 else np.float32(0)
            total[y, left + x] += part[x]
        for c in range(3):
            factor, line, target = factors[c], laid[c, y], out[c, y, left : left + columns]
            for x in range(columns):
                target[x] += line[x] * factor * part[x]
