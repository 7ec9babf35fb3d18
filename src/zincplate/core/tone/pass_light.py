"""What passes do to light before the tone curve: sums of what each asks for at a place, applied in one go.

Exposure, warmth and tint are gains in EV, shadows, highlights, clarity and haze the strengths of the local stage
(:mod:`zincplate.core.tone.local_tone`), contrast a slope about middle grey: all of them add, so the order of passes does not
matter here, and twenty cost what one costs but for the sums. Places where nothing is asked for are passed over.
"""

import math

import numpy as np
from numba import carray, njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import BLOCK, KERNEL, exp_2, log_2, smoothstep, stack_floats
from zincplate.core.tone.local_tone import (
    CLARITY_GAIN,
    CLARITY_LIMIT_EV,
    HIGHLIGHTS_EV,
    HIGHLIGHTS_FROM_EV,
    HIGHLIGHTS_SPAN_EV,
    SHADOWS_EV,
    SHADOWS_FROM_EV,
    SHADOWS_SPAN_EV,
)
from zincplate.core.tone.low_planes import FLOOR

Float32 = NDArray[np.float32]

RED, GREEN, BLUE, CONTRAST, SHADOWS, HIGHLIGHTS, CLARITY, HAZE = range(8)
STRENGTHS = 8
"""Planes of what is asked for: gains of the three channels in EV, then shares -1..1."""
CONTRAST_SLOPE = 0.6
"""By how much the slope about middle grey changes at a contrast of 1."""
CONTRAST_SPAN_EV = 3.0
"""Distance from middle grey at which half of that is left."""


@njit(**KERNEL)
def add_asked(area, asked, sums):
    """Adds ``asked`` (8,) times ``area`` (h, w) to ``sums`` (8, h, w); parts of rows where the area is nothing are passed
    over."""
    height, width = area.shape
    for y in prange(height):
        for start in range(0, width, BLOCK):
            n = min(BLOCK, width - start)
            line = area[y, start : start + n]
            top = np.float32(0)
            for x in range(n):
                top = max(top, line[x])
            if top == np.float32(0):
                continue
            for k in range(8):
                amount = asked[k]
                if amount != np.float32(0):
                    out = sums[k, y, start : start + n]
                    for x in range(n):
                        out[x] += amount * line[x]


@njit(**KERNEL)
def _apply(planes, low, air_planes, sums, used, p, x0, y0, out):
    _, height, width = planes.shape
    _, low_height, low_width = low.shape
    z, o, half = np.float32(0), np.float32(1), np.float32(0.5)
    step_x, step_y = np.float32(low_width) / p[0], np.float32(low_height) / p[1]
    exposure, least = p[5], p[9]
    regional = (used[4] != 0) | (used[5] != 0) | (used[6] != 0)
    hazy, contrasty = used[7] != 0, used[3] != 0
    for y in prange(height):
        v = min(max((np.float32(y0 + y) + half) * step_y - half, z), np.float32(low_height - 1))
        j = np.int32(v)
        k = min(np.int32(j + 1), np.int32(low_height - 1))
        fv = v - np.float32(j)
        buf = carray(stack_floats(), (3, BLOCK), np.float32)
        ev = carray(stack_floats(), (3, BLOCK), np.float32)
        for start in range(0, width, BLOCK):
            n = min(BLOCK, width - start)
            most = z
            for c in range(8):
                if used[c]:
                    line = sums[c, y, start : start + n]
                    for x in range(n):
                        most = max(most, abs(line[x]))
            if most == z:
                for c in range(3):
                    for x in range(n):
                        out[c, y, start + x] = planes[c, y, start + x]
                continue
            for c in range(3):
                line = planes[c, y, start : start + n]
                for x in range(n):
                    buf[c, x] = line[x]
            if hazy:
                for x in range(n):
                    i, i2, fu = _column(x0 + start + x, step_x, low_width)
                    asked = sums[7, y, start + x]
                    removal = asked * p[10 if asked > z else 11]
                    g = buf[1, x]
                    a = _at(air_planes, 0, j, k, fv, i, i2, fu)
                    thickness = min(max(a * math.sqrt(max(g, z)) + _at(air_planes, 1, j, k, fv, i, i2, fu), z), o)
                    cleared = o / max(o - removal * thickness, least)
                    veiled = o + removal * (np.float32(0.3) + np.float32(0.7) * thickness)
                    t = cleared if removal > z else veiled
                    for c in range(3):
                        v = buf[c, x]
                        buf[c, x] = max((v - p[6 + c]) * t + p[6 + c], min(v, z))
            for x in range(n):
                ev[0, x] = z
            if regional | contrasty:
                for x in range(n):
                    luminance = max(p[2] * buf[0, x] + p[3] * buf[1, x] + p[4] * buf[2, x], z)
                    ev[1, x] = log_2(luminance + np.float32(FLOOR)) + np.float32(2.4739311883324122)
            if regional:
                for x in range(n):
                    i, i2, fu = _column(x0 + start + x, step_x, low_width)
                    e = ev[1, x]
                    base = _at(low, 0, j, k, fv, i, i2, fu) * (e - exposure) + _at(low, 1, j, k, fv, i, i2, fu) + exposure
                    form = _at(low, 2, j, k, fv, i, i2, fu) * (e - exposure) + _at(low, 3, j, k, fv, i, i2, fu) + exposure
                    d = form - base
                    d = d / (o + abs(d) * np.float32(1 / CLARITY_LIMIT_EV))
                    middle = o - smoothstep((abs(base + half) - np.float32(2.5)) * np.float32(0.25))
                    shadow = smoothstep((np.float32(SHADOWS_FROM_EV) - base) * np.float32(1 / SHADOWS_SPAN_EV))
                    light = smoothstep((base - np.float32(HIGHLIGHTS_FROM_EV)) * np.float32(1 / HIGHLIGHTS_SPAN_EV))
                    at = start + x
                    ev[0, x] = (
                        sums[4, y, at] * np.float32(SHADOWS_EV) * shadow
                        + sums[5, y, at] * np.float32(HIGHLIGHTS_EV) * light
                        + sums[6, y, at] * np.float32(CLARITY_GAIN) * d * middle
                    )
            if contrasty:
                line = sums[3, y, start : start + n]
                for x in range(n):
                    far = ev[1, x] + ev[0, x]
                    bend = far / (o + abs(far) * np.float32(1 / CONTRAST_SPAN_EV))
                    ev[0, x] += line[x] * np.float32(CONTRAST_SLOPE) * bend
            for c in range(3):
                line, target = sums[c, y, start : start + n], out[c, y, start : start + n]
                for x in range(n):
                    target[x] = buf[c, x] * exp_2(ev[0, x] + line[x])


@njit(fastmath=True, error_model="numpy", inline="always")
def _column(x, step_x, low_width):
    """Columns of a small plane on both sides of a pixel, and the share of the right one."""
    u = min(max((np.float32(x) + np.float32(0.5)) * step_x - np.float32(0.5), np.float32(0)), np.float32(low_width - 1))
    i = np.int32(u)
    return i, min(np.int32(i + 1), np.int32(low_width - 1)), u - np.float32(i)


@njit(fastmath=True, error_model="numpy", inline="always")
def _at(plane, n, j, k, fv, i, i2, fu):
    top = plane[n, j, i] + (plane[n, j, i2] - plane[n, j, i]) * fu
    bottom = plane[n, k, i] + (plane[n, k, i2] - plane[n, k, i]) * fu
    return top + (bottom - top) * fv


def apply_asked(
    planes: Float32,
    low: Float32,
    air_planes: Float32,
    sums: Float32,
    used: NDArray[np.int32],
    parameters: Float32,
    x0: int,
    y0: int,
) -> Float32:
    """Planes (3, h, w) after what ``sums`` (8, h, w) ask for at each place; of those only the ``used`` (8,) are read.

    ``low`` and ``air_planes`` are those of the local stage. ``parameters`` (12,): scaled width and height, luminance weights (3),
    exposure in EV, air (3), least transmission, transmission factors for taking haze away and for adding it.
    """
    out = np.empty_like(planes)
    _apply(planes, low, air_planes, sums, used, parameters, x0, y0, out)
    return out
