"""What a pass does to finished light: gains, levels and a curve (hue kept), colour in Oklab, then its blend with what lies below.

Planes are display-linear Rec.2020, 0..1. Blends and the mix by the area happen on values encoded with the curve of sRGB
(IEC 61966-2-1): there a half-covered edge looks half way. Parts of rows that the area does not reach are not touched at all.
"""

import math

import numpy as np
from numba import carray, njit, prange
from numpy.typing import NDArray

from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SRGB
from zincplate.core.kernels.kernel_math import BLOCK, INLINE, KERNEL, cube_root, read, srgb_encoded, stack_floats
from zincplate.core.tone.blends import blended, separable

Float32 = NDArray[np.float32]

TABLE = 4096
VIBRANCE_CHROMA = 0.25
NUMBERS = 16
"""Gains (3), tone table used, colour used, saturation factor, vibrance, cosine and sine of the hue's turn, tint a and b, grey,
blend, strength."""
_DECODE = SRGB.transfer.decode(np.minimum(np.arange(TABLE + 2) / TABLE, 1.0)).astype(np.float32)
_MATRICES = np.concatenate(
    [m.ravel() for m in (oklab.WORKING_TO_LMS, oklab.LMS_TO_LAB, oklab.LAB_TO_LMS, oklab.LMS_TO_WORKING)]
).astype(np.float32)


@njit(**INLINE)
def _toned(buf, n, table):
    """The curve on the largest and the smallest of R, G, B (linear), the middle one in proportion."""
    last = np.float32(TABLE)
    for x in range(n):
        r, g, b = buf[0, x], buf[1, x], buf[2, x]
        hi, lo = max(r, max(g, b)), min(r, min(g, b))
        t_hi, t_lo = read(table, math.sqrt(hi) * last, last), read(table, math.sqrt(lo) * last, last)
        k = (t_hi - t_lo) / max(hi - lo, np.float32(1e-12))
        buf[0, x] = t_lo + (r - lo) * k
        buf[1, x] = t_lo + (g - lo) * k
        buf[2, x] = t_lo + (b - lo) * k


@njit(**INLINE)
def _coloured(buf, n, q, m):
    z, o, tiny = np.float32(0), np.float32(1), np.float32(1e-9)
    saturation, vibrance, cosine, sine, tint_a, tint_b, grey = q[5], q[6], q[7], q[8], q[9], q[10], q[11]
    for x in range(n):
        r, g, b = buf[0, x], buf[1, x], buf[2, x]
        long = cube_root(max(m[0] * r + m[1] * g + m[2] * b, tiny))
        mid = cube_root(max(m[3] * r + m[4] * g + m[5] * b, tiny))
        short = cube_root(max(m[6] * r + m[7] * g + m[8] * b, tiny))
        light = m[9] * long + m[10] * mid + m[11] * short
        ca = m[12] * long + m[13] * mid + m[14] * short
        cb = m[15] * long + m[16] * mid + m[17] * short
        chroma = math.sqrt(ca * ca + cb * cb)
        v = max(o - chroma * np.float32(1 / VIBRANCE_CHROMA), z)
        k = saturation * (o + vibrance * v * v) * (o - grey)
        # tint is strongest in the middle of the scale and leaves black and white as they are
        w = np.float32(4) * light * max(o - light, z)
        na = (ca * cosine - cb * sine) * k + tint_a * w
        nb = (ca * sine + cb * cosine) * k + tint_b * w
        long = m[18] * light + m[19] * na + m[20] * nb
        mid = m[21] * light + m[22] * na + m[23] * nb
        short = m[24] * light + m[25] * na + m[26] * nb
        long, mid, short = long * long * long, mid * mid * mid, short * short * short
        buf[0, x] = min(max(m[27] * long + m[28] * mid + m[29] * short, z), o)
        buf[1, x] = min(max(m[30] * long + m[31] * mid + m[32] * short, z), o)
        buf[2, x] = min(max(m[33] * long + m[34] * mid + m[35] * short, z), o)


@njit(**INLINE)
def _mixed(planes, y, start, n, cover, strength, buf, mode):
    """Encodes what was made of a block, blends it and mixes it in."""
    z = np.float32(0)
    for c in range(3):
        for x in range(n):
            buf[c, x] = srgb_encoded(max(buf[c, x], z))
    if (mode == 7) | (mode == 8):
        for x in range(n):
            i = start + x
            r, g, b = blended(mode, planes[0, y, i], planes[1, y, i], planes[2, y, i], buf[0, x], buf[1, x], buf[2, x])
            buf[0, x], buf[1, x], buf[2, x] = r, g, b
    elif mode != 0:
        for c in range(3):
            for x in range(n):
                buf[c, x] = separable(mode, planes[c, y, start + x], buf[c, x])
    for c in range(3):
        line = planes[c, y, start : start + n]
        for x in range(n):
            line[x] += (buf[c, x] - line[x]) * (cover[x] * strength)


@njit(**KERNEL)
def _lay(planes, encoded, area, q, table, decode, m):
    _, height, width = planes.shape
    z, o, last = np.float32(0), np.float32(1), np.float32(TABLE)
    mode, strength = int(q[12]), q[13]
    for y in prange(height):
        buf = carray(stack_floats(), (3, BLOCK), np.float32)
        for start in range(0, width, BLOCK):
            n = min(BLOCK, width - start)
            cover = area[y, start : start + n]
            top = z
            for x in range(n):
                top = max(top, cover[x])
            if top * strength == z:
                continue
            if encoded[y, start // BLOCK] == 0:
                encoded[y, start // BLOCK] = 1
                for c in range(3):
                    line = planes[c, y, start : start + n]
                    for x in range(n):
                        v = min(max(line[x], z), o)
                        buf[c, x] = v * q[c]
                        line[x] = srgb_encoded(v)
            else:
                for c in range(3):
                    line = planes[c, y, start : start + n]
                    for x in range(n):
                        buf[c, x] = read(decode, line[x] * last, last) * q[c]
            for c in range(3):
                for x in range(n):
                    buf[c, x] = min(buf[c, x], o)
            if q[3] != z:
                _toned(buf, n, table)
            if q[4] != z:
                _coloured(buf, n, q, m)
            _mixed(planes, y, start, n, cover, strength, buf, mode)


@njit(**KERNEL)
def _settle(planes, encoded, decode):
    _, height, width = planes.shape
    last = np.float32(TABLE)
    for y in prange(height):
        for start in range(0, width, BLOCK):
            if encoded[y, start // BLOCK]:
                for c in range(3):
                    line = planes[c, y, start : start + min(BLOCK, width - start)]
                    for x in range(len(line)):
                        line[x] = read(decode, min(max(line[x], np.float32(0)), np.float32(1)) * last, last)


class Layers:
    """Finished light (3, h, w), display-linear Rec.2020 0..1, over which passes are laid one after the other, in place.

    Parts of rows that a pass has reached are held encoded until :meth:`settled`; all others stay as they are.
    """

    def __init__(self, light: Float32) -> None:
        self._light = light
        self._encoded = np.zeros((light.shape[1], -(-light.shape[2] // BLOCK)), np.uint8)

    def lay(self, area: Float32, numbers: Float32, table: Float32) -> None:
        """One pass: its area (h, w), numbers as :data:`NUMBERS` lists them, and a table (TABLE + 2,) that maps linear values at
        square-root spaced steps."""
        if self._light.size:
            _lay(self._light, self._encoded, np.ascontiguousarray(area), numbers, table, _DECODE, _MATRICES)

    def settled(self) -> Float32:
        """The light with everything laid over it, linear again."""
        if self._encoded.any():
            _settle(self._light, self._encoded, _DECODE)
            self._encoded[:] = 0
        return self._light
