"""The homography between two pictures that makes their correlation highest (Evangelidis & Psarakis, TPAMI 30, 2008: the enhanced
correlation coefficient, forward additive), whatever gain and offset lie between them.

OpenCV's routine of that name builds eight planes of derivatives in each round and takes 70 ns a pixel; here a row's samples are
read once and its sums go into the normal equations. Places are counted from the middle in halves of the long edge, so that the
equations are well conditioned; the solution is the same.
"""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

_BLUR_PX = 5
"""Width of the Gaussian that both are smoothed by first: slopes of single pixels are noise."""
_FEWEST = 64
"""Pixels that both have to show."""


@njit(nogil=True, cache=True, fastmath=True)
def _sums(reference, packed, a, middle_x, middle_y, unit, level_r, level_p, out):
    """Sums over all pixels of the reference (h, w) that lie on the other picture.

    ``packed`` (h, w, 4): its values, slopes to the right and down, and 1 where it counts; ``a`` (3, 3) takes places of the
    reference to places of it, both counted from the middle in units. ``level_r`` and ``level_p`` are taken off the values.
    ``out`` (69,): 36 of products of slopes, 27 of slopes (times the picture, the reference, 1), 6 of values. Slopes are per pixel
    and already those of what a place stands for; the third is along its distance from the middle.
    """
    height, width = reference.shape
    down, across = packed.shape[0], packed.shape[1]
    row = np.zeros((6, width), np.float32)
    u, slope_x, slope_y, slope_z, there, here = row[0], row[1], row[2], row[3], row[4], row[5]
    place = np.zeros((3, width), np.float32)
    place_u, place_v, over = place[0], place[1], place[2]
    for x in range(width):
        u[x] = np.float32((x - middle_x) / unit)
    out[:] = 0
    zero, one = np.float32(0), np.float32(1)
    scale, off_x, off_y = np.float32(unit), np.float32(middle_x), np.float32(middle_y)
    most_x, most_y = np.float32(across - 1), np.float32(down - 1)
    a00, a10, a20 = np.float32(a[0, 0]), np.float32(a[1, 0]), np.float32(a[2, 0])
    for y in range(height):
        v = (y - middle_y) / unit
        b0, b1, b2 = np.float32(a[0, 1] * v + a[0, 2]), np.float32(a[1, 1] * v + a[1, 2]), np.float32(a[2, 1] * v + a[2, 2])
        for x in range(width):
            z = one / (a20 * u[x] + b2)
            over[x] = z
            place_u[x] = (a00 * u[x] + b0) * z
            place_v[x] = (a10 * u[x] + b1) * z
        line = reference[y]
        count = 0
        for x in range(width):
            to_x, to_y = place_u[x] * scale + off_x, place_v[x] * scale + off_y
            slope_x[x] = slope_y[x] = slope_z[x] = there[x] = here[x] = zero
            if not (over[x] > zero and to_x >= zero and to_x <= most_x and to_y >= zero and to_y <= most_y):
                continue
            j, i = min(np.int64(to_x), across - 2), min(np.int64(to_y), down - 2)
            p, q = to_x - np.float32(j), to_y - np.float32(i)
            if packed[i + np.int64(q + np.float32(0.5)), j + np.int64(p + np.float32(0.5)), 3] == zero:
                continue
            w01, w10, w11 = p * (one - q), (one - p) * q, p * q
            w00 = one - w01 - w10 - w11
            upper, lower = packed[i, j : j + 2], packed[i + 1, j : j + 2]
            value = w00 * upper[0, 0] + w01 * upper[1, 0] + w10 * lower[0, 0] + w11 * lower[1, 0]
            right = w00 * upper[0, 1] + w01 * upper[1, 1] + w10 * lower[0, 1] + w11 * lower[1, 1]
            below = w00 * upper[0, 2] + w01 * upper[1, 2] + w10 * lower[0, 2] + w11 * lower[1, 2]
            slope_x[x], slope_y[x] = right * over[x], below * over[x]
            there[x], here[x] = value - level_p, line[x] - level_r
            count += 1
        if count == 0:
            continue
        for x in range(width):
            slope_z[x] = -(place_u[x] * slope_x[x] + place_v[x] * slope_y[x])
        at = 0
        for first in range(3):
            for second in range(first, 3):
                left, right_one = row[1 + first], row[1 + second]
                s0, s1, s2 = zero, zero, zero
                for x in range(width):
                    product = left[x] * right_one[x]
                    s0 += product
                    s1 += product * u[x]
                    s2 += product * u[x] * u[x]
                out[at] += s2
                out[at + 1] += s1 * v
                out[at + 2] += s1
                out[at + 3] += s0 * v * v
                out[at + 4] += s0 * v
                out[at + 5] += s0
                at += 6
        for slope in range(3):
            left = row[1 + slope]
            p0, p1, r0, r1, n0, n1 = zero, zero, zero, zero, zero, zero
            for x in range(width):
                n0 += left[x]
                n1 += left[x] * u[x]
                p0 += left[x] * there[x]
                p1 += left[x] * there[x] * u[x]
                r0 += left[x] * here[x]
                r1 += left[x] * here[x] * u[x]
            for sum_0, sum_1 in ((p0, p1), (r0, r1), (n0, n1)):
                out[at] += sum_1
                out[at + 1] += sum_0 * v
                out[at + 2] += sum_0
                at += 3
        s_p, s_r, s_pp, s_rr, s_pr = zero, zero, zero, zero, zero
        for x in range(width):
            s_p += there[x]
            s_r += here[x]
            s_pp += there[x] * there[x]
            s_rr += here[x] * here[x]
            s_pr += there[x] * here[x]
        out[at] += count
        out[at + 1] += s_p
        out[at + 2] += s_r
        out[at + 3] += s_pp
        out[at + 4] += s_rr
        out[at + 5] += s_pr


# of each pair of slopes: the place of u u, u v, u, v v, v, 1 in its six sums
_PAIR = np.array([[0, 1, 2], [1, 3, 4], [2, 4, 5]])
_PAIRS = {(0, 0): 0, (0, 1): 6, (0, 2): 12, (1, 1): 18, (1, 2): 24, (2, 2): 30}


def _equations(sums: Float64) -> tuple[Float64, Float64, Float64, Float64]:
    """The normal matrix (9, 9) and (9,) sums of derivatives times the picture, the reference and 1; the ninth parameter is the
    one that a homography is divided by."""
    matrix = np.empty((9, 9))
    for (i, j), at in _PAIRS.items():
        block = sums[at : at + 6][_PAIR]
        matrix[3 * i : 3 * i + 3, 3 * j : 3 * j + 3] = block
        matrix[3 * j : 3 * j + 3, 3 * i : 3 * i + 3] = block.T
    slopes = sums[36:63].reshape(3, 3, 3)
    picture, reference, one = (slopes[:, k].ravel() for k in range(3))
    return matrix, picture, reference, one


def correlated(
    reference: Float32, picture: Float32, start: Float64, rounds: int, limit: float, kept: NDArray[np.uint8]
) -> tuple[Float64 | None, float]:
    """From a homography near it to the one with the highest correlation, in at most so many ``rounds`` or until the correlation
    changes by less than ``limit``; and that correlation, -1..1. ``kept`` (h, w) is not 0 where the picture counts.

    None where the two have too little in common for it to be found. Pictures are (h, w) float32; homographies (3, 3) take pixel
    centres of the reference to those of the picture, the last element 1.
    """
    if min(picture.shape) < 2:
        return None, -1.0
    smooth = [cv2.GaussianBlur(p, (_BLUR_PX, _BLUR_PX), 0) for p in (reference, picture)]
    # next to what does not count slopes are of both
    counts = cv2.GaussianBlur((kept > 0).astype(np.float32), (_BLUR_PX, _BLUR_PX), 0) > 0.95
    step = np.array([[-0.5, 0, 0.5]], np.float32)
    slopes = (cv2.filter2D(smooth[1], cv2.CV_32F, kernel) * counts for kernel in (step, step.T))
    packed = np.ascontiguousarray(np.stack([smooth[1], *slopes, counts.astype(np.float32)], -1))
    unit = max(reference.shape) / 2
    middle_x, middle_y = (reference.shape[1] - 1) / 2, (reference.shape[0] - 1) / 2
    to_units = np.array([[1 / unit, 0, -middle_x / unit], [0, 1 / unit, -middle_y / unit], [0, 0, 1]])
    to_pixels = np.linalg.inv(to_units)
    levels = [np.float32(p.mean()) for p in smooth]
    found = to_units @ start @ to_pixels
    found /= found[2, 2]
    before, correlation = -2.0, -1.0
    sums = np.empty(69)
    for _ in range(rounds):
        if abs(correlation - before) < limit:
            break
        _sums(smooth[0], packed, found, middle_x, middle_y, unit, *levels, sums)
        count, sum_p, sum_r, sum_pp, sum_rr, sum_pr = sums[63:]
        if count < _FEWEST:
            return None, -1.0
        mean_p, mean_r = sum_p / count, sum_r / count
        power_p, power_r = sum_pp - count * mean_p**2, sum_rr - count * mean_r**2
        shared = sum_pr - count * mean_p * mean_r
        if not (power_p > 0 and power_r > 0):
            return None, -1.0
        before, correlation = correlation, float(shared / np.sqrt(power_p * power_r))
        matrix, of_picture, of_reference, of_one = _equations(sums)
        # slopes are per pixel: a unit has many
        normal = matrix[:8, :8] * unit**2
        to_picture, to_reference = ((v - m * of_one)[:8] * unit for v, m in ((of_picture, mean_p), (of_reference, mean_r)))
        try:
            solved = np.linalg.solve(normal, np.stack([to_picture, to_reference], 1))
        except np.linalg.LinAlgError:
            return None, -1.0
        above, below = power_p - to_picture @ solved[:, 0], shared - to_reference @ solved[:, 0]
        if not (np.isfinite(solved).all() and below > 0):
            return None, -1.0
        change = above / below * solved[:, 1] - solved[:, 0]
        found = found + np.append(change, 0.0).reshape(3, 3)
    matrix = to_pixels @ found @ to_units
    return np.asarray(matrix / matrix[2, 2]), correlation
