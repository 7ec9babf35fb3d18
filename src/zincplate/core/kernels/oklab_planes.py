"""Oklab in kernels: its matrices as they take them, blocks of a row to it and back, and whole planes
(:mod:`zincplate.core.colour.oklab` says what the matrices are)."""

from typing import NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.colour import oklab
from zincplate.core.kernels.kernel_math import INLINE, KERNEL, cube_root
from zincplate.core.kernels.numbers import float32_numbers

Float32 = NDArray[np.float32]


class OklabMatrices(NamedTuple):
    """Row by row: linear Rec.2020 to LMS, LMS to Lab, a and b back to LMS (lightness goes to all three as it is), LMS to
    linear RGB of a space."""

    lms_l_r: np.float32
    lms_l_g: np.float32
    lms_l_b: np.float32
    lms_m_r: np.float32
    lms_m_g: np.float32
    lms_m_b: np.float32
    lms_s_r: np.float32
    lms_s_g: np.float32
    lms_s_b: np.float32
    lab_l_l: np.float32
    lab_l_m: np.float32
    lab_l_s: np.float32
    lab_a_l: np.float32
    lab_a_m: np.float32
    lab_a_s: np.float32
    lab_b_l: np.float32
    lab_b_m: np.float32
    lab_b_s: np.float32
    back_l_a: np.float32
    back_l_b: np.float32
    back_m_a: np.float32
    back_m_b: np.float32
    back_s_a: np.float32
    back_s_b: np.float32
    rgb_r_l: np.float32
    rgb_r_m: np.float32
    rgb_r_s: np.float32
    rgb_g_l: np.float32
    rgb_g_m: np.float32
    rgb_g_s: np.float32
    rgb_b_l: np.float32
    rgb_b_m: np.float32
    rgb_b_s: np.float32


def oklab_matrices(lms_to_rgb: NDArray[np.float64]) -> OklabMatrices:
    """With the way back to a space of one's own, (3, 3)."""
    back = oklab.LAB_TO_LMS / oklab.LAB_TO_LMS[:, :1]
    return float32_numbers(OklabMatrices, oklab.WORKING_TO_LMS, oklab.LMS_TO_LAB, back[:, 1:], lms_to_rgb)


WORKING = oklab_matrices(oklab.LMS_TO_WORKING)


@njit(**INLINE)
def to_lab(buf, n, m):
    """Linear Rec.2020 in buf[0..2, :n] -> L, a, b there; light below nothing counts as none."""
    tiny = np.float32(1e-9)  # the root of nothing passes through denormal numbers, which cost a hundred times the time
    for x in range(n):
        r, g, b = buf[0, x], buf[1, x], buf[2, x]
        long = cube_root(max(m.lms_l_r * r + m.lms_l_g * g + m.lms_l_b * b, tiny))
        mid = cube_root(max(m.lms_m_r * r + m.lms_m_g * g + m.lms_m_b * b, tiny))
        short = cube_root(max(m.lms_s_r * r + m.lms_s_g * g + m.lms_s_b * b, tiny))
        buf[0, x] = m.lab_l_l * long + m.lab_l_m * mid + m.lab_l_s * short
        buf[1, x] = m.lab_a_l * long + m.lab_a_m * mid + m.lab_a_s * short
        buf[2, x] = m.lab_b_l * long + m.lab_b_m * mid + m.lab_b_s * short


@njit(**INLINE)
def from_lab(buf, n, m):
    """L, a, b in buf[0..2, :n] -> linear RGB of the matrices' space there, cut to 0..1."""
    z, o = np.float32(0), np.float32(1)
    for x in range(n):
        light, a, b = buf[0, x], buf[1, x], buf[2, x]
        long = light + m.back_l_a * a + m.back_l_b * b
        mid = light + m.back_m_a * a + m.back_m_b * b
        short = light + m.back_s_a * a + m.back_s_b * b
        long, mid, short = long * long * long, mid * mid * mid, short * short * short
        buf[0, x] = min(max(m.rgb_r_l * long + m.rgb_r_m * mid + m.rgb_r_s * short, z), o)
        buf[1, x] = min(max(m.rgb_g_l * long + m.rgb_g_m * mid + m.rgb_g_s * short, z), o)
        buf[2, x] = min(max(m.rgb_b_l * long + m.rgb_b_m * mid + m.rgb_b_s * short, z), o)


@njit(**KERNEL)
def _lab(planes, m, out):
    _, height, width = planes.shape
    tiny = np.float32(1e-12)  # the root of nothing passes through denormal numbers, which cost a hundred times the time
    for y in prange(height):
        red, green, blue = planes[0, y], planes[1, y], planes[2, y]
        light, a, b = out[0, y], out[1, y], out[2, y]
        for x in range(width):
            long = cube_root(max(m.lms_l_r * red[x] + m.lms_l_g * green[x] + m.lms_l_b * blue[x], tiny))
            mid = cube_root(max(m.lms_m_r * red[x] + m.lms_m_g * green[x] + m.lms_m_b * blue[x], tiny))
            short = cube_root(max(m.lms_s_r * red[x] + m.lms_s_g * green[x] + m.lms_s_b * blue[x], tiny))
            light[x] = m.lab_l_l * long + m.lab_l_m * mid + m.lab_l_s * short
            a[x] = m.lab_a_l * long + m.lab_a_m * mid + m.lab_a_s * short
            b[x] = m.lab_b_l * long + m.lab_b_m * mid + m.lab_b_s * short


def lab_planes(linear_rec2020: Float32) -> Float32:
    """Linear Rec.2020 (3, h, w), not negative -> L, a, b (3, h, w); L of white is 1. To 2e-6 (1e-4 in what is black)."""
    planes = np.ascontiguousarray(linear_rec2020, np.float32)
    out = np.empty_like(planes)
    _lab(planes, WORKING, out)
    return out
