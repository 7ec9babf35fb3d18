"""The local stage in one pass: haze, shadows, highlights, clarity and vignette as one gain per pixel on linear planes.

A pixel's region brightness comes from small planes (:mod:`zincplate.core.tone.low_planes`). Shadows and highlights move the
region; the pixel keeps its distance from it. Slopes: 2.5 EV of shadows over 5 stops of smoothstep (steepest 0.30 per
stop) leave 1 - 0.75, 2 EV of highlights over 4 stops leave 1 - 0.75, so that brighter regions stay brighter.
"""

import math
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL, exp_2, log_2, smoothstep
from zincplate.core.kernels.numbers import ViewNumbers
from zincplate.core.tone.at_width import ROWS, columns_at, held_at, place_at
from zincplate.core.tone.low_planes import FLOOR

Float32 = NDArray[np.float32]

SHADOWS_EV, SHADOWS_FROM_EV, SHADOWS_SPAN_EV = 2.5, 0.5, 5.0
HIGHLIGHTS_EV, HIGHLIGHTS_FROM_EV, HIGHLIGHTS_SPAN_EV = 2.0, -0.5, 4.0
CLARITY_GAIN, CLARITY_LIMIT_EV = 1.8, 0.8


class LocalNumbers(NamedTuple):
    """Of the controls, and of the air in the picture."""

    shadows: np.float32
    highlights: np.float32
    clarity: np.float32
    removal: np.float32
    """Share of the air that is taken away; negative lays it on."""
    air_red: np.float32
    air_green: np.float32
    air_blue: np.float32
    least_transmission: np.float32
    vignette_ev: np.float32
    vignette_inner: np.float32
    """Where it begins; 1 is half the picture's edge."""
    vignette_fall: np.float32
    """1 / the way over which it comes."""
    circle_share: np.float32
    spare_highlights: np.float32


@njit(**KERNEL)
def local_gain(planes, low, air_planes, view, p, x0, y0, out):
    """Planes (3, h, w) -> adjusted planes; ``low`` (4, lh, lw) and ``air_planes`` (2, lh, lw) cover the whole picture; ``view``
    are :class:`ViewNumbers`, ``p`` :class:`LocalNumbers`; (x0, y0) is the window's place."""
    _, height, width = planes.shape
    _, low_height, low_width = low.shape
    z, o, half = np.float32(0), np.float32(1), np.float32(0.5)
    step_x, step_y = np.float32(low_width) / view.full_width, np.float32(low_height) / view.full_height
    shadows, highlights = p.shadows * np.float32(SHADOWS_EV), p.highlights * np.float32(HIGHLIGHTS_EV)
    clarity = p.clarity * np.float32(CLARITY_GAIN)
    regional, hazy, edged = (p.shadows != z) | (p.highlights != z) | (p.clarity != z), p.removal != z, p.vignette_ev != z
    exposure, removal, least = view.exposure_ev, p.removal, p.least_transmission
    columns, shares = np.empty(width, np.int32), np.empty(width, np.float32)
    columns_at(x0, step_x, low_width, columns, shares, width)
    for part in prange((height + ROWS - 1) // ROWS):
        row = np.zeros(low_width + 1, np.float32)
        e, ev, form = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
        # the two rows of small planes about a row, at full width
        air, wide = np.empty((2, 2, width if hazy else 1), np.float32), np.empty((2, 4, width if regional else 1), np.float32)
        held_air, held_low = np.full(2, -1, np.int32), np.full(2, -1, np.int32)
        for y in range(part * ROWS, min(part * ROWS + ROWS, height)):
            j, k, fv = place_at(y0 + y, step_y, low_height)
            up, down = j & 1, k & 1
            red, green, blue = planes[0, y], planes[1, y], planes[2, y]
            r, g, b = out[0, y], out[1, y], out[2, y]
            if hazy:
                held_at(air_planes, 0, 2, j, held_air, air, columns, shares, row, width)
                held_at(air_planes, 0, 2, k, held_air, air, columns, shares, row, width)
                a_up, b_up, a_down, b_down = air[up, 0], air[up, 1], air[down, 0], air[down, 1]
                for x in range(width):
                    slope = a_up[x] + (a_down[x] - a_up[x]) * fv
                    thickness = slope * math.sqrt(max(green[x], z)) + b_up[x] + (b_down[x] - b_up[x]) * fv
                    thickness = min(max(thickness, z), o)
                    cleared = o / max(o - removal * thickness, least)
                    veiled = o + removal * (np.float32(0.3) + np.float32(0.7) * thickness)
                    t = cleared if removal > z else veiled
                    r[x] = max((red[x] - p.air_red) * t + p.air_red, min(red[x], z))
                    g[x] = max((green[x] - p.air_green) * t + p.air_green, min(green[x], z))
                    b[x] = max((blue[x] - p.air_blue) * t + p.air_blue, min(blue[x], z))
            else:
                for x in range(width):
                    r[x], g[x], b[x] = red[x], green[x], blue[x]
            for x in range(width):
                ev[x] = z
                e[x] = log_2(
                    max(view.weight_red * r[x] + view.weight_green * g[x] + view.weight_blue * b[x], z) + np.float32(FLOOR)
                ) + np.float32(2.4739311883324122)
            if regional:
                held_at(low, 0, 4, j, held_low, wide, columns, shares, row, width)
                held_at(low, 0, 4, k, held_low, wide, columns, shares, row, width)
                a_up, b_up, a_down, b_down = wide[up, 2], wide[up, 3], wide[down, 2], wide[down, 3]
                for x in range(width):
                    slope = a_up[x] + (a_down[x] - a_up[x]) * fv
                    form[x] = slope * (e[x] - exposure) + b_up[x] + (b_down[x] - b_up[x]) * fv + exposure
                a_up, b_up, a_down, b_down = wide[up, 0], wide[up, 1], wide[down, 0], wide[down, 1]
                for x in range(width):
                    slope = a_up[x] + (a_down[x] - a_up[x]) * fv
                    base = slope * (e[x] - exposure) + b_up[x] + (b_down[x] - b_up[x]) * fv + exposure
                    d = form[x] - base
                    d = d / (o + abs(d) * np.float32(1 / CLARITY_LIMIT_EV))
                    middle = o - smoothstep((abs(base + half) - np.float32(2.5)) * np.float32(0.25))
                    ev[x] = (
                        shadows * smoothstep((np.float32(SHADOWS_FROM_EV) - base) * np.float32(1 / SHADOWS_SPAN_EV))
                        + highlights * smoothstep((base - np.float32(HIGHLIGHTS_FROM_EV)) * np.float32(1 / HIGHLIGHTS_SPAN_EV))
                        + clarity * d * middle
                    )
            if edged:
                dy = (np.float32(y0 + y) + half) / view.full_height * np.float32(2) - o
                across, down_2 = view.full_width * view.full_width, view.full_height * view.full_height
                for x in range(width):
                    dx = (np.float32(x0 + x) + half) / view.full_width * np.float32(2) - o
                    own = (dx * dx + dy * dy) * half
                    circle = (dx * dx * across + dy * dy * down_2) / (across + down_2)
                    far = math.sqrt(own + (circle - own) * p.circle_share)
                    ev[x] += (
                        p.vignette_ev
                        * smoothstep((far - p.vignette_inner) * p.vignette_fall)
                        * (o - p.spare_highlights * smoothstep((e[x] - o) * half))
                    )
            for x in range(width):
                gain = exp_2(ev[x])
                r[x] *= gain
                g[x] *= gain
                b[x] *= gain


@dataclass(frozen=True)
class LocalTables:
    """Arguments of :func:`local_gain` besides planes and place."""

    low: Float32
    air_planes: Float32
    view: ViewNumbers
    numbers: LocalNumbers

    def arguments(self) -> tuple[Any, ...]:
        """In the kernel's order."""
        return self.low, self.air_planes, self.view, self.numbers
