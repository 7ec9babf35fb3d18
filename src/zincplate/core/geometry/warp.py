"""The one resampling of the frame stage: linear plates through perspective, lens and scale at once.

Interpolation is by cubic B-splines with their prefilter (Thevenaz, Blu, Unser 2000, "Interpolation revisited", IEEE Trans.
Medical Imaging 19(7)): fourth-order accuracy from 4 x 4 samples. Beside sharp bright things (stars, lamps) every
interpolator with negative lobes undershoots, in linear light by far more than what is there; the result is therefore kept
above a share of the darkest of the four nearest samples.
"""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.geometry.radial import STEPS, Radial
from zincplate.core.geometry.rim_stretch import drawn_x, drawn_y
from zincplate.core.geometry.sampling import Sampling
from zincplate.core.geometry.splines import (
    EIGHT,
    LEAST_SHARE,
    LEAST_STRETCH,
    PAD,
    TAPS,
    eight_beside,
    spline_coefficients,
    splines_at,
    stretches,
    weights,
)
from zincplate.core.kernels.kernel_math import BLOCK, INLINE, KERNEL, bits_of, float_of, load, stack_eight, stack_floats

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Bits = NDArray[np.uint8]

MARGIN = TAPS + 3
"""Source samples needed round the places that are read."""
PART = 32
"""Pixels of a row that share a homography, at the least."""


@njit(inline="always")
def _into(place, size, mirrored):
    """A place of the picture's axis kept inside, by mirroring or by staying at the edge."""
    if mirrored:
        place = size - abs(size - abs(place))
    return min(max(place, np.float32(0)), size)


@njit(**INLINE)
def _places(m00, m01, m02, m10, m11, m12, m20, m21, m22, step_x, plain, table, table_scale, px, py, start, count, place, scales):
    """Undistorted places (from the middle) of ``count`` pixels of a row from ``start`` on, the first at plane (px, py), by the
    homography that takes plane to picture; and the lens there: scale of red, green and blue, and gain of light (third part of
    ``place``), all 1 for a ``plain`` one."""
    a0 = np.float32(m00 * px + m01 * py + m02)
    a1 = np.float32(m10 * px + m11 * py + m12)
    a2 = np.float32(m20 * px + m21 * py + m22)
    g0, g1, g2 = np.float32(m00 * step_x), np.float32(m10 * step_x), np.float32(m20 * step_x)
    if plain:
        for j in range(count):
            x, t = start + j, np.float32(j)
            q = np.float32(1) / max(a2 + g2 * t, np.float32(1e-3))
            place[x], place[x + BLOCK], place[x + 2 * BLOCK] = (a0 + g0 * t) * q, (a1 + g1 * t) * q, np.float32(1)
            scales[x], scales[x + BLOCK], scales[x + 2 * BLOCK] = np.float32(1), np.float32(1), np.float32(1)
        return
    for j in range(count):
        x, t = start + j, np.float32(j)
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
def _places_of(n, plain, table, table_scale, px, py, place, scales):
    """The same of a whole block by a sampling's own homography."""
    a, b, c, d, e, f, g, h, i = n.m00, n.m01, n.m02, n.m10, n.m11, n.m12, n.m20, n.m21, n.m22
    _places(a, b, c, d, e, f, g, h, i, n.step_x, plain, table, table_scale, px, py, 0, BLOCK, place, scales)


@njit(**INLINE)
def _places_by(m, step, plain, table, table_scale, px, py, start, place, scales):
    """The same of a part of a block by another homography (3, 3)."""
    a, b, c, d, e, f, g, h, i = m[0, 0], m[0, 1], m[0, 2], m[1, 0], m[1, 1], m[1, 2], m[2, 0], m[2, 1], m[2, 2]
    x = px + start * step
    _places(a, b, c, d, e, f, g, h, i, step, plain, table, table_scale, x, py, start, PART, place, scales)


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


@njit(**INLINE)
def _stretch(flat, stride, samples, index, shift, first, across, down, begin, end, fraction, c, out):
    """Splines at places of a row that lie beside each other in the source, to part ``c`` of ``out``; above 0 when any falls too
    far below its nearest sample."""
    at = np.int32(bits_of(index[begin]) + shift)
    nearest = np.int32(bits_of(index[begin + BLOCK]) + first)
    low = np.int32(0)
    if end - begin < EIGHT:
        for x in range(begin, end):
            own, to = np.int32(at + np.int32(x - begin)), np.int32(x + c * BLOCK)
            splines_at(flat, own, stride, np.int32(0), fraction[x], fraction[x + BLOCK], 1, out, to)
            low += np.int32(out[to] < np.float32(LEAST_SHARE) * load(samples, np.int32(nearest + np.int32(x - begin))))
        return low
    for k in range((end - begin + EIGHT - 1) // EIGHT):
        # the last eight end where the stretch ends, and some of them may have been worked out before
        off = np.int32(min(k * EIGHT, end - begin - EIGHT))
        first_of_eight, to = np.int32(begin + off), np.int32(begin + off + c * BLOCK)
        low += eight_beside(
            flat, np.int32(at + off), stride, samples, np.int32(nearest + off), across, down, first_of_eight, to, out
        )
    return low


@njit(fastmath=True, error_model="numpy")
def _keep_above(values, c, index, plane, count):
    """Values (part ``c``) that fell too far below the darkest of their four nearest samples are raised."""
    height, width = plane.shape
    samples = plane.reshape(-1)
    for x in range(count):
        at = bits_of(index[x + BLOCK])
        if values[x + c * BLOCK] >= np.float32(LEAST_SHARE) * load(samples, at):
            continue  # the darkest is not above the nearest
        iy, ix = at // width, at % width
        right, below = min(ix + 1, width - 1), min(iy + 1, height - 1)
        least = min(min(plane[iy, ix], plane[iy, right]), min(plane[below, ix], plane[below, right]))
        values[x + c * BLOCK] = max(values[x + c * BLOCK], min(least, least * np.float32(LEAST_SHARE)))


@njit(**KERNEL)
def _warp(
    planes, coefficients, numbers, rim, plain, table, table_scale, shared, finer, blocks, block_width, block_height, gains, out
):  # fmt: skip
    _, height, width = planes.shape
    rows, columns = out.shape[1:]
    stride = np.int32(width + 2 * PAD)
    size = np.int32((height + 2 * PAD) * (width + 2 * PAD))
    flat, samples = coefficients.reshape(-1), planes.reshape(-1)
    all_samples = np.int32(height * width)
    # one row and column before the nearest sample, which padding has moved by PAD
    shift = np.int32(stride + np.int32(1))
    share = np.float32(1) / np.float32(finer * finer)
    for y in prange(rows):
        for b in range(0, columns, BLOCK):
            count = min(BLOCK, columns - b)
            place, scales, index, fraction = stack_floats(), stack_floats(), stack_floats(), stack_floats()
            across, down, ends, value = stack_eight(), stack_eight(), stack_floats(), stack_floats()
            for part in range(finer * finer):
                py = numbers.start_y + (y + (part // finer + 0.5) / finer) * numbers.step_y
                px = numbers.start_x + (b + (part % finer + 0.5) / finer) * numbers.step_x
                if blocks.shape[0] == 0:
                    _places_of(numbers, plain, table, table_scale, px, py, place, scales)
                else:
                    for start in range(0, BLOCK, PART):
                        k = min((b + start) // block_width, blocks.shape[1] - 1)
                        h = blocks[y // block_height, k]
                        _places_by(h, numbers.step_x, plain, table, table_scale, px, py, start, place, scales)
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
                    n = stretches(index, count, ends)
                    beside = n * LEAST_STRETCH <= count
                    if beside:
                        weights(fraction, across, down)
                    if not beside and shared:
                        for x in range(count):
                            at = np.int32(bits_of(index[x]) + shift)
                            splines_at(flat, at, stride, size, fraction[x], fraction[x + BLOCK], 3, value, np.int32(x))
                    elif not beside:
                        own = np.int32(size * np.int32(run) + shift)
                        for x in range(count):
                            at, to = np.int32(bits_of(index[x]) + own), np.int32(x + run * BLOCK)
                            splines_at(flat, at, stride, size, fraction[x], fraction[x + BLOCK], 1, value, to)
                    for c in range(0 if shared else run, 3 if shared else run + 1):
                        line, plane, gain = out[c, y], planes[c], gains[c]
                        first = np.int32(all_samples * np.int32(c))
                        low = np.int32(0)
                        if beside:
                            begin, own = 0, np.int32(size * np.int32(c) + shift)
                            for k in range(n):
                                end = bits_of(ends[k])
                                low += _stretch(
                                    flat, stride, samples, index, own, first, across, down, begin, end, fraction, c, value
                                )
                                begin = end
                        else:
                            for x in range(count):
                                dark = load(samples, np.int32(bits_of(index[x + BLOCK]) + first))
                                low += np.int32(value[x + c * BLOCK] < np.float32(LEAST_SHARE) * dark)
                        if low > 0:
                            _keep_above(value, c, index, plane, count)
                        if part == 0:
                            for x in range(count):
                                line[b + x] = value[x + c * BLOCK] * place[x + 2 * BLOCK] * gain
                        else:
                            for x in range(count):
                                line[b + x] += value[x + c * BLOCK] * place[x + 2 * BLOCK] * gain


@njit(**KERNEL)
def _nearest(planes, numbers, rim, table, table_scale, out):
    height, width = planes.shape[1:]
    rows, columns = out.shape[1:]
    samples, size = planes.reshape(-1), np.int32(height * width)
    for y in prange(rows):
        place, scales, at = stack_floats(), stack_floats(), stack_floats()
        for b in range(0, columns, BLOCK):
            px, py = numbers.start_x + (b + 0.5) * numbers.step_x, numbers.start_y + (y + 0.5) * numbers.step_y
            _places_of(numbers, False, table, table_scale, px, py, place, scales)
            _samples(numbers, rim, place, scales, 1, width, height, 0.0, at)
            for x in range(BLOCK):
                at[x + 2 * BLOCK] = float_of(np.int32(np.int32(at[x + BLOCK]) * np.int32(width) + np.int32(at[x])))
            for c in range(planes.shape[0]):
                line = out[c, y]
                for x in range(min(BLOCK, columns - b)):
                    line[b + x] = load(samples, np.int32(bits_of(at[x + 2 * BLOCK]) + size * np.int32(c)))


@njit(**KERNEL)
def _nearest_bits(bits, numbers, rim, plain, table, table_scale, every, out):
    height, width = bits.shape
    rows, columns = out.shape
    flat = bits.reshape(-1)
    for row in prange((rows + every - 1) // every):
        place, scales, at = stack_floats(), stack_floats(), stack_floats()
        y = np.int64(row) * every
        line = out[y]
        for b in range(0, columns, BLOCK):
            px, py = numbers.start_x + (b + 0.5) * numbers.step_x, numbers.start_y + (y + 0.5) * numbers.step_y
            _places_of(numbers, plain, table, table_scale, px, py, place, scales)
            _samples(numbers, rim, place, scales, 1, width, height, 0.0, at)
            for x in range(min(BLOCK, columns - b)):
                line[b + x] = flat[np.uint32(np.int32(at[x + BLOCK]) * np.int32(width) + np.int32(at[x]))]


@njit(**KERNEL)
def _linear(planes, numbers, rim, table, table_scale, out):
    channels, height, width = planes.shape
    rows, columns = out.shape[1:]
    for y in prange(rows):
        place, scales, at = stack_floats(), stack_floats(), stack_floats()
        for b in range(0, columns, BLOCK):
            px, py = numbers.start_x + (b + 0.5) * numbers.step_x, numbers.start_y + (y + 0.5) * numbers.step_y
            _places_of(numbers, False, table, table_scale, px, py, place, scales)
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


@dataclass(frozen=True)
class Blocks:
    """Homographies that take the place of a sampling's own, each in a block of the result."""

    to_picture: Float64
    """(down, across, 3, 3), as :attr:`Sampling.to_picture`."""
    width: int
    """Pixels, a multiple of :data:`PART`; the last ones may be narrower."""
    height: int


_ONES = np.ones(3, np.float32)
_WHOLE = Blocks(np.zeros((0, 0, 3, 3)), PART, 1)


def warp(
    planes: Float32,
    sampling: Sampling,
    radial: Radial,
    width: int,
    height: int,
    coefficients: Float32 | None = None,
    blocks: Blocks | None = None,
    out: Float32 | None = None,
    gains: Float32 = _ONES,
) -> Float32:
    """Source planes (3, h, w) -> (3, height, width), the lens's fall-off made up for.

    ``coefficients`` are the planes' own (:func:`spline_coefficients`), where a caller has kept them; ``out`` (C-contiguous) is
    written to where it is given. ``gains`` (3,) are factors on red, green and blue.
    """
    planes = np.ascontiguousarray(planes)
    if planes.shape[1] * planes.shape[2] > 2**29:
        raise ValueError("a part of the source is too large to be read at once")
    if coefficients is None:
        coefficients = spline_coefficients(planes)
    if out is None:
        out = np.empty((3, height, width), np.float32)
    blocks = blocks or _WHOLE
    plain = not radial.moves and not radial.lights
    scale = np.float32(1 / radial.step_px)
    _warp(
        planes, coefficients, sampling.numbers(), sampling.rim_table(), plain, radial.table, scale, radial.shared, sampling.finer,
        np.ascontiguousarray(blocks.to_picture, np.float64), blocks.width, blocks.height, gains, out,
    )  # fmt: skip
    return out


def warp_nearest(planes: Float32, sampling: Sampling, radial: Radial, width: int, height: int) -> Float32:
    """The same by the nearest sample and without change of light: for asking what the sensor recorded at a place."""
    out = np.empty((planes.shape[0], height, width), np.float32)
    _nearest(
        np.ascontiguousarray(planes), sampling.numbers(), sampling.rim_table(), radial.table, np.float32(1 / radial.step_px), out
    )
    return out


def warp_bits(
    bits: NDArray[np.uint8], sampling: Sampling, radial: Radial, width: int, height: int, every: int = 1
) -> NDArray[np.uint8]:
    """The nearest of what is known of every sample (h, w), at green's places; rows between every ``every``th tell nothing."""
    out = np.empty((height, width), np.uint8)
    lens = (not radial.moves, radial.table, np.float32(1 / radial.step_px))
    _nearest_bits(np.ascontiguousarray(bits), sampling.numbers(), sampling.rim_table(), *lens, every, out)
    return out


def warp_linear(planes: Float32, sampling: Sampling, radial: Radial, width: int, height: int) -> Float32:
    """The same by linear interpolation, any number of planes, green's places, light as it is: for smooth helper planes."""
    out = np.empty((planes.shape[0], height, width), np.float32)
    _linear(
        np.ascontiguousarray(planes), sampling.numbers(), sampling.rim_table(), radial.table, np.float32(1 / radial.step_px), out
    )
    return out
