"""Oklab of whole planes, and its matrices as kernels take them (:mod:`zincplate.core.colour.oklab` says what they are)."""

from typing import NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.colour import oklab
from zincplate.core.kernels.kernel_math import KERNEL, cube_root
from zincplate.core.kernels.numbers import float32_numbers

Float32 = NDArray[np.float32]


class OklabMatrices(NamedTuple):
    """Row by row: linear Rec.2020 to LMS, LMS to Lab, Lab back to LMS, LMS to linear Rec.2020."""

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
    back_l_l: np.float32
    back_l_a: np.float32
    back_l_b: np.float32
    back_m_l: np.float32
    back_m_a: np.float32
    back_m_b: np.float32
    back_s_l: np.float32
    back_s_a: np.float32
    back_s_b: np.float32
    working_r_l: np.float32
    working_r_m: np.float32
    working_r_s: np.float32
    working_g_l: np.float32
    working_g_m: np.float32
    working_g_s: np.float32
    working_b_l: np.float32
    working_b_m: np.float32
    working_b_s: np.float32


MATRICES = float32_numbers(OklabMatrices, oklab.WORKING_TO_LMS, oklab.LMS_TO_LAB, oklab.LAB_TO_LMS, oklab.LMS_TO_WORKING)


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
    _lab(planes, MATRICES, out)
    return out
