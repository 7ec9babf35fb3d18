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
def predicted_halves(planes, out):
    """``planes`` (3, rows, columns) float32, kept from -1 to 1, as half floats in a row of square tiles of three samples a pixel:
    ``out`` (tiles, side, side * 6) uint8. Where the tiles are larger, what is at the right and lower edge goes on.

    Each row is as TIFF's floating-point predictor leaves it (Adobe Photoshop TIFF Technical Note 3): first all upper bytes, then
    all lower ones, of each the difference to the sample of its kind before it.
    """
    _, rows, columns = planes.shape
    tiles, side, wide = out.shape
    samples = wide // 2
    for y in prange(side):
        at = min(np.int64(y), rows - 1)
        red, green, blue = planes[0, at], planes[1, at], planes[2, at]
        halves, plain = np.empty(samples, np.uint16), np.empty(wide, np.uint8)
        for tile in range(tiles):
            left = tile * side
            n = min(max(columns - left, 0), side)
            for c in range(3):
                line = red if c == 0 else green if c == 1 else blue
                part = line[left : left + n]
                for x in range(n):
                    halves[3 * x + c] = _half(min(max(part[x], np.float32(-1)), np.float32(1)))
                last = _half(min(max(line[columns - 1], np.float32(-1)), np.float32(1)))
                for x in range(n, side):
                    halves[3 * x + c] = last
            for i in range(samples):
                plain[i] = halves[i] >> np.uint16(8)
                plain[samples + i] = halves[i] & np.uint16(255)
            target = out[tile, y]
            for i in range(3):
                target[i] = plain[i]
            for i in range(3, wide):
                target[i] = plain[i] - plain[i - 3]
