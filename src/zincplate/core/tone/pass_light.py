"""What passes do to light before the tone curve: sums of what each asks for at a place, applied in one go.

Exposure, warmth and tint are gains in EV, shadows, highlights, clarity and haze the strengths of the local stage
(:mod:`zincplate.core.tone.local_tone`), contrast a slope about middle grey: all of them add, so the order of passes does not
matter here, and twenty cost what one costs but for the sums. Places where nothing is asked for are passed over.
"""

import math
from typing import NamedTuple

import numpy as np
from numba import carray, njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels import memory
from zincplate.core.kernels.kernel_math import (
    BLOCK,
    INLINE,
    KERNEL,
    exp_2,
    floats_at,
    log_2,
    smoothstep,
    stack_eight,
    stack_floats,
)
from zincplate.core.kernels.numbers import ViewNumbers
from zincplate.core.tone.at_width import ROWS, columns_at, held_at, place_at
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


class AskedNumbers(NamedTuple):
    """Of the air in the picture."""

    air_red: np.float32
    air_green: np.float32
    air_blue: np.float32
    least_transmission: np.float32
    removal: np.float32
    """Share of the air that haze of +1 takes away."""
    veil: np.float32
    """Share that haze of -1 lays on."""


@njit(**INLINE)
def _line(areas, one, width, y, start, n):
    """A part of a row of one of the areas."""
    return carray(floats_at(areas[one] + np.int64(4) * (np.int64(y) * np.int64(width) + np.int64(start))), (n,), np.float32)


@njit(**INLINE)
def _acting(areas, width, y, start, n, found):
    """Writes which of the areas reach into a part of a row, and at the end how many; returns that."""
    count = 0
    for i in range(areas.shape[0]):
        line = _line(areas, i, width, y, start, n)
        total = np.float32(0)  # a sum, since LLVM does not vectorise a running maximum
        for x in range(n):
            total += line[x]
        if total > np.float32(0):
            found[count] = i
            count += 1
    found[-1] = count
    return count


@njit(**INLINE)
def _tinted(asked, acting):
    """Whether one of the acting areas asks for other gains of red or blue than of green."""
    found = False
    for i in range(acting[-1]):
        one = asked[acting[i]]
        found |= (one[RED] != one[GREEN]) | (one[BLUE] != one[GREEN])
    return found


@njit(**INLINE)
def _asks(asked, acting, first, last):
    """Whether one of the acting areas asks for any of these."""
    found = False
    for i in range(acting[-1]):
        for k in range(first, last + 1):
            found |= asked[acting[i], k] != np.float32(0)
    return found


@njit(**INLINE)
def _summed(areas, asked, width, y, start, n, acting, k, out):
    """Sum (BLOCK,) of what the acting areas ask for of one kind in a part of a row."""
    begun = False
    for i in range(acting[-1]):
        amount = asked[acting[i], k]
        if amount != np.float32(0):
            line = _line(areas, acting[i], width, y, start, n)
            if begun:
                for x in range(n):
                    out[x] += amount * line[x]
            else:
                for x in range(n):
                    out[x] = amount * line[x]
            begun = True
    if not begun:
        for x in range(n):
            out[x] = np.float32(0)


@njit(**KERNEL)
def _apply(planes, low, air_planes, areas, asked, used, view, p, x0, y0, out):
    _, height, width = planes.shape
    _, low_height, low_width = low.shape
    z, o, half = np.float32(0), np.float32(1), np.float32(0.5)
    step_x, step_y = np.float32(low_width) / view.full_width, np.float32(low_height) / view.full_height
    exposure, least = view.exposure_ev, p.least_transmission
    regional = (used[4] != 0) | (used[5] != 0) | (used[6] != 0)
    hazy, contrasty = used[7] != 0, used[3] != 0
    columns, shares = np.empty(width, np.int32), np.empty(width, np.float32)
    columns_at(x0, step_x, low_width, columns, shares, width)
    for part in prange((height + ROWS - 1) // ROWS):
        acting = np.empty(areas.shape[0] + 1, np.int64)
        buf = carray(stack_floats(), (3, BLOCK), np.float32)
        ev = carray(stack_floats(), (3, BLOCK), np.float32)
        row = np.zeros(low_width + 1, np.float32)
        sums = carray(stack_eight(), (8, BLOCK), np.float32)
        # the two rows of small planes about a row, at full width, once they are needed: air a and b; region a and b, form a and b
        air, wide = np.empty((2, 2, width if hazy else 1), np.float32), np.empty((2, 4, width if regional else 1), np.float32)
        held_air, held_low = np.full(2, -1, np.int32), np.full(2, -1, np.int32)
        for y in range(part * ROWS, min(part * ROWS + ROWS, height)):
            j, k, fv = place_at(y0 + y, step_y, low_height)
            up, down = j & 1, k & 1
            for start in range(0, width, BLOCK):
                n = min(BLOCK, width - start)
                if _acting(areas, width, y, start, n, acting) == 0:
                    for c in range(3):
                        for x in range(n):
                            out[c, y, start + x] = planes[c, y, start + x]
                    continue
                tinted = _tinted(asked, acting)
                hazy_here = hazy and _asks(asked, acting, HAZE, HAZE)
                contrasty_here = contrasty and _asks(asked, acting, CONTRAST, CONTRAST)
                regional_here = regional and _asks(asked, acting, SHADOWS, CLARITY)
                stop = start + n
                reds, greens, blues = planes[0, y, start:stop], planes[1, y, start:stop], planes[2, y, start:stop]
                if hazy_here:
                    held_at(air_planes, 0, 2, j, held_air, air, columns, shares, row, width)
                    held_at(air_planes, 0, 2, k, held_air, air, columns, shares, row, width)
                    a_up, b_up = air[up, 0, start:stop], air[up, 1, start:stop]
                    a_down, b_down = air[down, 0, start:stop], air[down, 1, start:stop]
                    _summed(areas, asked, width, y, start, n, acting, HAZE, sums[HAZE])
                    for x in range(n):
                        wanted = sums[HAZE, x]
                        removal = wanted * (p.removal if wanted > z else p.veil)
                        slope = a_up[x] + (a_down[x] - a_up[x]) * fv
                        through = slope * math.sqrt(max(greens[x], z)) + b_up[x] + (b_down[x] - b_up[x]) * fv
                        thickness = min(max(through, z), o)
                        cleared = o / max(o - removal * thickness, least)
                        veiled = o + removal * (np.float32(0.3) + np.float32(0.7) * thickness)
                        t = cleared if removal > z else veiled
                        for c in range(3):
                            v = reds[x] if c == 0 else greens[x] if c == 1 else blues[x]
                            level = p.air_red if c == 0 else p.air_green if c == 1 else p.air_blue
                            buf[c, x] = max((v - level) * t + level, min(v, z))
                    reds, greens, blues = buf[0, :n], buf[1, :n], buf[2, :n]
                if regional_here | contrasty_here:
                    for x in range(n):
                        ev[0, x] = z
                        luminance = max(
                            view.weight_red * reds[x] + view.weight_green * greens[x] + view.weight_blue * blues[x], z
                        )
                        ev[1, x] = log_2(luminance + np.float32(FLOOR)) + np.float32(2.4739311883324122)
                if regional_here:
                    held_at(low, 0, 4, j, held_low, wide, columns, shares, row, width)
                    held_at(low, 0, 4, k, held_low, wide, columns, shares, row, width)
                    a_up, b_up = wide[up, 0, start:stop], wide[up, 1, start:stop]
                    a_down, b_down = wide[down, 0, start:stop], wide[down, 1, start:stop]
                    for x in range(n):
                        slope = a_up[x] + (a_down[x] - a_up[x]) * fv
                        ev[2, x] = slope * (ev[1, x] - exposure) + b_up[x] + (b_down[x] - b_up[x]) * fv + exposure
                    if _asks(asked, acting, SHADOWS, SHADOWS):
                        line = sums[SHADOWS]
                        _summed(areas, asked, width, y, start, n, acting, SHADOWS, line)
                        for x in range(n):
                            shadow = smoothstep((np.float32(SHADOWS_FROM_EV) - ev[2, x]) * np.float32(1 / SHADOWS_SPAN_EV))
                            ev[0, x] += line[x] * np.float32(SHADOWS_EV) * shadow
                    if _asks(asked, acting, HIGHLIGHTS, HIGHLIGHTS):
                        line = sums[HIGHLIGHTS]
                        _summed(areas, asked, width, y, start, n, acting, HIGHLIGHTS, line)
                        for x in range(n):
                            light = smoothstep((ev[2, x] - np.float32(HIGHLIGHTS_FROM_EV)) * np.float32(1 / HIGHLIGHTS_SPAN_EV))
                            ev[0, x] += line[x] * np.float32(HIGHLIGHTS_EV) * light
                    if _asks(asked, acting, CLARITY, CLARITY):
                        line = sums[CLARITY]
                        _summed(areas, asked, width, y, start, n, acting, CLARITY, line)
                        a_up, b_up = wide[up, 2, start:stop], wide[up, 3, start:stop]
                        a_down, b_down = wide[down, 2, start:stop], wide[down, 3, start:stop]
                        for x in range(n):
                            slope = a_up[x] + (a_down[x] - a_up[x]) * fv
                            form = slope * (ev[1, x] - exposure) + b_up[x] + (b_down[x] - b_up[x]) * fv + exposure
                            d = form - ev[2, x]
                            d = d / (o + abs(d) * np.float32(1 / CLARITY_LIMIT_EV))
                            middle = o - smoothstep((abs(ev[2, x] + half) - np.float32(2.5)) * np.float32(0.25))
                            ev[0, x] += line[x] * np.float32(CLARITY_GAIN) * d * middle
                if contrasty_here:
                    line = sums[CONTRAST]
                    _summed(areas, asked, width, y, start, n, acting, CONTRAST, line)
                    for x in range(n):
                        far = ev[1, x] + ev[0, x]
                        bend = far / (o + abs(far) * np.float32(1 / CONTRAST_SPAN_EV))
                        ev[0, x] += line[x] * np.float32(CONTRAST_SLOPE) * bend
                target_red, target_green, target_blue = out[0, y, start:stop], out[1, y, start:stop], out[2, y, start:stop]
                if tinted:
                    for c in range(3):
                        line, target = sums[c], target_red if c == 0 else target_green if c == 1 else target_blue
                        given = reds if c == 0 else greens if c == 1 else blues
                        _summed(areas, asked, width, y, start, n, acting, c, line)
                        if regional_here | contrasty_here:
                            for x in range(n):
                                line[x] += ev[0, x]
                        for x in range(n):
                            target[x] = given[x] * exp_2(line[x])
                else:
                    line = sums[GREEN]
                    _summed(areas, asked, width, y, start, n, acting, GREEN, line)
                    if regional_here | contrasty_here:
                        for x in range(n):
                            line[x] += ev[0, x]
                    for x in range(n):
                        gain = exp_2(line[x])
                        target_red[x] = reds[x] * gain
                        target_green[x] = greens[x] * gain
                        target_blue[x] = blues[x] * gain


def apply_asked(
    planes: Float32,
    low: Float32,
    air_planes: Float32,
    areas: list[Float32],
    asked: Float32,
    view: ViewNumbers,
    numbers: AskedNumbers,
    x0: int,
    y0: int,
) -> Float32:
    """Planes (3, h, w) after what passes ask for: each has an area (h, w), 0..1, and ``asked`` (passes, 8) in full.

    ``low`` and ``air_planes`` are those of the local stage.
    """
    out = memory.empty(*planes.shape)
    areas = [np.ascontiguousarray(a, np.float32) for a in areas]  # kept until the kernel, which knows their addresses, is done
    if any(a.shape != planes.shape[1:] for a in areas) or asked.shape != (len(areas), STRENGTHS):
        raise ValueError("areas and what is asked for do not fit the planes")
    addresses = np.array([a.ctypes.data for a in areas], np.int64)
    used = np.asarray((asked != 0).any(0), np.int32)
    _apply(planes, low, air_planes, addresses, np.ascontiguousarray(asked, np.float32), used, view, numbers, x0, y0, out)
    return out
