"""The last pass over encoded values: sharpening, grain, border, dithering and rounding.

Sharpening is unsharp masking by its definition: the encoded luma, its Gaussian blur, and the difference added where it is
larger than the threshold. The same difference goes to R, G and B, so that colours keep theirs.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL, position_noise
from zincplate.core.kernels.numbers import float32_numbers

Float32 = NDArray[np.float32]

LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""Weights of encoded R, G, B (ITU-R BT.709)."""
EDGE_FROM, EDGE_TO = 2.0 / 255, 9.0 / 255
"""Slope of the luma per pixel at which the edge area begins, and at which it is full."""
EDGE_RADIUS_PX = 0.9
EDGE_GROWN_PX = 1.2
THRESHOLD_RAMP = 0.5 / 255
SHARPER, SOFTER = 1.5, 0.9
"""What a place asks for at most: so much more of the difference to the blurred picture, or so much of it taken out."""
GRAIN_TILE = 1024
GRAIN_LONG_EDGE = 6000.0


@njit(**KERNEL)
def _weighted(planes, weights, out):
    _, height, width = planes.shape
    for y in prange(height):
        for x in range(width):
            out[y, x] = weights[0] * planes[0, y, x] + weights[1] * planes[1, y, x] + weights[2] * planes[2, y, x]


def luma_of(encoded: Float32) -> Float32:
    """Encoded planes (3, h, w) -> luma (h, w)."""
    out = np.empty(encoded.shape[1:], np.float32)
    _weighted(encoded, LUMA, out)
    return out


def sharpen_margin(radius_px: float) -> int:
    """Pixels of context that sharpening needs."""
    return int(np.ceil(3.5 * max(radius_px, EDGE_RADIUS_PX + EDGE_GROWN_PX))) + 2


def blurred(luma: Float32, radius_px: float) -> Float32:
    """Gaussian blur whose standard deviation is the radius."""
    size = 2 * int(np.ceil(3.5 * radius_px)) + 1
    return np.asarray(cv2.GaussianBlur(luma, (size, size), radius_px, borderType=cv2.BORDER_REFLECT_101))


def edge_area(luma: Float32, scale: float = 1.0) -> Float32:
    """0..1 (h, w): where the luma changes fast, grown by a pixel. ``scale`` is the view's size relative to full size."""
    # at reduced size the same edge is steeper per pixel: it is looked for at the same steepness per full-size pixel
    calm = blurred(luma, max(EDGE_RADIUS_PX * scale, 0.4))
    dx = cv2.Scharr(calm, cv2.CV_32F, 1, 0, scale=1 / 32)
    dy = cv2.Scharr(calm, cv2.CV_32F, 0, 1, scale=1 / 32)
    slope = cv2.magnitude(dx, dy)
    area = np.clip((slope - EDGE_FROM) / (EDGE_TO - EDGE_FROM), 0, 1)
    return blurred(area.astype(np.float32), max(EDGE_GROWN_PX * scale, 0.5))


def grain_tiles(seed: int = 7) -> list[Float32]:
    """A tile of soft noise with unit deviation and its halvings: grain seen from ever further away gets weaker, as it does."""
    noise = np.random.default_rng(seed).standard_normal((GRAIN_TILE, GRAIN_TILE)).astype(np.float32)
    tile = cv2.GaussianBlur(np.pad(noise, 16, mode="wrap"), (0, 0), 1.0)[16:-16, 16:-16]
    tiles = [np.ascontiguousarray(tile / tile.std())]
    while tiles[-1].shape[0] > 16:
        tiles.append(cv2.resize(tiles[-1], None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA))
    return tiles


def grain_field(tiles: list[Float32], x0: int, y0: int, width: int, height: int, long_edge: int, size_px: float) -> Float32:
    """Grain (h, w) of a window at (x0, y0) of a picture whose long edge is ``long_edge`` here; ``size_px`` at 6,000."""
    step = GRAIN_LONG_EDGE / long_edge / size_px
    level = float(np.clip(np.log2(max(step, 1.0)), 0, len(tiles) - 1.001))
    lower = int(level)
    mix = np.float32(level - lower)
    fields = []
    needed = ((tiles[lower], step / 2**lower), (tiles[lower + 1], step / 2 ** (lower + 1)))
    for tile, scale in needed if mix else needed[:1]:
        n = tile.shape[0]
        xs = ((np.arange(x0, x0 + width) + 0.5) * scale - 0.5) % n
        ys = ((np.arange(y0, y0 + height) + 0.5) * scale - 0.5) % n
        grid_x = np.broadcast_to(xs.astype(np.float32)[None], (height, width))
        grid_y = np.broadcast_to(ys.astype(np.float32)[:, None], (height, width))
        fields.append(cv2.remap(tile, grid_x, grid_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP))
    return np.asarray(fields[0] * (1 - mix) + fields[1] * mix if mix else fields[0], np.float32)


class FinishNumbers(NamedTuple):
    """What the last kernel does to encoded values."""

    amount: np.float32
    threshold: np.float32
    ramp: np.float32
    """1 / the way over which sharpening comes above the threshold; 0 without one."""
    only_edges: np.float32
    """Share 0..1 by which it is kept to edges."""
    grain: np.float32
    border_px: np.float32
    border_value: np.float32
    by_place: np.float32
    """Whether passes sharpen or soften places."""


@njit(**KERNEL)
def _finish(encoded, luma, soft, area, grain, sharper, p, top, left, x0, y0, full_width, full_height, levels, dither, out):
    """``p`` are :class:`FinishNumbers`.

    ``encoded``, ``luma``, ``soft`` and ``area`` carry context: the part that is wanted begins at (left, top).
    """
    height, width, _ = out.shape
    z, o = np.float32(0), np.float32(1)
    sharp, grained, only_edges, ramped = (p.amount != z) | (p.by_place != z), p.grain != z, p.only_edges != z, p.ramp > z
    placed = p.by_place != z
    highest = levels + np.float32(0.49)
    for y in prange(height):
        line = out[y]
        delta = np.zeros(width, np.float32)
        values = np.empty((3, width), np.float32)
        lu = luma[top + y, left : left + width]
        if sharp:
            so = soft[top + y, left : left + width]
            for x in range(width):
                d = lu[x] - so[x]
                w = min(max((abs(d) - p.threshold) * p.ramp, z), o) if ramped else o
                more = max(sharper[y, x], z) * np.float32(SHARPER) if placed else z
                delta[x] = (p.amount + more) * d * w
            if only_edges:
                ar = area[top + y, left : left + width]
                for x in range(width):
                    delta[x] *= o - p.only_edges * (o - ar[x])
            if placed:  # softer: sharpening goes, and then the difference itself, whatever its size
                for x in range(width):
                    less = max(-sharper[y, x], z)
                    delta[x] = delta[x] * (o - less) - less * np.float32(SOFTER) * (lu[x] - so[x])
        if grained:
            for x in range(width):
                tone = min(max(lu[x], z), o)
                delta[x] += p.grain * grain[y, x] * np.float32(4) * tone * (o - tone)
        for c in range(3):
            en = encoded[c, top + y, left : left + width]
            va = values[c]
            for x in range(width):
                va[x] = min(max(en[x] + delta[x], z), o) * levels + np.float32(0.5)
        reach_y = min(np.float32(y0 + y) + o, np.float32(full_height - y0 - y))
        if p.border_px > z:
            paper = p.border_value * levels + np.float32(0.5)
            for c in range(3):
                for x in range(width):
                    near = min(reach_y, min(np.float32(x0 + x) + o, np.float32(full_width - x0 - x)))
                    values[c, x] = paper if near <= p.border_px else values[c, x]
        if dither:
            for c in range(3):
                va = values[c]
                for x in range(width):
                    va[x] += position_noise(x0 + x, y0 + y, c) * np.float32(0.998)
        for c in range(3):
            va = values[c]
            for x in range(width):
                va[x] = min(max(va[x], z), highest)
        for x in range(width):
            line[x, 0] = np.int32(values[0, x])
            line[x, 1] = np.int32(values[1, x])
            line[x, 2] = np.int32(values[2, x])


def finish(
    encoded: Float32,
    *,
    amount: float,
    radius_px: float,
    threshold: float,
    edges: float,
    grain: Float32 | None,
    grain_amount: float,
    sharper: Float32 | None = None,
    border_px: float,
    border_value: float,
    scale: float,
    place: tuple[int, int],
    full: tuple[int, int],
    inner: tuple[slice, slice],
    out: NDArray[np.uint8] | NDArray[np.uint16],
) -> None:
    """Encoded planes with context -> 8 bit (dithered) or 16 bit pixels of the part ``inner`` (rows, columns), into ``out``.

    ``place`` is the inner part's x, y in the whole picture of ``full`` width and height, ``scale`` its size
    relative to full size; ``grain`` and ``sharper`` (-1..1: sharpening added or taken away at a place) cover the inner part.
    """
    luma = luma_of(encoded)
    sharp = amount > 0 or sharper is not None
    none = np.zeros((1, 1), np.float32)
    ramp = 1 / THRESHOLD_RAMP if threshold > 0 else 0
    placed = sharper is not None
    numbers = float32_numbers(FinishNumbers, amount, threshold, ramp, edges, grain_amount, border_px, border_value, placed)
    _finish(
        encoded,
        luma,
        blurred(luma, radius_px) if sharp else none,
        edge_area(luma, scale) if sharp and edges > 0 else none,
        none if grain is None else grain,
        none if sharper is None else sharper,
        numbers,
        inner[0].start,
        inner[1].start,
        *place,
        *full,
        np.float32(255 if out.dtype == np.uint8 else 65535),
        out.dtype == np.uint8,
        out,
    )
