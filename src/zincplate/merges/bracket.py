"""A bracket: exposures of one subject become one linear picture with the latitude of all of them.

Frames are demosaiced, laid on the reference (one resampling by cubic B-splines) and added up in strips, so that memory holds the
sensors' data and one strip, not whole pictures.
"""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.kernels import memory
from zincplate.core.merging.moved import allowed
from zincplate.core.merging.radiance import add_up
from zincplate.core.noise.wavelet_noise import COLOUR_STRENGTH, LIGHTNESS_STRENGTH, StabilisedNoise, reduce_noise
from zincplate.formats.decoded import CameraColour
from zincplate.merges.file import colour_as_master
from zincplate.merges.in_turn import workers
from zincplate.merges.judge import Judgement
from zincplate.merges.laid import lay_into
from zincplate.merges.view import Opened

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

ROWS = 256
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
    """Rows added up: plates (3, rows, width) in units of the reference times gains, the variance of their green without them, and
    where none could be trusted."""

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
    gains = scale.astype(np.float32)
    sums = _sums(frames, judged, breathe, np.ones(3, np.float32) if noise > 0 else gains)
    top = 0
    for part in _calmed(sums, frames[judged.reference], noise, gains) if noise > 0 else sums:
        yield Strip(top, part.plates, part.clipped)
        top += part.clipped.shape[0]


def _calmed(sums: Iterator[_Sum], reference: Opened, strength: float, gains: Float32) -> Iterator[_Sum]:
    """Sums with their noise reduced, read with rows about them, times gains. How much noise there is at a place follows from the
    frames that count there: in the light of a lamp one does, and so does one where something moved."""
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
        yield _Sum(calm[:, begin : begin + rows] * gains[:, None, None], here.variance, here.clipped)
        above, here = here, below


def _sums(frames: Sequence[Opened], judged: Judgement, breathe: Callable[[float], None], gains: Float32) -> Iterator[_Sum]:
    members = judged.members
    base = frames[judged.reference].source
    neutral = np.asarray(base.as_shot_neutral, np.float64)
    exposure = np.array([judged.exposure[i] for i in members], np.float32)
    slope, offset = np.empty((len(members), 3), np.float32), np.empty((len(members), 3), np.float32)
    factors = []
    for k, i in enumerate(members):
        # plates of one camera at different balances differ by their neutrals
        factor = np.asarray(frames[i].source.as_shot_neutral) / neutral
        factors.append(factor.astype(np.float32))
        a, b = frames[i].noise
        slope[k], offset[k] = a * factor, b * factor**2
    fallback = np.argsort(exposure, kind="stable").astype(np.int64)
    counts = None if judged.moved is None or not judged.moved.regions else allowed(judged.moved, len(members))
    with workers() as pool:
        ahead = _Ahead(frames, judged, factors, pool)
        ahead.lay(0)
        for top in range(0, base.height, ROWS):
            rows = min(ROWS, base.height - top)
            values, trust = ahead.laid()
            if top + rows < base.height:
                ahead.lay(top + rows)  # while this one is added up and packed
            if counts is not None:
                trust = np.where(trust > 0, trust * _larger(counts, judged, top, rows, base.width), trust)
            out, variance = memory.empty(3, rows, base.width), memory.empty(rows, base.width)
            clipped = np.empty((rows, base.width), np.uint8)
            add_up(values, trust, exposure, slope, offset, fallback, gains, out, variance, clipped)
            breathe((top + rows) / base.height)
            yield _Sum(out, variance, clipped)


class _Ahead:
    """Strips of all frames, the next one laid while one is worked on: there is room for two."""

    def __init__(self, frames: Sequence[Opened], judged: Judgement, factors: Sequence[Float32], pool: ThreadPoolExecutor) -> None:
        self._frames, self._judged, self._factors, self._pool = frames, judged, factors, pool
        self._base = frames[judged.reference].source
        size = (len(judged.members), min(ROWS, self._base.height), self._base.width)
        self._rooms = [(np.empty((size[0], 3, *size[1:]), np.float32), np.empty(size, np.float32)) for _ in range(2)]
        self._under_way: list[Future[None]] = []
        self._strip: tuple[Float32, Float32] = self._rooms[0]

    def lay(self, top: int) -> None:
        """Begins with the strip from row ``top`` on."""
        values, trust = self._rooms[top // ROWS % 2]
        rows = min(ROWS, self._base.height - top)
        if rows < trust.shape[1]:
            values, trust = (np.empty((*a.shape[:-2], rows, self._base.width), np.float32) for a in (values, trust))
        self._strip = values, trust
        self._under_way = [self._pool.submit(self._one, k, top, values[k], trust[k]) for k in range(len(trust))]

    def _one(self, k: int, top: int, values: Float32, trust: Float32) -> None:
        i = self._judged.members[k]
        still = i == self._judged.reference
        lay_into(values, trust, self._factors[k], self._frames[i], self._judged.placements[i], top, still)

    def laid(self) -> tuple[Float32, Float32]:
        """Values (frames, 3, rows, width) and trust (frames, rows, width) of that strip, once they are there."""
        for one in self._under_way:
            one.result()
        return self._strip


def _larger(counts: Float32, judged: Judgement, top: int, rows: int, width: int) -> Float32:
    """Reduced shares (n, h, w) for the pixels of a strip."""
    step, (left, above) = judged.step, judged.origin
    x = (np.arange(width, dtype=np.float32) - left - (step - 1) / 2) / step
    y = (np.arange(top, top + rows, dtype=np.float32) - above - (step - 1) / 2) / step
    xx, yy = np.meshgrid(x.astype(np.float32), y.astype(np.float32))
    return np.stack([cv2.remap(p, xx, yy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for p in counts])
