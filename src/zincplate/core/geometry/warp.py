"""The one resampling of the frame stage: linear plates through perspective, lens and scale at once.

Interpolation is by cubic B-splines with their prefilter (Thevenaz, Blu, Unser 2000, "Interpolation revisited", IEEE Trans.
Medical Imaging 19(7)): fourth-order accuracy from 4 x 4 samples. Beside sharp bright things (stars, lamps) every
interpolator with negative lobes undershoots, in linear light by far more than what is there; the result is therefore kept
above a share of the darkest of the four nearest samples.
"""

import math
from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, prange, types
from numba.extending import intrinsic
from numpy.typing import NDArray

from zincplate.core.geometry.radial import STEPS, Radial
from zincplate.core.geometry.rim_stretch import drawn_x, drawn_y
from zincplate.core.geometry.sampling import Sampling
from zincplate.core.kernels.kernel_math import BLOCK, INLINE, KERNEL, bits_of, float_of, load, stack_floats

Float32 = NDArray[np.float32]

POLE = math.sqrt(3) - 2
TAPS = 8
"""Taps on each side of the spline's prefilter; what is cut off weighs 3e-5."""
MARGIN = TAPS + 3
"""Source samples needed round the places that are read."""
PAD = 2
LEAST_SHARE = 0.6
"""Of the darkest of the four nearest samples: no pixel falls below that."""


def _prefilter() -> Float32:
    taps = POLE ** np.arange(TAPS + 1)
    return np.asarray(taps / (taps[0] + 2 * taps[1:].sum()), np.float32)


_KERNEL = _prefilter()


@intrinsic
def _four_by_four(typing_context: Any, a: Any, i: Any, stride: Any, t: Any, u: Any) -> Any:
    """Cubic B-splines at the fractions (t, u) over 4 x 4 coefficients from flat index i on, rows ``stride`` apart.

    Four vector loads instead of sixteen reads; the four weights of an axis are four polynomials of its fraction, evaluated
    side by side.
    """
    four, lane = ir.VectorType(ir.FloatType(), 4), ir.IntType(32)
    fast = ("fast",)

    def constant(numbers: tuple[float, ...]) -> Any:
        return ir.Constant(four, [ir.Constant(ir.FloatType(), n / 6) for n in numbers])

    def spread(builder: Any, vector: Any, k: int) -> Any:
        return builder.shuffle_vector(vector, ir.Constant(four, ir.Undefined), ir.Constant(ir.VectorType(lane, 4), [k] * 4))

    def weights(builder: Any, fraction: Any) -> Any:
        x = spread(builder, builder.insert_element(ir.Constant(four, ir.Undefined), fraction, ir.Constant(lane, 0)), 0)
        value = constant((-1.0, 3.0, -3.0, 1.0))
        for row in ((3.0, -6.0, 3.0, 0.0), (-3.0, 0.0, 3.0, 0.0), (1.0, 4.0, 1.0, 0.0)):
            value = builder.fadd(builder.fmul(value, x, flags=fast), constant(row), flags=fast)
        return value

    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        struct = context.make_array(signature.args[0])(context, builder, arguments[0])
        across, down = weights(builder, arguments[3]), weights(builder, arguments[4])
        place, total = arguments[1], None
        for k in range(4):
            row = builder.load(builder.bitcast(builder.gep(struct.data, [place]), four.as_pointer()), align=4)
            part = builder.fmul(row, spread(builder, down, k), flags=fast)
            total = part if total is None else builder.fadd(total, part, flags=fast)
            place = builder.add(place, arguments[2])
        total = builder.fmul(total, across, flags=fast)
        result = builder.extract_element(total, ir.Constant(lane, 0))
        for k in range(1, 4):
            result = builder.fadd(result, builder.extract_element(total, ir.Constant(lane, k)), flags=fast)
        return result

    return types.float32(a, types.int32, types.int32, types.float32, types.float32), codegen


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
    out = np.empty((channels, height + 2 * PAD, width + 2 * PAD), np.float32)
    _prefiltered(planes, _KERNEL, out)
    return out


@njit(inline="always")
def _into(place, size, mirrored):
    """A place of the picture's axis kept inside, by mirroring or by staying at the edge."""
    if mirrored:
        place = size - abs(size - abs(place))
    return min(max(place, np.float32(0)), size)


@njit(**INLINE)
def _places(numbers, table, table_scale, px, py, place, scales):
    """Undistorted places (from the middle) of BLOCK pixels of a row from plane (px, py) on, and the lens there: scale of red,
    green and blue, and gain of light (third part of ``place``)."""
    a0 = np.float32(numbers.m00 * px + numbers.m01 * py + numbers.m02)
    a1 = np.float32(numbers.m10 * px + numbers.m11 * py + numbers.m12)
    a2 = np.float32(numbers.m20 * px + numbers.m21 * py + numbers.m22)
    g0 = np.float32(numbers.m00 * numbers.step_x)
    g1 = np.float32(numbers.m10 * numbers.step_x)
    g2 = np.float32(numbers.m20 * numbers.step_x)
    for x in range(BLOCK):
        t = np.float32(x)
        q = np.float32(1) / max(a2 + g2 * t, np.float32(1e-3))
        u, v = (a0 + g0 * t) * q, (a1 + g1 * t) * q
        r = min(math.sqrt(u * u + v * v) * table_scale, np.float32(STEPS))
        i = np.int32(r)
        f = r - np.float32(i)
        k = np.int32(i * np.int32(4))
        place[x], place[x + BLOCK] = u, v
        low = load(table, k)
        scales[x] = low + (load(table, np.int32(k + np.int32(4))) - low) * f
        low = load(table, np.int32(k + np.int32(1)))
        scales[x + BLOCK] = low + (load(table, np.int32(k + np.int32(5))) - low) * f
        low = load(table, np.int32(k + np.int32(2)))
        scales[x + 2 * BLOCK] = low + (load(table, np.int32(k + np.int32(6))) - low) * f
        low = load(table, np.int32(k + np.int32(3)))
        place[x + 2 * BLOCK] = low + (load(table, np.int32(k + np.int32(7))) - low) * f


@njit(**INLINE)
def _samples(numbers, rim, place, scales, channel, width, height, middle, out):
    """Where BLOCK undistorted places fall in source planes of a size, in samples: x in the first and y in the second part of
    ``out``. ``middle`` is half for places between the samples' middles, 0 for the sample that holds a place."""
    half_x, half_y = np.float32(numbers.picture_width / 2), np.float32(numbers.picture_height / 2)
    full_x, full_y = np.float32(numbers.picture_width), np.float32(numbers.picture_height)
    scale_x, scale_y = np.float32(numbers.scale_x), np.float32(numbers.scale_y)
    origin_x, origin_y = np.float32(numbers.origin_x + middle), np.float32(numbers.origin_y + middle)
    mirrored = numbers.mirrored > 0
    last_x, last_y = np.float32(width - 1), np.float32(height - 1)
    left, top, right, bottom = (
        np.float32(numbers.left),
        np.float32(numbers.top),
        np.float32(numbers.right),
        np.float32(numbers.bottom),
    )
    drawn = numbers.drawn > 0
    for x in range(BLOCK):
        s = scales[x + channel * BLOCK]
        px, py = place[x] * s + half_x, place[x + BLOCK] * s + half_y
        if drawn:
            px, py = drawn_x(rim, px, py, full_x, full_y), drawn_y(rim, px, py, full_x, full_y)
        held = (px >= left) & (px <= right) & (py >= top) & (py <= bottom)
        sx = (px if held else _into(px, full_x, mirrored)) * scale_x - origin_x
        sy = (py if held else _into(py, full_y, mirrored)) * scale_y - origin_y
        out[x], out[x + BLOCK] = min(max(sx, np.float32(0)), last_x), min(max(sy, np.float32(0)), last_y)


@njit(fastmath=True, error_model="numpy")
def _keep_above(fraction, index, plane, count):
    """Values (third part of ``fraction``) that fell too far below the darkest of their four nearest samples are raised."""
    height, width = plane.shape
    for x in range(count):
        at = bits_of(index[x + BLOCK])
        iy, ix = at // width, at % width
        right, below = min(ix + 1, width - 1), min(iy + 1, height - 1)
        least = min(min(plane[iy, ix], plane[iy, right]), min(plane[below, ix], plane[below, right]))
        fraction[x + 2 * BLOCK] = max(fraction[x + 2 * BLOCK], min(least, least * np.float32(LEAST_SHARE)))


@njit(**KERNEL)
def _warp(planes, coefficients, numbers, rim, table, table_scale, shared, finer, out):
    _, height, width = planes.shape
    rows, columns = out.shape[1:]
    stride = np.int32(width + 2 * PAD)
    size = np.int32((height + 2 * PAD) * (width + 2 * PAD))
    flat, samples = coefficients.reshape(-1), planes.reshape(-1)
    all_samples = np.int32(height * width)
    share = np.float32(1) / np.float32(finer * finer)
    for y in prange(rows):
        for b in range(0, columns, BLOCK):
            count = min(BLOCK, columns - b)
            place, scales, index, fraction = stack_floats(), stack_floats(), stack_floats(), stack_floats()
            for part in range(finer * finer):
                py = numbers.start_y + (y + (part // finer + 0.5) / finer) * numbers.step_y
                px = numbers.start_x + (b + (part % finer + 0.5) / finer) * numbers.step_x
                _places(numbers, table, table_scale, px, py, place, scales)
                for x in range(BLOCK):
                    place[x + 2 * BLOCK] = place[x + 2 * BLOCK] * share
                for run in range(1 if shared else 3):
                    _samples(numbers, rim, place, scales, run, width, height, 0.5, fraction)
                    # the index travels as the bits of a float: one kind of scratch for all
                    for x in range(BLOCK):
                        sx, sy = fraction[x], fraction[x + BLOCK]
                        ix, iy = np.int32(sx), np.int32(sy)
                        fraction[x], fraction[x + BLOCK] = sx - np.float32(ix), sy - np.float32(iy)
                        index[x] = float_of(np.int32(iy * stride + ix))
                        index[x + BLOCK] = float_of(np.int32(iy * np.int32(width) + ix))
                    for c in range(0 if shared else run, 3 if shared else run + 1):
                        line, plane = out[c, y], planes[c]
                        # one row and column before the nearest sample, which padding has moved by PAD
                        shift = np.int32(size * np.int32(c) + stride + np.int32(1))
                        first = np.int32(all_samples * np.int32(c))
                        for x in range(count):
                            at = np.int32(bits_of(index[x]) + shift)
                            fraction[x + 2 * BLOCK] = _four_by_four(flat, at, stride, fraction[x], fraction[x + BLOCK])
                        lowest = np.float32(0)
                        for x in range(count):
                            nearest = load(samples, np.int32(bits_of(index[x + BLOCK]) + first))
                            lowest = min(lowest, fraction[x + 2 * BLOCK] - np.float32(LEAST_SHARE) * nearest)
                        if lowest < 0:
                            _keep_above(fraction, index, plane, count)
                        if part == 0:
                            for x in range(count):
                                line[b + x] = fraction[x + 2 * BLOCK] * place[x + 2 * BLOCK]
                        else:
                            for x in range(count):
                                line[b + x] += fraction[x + 2 * BLOCK] * place[x + 2 * BLOCK]


@njit(**KERNEL)
def _nearest(planes, numbers, rim, table, table_scale, out):
    height, width = planes.shape[1:]
    rows, columns = out.shape[1:]
    samples, size = planes.reshape(-1), np.int32(height * width)
    for y in prange(rows):
        place, scales, at = stack_floats(), stack_floats(), stack_floats()
        for b in range(0, columns, BLOCK):
            px, py = numbers.start_x + (b + 0.5) * numbers.step_x, numbers.start_y + (y + 0.5) * numbers.step_y
            _places(numbers, table, table_scale, px, py, place, scales)
            _samples(numbers, rim, place, scales, 1, width, height, 0.0, at)
            for x in range(BLOCK):
                at[x + 2 * BLOCK] = float_of(np.int32(np.int32(at[x + BLOCK]) * np.int32(width) + np.int32(at[x])))
            for c in range(planes.shape[0]):
                line = out[c, y]
                for x in range(min(BLOCK, columns - b)):
                    line[b + x] = load(samples, np.int32(bits_of(at[x + 2 * BLOCK]) + size * np.int32(c)))


@njit(**KERNEL)
def _linear(planes, numbers, rim, table, table_scale, out):
    channels, height, width = planes.shape
    rows, columns = out.shape[1:]
    for y in prange(rows):
        place, scales, at = stack_floats(), stack_floats(), stack_floats()
        for b in range(0, columns, BLOCK):
            px, py = numbers.start_x + (b + 0.5) * numbers.step_x, numbers.start_y + (y + 0.5) * numbers.step_y
            _places(numbers, table, table_scale, px, py, place, scales)
            _samples(numbers, rim, place, scales, 1, width, height, 0.5, at)
            for x in range(min(BLOCK, columns - b)):
                sx, sy = at[x], at[x + BLOCK]
                ix, iy = np.int32(sx), np.int32(sy)
                jx, jy = min(ix + 1, width - 1), min(iy + 1, height - 1)
                tx, ty = sx - np.float32(ix), sy - np.float32(iy)
                for c in range(channels):
                    top = planes[c, iy, ix] + (planes[c, iy, jx] - planes[c, iy, ix]) * tx
                    bottom = planes[c, jy, ix] + (planes[c, jy, jx] - planes[c, jy, ix]) * tx
                    out[c, y, b + x] = top + (bottom - top) * ty


def warp(
    planes: Float32, sampling: Sampling, radial: Radial, width: int, height: int, coefficients: Float32 | None = None
) -> Float32:
    """Source planes (3, h, w) -> (3, height, width), the lens's fall-off made up for.

    ``coefficients`` are the planes' own (:func:`spline_coefficients`), where a caller has kept them.
    """
    planes = np.ascontiguousarray(planes)
    if planes.shape[1] * planes.shape[2] > 2**29:
        raise ValueError("a part of the source is too large to be read at once")
    if coefficients is None:
        coefficients = spline_coefficients(planes)
    out = np.empty((3, height, width), np.float32)
    scale = np.float32(1 / radial.step_px)
    _warp(planes, coefficients, sampling.numbers(), sampling.rim_table(), radial.table, scale, radial.shared, sampling.finer, out)
    return out


def warp_nearest(planes: Float32, sampling: Sampling, radial: Radial, width: int, height: int) -> Float32:
    """The same by the nearest sample and without change of light: for asking what the sensor recorded at a place."""
    out = np.empty((planes.shape[0], height, width), np.float32)
    _nearest(
        np.ascontiguousarray(planes), sampling.numbers(), sampling.rim_table(), radial.table, np.float32(1 / radial.step_px), out
    )
    return out


def warp_linear(planes: Float32, sampling: Sampling, radial: Radial, width: int, height: int) -> Float32:
    """The same by linear interpolation, any number of planes, green's places, light as it is: for smooth helper planes."""
    out = np.empty((planes.shape[0], height, width), np.float32)
    _linear(
        np.ascontiguousarray(planes), sampling.numbers(), sampling.rim_table(), radial.table, np.float32(1 / radial.step_px), out
    )
    return out
