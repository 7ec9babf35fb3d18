"""The fused pointwise kernel: linear plate -> display values, in one pass over memory.

Order: balance and clip in camera space -> matrix to linear Rec.2020 with exposure -> tone table (hue kept) ->
curves -> colour in Oklab and drawing in to the delivery space (:mod:`.light_colour`) -> encoding -> rounding.
Work goes in blocks of a row held on the stack, so that LLVM sees no aliasing and vectorises; tables are read with
unchecked 32-bit gathers. The hue-keeping rule maps the largest and the smallest of R, G, B through the table and the
middle one in proportion (DNG SDK reference implementation, "RGB tone").
"""

import math
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numba import carray, njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import BLOCK, INLINE, KERNEL, position_noise, read, srgb_encoded, stack_floats
from zincplate.core.kernels.light_colour import ColourTables, perceptual_block

Float32 = NDArray[np.float32]

TONE_MAX = 16.0
"""Scene-linear value at the end of the tone table: four stops above white."""
BLEND_FROM = 0.90
"""Share of the sensor's range from which clipped colours fade to neutral."""
TABLE_SIZE = 4096
ENCODE_SIZE = 16384


@njit(**INLINE)
def _hue_kept(buf, n, table, scale, last, low, high):
    for x in range(n):
        r, g, b = min(max(buf[0, x], low), high), min(max(buf[1, x], low), high), min(max(buf[2, x], low), high)
        hi, lo = max(r, max(g, b)), min(r, min(g, b))
        t_hi = read(table, math.sqrt(hi * scale) * last, last)
        t_lo = read(table, math.sqrt(lo * scale) * last, last)
        k = (t_hi - t_lo) / max(hi - lo, np.float32(1e-12))
        buf[0, x] = t_lo + (r - lo) * k
        buf[1, x] = t_lo + (g - lo) * k
        buf[2, x] = t_lo + (b - lo) * k


@njit(**INLINE)
def _block(a, b, c, n, p, flags, tone, curves, encode, colour, oklab, hues, toning, keys, limits, buf):
    """One block of a row: fills buf[0..2, :n] with encoded values 0..1."""
    z, o = np.float32(0), np.float32(1)
    last = np.float32(TABLE_SIZE)
    clip = p.clip
    for x in range(n):
        r, g, bl = a[x] * p.gain_red, b[x] * p.gain_green, c[x] * p.gain_blue
        # where the sensor is at its end the colour is not known: such places fade to neutral over the last stop fraction
        # (rebuilt ones only where every channel was full: that much is known of the others)
        er, eg, eb = r * p.neutral_r, g * p.neutral_g, bl * p.neutral_b
        end = min(er, min(eg, eb)) if flags.fades_only_full else max(er, max(eg, eb))
        t = (end - np.float32(BLEND_FROM)) * np.float32(1.0 / (0.995 - BLEND_FROM))
        t = min(max(t, z), o)
        t = t * t * (np.float32(3) - t - t)
        r, g, bl = min(r, clip), min(g, clip), min(bl, clip)
        top = max(r, max(g, bl))
        r += (top - r) * t
        g += (top - g) * t
        bl += (top - bl) * t
        buf[0, x] = p.working_r_r * r + p.working_r_g * g + p.working_r_b * bl
        buf[1, x] = p.working_g_r * r + p.working_g_g * g + p.working_g_b * bl
        buf[2, x] = p.working_b_r * r + p.working_b_g * g + p.working_b_b * bl
    if flags.toned:
        _hue_kept(buf, n, tone, np.float32(1.0 / TONE_MAX), last, z, np.float32(TONE_MAX))
    if flags.channel_curves:
        for ch in range(3):
            table = curves[1 + ch]
            low = p.red_low if ch == 0 else p.green_low if ch == 1 else p.blue_low
            high = p.red_high if ch == 0 else p.green_high if ch == 1 else p.blue_high
            for x in range(n):
                buf[ch, x] = read(table, math.sqrt(min(max(buf[ch, x], low), high)) * last, last)
    if flags.rgb_curve:
        _hue_kept(buf, n, curves[0], o, last, p.rgb_low, p.rgb_high)
    if flags.luminance_curve:
        table = curves[4]
        for x in range(n):
            y = min(max(p.luminance_r * buf[0, x] + p.luminance_g * buf[1, x] + p.luminance_b * buf[2, x], np.float32(1e-9)), o)
            k = read(table, math.sqrt(min(max(y, p.luminance_low), p.luminance_high)) * last, last) / y
            buf[0, x] *= k
            buf[1, x] *= k
            buf[2, x] *= k
    if flags.bounded:
        for ch in range(3):
            for x in range(n):
                buf[ch, x] = min(max(buf[ch, x], z), o)
    perceptual_block(buf, n, p, flags, colour, oklab, hues, toning, keys, limits)
    if flags.encoding == 1:
        for ch in range(3):
            for x in range(n):
                buf[ch, x] = srgb_encoded(buf[ch, x])
    elif flags.encoding == 2:
        for ch in range(3):
            for x in range(n):
                u = math.sqrt(math.sqrt(buf[ch, x])) * np.float32(ENCODE_SIZE)
                buf[ch, x] = min(read(encode, u, np.float32(ENCODE_SIZE)), o)


@njit(**KERNEL)
def _run(
    planes,
    p,
    flags,
    tone,
    curves,
    encode,
    colour,
    oklab,
    hues,
    toning,
    keys,
    limits,
    parts,
    wanted,
    x0,
    y0,
    out_8,
    out_16,
    out_float,
):
    """Into the one of the three outputs that has the picture's size: one kernel for all, as each takes long to compile. With
    ``parts`` only those blocks that say ``wanted``."""
    _, height, width = planes.shape
    to_8, to_16, in_parts = out_8.shape[0] == height, out_16.shape[0] == height, parts.shape[0] == height
    for y in prange(height):
        buf = carray(stack_floats(), (3, BLOCK), np.float32)
        for start in range(0, width, BLOCK):
            n = min(BLOCK, width - start)
            if in_parts and parts[y, start // BLOCK] != wanted:
                continue
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
                colour,
                oklab,
                hues,
                toning,
                keys,
                limits,
                buf,
            )
            if to_8:
                line = out_8[y]
                for ch in range(3):
                    for x in range(n):
                        v = buf[ch, x] * np.float32(255) + np.float32(0.5)
                        v += position_noise(x0 + start + x, y0 + y, ch) * np.float32(0.998)
                        buf[ch, x] = min(max(v, np.float32(0)), np.float32(255.5))
                for x in range(n):
                    line[start + x, 0] = np.uint8(np.int32(buf[0, x]))
                    line[start + x, 1] = np.uint8(np.int32(buf[1, x]))
                    line[start + x, 2] = np.uint8(np.int32(buf[2, x]))
            elif to_16:
                line_16 = out_16[y]
                for ch in range(3):
                    for x in range(n):
                        buf[ch, x] = buf[ch, x] * np.float32(65535) + np.float32(0.5)
                for x in range(n):
                    line_16[start + x, 0] = np.uint16(np.int32(buf[0, x]))
                    line_16[start + x, 1] = np.uint16(np.int32(buf[1, x]))
                    line_16[start + x, 2] = np.uint16(np.int32(buf[2, x]))
            else:
                for ch in range(3):
                    for x in range(n):
                        out_float[ch, y, start + x] = buf[ch, x]


_NO_8, _NO_16 = np.empty((0, 0, 3), np.uint8), np.empty((0, 0, 3), np.uint16)
_NO_FLOAT = np.empty((3, 0, 0), np.float32)


class Parts(NamedTuple):
    """Parts of rows that a call is about; what lies in others stays as it is."""

    blocks: NDArray[np.uint8]
    """(h, parts of a row), each BLOCK pixels wide."""
    wanted: int
    """The value of those that are meant."""


_ALL = Parts(np.empty((0, 0), np.uint8), 0)


def to_8_bit(
    planes: Float32, tables: "LightTables", x0: int, y0: int, out: NDArray[np.uint8], parts: Parts | None = None
) -> None:
    """Planes (3, h, w) float32 -> (h, w, 3) uint8, dithered by position; (x0, y0) is the place of the first pixel."""
    if out.size:
        _run(planes, *tables.arguments(), *(parts or _ALL), x0, y0, out, _NO_16, _NO_FLOAT)


def to_16_bit(planes: Float32, tables: "LightTables", out: NDArray[np.uint16], parts: Parts | None = None) -> None:
    """Planes (3, h, w) float32 -> (h, w, 3) uint16, rounded."""
    if out.size:
        _run(planes, *tables.arguments(), *(parts or _ALL), 0, 0, _NO_8, out, _NO_FLOAT)


def to_float(planes: Float32, tables: "LightTables", out: Float32, parts: Parts | None = None) -> None:
    """Planes (3, h, w) float32 -> planes (3, h, w) float32, encoded (or linear, by the flags), 0..1."""
    if out.size:
        _run(planes, *tables.arguments(), *(parts or _ALL), 0, 0, _NO_8, _NO_16, out)


class LightNumbers(NamedTuple):
    """Matrices row by row: ``working_g_b`` is what blue gives to green."""

    gain_red: np.float32
    gain_green: np.float32
    gain_blue: np.float32
    """Balance, on the planes."""
    clip: np.float32
    """Level above which channels are cut."""
    working_r_r: np.float32
    working_r_g: np.float32
    working_r_b: np.float32
    working_g_r: np.float32
    working_g_g: np.float32
    working_g_b: np.float32
    working_b_r: np.float32
    working_b_g: np.float32
    working_b_b: np.float32
    """Camera to linear Rec.2020, exposure included."""
    luminance_r: np.float32
    luminance_g: np.float32
    luminance_b: np.float32
    """Weights of luminance."""
    delivery_r_r: np.float32
    delivery_r_g: np.float32
    delivery_r_b: np.float32
    delivery_g_r: np.float32
    delivery_g_g: np.float32
    delivery_g_b: np.float32
    delivery_b_r: np.float32
    delivery_b_g: np.float32
    delivery_b_b: np.float32
    """To the delivery space."""
    neutral_r: np.float32
    neutral_g: np.float32
    neutral_b: np.float32
    """The neutral's camera values; zero for rendered files: nothing fades."""
    rgb_low: np.float32
    rgb_high: np.float32
    red_low: np.float32
    red_high: np.float32
    green_low: np.float32
    green_high: np.float32
    blue_low: np.float32
    blue_high: np.float32
    luminance_low: np.float32
    luminance_high: np.float32
    """Where each curve begins and ends, linear."""


class LightSwitches(NamedTuple):
    """What the kernel does at all: 0 or 1, but for ``encoding`` and ``picked``."""

    toned: int
    channel_curves: int
    rgb_curve: int
    luminance_curve: int
    encoding: int
    """0 linear, 1 sRGB, 2 by table."""
    coloured: int
    picked: int
    """Number of picked keys."""
    draws_in: int
    """Colours outside the delivery space are drawn in."""
    compresses: int
    """So are, softly, those near its end."""
    toning: int
    fades_only_full: int
    """Fading to neutral only where all channels were full."""
    bounded: int = 0
    """Kept within Rec.2020 before colours are drawn in, as finished light is that passes are laid over."""


NOTHING = LightSwitches(*(0,) * len(LightSwitches._fields))
"""The two matrices alone, and no encoding."""


@dataclass(frozen=True)
class LightTables:
    """Everything the kernel needs besides the planes; made by :mod:`zincplate.tables.light_plan`."""

    numbers: LightNumbers
    switches: LightSwitches
    tone: Float32
    curves: Float32
    """(5, TABLE_SIZE + 2): RGB, R, G, B, luminance."""
    encode: Float32
    colour: ColourTables

    def arguments(self) -> tuple[Any, ...]:
        """In the kernel's order."""
        return self.numbers, self.switches, self.tone, self.curves, self.encode, *self.colour.arguments()


def table_inputs(maximum: float = 1.0) -> NDArray[np.float64]:
    """Input values at the steps of a square-root spaced table, with one guard value at the end."""
    return np.minimum(np.arange(TABLE_SIZE + 2) / TABLE_SIZE, 1.0) ** 2 * maximum


def encode_inputs() -> NDArray[np.float64]:
    """Input values at the steps of the encoding table (fourth-root spaced), with one guard value at the end."""
    return np.minimum(np.arange(ENCODE_SIZE + 2) / ENCODE_SIZE, 1.0) ** 4
