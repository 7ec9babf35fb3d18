"""A panorama at full size, strip by strip: frames read where they count, laid on the canvas by one resampling, and blended."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.projective import through_four
from zincplate.core.geometry.sampling import Sampling
from zincplate.core.geometry.warp import Blocks, warp
from zincplate.core.merging.bands import fine_bands, fine_weights
from zincplate.core.sensor.highlights import rebuild
from zincplate.merges.in_turn import in_turn
from zincplate.merges.panorama.canvas import Canvas
from zincplate.merges.panorama.judge import PanoramaJudgement
from zincplate.merges.panorama.layout import Layout, file_places
from zincplate.merges.panorama.places import half_size
from zincplate.merges.view import Opened

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

ROWS = 256
BLOCK = 128
"""Columns of which is asked which frames count there."""
PATCH = 32
"""Pixels along a side that are read through one homography: projections, and fields that bend a frame, bend by less than a
hundredth of a pixel in it."""
MARGIN = 14
WIDEST = 16_384
PURE = 0.9999
FARTHEST = 1e6
"""Pixels from a frame's middle: what lies farther is behind its camera."""


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
    tops = range(0, canvas.height, ROWS)

    def strip(top: int) -> Float32:
        return _strip(frames, judged, layout, ones, top, min(ROWS, canvas.height - top), levels, halo)

    with in_turn(strip, tops) as strips:
        for top, values in zip(tops, strips, strict=True):
            yield Strip(top, np.ascontiguousarray(values[:, :, shown]))
            breathe((top + values.shape[1]) / canvas.height)


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
    far = np.abs(file_x) > FARTHEST
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
    homographies, there = _local(canvas, judged, k, (x, y), (width, height))
    sampling = Sampling(np.eye(3), x, y, 1.0, 1.0, source.width, source.height, 1.0, 1.0, x0, y0)
    out = warp(planes, sampling, radial, width, height, blocks=Blocks(homographies, PATCH, PATCH))
    for row, column in zip(*np.nonzero(~there), strict=True):
        out[:, row * PATCH : (row + 1) * PATCH, column * PATCH : (column + 1) * PATCH] = 0
    out *= layout.gains[k].astype(np.float32)[:, None, None]
    return out


def _local(
    canvas: Canvas, judged: PanoramaJudgement, k: int, begin: tuple[int, int], size: tuple[int, int]
) -> tuple[Float64, NDArray[np.bool_]]:
    """The homographies (rows, columns, 3, 3) nearest to the canvas's map into a member without distortion, in blocks of a part of
    it that begins at a column and row and has so many columns and rows; and which of them are not behind its camera."""
    sight = judged.sight(k)
    lefts, tops = np.arange(0, size[0], PATCH), np.arange(0, size[1], PATCH)
    width, height = np.minimum(PATCH, size[0] - lefts), np.minimum(PATCH, size[1] - tops)
    # through their corners: blocks beside each other agree there
    across, down = np.array([0, 1, 1, 0]), np.array([0, 0, 1, 1])
    shape = (len(tops), len(lefts), 4)
    xx = np.broadcast_to((begin[0] + lefts)[:, None] + width[:, None] * across, shape)
    yy = np.broadcast_to(((begin[1] + tops)[:, None] + height[:, None] * down)[:, None], shape)
    u, v = canvas.flat_places(sight, xx, yy)
    there = np.maximum(np.abs(u), np.abs(v)).max(2) <= FARTHEST
    # about the blocks' middles, where the numbers are small
    middle = xx.mean(2)[there], yy.mean(2)[there]
    centre = u.mean(2)[there], v.mean(2)[there]
    found = through_four(*(p[there] - q[:, None] for p, q in zip((xx, yy, u, v), (*middle, *centre), strict=True)))
    before, after = np.tile(np.eye(3), (2, len(found), 1, 1))
    before[:, 0, 2], before[:, 1, 2] = -middle[0], -middle[1]
    after[:, 0, 2], after[:, 1, 2] = centre
    homographies = np.tile(np.eye(3), (*there.shape, 1, 1))
    homographies[there] = after @ found @ before
    return homographies, there
