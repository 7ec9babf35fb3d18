"""The largest upright rectangle in which everything is covered."""

import numpy as np
from numba import njit
from numpy.typing import NDArray


@njit(cache=True)
def _largest(covered):
    h, w = covered.shape
    height = np.zeros(w + 1, np.int64)
    stack = np.empty(w + 2, np.int64)
    best = (0, 0, 0, 0)
    most = 0
    for y in range(h):
        depth = 0
        for x in range(w + 1):
            if x < w:
                height[x] = height[x] + 1 if covered[y, x] else 0
            else:
                height[x] = 0
            while depth > 0 and height[stack[depth - 1]] >= height[x]:
                depth -= 1
                top = height[stack[depth]]
                left = stack[depth - 1] + 1 if depth > 0 else 0
                area = top * (x - left)
                if area > most:
                    most = area
                    best = (left, y - top + 1, x - left, top)
            stack[depth] = x
            depth += 1
    return best


def largest_covered(covered: NDArray[np.bool_]) -> tuple[int, int, int, int]:
    """x, y, width, height of the largest rectangle without a hole (the stack of rising columns: common practice, linear in
    the number of pixels); all 0 when nothing is covered."""
    x, y, w, h = _largest(np.ascontiguousarray(covered))
    return int(x), int(y), int(w), int(h)
