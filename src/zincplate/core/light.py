"""The fused pointwise kernel: linear plate -> display values, in one pass over memory.

Order: balance and clip in camera space -> matrix to linear Rec.2020 with exposure -> tone table (hue kept) ->
curves -> matrix to the delivery primaries with colours outside drawn in at constant luminance -> encoding -> rounding.
Work goes in blocks of a row held on the stack, so that LLVM sees no aliasing and vectorises; tables are read with
unchecked 32-bit gathers. The hue-keeping rule maps the largest and the smallest of R, G, B through the table and the
middle one in proportion (DNG SDK reference implementation, "RGB tone").
"""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from llvmlite import ir
from numba import carray, njit, prange, types
from numba.core import cgutils
from numba.extending import intrinsic
from numpy.typing import NDArray

Float32 = NDArray[np.float32]

TONE_MAX = 16.0
"""Scene-linear value at the end of the tone table: four stops above white."""
BLEND_FROM = 0.90
"""Share of the sensor's range from which clipped colours fade to neutral."""
TABLE_SIZE = 4096
ENCODE_SIZE = 16384
_BLOCK = 512


@intrinsic
def _stack_floats(typing_context: Any) -> Any:
    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        block = cgutils.alloca_once(builder, ir.ArrayType(ir.FloatType(), _BLOCK * 3))
        return builder.bitcast(block, ir.FloatType().as_pointer())

    return types.CPointer(types.float32)(), codegen


@intrinsic
def _load(typing_context: Any, table: Any, index: Any) -> Any:
    """table[index] without a bounds check: the vectoriser turns it into a gather."""

    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        struct = context.make_array(signature.args[0])(context, builder, arguments[0])
        return builder.load(builder.gep(struct.data, [arguments[1]]))

    return types.float32(table, types.int32), codegen


_INLINE = {"fastmath": True, "error_model": "numpy", "inline": "always"}
_KERNEL = {"parallel": True, "fastmath": True, "nogil": True, "cache": True, "error_model": "numpy"}


@njit(**_INLINE)
def _read(table, u, last):
    """Linear interpolation at u in table steps, u already within 0..last."""
    u = min(u, last)
    i = np.int32(u)
    f = u - np.float32(i)
    a = _load(table, i)
    return a + (_load(table, np.int32(i + np.int32(1))) - a) * f


@njit(**_INLINE)
def _srgb(v):
    """Linear 0..1 -> sRGB, error below 0.12 / 65535 in float32: two square roots and a sixth-degree Chebyshev fit."""
    s = math.sqrt(math.sqrt(v))
    p = np.float32(0.06487499098238242) * s + np.float32(-0.3060445671181708)
    p = p * s + np.float32(0.6387830187638993)
    p = p * s + np.float32(-0.8389775733653478)
    p = p * s + np.float32(1.3602314670458018)
    p = p * s + np.float32(0.14077536044904299)
    p = p * s + np.float32(-0.05964161508613752)
    # the clamp stands after the polynomial: it may pass 1 by a unit in the last place and wrap the integer
    return np.float32(12.92) * v if v < np.float32(0.0031308) else min(p, np.float32(1))


@njit(**_INLINE)
def _hue_kept(buf, n, table, scale, last, low, high):
    for x in range(n):
        r, g, b = min(max(buf[0, x], low), high), min(max(buf[1, x], low), high), min(max(buf[2, x], low), high)
        hi, lo = max(r, max(g, b)), min(r, min(g, b))
        t_hi = _read(table, math.sqrt(hi * scale) * last, last)
        t_lo = _read(table, math.sqrt(lo * scale) * last, last)
        k = (t_hi - t_lo) / max(hi - lo, np.float32(1e-12))
        buf[0, x] = t_lo + (r - lo) * k
        buf[1, x] = t_lo + (g - lo) * k
        buf[2, x] = t_lo + (b - lo) * k


@njit(**_INLINE)
def _block(a, b, c, n, p, flags, tone, curves, encode, buf):
    """One block of a row: fills buf[0..2, :n] with encoded values 0..1."""
    z, o = np.float32(0), np.float32(1)
    last = np.float32(TABLE_SIZE)
    clip = p[3]
    for x in range(n):
        r, g, bl = a[x] * p[0], b[x] * p[1], c[x] * p[2]
        # where the sensor is at its end the colour is not known: such places fade to neutral over the last stop fraction
        t = (max(r * p[25], max(g * p[26], bl * p[27])) - np.float32(BLEND_FROM)) * np.float32(1.0 / (0.995 - BLEND_FROM))
        t = min(max(t, z), o)
        t = t * t * (np.float32(3) - t - t)
        r, g, bl = min(r, clip), min(g, clip), min(bl, clip)
        top = max(r, max(g, bl))
        r += (top - r) * t
        g += (top - g) * t
        bl += (top - bl) * t
        buf[0, x] = p[4] * r + p[5] * g + p[6] * bl
        buf[1, x] = p[7] * r + p[8] * g + p[9] * bl
        buf[2, x] = p[10] * r + p[11] * g + p[12] * bl
    if flags[0]:
        _hue_kept(buf, n, tone, np.float32(1.0 / TONE_MAX), last, z, np.float32(TONE_MAX))
    if flags[1]:
        for ch in range(3):
            table = curves[1 + ch]
            low, high = p[30 + 2 * ch], p[31 + 2 * ch]
            for x in range(n):
                buf[ch, x] = _read(table, math.sqrt(min(max(buf[ch, x], low), high)) * last, last)
    if flags[2]:
        _hue_kept(buf, n, curves[0], o, last, p[28], p[29])
    if flags[3]:
        table = curves[4]
        for x in range(n):
            y = min(max(p[13] * buf[0, x] + p[14] * buf[1, x] + p[15] * buf[2, x], np.float32(1e-9)), o)
            k = _read(table, math.sqrt(min(max(y, p[36]), p[37])) * last, last) / y
            buf[0, x] *= k
            buf[1, x] *= k
            buf[2, x] *= k
    for x in range(n):
        r, g, bl = buf[0, x], buf[1, x], buf[2, x]
        y = min(max(p[13] * r + p[14] * g + p[15] * bl, z), o)
        red = p[16] * r + p[17] * g + p[18] * bl
        green = p[19] * r + p[20] * g + p[21] * bl
        blue = p[22] * r + p[23] * g + p[24] * bl
        hi, lo = max(red, max(green, blue)), min(red, min(green, blue))
        k = min(o, min((o - y) / max(hi - y, np.float32(1e-6)), y / max(y - lo, np.float32(1e-6))))
        # inside the space the values go on untouched: y + (v - y) would cost their last digits near black
        inside = (hi <= o) & (lo >= z)
        buf[0, x] = min(max(red if inside else y + (red - y) * k, z), o)
        buf[1, x] = min(max(green if inside else y + (green - y) * k, z), o)
        buf[2, x] = min(max(blue if inside else y + (blue - y) * k, z), o)
    if flags[4] == 1:
        for ch in range(3):
            for x in range(n):
                buf[ch, x] = _srgb(buf[ch, x])
    elif flags[4] == 2:
        for ch in range(3):
            for x in range(n):
                u = math.sqrt(math.sqrt(buf[ch, x])) * np.float32(ENCODE_SIZE)
                buf[ch, x] = min(_read(encode, u, np.float32(ENCODE_SIZE)), o)


@njit(**_INLINE)
def _noise(x, y, channel):
    """Repeatable noise of a picture position, -0.5 to 0.5 (integer hash with good avalanche)."""
    # every step is cut back to 32 bits: numba widens unsigned products to 64
    h = np.uint32(np.uint32(x) * np.uint32(0x9E3779B1))
    h = np.uint32(h + np.uint32(np.uint32(y) * np.uint32(0x85EBCA77)))
    h = np.uint32(h + np.uint32(np.uint32(channel) * np.uint32(0xC2B2AE3D)))
    h = np.uint32(h ^ np.uint32(h >> np.uint32(15)))
    h = np.uint32(h * np.uint32(0x2C1B3C6D))
    h = np.uint32(h ^ np.uint32(h >> np.uint32(12)))
    h = np.uint32(h * np.uint32(0x297A2D39))
    h = np.uint32(h ^ np.uint32(h >> np.uint32(15)))
    return np.float32(np.int32(np.uint32(h >> np.uint32(8)))) * np.float32(1.0 / 16777216.0) - np.float32(0.5)


@njit(**_KERNEL)
def to_8_bit(planes, p, flags, tone, curves, encode, x0, y0, out):
    """Planes (3, h, w) float32 -> (h, w, 3) uint8, dithered by position; (x0, y0) is the place of the first pixel."""
    _, height, width = planes.shape
    for y in prange(height):
        buf = carray(_stack_floats(), (3, _BLOCK), np.float32)
        line = out[y]
        for start in range(0, width, _BLOCK):
            n = min(_BLOCK, width - start)
            _block(
                planes[0, y, start : start + n],
                planes[1, y, start : start + n],
                planes[2, y, start : start + n],
                n,
                p,
                flags,
                tone,
                curves,
                encode,
                buf,
            )
            for ch in range(3):
                for x in range(n):
                    v = buf[ch, x] * np.float32(255) + np.float32(0.5) + _noise(x0 + start + x, y0 + y, ch) * np.float32(0.998)
                    buf[ch, x] = min(max(v, np.float32(0)), np.float32(255.5))
            for x in range(n):
                line[start + x, 0] = np.uint8(np.int32(buf[0, x]))
                line[start + x, 1] = np.uint8(np.int32(buf[1, x]))
                line[start + x, 2] = np.uint8(np.int32(buf[2, x]))


@njit(**_KERNEL)
def to_16_bit(planes, p, flags, tone, curves, encode, out):
    """Planes (3, h, w) float32 -> (h, w, 3) uint16, rounded."""
    _, height, width = planes.shape
    for y in prange(height):
        buf = carray(_stack_floats(), (3, _BLOCK), np.float32)
        line = out[y]
        for start in range(0, width, _BLOCK):
            n = min(_BLOCK, width - start)
            _block(
                planes[0, y, start : start + n],
                planes[1, y, start : start + n],
                planes[2, y, start : start + n],
                n,
                p,
                flags,
                tone,
                curves,
                encode,
                buf,
            )
            for ch in range(3):
                for x in range(n):
                    buf[ch, x] = buf[ch, x] * np.float32(65535) + np.float32(0.5)
            for x in range(n):
                line[start + x, 0] = np.uint16(np.int32(buf[0, x]))
                line[start + x, 1] = np.uint16(np.int32(buf[1, x]))
                line[start + x, 2] = np.uint16(np.int32(buf[2, x]))


@njit(**_KERNEL)
def to_float(planes, p, flags, tone, curves, encode, out):
    """Planes (3, h, w) float32 -> planes (3, h, w) float32, encoded (or linear, by the flags), 0..1."""
    _, height, width = planes.shape
    for y in prange(height):
        buf = carray(_stack_floats(), (3, _BLOCK), np.float32)
        for start in range(0, width, _BLOCK):
            n = min(_BLOCK, width - start)
            _block(
                planes[0, y, start : start + n],
                planes[1, y, start : start + n],
                planes[2, y, start : start + n],
                n,
                p,
                flags,
                tone,
                curves,
                encode,
                buf,
            )
            for ch in range(3):
                for x in range(n):
                    out[ch, y, start + x] = buf[ch, x]


@dataclass(frozen=True)
class LightTables:
    """Everything the kernel needs besides the planes; made by :mod:`zincplate.engine.light_plan`."""

    parameters: Float32
    """(38,): three gains, clip level, 3x3 to Rec.2020 (with exposure), luminance weights, 3x3 to the delivery space, and
    the neutral's camera values (zero for rendered files: nothing fades), then (low, high) input of each curve, linear."""
    flags: NDArray[np.int32]
    """(5,): tone on, channel curves on, RGB curve on, luminance curve on, encoding (0 linear, 1 sRGB, 2 table)."""
    tone: Float32
    curves: Float32
    """(5, TABLE_SIZE + 2): RGB, R, G, B, luminance."""
    encode: Float32

    def arguments(self) -> tuple[Any, ...]:
        """In the kernel's order."""
        return self.parameters, self.flags, self.tone, self.curves, self.encode


def table_inputs(maximum: float = 1.0) -> NDArray[np.float64]:
    """Input values at the steps of a square-root spaced table, with one guard value at the end."""
    return np.minimum(np.arange(TABLE_SIZE + 2) / TABLE_SIZE, 1.0) ** 2 * maximum


def encode_inputs() -> NDArray[np.float64]:
    """Input values at the steps of the encoding table (fourth-root spaced), with one guard value at the end."""
    return np.minimum(np.arange(ENCODE_SIZE + 2) / ENCODE_SIZE, 1.0) ** 4
