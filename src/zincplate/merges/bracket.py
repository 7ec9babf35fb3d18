"""A bracket: exposures of one subject become one linear picture with the latitude of all of them.

Frames are demosaiced, laid on the reference (one resampling by cubic B-splines) and added up in strips, so that memory holds the
sensors' data and one strip, not whole pictures.
"""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.projective import of_four_points
from zincplate.core.geometry.radial import compose
from zincplate.core.geometry.sampling import Sampling
from zincplate.core.geometry.warp import spline_coefficients, warp
from zincplate.core.merging.moved import allowed
from zincplate.core.merging.placement import Placement
from zincplate.core.merging.radiance import add_up
from zincplate.formats.decoded import CameraColour
from zincplate.merges.file import colour_as_master
from zincplate.merges.in_turn import all_of
from zincplate.merges.judge import Judgement
from zincplate.merges.view import Opened
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

ROWS = 256
BLOCK = 256
"""Columns that are read through one homography, where frames lie on each other by more than one."""
MARGIN = 12
"""Pixels about a part that is read, for the resampling."""


@dataclass(frozen=True)
class Strip:
    """Rows of the result: camera values (3, rows, width) with 1 where the darkest exposure clips; and where no frame could be
    trusted."""

    top: int
    camera_values: Float32
    clipped: NDArray[np.uint8]


def colour_of(frames: Sequence[Opened], judged: Judgement) -> CameraColour:
    """Colour of the master: the reference's, with the stops by which it is to be shown lighter."""
    darkest = min(judged.exposure[i] for i in judged.members)
    return colour_as_master(frames[judged.reference].source, -float(np.log2(darkest)))


def strips(frames: Sequence[Opened], judged: Judgement, breathe: Callable[[float], None] = lambda _: None) -> Iterator[Strip]:
    """The result from top to bottom. ``breathe`` is told the share that is done."""
    members = judged.members
    base = frames[judged.reference].source
    neutral = np.asarray(base.as_shot_neutral, np.float64)
    exposure = np.array([judged.exposure[i] for i in members], np.float32)
    slope, offset = np.empty((len(members), 3), np.float32), np.empty((len(members), 3), np.float32)
    factors = []
    for k, i in enumerate(members):
        # plates of one camera at different balances differ by their neutrals
        factor = np.asarray(frames[i].source.as_shot_neutral) / neutral
        factors.append(factor.astype(np.float32)[:, None, None])
        a, b = frames[i].noise
        slope[k], offset[k] = a * factor, b * factor**2
    fallback = np.argsort(exposure, kind="stable").astype(np.int64)
    counts = None if judged.moved is None or not judged.moved.regions else allowed(judged.moved, len(members))
    darkest = float(exposure.min())
    for top in range(0, base.height, ROWS):
        rows = min(ROWS, base.height - top)
        values = np.empty((len(members), 3, rows, base.width), np.float32)
        trust = np.empty((len(members), rows, base.width), np.float32)

        def lay(k: int, top: int = top, rows: int = rows, values: Float32 = values, trust: Float32 = trust) -> None:
            i = members[k]
            part = laid_part(frames[i], judged.placements[i], top, rows, base.width, i == judged.reference)
            np.multiply(part[0], factors[k], out=values[k])
            trust[k] = part[1]

        all_of(lay, range(len(members)))
        if counts is not None:
            trust = np.where(trust > 0, trust * _larger(counts, judged, top, rows, base.width), trust)
        out, clipped = np.empty((3, rows, base.width), np.float32), np.empty((rows, base.width), np.uint8)
        add_up(values, trust, exposure, slope, offset, fallback, out, clipped)
        breathe((top + rows) / base.height)
        yield Strip(top, out * (neutral * darkest).astype(np.float32)[:, None, None], clipped)


def laid_part(
    frame: Opened, placement: Placement, top: int, rows: int, width: int, as_it_is: bool, hot_pixels: bool = True
) -> tuple[Float32, Float32]:
    """Plate values and trust of a strip of the reference; trust is -1 where the frame has nothing."""
    source = frame.source
    if as_it_is:
        return source.window(0, top, width, rows, hot_pixels), source.trust(0, top, width, rows)
    x, y = placement.rows(top, rows, width)
    outside = (x < 0) | (x > source.width - 1) | (y < 0) | (y > source.height - 1)
    x0, x1 = max(int(x.min()) - MARGIN, 0), min(int(x.max()) + MARGIN + 1, source.width)
    y0, y1 = max(int(y.min()) - MARGIN, 0), min(int(y.max()) + MARGIN + 1, source.height)
    if outside.all() or x0 >= x1 or y0 >= y1:
        return np.zeros((3, rows, width), np.float32), np.full((rows, width), -1, np.float32)
    planes = source.window(x0, y0, x1 - x0, y1 - y0, hot_pixels)
    plain = compose(float(np.hypot(source.width, source.height)) / 2)
    laid = np.empty((3, rows, width), np.float32)
    coefficients = spline_coefficients(planes)
    across = width if placement.field is None else BLOCK
    for left in range(0, width, across):
        columns = min(across, width - left)
        homography = placement.homography if placement.field is None else _about(placement, top, rows, left, columns)
        laid[:, :, left : left + columns] = warp(
            planes, _sampling(homography, source, left, top, x0, y0), plain, columns, rows, coefficients
        )
    trust = cv2.remap(
        source.trust(x0, y0, x1 - x0, y1 - y0), x - np.float32(x0), y - np.float32(y0), cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return laid, np.where(outside, np.float32(-1), trust)


def _about(placement: Placement, top: int, rows: int, left: int, columns: int) -> Float64:
    """The homography nearest to a placement in a block: a smooth field bends by less than a hundredth of a pixel in it."""
    # through the places where a line through two of a parabola's points is nearest to it (Chebyshev's)
    near, far = 0.5 - math.sqrt(0.125), 0.5 + math.sqrt(0.125)
    xx = left + (columns - 1) * np.array([near, far, far, near])
    yy = top + (rows - 1) * np.array([near, near, far, far])
    there = np.stack(placement.at(xx, yy), -1)
    middle = np.array([left + columns / 2, top + rows / 2])
    here = np.stack([xx, yy], -1)
    # about the block's middle, where the numbers are small
    found = of_four_points(here - middle, there - middle)
    shift = np.array([[1, 0, middle[0]], [0, 1, middle[1]], [0, 0, 1.0]])
    return np.asarray(shift @ found @ np.linalg.inv(shift), np.float64)


def _sampling(homography: Float64, source: Source, left: int, top: int, x0: int, y0: int) -> Sampling:
    # it counts from the middle of the picture, to pixels' corners
    half_w, half_h = source.width / 2, source.height / 2
    to_corner = np.array([[1, 0, 0.5 - half_w], [0, 1, 0.5 - half_h], [0, 0, 1.0]])
    centred = to_corner @ homography @ np.linalg.inv(to_corner)
    return Sampling(centred, left - half_w, top - half_h, 1.0, 1.0, source.width, source.height, 1.0, 1.0, x0, y0)


def _larger(counts: Float32, judged: Judgement, top: int, rows: int, width: int) -> Float32:
    """Reduced shares (n, h, w) for the pixels of a strip."""
    step, (left, above) = judged.step, judged.origin
    x = (np.arange(width, dtype=np.float32) - left - (step - 1) / 2) / step
    y = (np.arange(top, top + rows, dtype=np.float32) - above - (step - 1) / 2) / step
    xx, yy = np.meshgrid(x.astype(np.float32), y.astype(np.float32))
    return np.stack([cv2.remap(p, xx, yy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for p in counts])
