"""A panorama at full size, strip by strip: frames read where they count, laid on the canvas by one resampling, and blended."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.sampling import Sampling
from zincplate.core.geometry.warp import spline_coefficients, warp
from zincplate.core.merging.bands import fine_bands, fine_weights
from zincplate.core.sensor.highlights import rebuild
from zincplate.merges.panorama.canvas import Canvas
from zincplate.merges.panorama.judge import PanoramaJudgement
from zincplate.merges.panorama.layout import Layout, file_places
from zincplate.merges.panorama.places import half_size
from zincplate.merges.view import Opened

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

ROWS = 256
BLOCK = 128
"""Pixels along a side that are read through one homography: a projection bends by less than a hundredth of a pixel in it."""
BENT_BLOCK = 32
"""The same where a field bends the frame as well."""
MARGIN = 14
WIDEST = 16_384
PURE = 0.9999


@dataclass(frozen=True)
class Strip:
    """Rows of the result."""

    top: int
    camera_values: Float32
    """(3, rows, width), 1 is the file's white."""


def parts(
    frames: Sequence[Opened], judged: PanoramaJudgement, layout: Layout, breathe: Callable[[float], None] = lambda _: None
) -> Iterator[Strip]:
    """The result from top to bottom. ``breathe`` is told the share that is done."""
    layout = layout.wide or layout
    canvas = layout.canvas
    shown = slice(canvas.ends, canvas.width - canvas.ends)
    levels = max(int(np.log2(layout.step)), 1)
    halo = 4 * 2**levels
    ones = [_soft(layout, k, halo) for k in range(len(judged.members))]
    for top in range(0, canvas.height, ROWS):
        rows = min(ROWS, canvas.height - top)
        values = _strip(frames, judged, layout, ones, top, rows, levels, halo)
        yield Strip(top, np.ascontiguousarray(values[:, :, shown]))
        breathe((top + rows) / canvas.height)


def _soft(layout: Layout, k: int, halo: int) -> tuple[Float32, Float32]:
    """A member's part of the labels, and the same grown by the halo: where it has to be read at all."""
    own = (layout.labels == k).astype(np.float32)
    size = 2 * (halo // layout.step + 2) + 1
    return own, cv2.dilate(own, np.ones((size, size), np.uint8))


def enlarged(plane: Float32, step: int, x: int, y: int, width: int, height: int, off: tuple[int, int] = (0, 0)) -> Float32:
    """A part of a reduced plane (h, w) at full size, by linear interpolation; ``off`` is where the plane begins, reduced."""
    if width > WIDEST:  # OpenCV counts places in 16 bits
        pieces = [enlarged(plane, step, x + k, y, min(WIDEST, width - k), height, off) for k in range(0, width, WIDEST)]
        return np.concatenate(pieces, 1)
    fx = (np.arange(x, x + width, dtype=np.float32) + np.float32(0.5)) / np.float32(step) - np.float32(0.5 + off[0])
    fy = (np.arange(y, y + height, dtype=np.float32) + np.float32(0.5)) / np.float32(step) - np.float32(0.5 + off[1])
    x0, y0 = max(int(fx[0]) - 1, 0), max(int(fy[0]) - 1, 0)
    part = np.ascontiguousarray(plane[y0 : int(fy[-1]) + 3, x0 : int(fx[-1]) + 3])
    if not part.size:
        part, x0, y0 = np.ascontiguousarray(plane[-1:, -1:]), plane.shape[1] - 1, plane.shape[0] - 1
    affine = np.array([[1 / step, 0, fx[0] - x0], [0, 1 / step, fy[0] - y0]], np.float64)
    return np.asarray(
        cv2.warpAffine(
            part, affine, (width, height), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
        )
    )


def _strip(
    frames: Sequence[Opened], judged: PanoramaJudgement, layout: Layout, ones: Sequence[tuple[Float32, Float32]], top: int,
    rows: int, levels: int, halo: int,
) -> Float32:  # fmt: skip
    canvas, step = layout.canvas, layout.step
    width = canvas.width
    y0, y1 = max(top - halo, 0), min(top + rows + halo, canvas.height)
    high = y1 - y0
    above = slice(top - y0, top - y0 + rows)
    out = np.zeros((3, rows, width), np.float32)
    mixed: list[tuple[int, int, list[int]]] = []
    plain: dict[int, list[tuple[int, int]]] = {}
    reduced_rows = slice(y0 // step, -(-y1 // step))
    for x in range(0, width, BLOCK):
        columns = slice(max(x - halo, 0) // step, -(-min(x + BLOCK + halo, width) // step))
        here = [k for k in range(len(ones)) if (ones[k][0][reduced_rows, columns] > 0).any()]
        if len(here) == 1 and bool((layout.labels[reduced_rows, columns] == here[0]).all()):
            plain.setdefault(here[0], []).append((x, min(x + BLOCK, width)))
        elif here:
            mixed.append((x, min(x + BLOCK, width), here))
    for k, runs in plain.items():
        for x0, x1 in _joined(runs):
            laid = _fine(frames, judged, layout, k, x0, top, x1 - x0, rows)
            out[:, :, x0:x1] += laid
    for x0, x1, here in _joined_mixed(mixed):
        left, right = max(x0 - halo, 0), min(x1 + halo, width)
        sums = np.zeros((3, high, right - left), np.float32)
        weights = []
        for k in here:
            own = enlarged(ones[k][0], step, left, y0, right - left, high)
            weights.append(np.clip((own - 0.5) * step + 0.5, 0, 1))
        total = np.maximum(np.sum(weights, 0), 1e-6)
        for k, weight in zip(here, weights, strict=True):
            fine = _fine(frames, judged, layout, k, left, y0, right - left, high)
            for band, soft in zip(
                fine_bands(fine, levels), fine_weights((weight / total).astype(np.float32), levels), strict=True
            ):
                sums += band * soft
        out[:, :, x0:x1] += sums[:, above, x0 - left : x1 - left]
    for c in range(3):
        out[c] += enlarged(layout.coarse[c], step, 0, top, width, rows)
    if layout.uncovered > 0:
        there = enlarged((layout.labels >= 0).astype(np.float32), step, 0, top, width, rows)
        out *= np.clip((there - 0.5) * step + 0.5, 0, 1)
    out *= np.float32(1 / layout.white)
    return out


def _joined(runs: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    out: list[tuple[int, int]] = []
    for x0, x1 in runs:
        if out and out[-1][1] == x0 and x1 - out[-1][0] <= 16 * BLOCK:
            out[-1] = (out[-1][0], x1)
        else:
            out.append((x0, x1))
    return out


def _joined_mixed(runs: Sequence[tuple[int, int, list[int]]]) -> list[tuple[int, int, list[int]]]:
    """Neighbouring blocks that the same frames share are worked at once."""
    out: list[tuple[int, int, list[int]]] = []
    for x0, x1, here in runs:
        if out and out[-1][1] == x0 and (set(out[-1][2]) == set(here)):
            out[-1] = (out[-1][0], x1, here)
        else:
            out.append((x0, x1, here))
    return out


def _fine(
    frames: Sequence[Opened], judged: PanoramaJudgement, layout: Layout, k: int, x: int, y: int, width: int, height: int
) -> Float32:
    """What a member shows in a part of the canvas beyond its own small picture enlarged."""
    laid = _laid(frames[judged.members[k]], judged, layout, k, x, y, width, height)
    piece = layout.pieces[k]
    for c in range(3):
        laid[c] -= enlarged(piece.planes[c], layout.step, x, y, width, height, (piece.x, piece.y))
    return laid


def _laid(frame: Opened, judged: PanoramaJudgement, layout: Layout, k: int, x: int, y: int, width: int, height: int) -> Float32:
    """(3, height, width) camera values of a member in the reference's light; beyond its edge, what is at the edge."""
    source, canvas = frame.source, layout.canvas
    half = half_size(frame)
    lattice_x, lattice_y = np.meshgrid(np.linspace(x, x + width, 2 + width // 32), np.linspace(y, y + height, 2 + height // 32))
    file_x, file_y = (v + h for v, h in zip(file_places(canvas, judged, k, lattice_x, lattice_y), half, strict=True))
    far = np.abs(file_x) > 1e6
    x0 = int(np.clip(np.where(far, np.inf, file_x).min() - MARGIN, 0, source.width - 2))
    y0 = int(np.clip(np.where(far, np.inf, file_y).min() - MARGIN, 0, source.height - 2))
    x1 = int(np.clip(np.where(far, -np.inf, file_x).max() + MARGIN + 1, x0 + 2, source.width))
    y1 = int(np.clip(np.where(far, -np.inf, file_y).max() + MARGIN + 1, y0 + 2, source.height))
    shift = source.colour_shift(judged.radials[k])
    radial = judged.radials[k] if shift is None else judged.radials[k].alike
    planes = source.window(x0, y0, x1 - x0, y1 - y0, True, shift)
    blown = layout.blown[k]
    if blown is not None:
        whole = np.empty_like(planes)
        rebuild(planes, blown.around, blown.limits, (float(source.width), float(source.height), float(x0), float(y0)), whole)
        planes = whole
    coefficients = spline_coefficients(planes)
    out = np.empty((3, height, width), np.float32)
    block = BLOCK if judged.sight(k).field is None else BENT_BLOCK
    for top in range(0, height, block):
        for left in range(0, width, block):
            h, w = min(block, height - top), min(block, width - left)
            homography = _local(canvas, judged, k, x + left, y + top, w, h)
            if homography is None:
                out[:, top : top + h, left : left + w] = 0
                continue
            sampling = Sampling(homography, x + left, y + top, 1.0, 1.0, source.width, source.height, 1.0, 1.0, x0, y0)
            out[:, top : top + h, left : left + w] = warp(planes, sampling, radial, w, h, coefficients)
    out *= layout.gains[k].astype(np.float32)[:, None, None]
    return out


def _local(canvas: Canvas, judged: PanoramaJudgement, k: int, x: float, y: float, width: int, height: int) -> Float64 | None:
    """The homography nearest to the canvas's map into a member without distortion, in a block; None behind its camera."""
    sight = judged.sight(k)
    # through its corners where a field bends the frame: blocks beside each other agree there
    across = 4 if sight.field is None else 2
    xx, yy = np.meshgrid(np.linspace(x, x + width, across), np.linspace(y, y + height, across))
    u, v = canvas.flat_places(sight, xx, yy)
    if max(np.abs(u).max(), np.abs(v).max()) > 1e6:
        return None
    middle = np.array([x + width / 2, y + height / 2])
    there = np.stack([u.ravel(), v.ravel()], 1)
    centre = there.mean(0)
    here = np.stack([xx.ravel(), yy.ravel()], 1) - middle
    # about the block's middle, where the numbers are small
    found, _ = cv2.findHomography(here, there - centre, 0)
    if found is None:
        return None
    before = np.array([[1, 0, -middle[0]], [0, 1, -middle[1]], [0, 0, 1.0]])
    after = np.array([[1, 0, centre[0]], [0, 1, centre[1]], [0, 0, 1.0]])
    return np.asarray(after @ found @ before, np.float64)
