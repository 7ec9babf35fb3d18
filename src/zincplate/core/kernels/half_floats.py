"""Half floats (IEEE 754 binary16) from planes, as files hold them: colours of a pixel beside each other.

Rounding to nearest, ties to even, small numbers as subnormal ones. The conversion by integers, and for subnormal results by an
addition that aligns the bits, is common practice; checked against numpy's.
"""

import numpy as np
from numba import njit, prange

from zincplate.core.kernels.kernel_math import bits_of, float_of

_SMALLEST_NORMAL = 113 << 23
"""Bits of 2^-14 as a float32."""
_ALIGN = np.float32(0.5)
_ALIGN_BITS = 126 << 23


@njit(inline="always")
def _half(value):
    """The 16 bits of a float32 from -1 to 1."""
    bits = bits_of(value)
    size = bits & np.int32(0x7FFFFFFF)
    small = bits_of(np.float32(float_of(size) + _ALIGN)) - np.int32(_ALIGN_BITS)
    odd = (size >> np.int32(13)) & np.int32(1)
    large = (size - np.int32(112 << 23) + np.int32(0xFFF) + odd) >> np.int32(13)
    rounded = small if size < np.int32(_SMALLEST_NORMAL) else large
    return np.uint16(rounded | ((bits >> np.int32(16)) & np.int32(0x8000)))


@njit(parallel=True, nogil=True, cache=True)
def halves_of(planes, out):
    """``planes`` (3, rows, columns) float32 to ``out`` (rows', columns', 3) uint16, the bits of half floats, values kept from -1
    to 1. Where ``out`` is larger, what is at the right and lower edge goes on."""
    _, rows, columns = planes.shape
    for y in prange(out.shape[0]):
        line, at = out[y], min(np.int64(y), rows - 1)
        red, green, blue = planes[0, at], planes[1, at], planes[2, at]
        for x in range(columns):
            line[x, 0] = _half(min(max(red[x], np.float32(-1)), np.float32(1)))
            line[x, 1] = _half(min(max(green[x], np.float32(-1)), np.float32(1)))
            line[x, 2] = _half(min(max(blue[x], np.float32(-1)), np.float32(1)))
        for x in range(columns, out.shape[1]):
            for c in range(3):
                line[x, c] = line[columns - 1, c]
