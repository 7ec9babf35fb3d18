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

from zincplate.core.geometry.radial import compose
from zincplate.core.geometry.sampling import Sampling
from zincplate.core.geometry.warp import spline_coefficients, warp
from zincplate.core.merging.moved import allowed
from zincplate.core.merging.placement import Placement
from zincplate.core.merging.radiance import add_up
from zincplate.core.noise.wavelet_noise import COLOUR_STRENGTH, LIGHTNESS_STRENGTH, StabilisedNoise, reduce_noise
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
NOISE_ROWS = 80
"""Above and below a strip, that noise is told from signal by: the coarsest planes of colour reach so far."""

LEAST_SLOPE = 1e-6
"""Of the variance over the signal: a file may tell that there is no photon noise."""


@dataclass(frozen=True)
class Strip:
    """Rows of the result: camera values (3, rows, width) with 1 where the darkest exposure clips; and where no frame could be
    trusted."""

    top: int
    camera_values: Float32
    clipped: NDArray[np.uint8]


def colour_of(frames: Sequence[Opened], judged: Judgement) -> CameraColour:
    """Colour of the master: the reference's, with the stops by which it is to be shown lighter than its darkest frame."""
    darkest = min(judged.exposure[i] for i in judged.members)
    return colour_as_master(frames[judged.reference].source, judged.shown_ev - float(np.log2(darkest)))


@dataclass(frozen=True)
class _Sum:
    """Rows added up: plates (3, rows, width) in units of the reference, the variance of their green, and where none could be
    trusted."""

    plates: Float32
    variance: Float32
    clipped: NDArray[np.uint8]


def strips(
    frames: Sequence[Opened], judged: Judgement, breathe: Callable[[float], None] = lambda _: None, noise: float = 0.0
) -> Iterator[Strip]:
    """The result from top to bottom. ``breathe`` is told the share that is done; ``noise``, 0 to 1, how much of it is reduced
    (one half takes what is known to be noise)."""
    base = frames[judged.reference].source
    scale = np.asarray(base.as_shot_neutral, np.float64) * min(np.float32(judged.exposure[i]) for i in judged.members)
    sums = _sums(frames, judged, breathe)
    top = 0
    for part in _calmed(sums, frames[judged.reference], noise) if noise > 0 else sums:
        yield Strip(top, part.plates * scale.astype(np.float32)[:, None, None], part.clipped)
        top += part.clipped.shape[0]


def _calmed(sums: Iterator[_Sum], reference: Opened, strength: float) -> Iterator[_Sum]:
    """Sums with their noise reduced, read with rows about them. How much noise there is at a place follows from the frames that
    count there: in the light of a lamp one does, and so does one where something moved."""
    slope, offset = np.maximum(reference.noise[0], LEAST_SLOPE), reference.noise[1]
    deviation = np.sqrt(slope) / 2
    shift = float(np.mean(offset / slope)) + 0.375 * float(slope.max())
    noise = StabilisedNoise(shift, (deviation[0], deviation[1], deviation[2]), reference.source.mosaic)
    above: _Sum | None = None
    here = next(sums, None)
    while here is not None:
        below = next(sums, None)
        rows = here.clipped.shape[0]
        parts = [p for p in (above, here, below) if p is not None]
        first = 0 if above is None else above.clipped.shape[0] - NOISE_ROWS
        last = (0 if above is None else above.clipped.shape[0]) + rows + (0 if below is None else NOISE_ROWS)
        plates = np.ascontiguousarray(np.concatenate([p.plates for p in parts], 1)[:, first:last])
        variance = np.concatenate([p.variance for p in parts])[first:last]
        # the light under the noise, not with it
        light = np.maximum(cv2.blur(plates[1], (7, 7), borderType=cv2.BORDER_REFLECT), 0) + np.float32(shift)
        relative = variance / (4 * light * np.float32(deviation[1] ** 2))
        calm = reduce_noise(plates, noise, LIGHTNESS_STRENGTH * strength, COLOUR_STRENGTH * strength, relative)
        begin = 0 if above is None else NOISE_ROWS
        yield _Sum(np.ascontiguousarray(calm[:, begin : begin + rows]), here.variance, here.clipped)
        above, here = here, below


def _sums(frames: Sequence[Opened], judged: Judgement, breathe: Callable[[float], None]) -> Iterator[_Sum]:
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
        out, variance = np.empty((3, rows, base.width), np.float32), np.empty((rows, base.width), np.float32)
        clipped = np.empty((rows, base.width), np.uint8)
        add_up(values, trust, exposure, slope, offset, fallback, out, variance, clipped)
        breathe((top + rows) / base.height)
        yield _Sum(out, variance, clipped)


def laid_part(
    frame: Opened, placement: Placement, top: int, rows: int, width: int, as_it_is: bool, hot_pixels: bool = True, left: int = 0
) -> tuple[Float32, Float32]:
    """Plate values and trust of a strip of the reference, ``width`` columns from ``left`` on; trust is -1 where the frame has
    nothing."""
    source = frame.source
    if as_it_is:
        return source.window(left, top, width, rows, hot_pixels), source.trust(left, top, width, rows)
    x, y = placement.rows(top, rows, width, left)
    least_x, most_x, least_y, most_y = (float(v) for v in (x.min(), x.max(), y.min(), y.max()))
    x0, x1 = max(int(least_x) - MARGIN, 0), min(int(most_x) + MARGIN + 1, source.width)
    y0, y1 = max(int(least_y) - MARGIN, 0), min(int(most_y) + MARGIN + 1, source.height)
    if x0 >= x1 or y0 >= y1:
        return np.zeros((3, rows, width), np.float32), np.full((rows, width), -1, np.float32)
    planes = source.window(x0, y0, x1 - x0, y1 - y0, hot_pixels)
    plain = compose(float(np.hypot(source.width, source.height)) / 2)
    laid = np.empty((3, rows, width), np.float32)
    coefficients = spline_coefficients(planes)
    across = width if placement.field is None else BLOCK
    begins = np.arange(0, width, across)
    columns = np.minimum(across, width - begins)
    bent = placement.field is not None
    homographies = _about(placement, top, rows, begins + left, columns) if bent else placement.homography[None]
    for begin, count, homography in zip(begins.tolist(), columns.tolist(), homographies, strict=True):
        laid[:, :, begin : begin + count] = warp(
            planes, _sampling(homography, source, begin + left, top, x0, y0), plain, count, rows, coefficients
        )
    trust = source.trust(x0, y0, x1 - x0, y1 - y0)
    if trust.min() < 1:
        trust = cv2.remap(trust, x - np.float32(x0), y - np.float32(y0), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    else:
        trust = np.ones((rows, width), np.float32)
    if least_x < 0 or least_y < 0 or most_x > source.width - 1 or most_y > source.height - 1:
        trust[(x < 0) | (x > source.width - 1) | (y < 0) | (y > source.height - 1)] = -1
    return laid, trust


def _about(placement: Placement, top: int, rows: int, lefts: NDArray[np.intp], columns: NDArray[np.intp]) -> Float64:
    """The homographies (n, 3, 3) nearest to a placement in blocks of a strip, each from a column on and so many columns wide: a
    smooth field bends by less than a hundredth of a pixel in one."""
    # through the places where a line through two of a parabola's points is nearest to it (Chebyshev's)
    near, far = 0.5 - math.sqrt(0.125), 0.5 + math.sqrt(0.125)
    # about the block's middle, where the numbers are small
    x = (columns[:, None] - 1) * np.array([near, far, far, near]) - columns[:, None] / 2
    y = np.broadcast_to((rows - 1) * np.array([near, near, far, far]) - rows / 2, x.shape)
    middle_x, middle_y = (lefts + columns / 2)[:, None], top + rows / 2
    there_x, there_y = placement.at(x + middle_x, y + middle_y)
    u, v = there_x - middle_x, there_y - middle_y
    equations = np.zeros((len(lefts), 8, 8))
    equations[:, :4, 0], equations[:, :4, 1], equations[:, :4, 2] = x, y, 1
    equations[:, 4:, 3], equations[:, 4:, 4], equations[:, 4:, 5] = x, y, 1
    equations[:, :4, 6], equations[:, :4, 7] = -u * x, -u * y
    equations[:, 4:, 6], equations[:, 4:, 7] = -v * x, -v * y
    found = np.linalg.solve(equations, np.concatenate([u, v], 1)[..., None])[..., 0]
    about = np.concatenate([found, np.ones((len(lefts), 1))], 1).reshape(-1, 3, 3)
    shift = np.tile(np.eye(3), (len(lefts), 1, 1))
    shift[:, 0, 2], shift[:, 1, 2] = middle_x[:, 0], middle_y
    return np.asarray(shift @ about @ np.linalg.inv(shift), np.float64)


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
