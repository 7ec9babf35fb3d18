"""A part of a frame at full size, laid on the reference by one resampling (cubic B-splines)."""

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.projective import through_four
from zincplate.core.geometry.radial import Radial, compose
from zincplate.core.geometry.sampling import Sampling
from zincplate.core.geometry.warp import Blocks, warp
from zincplate.core.merging.placement import Placement
from zincplate.merges.view import Opened

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

BLOCK = 128
"""Columns that are read through one homography, where frames lie on each other by more than one."""
LEAST_BLOCK = 16
MARGIN = 12
"""Pixels about a part that is read, for the resampling."""


def laid_part(
    frame: Opened, placement: Placement, top: int, rows: int, width: int, as_it_is: bool, hot_pixels: bool = True, left: int = 0
) -> tuple[Float32, Float32]:
    """Plate values (3, rows, width) and trust (rows, width) of a strip of the reference, from column ``left`` on; trust is -1
    where the frame has nothing."""
    values, trust = np.empty((3, rows, width), np.float32), np.empty((rows, width), np.float32)
    lay_into(values, trust, np.ones(3, np.float32), frame, placement, top, as_it_is, hot_pixels, left)
    return values, trust


def lay_into(
    values: Float32, trust: Float32, factors: Float32, frame: Opened, placement: Placement, top: int, as_it_is: bool,
    hot_pixels: bool = True, left: int = 0,
) -> None:  # fmt: skip
    """The same into arrays that are there, values by ``factors`` (3,)."""
    source, (rows, width) = frame.source, trust.shape
    if as_it_is:
        planes, x0, y0 = source.window_about(left, top, width, rows, hot_pixels)
        part = planes[:, top - y0 : top - y0 + rows, left - x0 : left - x0 + width]
        np.multiply(part, factors[:, None, None], out=values)
        trust[:] = source.trust(left, top, width, rows)
        return
    least_x, least_y, most_x, most_y = placement.box(left, top, width, rows)
    x0, x1 = max(int(least_x) - MARGIN, 0), min(int(most_x) + MARGIN + 1, source.width)
    y0, y1 = max(int(least_y) - MARGIN, 0), min(int(most_y) + MARGIN + 1, source.height)
    if x0 >= x1 or y0 >= y1:
        values[:], trust[:] = 0, -1
        return
    planes, from_x, from_y = source.window_about(x0, y0, x1 - x0, y1 - y0, hot_pixels)
    homographies = placement.homography[None] if placement.field is None else _about(placement, top, rows, left, width)
    # a sampling counts from the middle of the picture, to pixels' corners
    half_w, half_h = source.width / 2, source.height / 2
    to_corner = np.array([[1, 0, 0.5 - half_w], [0, 1, 0.5 - half_h], [0, 0, 1.0]])
    centred = to_corner @ homographies @ np.linalg.inv(to_corner)
    sampling = Sampling(centred[0], left - half_w, top - half_h, 1.0, 1.0, source.width, source.height, 1.0, 1.0, from_x, from_y)
    blocks = None if placement.field is None else Blocks(centred[None], BLOCK, rows)
    warp(planes, sampling, _no_lens(source.width, source.height), width, rows, blocks=blocks, out=values, gains=factors)
    own = source.trust(x0, y0, x1 - x0, y1 - y0)
    if own.min() < 1:
        placement.carry_trust(left, top, own, x0, y0, trust)
    else:
        trust[:] = 1
    if least_x < 0 or least_y < 0 or most_x > source.width - 1 or most_y > source.height - 1:
        placement.mark_beyond(left, top, (source.width, source.height), trust)


@lru_cache(maxsize=8)
def _no_lens(width: int, height: int) -> Radial:
    return compose(math.hypot(width, height) / 2)


def _about(placement: Placement, top: int, rows: int, left: int, width: int) -> Float64:
    """The homographies (n, 3, 3) nearest to a placement in blocks of a strip, from left to right: a smooth field bends by less
    than a hundredth of a pixel in one."""
    lefts = np.arange(0, width, BLOCK)
    columns = np.minimum(BLOCK, width - lefts)
    # through the places where a line through two of a parabola's points is nearest to it (Chebyshev's)
    near, far = 0.5 - math.sqrt(0.125), 0.5 + math.sqrt(0.125)
    # about the block's middle, where the numbers are small; a single row or column tells nothing of what is across it
    wide, high = np.maximum(columns, LEAST_BLOCK)[:, None], max(rows, LEAST_BLOCK)
    x = (wide - 1) * np.array([near, far, far, near]) - wide / 2
    y = np.broadcast_to((high - 1) * np.array([near, near, far, far]) - high / 2, x.shape)
    middle_x, middle_y = (left + lefts + columns / 2)[:, None], top + rows / 2
    there_x, there_y = placement.at(x + middle_x, y + middle_y)
    about = through_four(x, y, there_x - middle_x, there_y - middle_y)
    shift = np.tile(np.eye(3), (len(lefts), 1, 1))
    shift[:, 0, 2], shift[:, 1, 2] = middle_x[:, 0], middle_y
    return np.asarray(shift @ about @ np.linalg.inv(shift), np.float64)
