"""Size, turn and shift from one picture to the next by the pictures themselves (Lucas & Kanade 1981, for a similarity, with
Tukey's weights), sums over places in one kernel.

A similarity is ``(1 + p0, p1)`` as a complex factor and ``(p2, p3)`` as a shift, about the picture's middle.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

ROUNDS = 12
EDGE_PX = 4
"""Nearer to the edge blurs and slopes are made up."""
SETTLED_PX = 1e-3
FEWEST = 50
ENOUGH = 20_000
"""Places that tell how far most lie apart."""


@dataclass(frozen=True)
class Smoothed:
    """A picture (h, w) and its slopes (2, h, w) to the right and downwards, for a pixel."""

    picture: Float32
    slopes: Float32

    @staticmethod
    def of(picture: Float32, blur_px: float) -> "Smoothed":
        soft = cv2.GaussianBlur(picture, (0, 0), blur_px)
        slopes = [cv2.Sobel(soft, cv2.CV_32F, *order, ksize=3, scale=1 / 8) for order in ((1, 0), (0, 1))]
        return Smoothed(soft, np.stack(slopes))


@njit(inline="always")
def _cubic(t):
    """Weights of the four samples about a place ``t`` behind the second (Keys 1981, a = -0.5)."""
    a = np.float32(-0.5)
    u, v, w = np.float32(1) + t, np.float32(1) - t, np.float32(2) - t
    first = ((a * u - np.float32(5) * a) * u + np.float32(8) * a) * u - np.float32(4) * a
    second = ((a + np.float32(2)) * t - (a + np.float32(3))) * t * t + np.float32(1)
    third = ((a + np.float32(2)) * v - (a + np.float32(3))) * v * v + np.float32(1)
    fourth = ((a * w - np.float32(5) * a) * w + np.float32(8) * a) * w - np.float32(4) * a
    return first, second, third, fourth


@njit(parallel=True, nogil=True, cache=True)
def _looked_at(own, own_slopes, other, other_slopes, usable, p, every, rest, slopes, there):
    """For every ``every``-th place: what the two differ by, the mean of their slopes, and whether it counts."""
    height, width = own.shape
    rows, columns = rest.shape
    middle_x, middle_y = (width - 1) / 2, (height - 1) / 2
    for i in prange(rows):
        y = i * every
        for k in range(columns):
            x = k * every
            u, v = x - middle_x, y - middle_y
            px = (1 + p[0]) * u - p[1] * v + p[2] + middle_x
            py = p[1] * u + (1 + p[0]) * v + p[3] + middle_y
            inside = (px > EDGE_PX) & (py > EDGE_PX) & (px < width - 1 - EDGE_PX) & (py < height - 1 - EDGE_PX)
            there[i, k] = inside & usable[y, x]
            if not there[i, k]:
                continue
            ix, iy = int(px), int(py)
            tx, ty = np.float32(px - ix), np.float32(py - iy)
            a0, a1, a2, a3 = _cubic(tx)
            b0, b1, b2, b3 = _cubic(ty)
            value = np.float32(0)
            for r, b in ((0, b0), (1, b1), (2, b2), (3, b3)):
                line = other[iy - 1 + r]
                value += b * (a0 * line[ix - 1] + a1 * line[ix] + a2 * line[ix + 1] + a3 * line[ix + 2])
            rest[i, k] = own[y, x] - value
            for c in range(2):
                s = other_slopes[c]
                top = s[iy, ix] + (s[iy, ix + 1] - s[iy, ix]) * tx
                bottom = s[iy + 1, ix] + (s[iy + 1, ix + 1] - s[iy + 1, ix]) * tx
                slopes[c, i, k] = (own_slopes[c, y, x] + top + (bottom - top) * ty) * np.float32(0.5)


@njit(parallel=True, nogil=True, cache=True)
def _summed(rest, slopes, there, level, scale, every, height, width, sums):
    """Sums of each row for five unknowns (size, turn, two shifts, light): 25 squares, 5 products with the difference, weights,
    and the weighted square of the difference."""
    rows, columns = rest.shape
    for i in prange(rows):
        terms = np.empty(5)
        v = i * every - (height - 1) / 2
        for k in range(columns):
            if not there[i, k]:
                continue
            r = float(rest[i, k]) - level
            if abs(r) >= scale:
                continue
            near = 1 - (r / scale) ** 2
            weight = near * near
            u = k * every - (width - 1) / 2
            gx, gy = float(slopes[0, i, k]), float(slopes[1, i, k])
            terms[0], terms[1], terms[2], terms[3], terms[4] = gx * u + gy * v, gy * u - gx * v, gx, gy, 1.0
            for a in range(5):
                for b in range(5):
                    sums[i, 5 * a + b] += terms[a] * terms[b] * weight
                sums[i, 25 + a] += terms[a] * r * weight
            sums[i, 30] += weight
            sums[i, 31] += weight * r * r


def similarity(
    first: Smoothed, second: Smoothed, usable: Mask, start: Float64, every: int, correlated: float, size_only: bool = False
) -> tuple[Float64, float] | None:
    """The similarity (3, 3) from places of the first picture to places of the second, from a start near it, and how far its shift
    is known (pixels); None where too few places of it show anything.

    ``usable`` (h, w) says where the first picture counts; ``every``-th place in each direction is looked at; ``correlated`` is
    how many of them the blur makes one of. With ``size_only`` turn and shift are taken to be none.
    """
    h, w = first.picture.shape
    middle = np.array([(w - 1) / 2, (h - 1) / 2])
    at = start @ np.array([*middle, 1.0])
    jacobian = start[:2, :2] / at[2] - np.outer(at[:2] / at[2], start[2, :2]) / at[2]
    turn = (jacobian[0, 0] + jacobian[1, 1]) / 2 - 1, (jacobian[1, 0] - jacobian[0, 1]) / 2
    p = np.array([*turn, *(at[:2] / at[2] - middle)])
    if size_only:
        p[1:] = 0
    size = -(-h // every), -(-w // every)
    rest, slopes, there = np.zeros(size, np.float32), np.zeros((2, *size), np.float32), np.zeros(size, np.bool_)
    deviation = 0.0
    for _ in range(ROUNDS):
        _looked_at(first.picture, first.slopes, second.picture, second.slopes, usable, p, every, rest, slopes, there)
        values = rest[there]
        if values.size < FEWEST:
            return None
        few = values[:: max(values.size // ENOUGH, 1)]
        level = float(np.median(few))
        scale = 4 * 1.4826 * float(np.median(np.abs(few - np.float32(level)))) + 1e-6
        sums = np.zeros((size[0], 32))
        _summed(rest, slopes, there, level, scale, every, h, w, sums)
        total = sums.sum(0)
        square, right = total[:25].reshape(5, 5).copy(), total[25:30]
        square[np.diag_indices(5)] += 1e-9 * np.trace(square)
        if size_only:
            square[np.ix_([1, 2, 3], [1, 2, 3])] += 1e9 * np.trace(square) * np.eye(3)
        step = np.linalg.solve(square, right)
        p += step[:4]
        variance = float(total[31] / max(total[30], 1)) * correlated
        deviation = float(np.sqrt(variance * np.linalg.inv(square)[2:4, 2:4].trace()))
        if np.abs(step[:4] * (w, w, 1, 1)).max() < SETTLED_PX:
            break
    turned = np.array([[1 + p[0], -p[1], p[2]], [p[1], 1 + p[0], p[3]], [0, 0, 1.0]])
    move = np.array([[1, 0, middle[0]], [0, 1, middle[1]], [0, 0, 1.0]])
    return np.asarray(move @ turned @ np.linalg.inv(move)), deviation
