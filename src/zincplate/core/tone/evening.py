"""Blotches evened out and shine covered, inside what passes ask for: forms of one size brought to their surroundings.

Three scales of light (in EV) and of colour (red and blue against green, in EV) are parted by guided filters (He, Sun, Tang,
"Guided image filtering", TPAMI 2013) on a small plane of the whole picture: the region, forms of the chosen size, and what
is finer. *Evening* takes out what the forms differ from their region, so that pores and hairs, which are finer, and the
modelling of a face, which is coarser or has edges, stay; below nothing it makes such forms stronger. *Shine* is what is
brighter than its surroundings and no larger than the size: it goes down to their tone and takes their colour on; or what is
brighter than a picked tone, however large, which goes down to that.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL, exp_2, log_2, smoothstep
from zincplate.core.kernels.numbers import ViewNumbers
from zincplate.core.tone.at_width import ROWS, columns_at, held_at, place_at
from zincplate.core.tone.low_planes import (
    BASE_EPSILON_EV2,
    COLOUR_FLOOR,
    FLOOR,
    LONG_EDGE,
    MIDDLE_EPSILON_EV2,
    MIDDLE_GREY_EV,
    guided,
)

Float32 = NDArray[np.float32]

COLOUR, LIGHT, SHINE = range(3)
FINE_PERCENT = 6.0
"""Below this size forms are looked at on planes twice as large."""
FINER = 14
"""Radii of a region for one of a form: what is finer than that is texture, and stays."""
LIGHT_EPSILON_EV2 = 1.0
"""Only edges of more than a stop part regions of light: shading does not, so that blotches stand out of it."""
FORM_EPSILON_EV2 = 0.1
"""Pores lie far below it: they are no form."""
BLOTCH_EV = 0.4
"""Differences of this size are evened by half, larger ones are modelling and stay more and more."""
SHINE_FROM_EV, SHINE_SPAN_EV = 0.25, 0.6
"""Above its surroundings, from which on light is shine, and over how much it becomes so in full."""


MOST_RADIUS = 14
"""Samples of the disk that shine is told from its surroundings by."""
COVERED = 0.8
"""Of what is above: the rest stays as texture."""
PICKED_COVERED, PICKED_BEND_EV = 0.95, 0.1
"""The same above a picked tone, which is meant as it is; and over how much light bends into it, so that its order stays."""


@dataclass(frozen=True)
class EveningPlanes:
    """Small planes (15, h, w): of red against green a and b of the region, a and b of forms, the same of blue, the same of light;
    tone of the surroundings without shine in EV, and their two ratios of colour."""

    planes: Float32

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return int(self.planes.nbytes)


def long_edge_of(size_percent: float) -> int:
    """Of the small planes that a size is looked at on."""
    return LONG_EDGE if size_percent >= FINE_PERCENT else 2 * LONG_EDGE


def evening_planes(planes: Float32, lightness_ev: Float32, size_percent: float, noise_ev2: Float32 | float) -> EveningPlanes:
    """Planes for forms of a size in percent of the long edge, of a small picture (3, h, w) and its EV (h, w); ``noise_ev2`` is
    the variance of noise in it, which is no form."""
    long_edge = max(lightness_ev.shape)
    radius = max(round(size_percent / 100 * long_edge), 2)
    fine = max(round(radius / FINER), 1)
    red, green, blue = (np.log2(np.maximum(p, 0) + np.float32(COLOUR_FLOOR)) for p in planes)
    found: list[Float32] = []
    for ratio in (red - green, blue - green):
        found.extend(guided(lightness_ev, ratio, radius, BASE_EPSILON_EV2))
        found.extend(guided(lightness_ev, ratio, fine, MIDDLE_EPSILON_EV2))
    found.extend(guided(lightness_ev, lightness_ev, radius, LIGHT_EPSILON_EV2))
    epsilon = np.asarray(FORM_EPSILON_EV2 + 6.0 * noise_ev2, np.float32)
    found.extend(guided(lightness_ev, lightness_ev, fine, epsilon))
    found.extend(_surroundings(lightness_ev, red - green, blue - green, radius))
    return EveningPlanes(np.ascontiguousarray(np.stack(found), np.float32))


def _surroundings(lightness_ev: Float32, red: Float32, blue: Float32, radius: int) -> tuple[Float32, Float32, Float32]:
    """Tone and colour about each place without what is brighter and no larger than ``radius``: an opening, smoothed on either
    side of its edges, so that a face does not take on what lies behind it."""
    calm = cv2.GaussianBlur(lightness_ev, (0, 0), max(radius / 8, 0.5), borderType=cv2.BORDER_REFLECT)
    opened = _opened(calm, radius)

    def mean(x: Float32) -> Float32:
        a, b = guided(opened, x, radius, BASE_EPSILON_EV2)
        return np.asarray(a * opened + b, np.float32)

    tone = np.minimum(mean(opened), calm)
    # what is shiny has the lamp's colour and not the surface's
    dull = np.clip(1 - (calm - tone - SHINE_FROM_EV) / SHINE_SPAN_EV, 0.02, 1).astype(np.float32)
    weight = np.maximum(mean(dull), np.float32(0.01))
    return tone, np.asarray(mean(red * dull) / weight, np.float32), np.asarray(mean(blue * dull) / weight, np.float32)


def _opened(plane: Float32, radius: int) -> Float32:
    """Without what is brighter and no larger than a disk; large disks on a smaller plane, where they take no time."""
    height, width = plane.shape
    scale = min(MOST_RADIUS / radius, 1.0)
    size = (max(round(width * scale), 2), max(round(height * scale), 2))
    small = plane if scale == 1 else cv2.resize(plane, size, interpolation=cv2.INTER_AREA)
    across = 2 * round(radius * scale) + 1
    ball = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (across, across))
    found = cv2.morphologyEx(small, cv2.MORPH_OPEN, ball, borderType=cv2.BORDER_REFLECT)
    return np.asarray(found if scale == 1 else cv2.resize(found, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)


class EvenedNumbers(NamedTuple):
    """Of what shine is brought to."""

    picked: np.float32
    """1 where shine is brought to a picked tone instead of to its surroundings."""
    picked_ev: np.float32
    picked_red: np.float32
    picked_blue: np.float32
    """Its tone and its two ratios of colour, as :class:`EveningPlanes` has them."""


@njit(**KERNEL)
def _even(planes, low, asked, used, view, p, x0, y0, out):
    _, height, width = planes.shape
    _, low_height, low_width = low.shape
    z, o, tiny = np.float32(0), np.float32(1), np.float32(1e-7)
    step_x, step_y = np.float32(low_width) / view.full_width, np.float32(low_height) / view.full_height
    exposure = view.exposure_ev
    columns, shares = np.empty(width, np.int32), np.empty(width, np.float32)
    columns_at(x0, step_x, low_width, columns, shares, width)
    first, last = (0 if used[0] != 0 else 8), (15 if used[2] != 0 and p.picked == z else 12)
    for part in prange((height + ROWS - 1) // ROWS):
        row, held = np.zeros(low_width + 1, np.float32), np.full(2, -1, np.int32)
        both, wide = np.empty((2, 15, width), np.float32), np.empty((15, width), np.float32)
        for y in range(part * ROWS, min(part * ROWS + ROWS, height)):
            total = z
            for n in range(3):
                for x in range(width):
                    total += abs(asked[n, y, x])
            if total == z:
                for c in range(3):
                    for x in range(width):
                        out[c, y, x] = planes[c, y, x]
                continue
            j, k, fv = place_at(y0 + y, step_y, low_height)
            held_at(low, first, last, j, held, both, columns, shares, row, width)
            held_at(low, first, last, k, held, both, columns, shares, row, width)
            for n in range(first, last):
                up, down, target = both[j & 1, n], both[k & 1, n], wide[n]
                for x in range(width):
                    target[x] = up[x] + (down[x] - up[x]) * fv
            for x in range(width):
                r, g, b = planes[0, y, x], planes[1, y, x], planes[2, y, x]
                colour, light, shine = asked[0, y, x], asked[1, y, x], asked[2, y, x]
                if colour == z and light == z and shine == z:
                    out[0, y, x], out[1, y, x], out[2, y, x] = r, g, b
                    continue
                before = view.weight_red * r + view.weight_green * g + view.weight_blue * b
                e = log_2(max(before, z) + np.float32(FLOOR)) + np.float32(2.4739311883324122) - exposure
                red, blue, ev = z, z, z
                if used[0] != 0:
                    red = colour * ((wide[0, x] - wide[2, x]) * e + wide[1, x] - wide[3, x])
                    blue = colour * ((wide[4, x] - wide[6, x]) * e + wide[5, x] - wide[7, x])
                if light != z:
                    # the region of the form, not of the pixel: else texture would follow the region's edges
                    form = wide[10, x] * e + wide[11, x]
                    d = wide[8, x] * form + wide[9, x] - form
                    ev = light * d / (o + (d * np.float32(1 / BLOTCH_EV)) ** 2)
                if shine > z:
                    tone, red_there, blue_there = p.picked_ev, p.picked_red, p.picked_blue
                    if p.picked == z:
                        tone, red_there, blue_there = wide[12, x] + np.float32(SHINE_FROM_EV), wide[13, x], wide[14, x]
                    above = e + ev - tone
                    if above > z:
                        share = shine * smoothstep(above * np.float32(1 / SHINE_SPAN_EV))
                        if p.picked == z:
                            ev -= share * np.float32(COVERED) * above
                        else:
                            bent = np.float32(PICKED_BEND_EV) * (
                                o - exp_2(above * np.float32(-1.4426950408889634 / PICKED_BEND_EV))
                            )
                            ev -= shine * np.float32(PICKED_COVERED) * (above - bent)
                        now_red = log_2(max(r, z) + np.float32(COLOUR_FLOOR)) - log_2(max(g, z) + np.float32(COLOUR_FLOOR)) + red
                        now_blue = (
                            log_2(max(b, z) + np.float32(COLOUR_FLOOR)) - log_2(max(g, z) + np.float32(COLOUR_FLOOR)) + blue
                        )
                        red += share * (red_there - now_red)
                        blue += share * (blue_there - now_blue)
                r, b = r * exp_2(red), b * exp_2(blue)
                gain = (
                    before / max(view.weight_red * r + view.weight_green * g + view.weight_blue * b, tiny) if before > tiny else o
                )
                gain *= exp_2(ev)
                out[0, y, x], out[1, y, x], out[2, y, x] = r * gain, g * gain, b * gain


def tone_of(plate: Sequence[float], weights: Sequence[float], exposure_ev: float) -> tuple[float, float, float]:
    """Tone in EV against middle grey before exposure, and the two ratios of colour, of one colour of a plate."""
    luminance = max(float(np.dot(plate, weights)), 0.0)
    red, green, blue = (math.log2(max(v, 0.0) + COLOUR_FLOOR) for v in plate)
    return math.log2(luminance + FLOOR) - MIDDLE_GREY_EV - exposure_ev, red - green, blue - green


def evened(
    planes: Float32, low: EveningPlanes, asked: Float32, view: ViewNumbers, numbers: EvenedNumbers, x0: int, y0: int
) -> Float32:
    """Planes (3, h, w) with what ``asked`` (3, h, w) wants at each place: shares 0..1 of colour evened, -1..1 of light, 0..1 of
    shine covered."""
    used = np.array([bool(a.any()) for a in asked], np.int32)
    out = np.empty_like(planes)
    _even(planes, low.planes, np.ascontiguousarray(asked), used, view, numbers, x0, y0, out)
    return out
