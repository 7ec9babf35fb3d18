"""What a pass does to finished light: gains, levels and a curve (hue kept), colour in Oklab (by hue, as a whole, by tone), then
its blend with what lies below.

Planes are display-linear Rec.2020, 0..1. Blends and the mix by the area happen on values encoded with the curve of sRGB
(IEC 61966-2-1): there a half-covered edge looks half way. Parts of rows that the area does not reach are not touched at all.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import carray, njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import BLOCK, INLINE, KERNEL, read, srgb_decoded, srgb_encoded, stack_floats
from zincplate.core.kernels.light_colour import by_hue, by_tone
from zincplate.core.kernels.oklab_planes import WORKING, from_lab, to_lab
from zincplate.core.tone.blends import blended, separable

Float32 = NDArray[np.float32]

TABLE = 4096
VIBRANCE_CHROMA = 0.25


class DisplayNumbers(NamedTuple):
    """What one pass does to finished light."""

    gain_red: np.float32
    gain_green: np.float32
    gain_blue: np.float32
    toned: np.float32
    """Whether the tone table is used."""
    coloured: np.float32
    """Whether colour is worked on."""
    by_hue: np.float32
    """Whether the table over hue is used."""
    by_tone: np.float32
    """Whether the table over lightness is used."""
    saturation: np.float32
    """A factor."""
    vibrance: np.float32
    turn_cosine: np.float32
    turn_sine: np.float32
    """Of the hue."""
    tint_a: np.float32
    tint_b: np.float32
    grey: np.float32
    blend: np.float32
    """Number of the blend, :data:`zincplate.core.tone.blends.NUMBERS`."""
    strength: np.float32


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
def _coloured(buf, n, q, m, hues, toning):
    z, o = np.float32(0), np.float32(1)
    to_lab(buf, n, m)
    if q.by_hue != z:
        by_hue(buf, n, o, z, hues)
    saturation, vibrance, grey = q.saturation, q.vibrance, q.grey
    cosine, sine, tint_a, tint_b = q.turn_cosine, q.turn_sine, q.tint_a, q.tint_b
    for x in range(n):
        light, ca, cb = buf[0, x], buf[1, x], buf[2, x]
        chroma = math.sqrt(ca * ca + cb * cb)
        v = max(o - chroma * np.float32(1 / VIBRANCE_CHROMA), z)
        k = saturation * (o + vibrance * v * v) * (o - grey)
        # tint is strongest in the middle of the scale and leaves black and white as they are
        w = np.float32(4) * light * max(o - light, z)
        buf[1, x] = (ca * cosine - cb * sine) * k + tint_a * w
        buf[2, x] = (ca * sine + cb * cosine) * k + tint_b * w
    if q.by_tone != z:
        by_tone(buf, n, toning)
    from_lab(buf, n, m)


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
def _lay(planes, encoded, area, q, table, hues, toning, m):
    _, height, width = planes.shape
    z, o = np.float32(0), np.float32(1)
    mode, strength = int(q.blend), q.strength
    for y in prange(height):
        buf = carray(stack_floats(), (3, BLOCK), np.float32)
        for start in range(0, width, BLOCK):
            n = min(BLOCK, width - start)
            cover = area[y, start : start + n]
            total = z
            for x in range(n):
                total += cover[x]
            if total * strength == z:
                continue
            if encoded[y, start // BLOCK] == 0:
                encoded[y, start // BLOCK] = 1
                for c in range(3):
                    gain = q.gain_red if c == 0 else q.gain_green if c == 1 else q.gain_blue
                    line = planes[c, y, start : start + n]
                    for x in range(n):
                        v = min(max(line[x], z), o)
                        buf[c, x] = v * gain
                        line[x] = srgb_encoded(v)
            else:
                for c in range(3):
                    gain = q.gain_red if c == 0 else q.gain_green if c == 1 else q.gain_blue
                    line = planes[c, y, start : start + n]
                    for x in range(n):
                        buf[c, x] = srgb_decoded(line[x]) * gain
            for c in range(3):
                for x in range(n):
                    buf[c, x] = min(buf[c, x], o)
            if q.toned != z:
                _toned(buf, n, table)
            if q.coloured != z:
                _coloured(buf, n, q, m, hues, toning)
            _mixed(planes, y, start, n, cover, strength, buf, mode)


@njit(**KERNEL)
def _settle(planes, encoded):
    _, height, width = planes.shape
    for y in prange(height):
        found = stack_floats()
        for start in range(0, width, BLOCK):
            if encoded[y, start // BLOCK]:
                count = min(BLOCK, width - start)
                for c in range(3):
                    line = planes[c, y, start : start + count]
                    for x in range(count):
                        found[x] = srgb_decoded(min(max(line[x], np.float32(0)), np.float32(1)))
                    for x in range(count):
                        line[x] = found[x]


@dataclass(frozen=True)
class DisplayTables:
    """One pass over finished light: its numbers, and what is looked up."""

    numbers: DisplayNumbers
    tone: Float32
    """(TABLE + 2,) that maps linear values at square-root spaced steps."""
    hues: Float32
    """:attr:`zincplate.core.kernels.light_colour.ColourTables.hues`"""
    toning: Float32
    """:attr:`zincplate.core.kernels.light_colour.ColourTables.toning`"""


@njit(**KERNEL)
def _reach(area, reached):
    height, width = area.shape
    for y in prange(height):
        for start in range(0, width, BLOCK):
            total, line = np.float32(0), area[y, start : start + BLOCK]
            for x in range(line.shape[0]):
                total += line[x]
            if total > np.float32(0):
                reached[y, start // BLOCK] = 1


def reached_by(areas: Sequence[Float32], size: tuple[int, int]) -> NDArray[np.uint8]:
    """Which parts of rows (h, parts), BLOCK pixels each, any of some areas of a size (h, w) reaches: 1 or 0."""
    height, width = size
    reached = np.zeros((height, -(-width // BLOCK)), np.uint8)
    for area in areas:
        _reach(np.ascontiguousarray(area), reached)
    return reached


class Layers:
    """Finished light (3, h, w), display-linear Rec.2020 0..1, over which passes are laid one after the other, in place.

    Parts of rows that a pass has reached are held encoded until :meth:`settled`; all others stay as they are.
    """

    def __init__(self, light: Float32) -> None:
        self._light = light
        self._encoded = np.zeros((light.shape[1], -(-light.shape[2] // BLOCK)), np.uint8)

    def lay(self, area: Float32, tables: DisplayTables) -> None:
        """One pass over its area (h, w)."""
        if self._light.size:
            looked_up = tables.numbers, tables.tone, tables.hues, tables.toning
            _lay(self._light, self._encoded, np.ascontiguousarray(area), *looked_up, WORKING)

    def settled(self) -> Float32:
        """The light with everything laid over it, linear again."""
        if self._encoded.any():
            _settle(self._light, self._encoded)
            self._encoded[:] = 0
        return self._light
