"""Cubic B-splines through samples: their coefficients, and values between samples, one at a time or eight side by side.

Thevenaz, Blu, Unser 2000, "Interpolation revisited", IEEE Trans. Medical Imaging 19(7): fourth-order accuracy from 4 x 4
samples. The prefilter's poles are cut off where they weigh 3e-5.
"""

import math
from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, prange, types
from numba.extending import intrinsic
from numpy.typing import NDArray

from zincplate.core.kernels import memory
from zincplate.core.kernels.kernel_math import BLOCK, INLINE, KERNEL, bits_of, float_of, stack_floats

Float32 = NDArray[np.float32]

POLE = math.sqrt(3) - 2
TAPS = 8
"""Taps on each side of the spline's prefilter; what is cut off weighs 3e-5."""
PAD = 2
LEAST_SHARE = 0.6
"""Of the darkest of the four nearest samples: no pixel falls below that."""
EIGHT = 8
LEAST_STRETCH = 8
"""Places of a row that lie beside each other in the source, in the mean, from which on they are worked out eight at once."""


def _prefilter() -> Float32:
    taps = POLE ** np.arange(TAPS + 1)
    return np.asarray(taps / (taps[0] + 2 * taps[1:].sum()), np.float32)


_KERNEL = _prefilter()


_FOUR, _LANE, _FAST = ir.VectorType(ir.FloatType(), 4), ir.IntType(32), ("fast",)


def _spread(builder: Any, vector: Any, k: int) -> Any:
    return builder.shuffle_vector(vector, ir.Constant(_FOUR, ir.Undefined), ir.Constant(ir.VectorType(_LANE, 4), [k] * 4))


def _four_weights(builder: Any, fraction: Any) -> Any:
    """The four weights of an axis: four polynomials of its fraction, evaluated side by side."""

    def constant(numbers: tuple[float, ...]) -> Any:
        return ir.Constant(_FOUR, [ir.Constant(ir.FloatType(), n / 6) for n in numbers])

    x = _spread(builder, builder.insert_element(ir.Constant(_FOUR, ir.Undefined), fraction, ir.Constant(_LANE, 0)), 0)
    value = constant((-1.0, 3.0, -3.0, 1.0))
    for row in ((3.0, -6.0, 3.0, 0.0), (-3.0, 0.0, 3.0, 0.0), (1.0, 4.0, 1.0, 0.0)):
        value = builder.fadd(builder.fmul(value, x, flags=_FAST), constant(row), flags=_FAST)
    return value


def _four_by_four(builder: Any, data: Any, place: Any, stride: Any, across: Any, rows: list[Any]) -> Any:
    """Four vector loads instead of sixteen reads."""
    total = None
    for k in range(4):
        row = builder.load(builder.bitcast(builder.gep(data, [place]), _FOUR.as_pointer()), align=4)
        part = builder.fmul(row, rows[k], flags=_FAST)
        total = part if total is None else builder.fadd(total, part, flags=_FAST)
        place = builder.add(place, stride)
    total = builder.fmul(total, across, flags=_FAST)
    result = builder.extract_element(total, ir.Constant(_LANE, 0))
    for k in range(1, 4):
        result = builder.fadd(result, builder.extract_element(total, ir.Constant(_LANE, k)), flags=_FAST)
    return result


@intrinsic
def splines_at(
    typing_context: Any, a: Any, i: Any, stride: Any, size: Any, t: Any, u: Any, channels: Any, out: Any, x: Any
) -> Any:
    """Cubic B-splines at the fractions (t, u) over 4 x 4 coefficients from flat index i on, rows ``stride`` apart, of as many
    ``channels`` (a literal) ``size`` apart; written to ``x`` of as many parts of ``out``."""
    if not isinstance(channels, types.IntegerLiteral):
        return None

    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        data = context.make_array(signature.args[0])(context, builder, arguments[0]).data
        across, down = _four_weights(builder, arguments[4]), _four_weights(builder, arguments[5])
        rows = [_spread(builder, down, k) for k in range(4)]
        place = arguments[1]
        for c in range(channels.literal_value):
            value = _four_by_four(builder, data, place, arguments[2], across, rows)
            at = builder.add(arguments[8], ir.Constant(arguments[8].type, c * BLOCK))
            builder.store(value, builder.gep(arguments[7], [at]))
            place = builder.add(place, arguments[3])
        return context.get_dummy_value()

    i32, f32 = types.int32, types.float32
    return types.none(a, i32, i32, i32, f32, f32, channels, types.CPointer(f32), i32), codegen


@intrinsic
def eight_beside(
    typing_context: Any,
    a: Any,
    i: Any,
    stride: Any,
    samples: Any,
    nearest: Any,
    across: Any,
    down: Any,
    x: Any,
    to: Any,
    out: Any,
) -> Any:
    """Splines at eight places of a row, from ``x`` on, that lie beside each other in the source: flat index ``i`` is the first
    coefficient of the first. Weights are four times BLOCK each way. Written to ``out`` from ``to`` on; returned is whether any
    of them falls too far below its nearest sample, the first at ``nearest``."""
    lanes = EIGHT
    vector = ir.VectorType(ir.FloatType(), lanes)

    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        def read(pointer: Any, index: Any) -> Any:
            return builder.load(builder.bitcast(builder.gep(pointer, [index]), vector.as_pointer()), align=4)

        def times(total: Any, value: Any, weight: Any) -> Any:
            part = builder.fmul(value, weight, flags=_FAST)
            return part if total is None else builder.fadd(total, part, flags=_FAST)

        array = context.make_array(signature.args[0])(context, builder, arguments[0]).data
        dark = context.make_array(signature.args[3])(context, builder, arguments[3]).data
        place, x = arguments[1], arguments[7]
        at = [builder.add(x, ir.Constant(x.type, k * BLOCK)) for k in range(4)]
        columns: list[Any] = [None] * 4
        for k in range(4):
            weight = read(arguments[6], at[k])
            for j in range(4):
                columns[j] = times(columns[j], read(array, builder.add(place, ir.Constant(_LANE, j))), weight)
            place = builder.add(place, arguments[2])
        total = None
        for j in range(4):
            total = times(total, columns[j], read(arguments[5], at[j]))
        builder.store(total, builder.bitcast(builder.gep(arguments[9], [arguments[8]]), vector.as_pointer()), align=4)
        least = builder.fmul(read(dark, arguments[4]), ir.Constant(vector, [ir.Constant(ir.FloatType(), LEAST_SHARE)] * lanes))
        below = builder.fcmp_ordered("<", total, least)
        return builder.zext(builder.bitcast(below, ir.IntType(lanes)), _LANE)

    pointer = types.CPointer(types.float32)
    return types.int32(
        a, types.int32, types.int32, samples, types.int32, pointer, pointer, types.int32, types.int32, pointer
    ), codegen


@njit(inline="always")
def _mirrored(i, n):
    """Index mirrored about the first and last sample."""
    if n == 1:
        return 0
    period = 2 * (n - 1)
    i = abs(i) % period
    return min(i, period - i)


@njit(**KERNEL)
def _prefiltered(planes, k, out):
    """Prefilter down the columns and along the rows, row by row; ``out`` is larger by PAD on every side and mirrored there."""
    channels, height, width = planes.shape
    for job in prange(channels * (height + 2 * PAD)):
        c, padded = job // (height + 2 * PAD), job % (height + 2 * PAD)
        y = _mirrored(padded - PAD, height)
        p, target = planes[c], out[c, padded]
        line = np.empty(width + 2 * TAPS, np.float32)
        r0, a1, b1 = p[y], p[_mirrored(y - 1, height)], p[_mirrored(y + 1, height)]
        a2, b2 = p[_mirrored(y - 2, height)], p[_mirrored(y + 2, height)]
        a3, b3 = p[_mirrored(y - 3, height)], p[_mirrored(y + 3, height)]
        a4, b4 = p[_mirrored(y - 4, height)], p[_mirrored(y + 4, height)]
        a5, b5 = p[_mirrored(y - 5, height)], p[_mirrored(y + 5, height)]
        a6, b6 = p[_mirrored(y - 6, height)], p[_mirrored(y + 6, height)]
        a7, b7 = p[_mirrored(y - 7, height)], p[_mirrored(y + 7, height)]
        a8, b8 = p[_mirrored(y - 8, height)], p[_mirrored(y + 8, height)]
        k0, k1, k2, k3, k4, k5, k6, k7, k8 = k[0], k[1], k[2], k[3], k[4], k[5], k[6], k[7], k[8]
        inner = line[TAPS : TAPS + width]
        for x in range(width):
            near = k0 * r0[x] + k1 * (a1[x] + b1[x]) + k2 * (a2[x] + b2[x]) + k3 * (a3[x] + b3[x]) + k4 * (a4[x] + b4[x])
            inner[x] = near + k5 * (a5[x] + b5[x]) + k6 * (a6[x] + b6[x]) + k7 * (a7[x] + b7[x]) + k8 * (a8[x] + b8[x])
        for t in range(TAPS):
            line[t] = inner[_mirrored(t - TAPS, width)]
            line[TAPS + width + t] = inner[_mirrored(width + t, width)]
        s = stack_floats()
        for b in range(0, width, 256):
            m = min(256, width - b)
            part = line[b : b + m + 2 * TAPS]
            for x in range(m + 2 * TAPS):
                s[x] = part[x]
            for x in range(m):
                near = k0 * s[x + 8] + k1 * (s[x + 7] + s[x + 9]) + k2 * (s[x + 6] + s[x + 10]) + k3 * (s[x + 5] + s[x + 11])
                far = k4 * (s[x + 4] + s[x + 12]) + k5 * (s[x + 3] + s[x + 13]) + k6 * (s[x + 2] + s[x + 14])
                target[b + x + PAD] = near + far + k7 * (s[x + 1] + s[x + 15]) + k8 * (s[x] + s[x + 16])
        for t in range(1, PAD + 1):
            target[PAD - t] = target[PAD + _mirrored(-t, width)]
            target[PAD + width - 1 + t] = target[PAD + _mirrored(width - 1 + t, width)]


def spline_coefficients(planes: Float32) -> Float32:
    """(c, h, w) samples -> (c, h + 4, w + 4) coefficients of the cubic B-splines through them, mirrored at the edges."""
    channels, height, width = planes.shape
    out = memory.empty(channels, height + 2 * PAD, width + 2 * PAD)
    _prefiltered(planes, _KERNEL, out)
    return out


@njit(**INLINE)
def stretches(index, count, ends):
    """How many stretches a row of ``count`` places falls into that lie beside each other in the source; where each ends."""
    n = 0
    for x in range(1, count):
        if bits_of(index[x]) - bits_of(index[x - 1]) != 1:
            ends[n] = float_of(np.int32(x))
            n += 1
    ends[n] = float_of(np.int32(count))
    return n + 1


@njit(**INLINE)
def weights(fraction, across, down):
    """Cubic B-splines at the fractions of BLOCK places: four weights each way."""
    sixth, two_thirds, half = np.float32(1 / 6), np.float32(2 / 3), np.float32(0.5)
    one = np.float32(1)
    for x in range(BLOCK):
        for axis in range(2):
            t = fraction[x + axis * BLOCK]
            u = one - t
            w0, w3 = u * u * u * sixth, t * t * t * sixth
            w1 = two_thirds - t * t * (one - t * half)
            w2 = one - w0 - w1 - w3
            if axis == 0:
                across[x], across[x + BLOCK], across[x + 2 * BLOCK], across[x + 3 * BLOCK] = w0, w1, w2, w3
            else:
                down[x], down[x + BLOCK], down[x + 2 * BLOCK], down[x + 3 * BLOCK] = w0, w1, w2, w3
