"""The perceptual part of the fused kernel: picked keys, ink keys, vibrance, toning, black and white, and the gamut.

Display-linear Rec.2020 -> Oklab -> adjustments on hue, chroma, lightness -> chroma drawn in to the delivery space at
constant hue and lightness -> linear RGB of the delivery space. Everything that depends on hue is one table over the
diamond angle (:func:`zincplate.core.colour.oklab.diamond`), made by the engine's light plan; so six keys cost what one costs.
"""

import math
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from zincplate.core.colour.gamut import HUES, LIGHTNESSES
from zincplate.core.kernels.kernel_math import INLINE, load, smoothstep
from zincplate.core.kernels.oklab_planes import OklabMatrices, from_lab, to_lab

Float32 = NDArray[np.float32]

HUE_SIZE = 2048
TONING_SIZE = 1024
WELL_INSIDE = 0.65
"""Colours this much further from grey that still lie in the space are inside the soft knee (checked over all spaces but ROMM,
whose blue is no colour at all)."""
KEY_CHROMA = 0.08
"""Chroma from which on a key moves lightness in full; below, the effect runs smoothly to nothing at grey."""
VIBRANCE_CHROMA = 0.25
"""Chroma at which vibrance has no effect any more."""
KEY_VALUES = 8
"""Numbers of a picked key: centre L, a, b; 1 / reach**2; 1 / reach of lightness**2; cosine and sine of the hue shift with the
chroma factor in them; lightness factor minus 1."""


@njit(**INLINE)
def _diamond(a, b):
    share = a / (abs(a) + abs(b) + np.float32(1e-12))
    return (np.float32(1) - share) if b >= np.float32(0) else (np.float32(3) + share)


@njit(**INLINE)
def perceptual_block(buf, n, p, flags, q, m, hues, toning, keys, limits):
    """Display-linear Rec.2020 in buf[0..2, :n] -> linear RGB of the delivery space, 0..1.

    Blocks that no colour control touches, and whose colours all lie well inside, take the matrix alone.
    """
    z, o = np.float32(0), np.float32(1)
    wanted = flags.coloured != 0
    if (flags.draws_in != 0) & (not wanted):
        # with a soft end, colours count as well inside that could be a good half stronger and still be in the space
        reach = q.spare if flags.compresses else z
        # a sum, since LLVM does not vectorise a running maximum
        beyond = z
        for x in range(n):
            r, g, b = buf[0, x], buf[1, x], buf[2, x]
            red = p.delivery_r_r * r + p.delivery_r_g * g + p.delivery_r_b * b
            green = p.delivery_g_r * r + p.delivery_g_g * g + p.delivery_g_b * b
            blue = p.delivery_b_r * r + p.delivery_b_g * g + p.delivery_b_b * b
            top, bottom = max(red, max(green, blue)), min(red, min(green, blue))
            y = p.luminance_r * r + p.luminance_g * g + p.luminance_b * b
            beyond += max(top + reach * (top - y) - np.float32(1.00001), z)
            beyond += max(np.float32(-0.00001) - bottom + reach * (y - bottom), z)
        wanted = beyond > z
    if not wanted:
        for x in range(n):
            r, g, b = buf[0, x], buf[1, x], buf[2, x]
            buf[0, x] = min(max(p.delivery_r_r * r + p.delivery_r_g * g + p.delivery_r_b * b, z), o)
            buf[1, x] = min(max(p.delivery_g_r * r + p.delivery_g_g * g + p.delivery_g_b * b, z), o)
            buf[2, x] = min(max(p.delivery_b_r * r + p.delivery_b_g * g + p.delivery_b_b * b, z), o)
    else:
        to_lab(buf, n, m)
        if flags.coloured:
            _adjust(buf, n, flags, q, hues, toning, keys)
        if flags.draws_in:
            _draw_in(buf, n, q, limits)
        from_lab(buf, n, m)


@njit(**INLINE)
def _adjust(buf, n, flags, q, hues, toning, keys):
    _by_picked_keys(buf, n, flags, keys)
    by_hue(buf, n, q.saturation, q.vibrance, hues)
    if flags.toning:
        by_tone(buf, n, toning)


@njit(**INLINE)
def _by_picked_keys(buf, n, flags, keys):
    z, o = np.float32(0), np.float32(1)
    for k in range(flags.picked):
        for x in range(n):
            light, a, b = buf[0, x], buf[1, x], buf[2, x]
            da, db, dl = a - keys[k, 1], b - keys[k, 2], light - keys[k, 0]
            w = max(o - (da * da + db * db) * keys[k, 3] - dl * dl * keys[k, 4], z)
            w = w * w
            a2, b2 = a * keys[k, 5] - b * keys[k, 6], a * keys[k, 6] + b * keys[k, 5]
            # between the two the chroma runs evenly: a straight blend of two hues would be greyer than both
            c1, c2 = math.sqrt(a * a + b * b), math.sqrt(a2 * a2 + b2 * b2)
            a2, b2 = a + (a2 - a) * w, b + (b2 - b) * w
            f = (c1 + (c2 - c1) * w) / max(math.sqrt(a2 * a2 + b2 * b2), np.float32(1e-9))
            buf[0, x] = light * (o + w * keys[k, 7])
            buf[1, x] = a2 * f
            buf[2, x] = b2 * f


@njit(**INLINE)
def by_hue(buf, n, saturation, vibrance, hues):
    """Oklab in buf[0..2, :n]: what the table over hue says (:attr:`ColourTables.hues`), saturation (a factor) and vibrance."""
    z, o = np.float32(0), np.float32(1)
    size = np.int32(HUE_SIZE + 2)
    for x in range(n):
        light, a, b = buf[0, x], buf[1, x], buf[2, x]
        c = math.sqrt(a * a + b * b)
        # tables are read unchecked: whatever comes in, the index stays inside
        i = min(max(np.int32(_diamond(a, b) * np.float32(HUE_SIZE / 4) + np.float32(0.5)), np.int32(0)), np.int32(HUE_SIZE))
        cosine, sine = load(hues, i), load(hues, np.int32(i + size))
        lift, guard = load(hues, np.int32(i + size + size)), load(hues, np.int32(i + size + size + size))
        v = max(o - c * np.float32(1 / VIBRANCE_CHROMA), z)
        k = saturation * (o + vibrance * guard * v * v)
        buf[0, x] = max(light * (o + lift * smoothstep(c * np.float32(1 / KEY_CHROMA))), z)
        buf[1, x] = (a * cosine - b * sine) * k
        buf[2, x] = (a * sine + b * cosine) * k


@njit(**INLINE)
def by_tone(buf, n, toning):
    """Oklab in buf[0..2, :n]: what the table over lightness (:attr:`ColourTables.toning`) adds to a and b."""
    last = np.float32(TONING_SIZE)
    for x in range(n):
        u = min(buf[0, x], np.float32(1)) * last
        i = min(max(np.int32(u), np.int32(0)), np.int32(TONING_SIZE))
        f = u - np.float32(i)
        j = np.int32(i + np.int32(TONING_SIZE + 2))
        a0, b0 = load(toning, i), load(toning, j)
        buf[1, x] += a0 + (load(toning, np.int32(i + np.int32(1))) - a0) * f
        buf[2, x] += b0 + (load(toning, np.int32(j + np.int32(1))) - b0) * f


@njit(**INLINE)
def _draw_in(buf, n, q, limits):
    z, o = np.float32(0), np.float32(1)
    knee = q.knee
    width = np.int32(LIGHTNESSES + 1)
    for x in range(n):
        light, a, b = buf[0, x], buf[1, x], buf[2, x]
        c = math.sqrt(a * a + b * b)
        u = min(_diamond(a, b) * np.float32(HUES / 4), np.float32(HUES - 0.001))
        v = min(max(light, z), o) * np.float32(LIGHTNESSES - 0.001)
        i, j = min(max(np.int32(u), np.int32(0)), np.int32(HUES - 1)), min(max(np.int32(v), np.int32(0)), width - np.int32(2))
        fu, fv = u - np.float32(i), v - np.float32(j)
        at = np.int32(i * width + j)
        below = load(limits, at) + (load(limits, np.int32(at + np.int32(1))) - load(limits, at)) * fv
        at = np.int32(at + width)
        above = load(limits, at) + (load(limits, np.int32(at + np.int32(1))) - load(limits, at)) * fv
        limit = max(below + (above - below) * fu, np.float32(1e-6))
        over = max(c - knee * limit, z) / limit
        soft = over / (o + over * (o / max(o - knee, np.float32(1e-6))))
        k = min(c, knee * limit + soft * limit) / max(c, np.float32(1e-9))
        buf[1, x] = a * k
        buf[2, x] = b * k


class ColourNumbers(NamedTuple):
    """Of the plan of colour and of the delivery space."""

    saturation: np.float32
    vibrance: np.float32
    knee: np.float32
    """Where colours begin to be drawn in, 0..1 of what the space holds."""
    spare: np.float32
    """Share by which colours that count as well inside may grow."""


@dataclass(frozen=True)
class ColourTables:
    """What the perceptual part needs."""

    numbers: ColourNumbers
    matrices: OklabMatrices
    """Its way back leads to the delivery space."""
    hues: Float32
    """Flat 4 x (HUE_SIZE + 2) over the diamond angle: cosine and sine of the shift times the chroma factor, lightness factor
    minus 1, and the share of vibrance that acts."""
    toning: Float32
    """Flat 2 x (TONING_SIZE + 2) over lightness 0..1: what is added to a and to b."""
    keys: Float32
    """(number of picked keys, KEY_VALUES); at least one row."""
    limits: Float32
    """:func:`zincplate.core.colour.gamut.chroma_limits` of the delivery space."""

    def arguments(self) -> tuple[Any, ...]:
        """In the kernel's order."""
        return self.numbers, self.matrices, self.hues, self.toning, self.keys, self.limits
