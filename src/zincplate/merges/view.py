"""Frames of a merge at reduced size: where they are laid on each other and judged before anything is added up."""

from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.merges.in_turn import in_turn
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

LONG_EDGE_PX = 1600
CALM_EV = 0.25
SHOWN_TO = 0.85
"""Of the white level: averages of several sites above it may hold clipped ones."""
TOLD_NOISE_KNOWN_TO, MEASURED_NOISE_KNOWN_TO, CODES_KNOWN_TO = 0.15, 0.85, 1.0
"""Shares of a variance that may be wrong: of a sensor's noise as its file tells it, as it was measured in a picture (which may be
of gravel from end to end), and of what compression and noise reduction leave of it in a finished picture."""


Noise = tuple[Float64, Float64]
"""Slope and offset (3,) of the variance of plate values over the values themselves, at full size."""


@dataclass(frozen=True)
class Opened:
    """A source by its name, with its noise."""

    name: str
    source: Source
    noise: Noise
    light_ev: float | None = None
    """Of a merged source, what :attr:`told_ev` would be of a frame in whose values it stands."""

    @cached_property
    def told_ev(self) -> float | None:
        """log2 of time * ISO / f-number squared; None where one of them is not told."""
        if self.light_ev is not None:
            return self.light_ev
        capture = self.source.capture
        if min(capture.exposure_time_s, capture.f_number, capture.iso) <= 0:
            return None
        return float(np.log2(capture.exposure_time_s * capture.iso / capture.f_number**2))


def opened(sources: Sequence[tuple[str, Source]]) -> list[Opened]:
    """Frames of one merge. Noise is what the files tell of it; where they do not, frames of one camera and sensitivity have the
    same, and drawing in a picture can only add to what is measured: the least that was measured counts."""
    noise = [_noise_of(source) for _, source in sources]
    kinds = [(s.capture.camera_model, s.capture.camera_serial, s.capture.iso) for _, s in sources]
    shared = []
    for i, (_, source) in enumerate(sources):
        alike = [n for k, n in enumerate(noise) if kinds[k] == kinds[i] and not sources[k][1].noise_profile]
        least = min(alike, key=lambda n: float(n[0][1])) if alike and not source.noise_profile else noise[i]
        shared.append(least)
    return [Opened(name, source, n) for (name, source), n in zip(sources, shared, strict=True)]


def _noise_of(source: Source) -> Noise:
    neutral = np.asarray(source.as_shot_neutral, np.float64)
    # rounding to whole codes is noise too, and in the dark often the most of it
    rounding = (source.code_step / neutral) ** 2 / 12
    if source.noise_profile:
        slope, offset = np.asarray(source.noise_profile, np.float64).T
        return slope / neutral, np.maximum(offset / neutral**2, rounding)
    told = source.noise(1.0)
    slope = 4 * np.square(np.asarray(told.deviation, np.float64))
    offset = slope * max(told.shift - 0.375 * float(slope.max()), 1e-7)
    return slope, np.maximum(offset, rounding)


@dataclass(frozen=True)
class View:
    """One frame, reduced: plate values as recorded, the line of green's variance over them, and where they are to be believed."""

    slope: float
    offset: float
    shown: Mask
    step: int
    origin: tuple[float, float]
    """Column and row of the upright picture where it begins."""
    planes: Float32
    finished: bool
    """Whether it is no camera file."""
    noise_told: bool = True
    """Whether the file tells its noise."""

    @property
    def green(self) -> Float32:
        """(h, w) plate values."""
        return self.planes[1]

    @property
    def variance(self) -> Float32:
        """(h, w) of :attr:`green`; worked out when it is asked for, since forty frames are many."""
        return self.variance_at(self.green)

    def variance_at(self, light: Float32) -> Float32:
        """Of samples that recorded some light."""
        variance = np.maximum(light, np.float32(0))
        variance *= np.float32(self.slope)
        variance += np.float32(max(self.offset, 1e-12))
        return np.asarray(variance)

    @property
    def size(self) -> tuple[int, int]:
        """Height and width."""
        return self.green.shape[0], self.green.shape[1]

    @property
    def noise_known_to(self) -> float:
        """Share of the variance that may be wrong."""
        if self.finished:
            return CODES_KNOWN_TO
        return TOLD_NOISE_KNOWN_TO if self.noise_told else MEASURED_NOISE_KNOWN_TO

    @cached_property
    def least_variance(self) -> float:
        """Of the darkest sample."""
        return float(self.variance_at(self.green.min()[None])[0])

    @cached_property
    def top(self) -> float:
        """The brightest light that is to be believed."""
        return float(np.quantile(self.green[self.shown], 0.999)) if self.shown.any() else 0.0

    @cached_property
    def calm(self) -> Mask:
        """Places away from edges and from what is clipped: light can be compared there although frames lie on each other only
        within a fraction of a pixel."""
        sound = cv2.erode(self.shown.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        stops = np.log2(cv2.GaussianBlur(np.maximum(self.green, 1e-5), (0, 0), 1.5))
        around = np.ones((5, 5), np.uint8)
        return np.asarray(sound & (cv2.dilate(stops, around) - cv2.erode(stops, around) < CALM_EV))

    @cached_property
    def clipped(self) -> float:
        """Share of the picture at the end of its range."""
        return float((~self.shown).mean())

    @cached_property
    def usable(self) -> float:
        """Share of the picture that is neither black nor clipped."""
        return float((self.shown & (self.green > 6 * np.sqrt(self.variance)) & (self.green > 0.004)).mean())


def step_of(source: Source) -> int:
    """Pixels that become one, even."""
    return max(int(np.ceil(max(source.width, source.height) / LONG_EDGE_PX / 2)) * 2, 2)


Grid = tuple[tuple[float, float], tuple[int, int]]
"""Where reduced plates begin, and their height and width."""


def grid_of(frames: Sequence[Opened]) -> Grid | None:
    """One grid for the views of frames of one size; None when all have the same by themselves, or sizes differ. Plates of a
    mosaic begin at a red site, those of a turned frame at the other end: a master among raws begins elsewhere than they."""
    step = step_of(frames[0].source)
    begin = {(f.source.plate_origin(step), f.source.plate_size(step)) for f in frames}
    if len(begin) == 1 or len({(f.source.width, f.source.height) for f in frames}) > 1:
        return None
    # in the middle between where they begin: what is mixed gets softer, and is to be so alike
    columns, rows = zip(*(origin for origin, _ in begin), strict=True)
    middle = (min(columns) + max(columns)) / 2, (min(rows) + max(rows)) / 2
    return middle, (max(height for _, (height, _) in begin), max(width for _, (_, width) in begin))


def view_of(opened: Opened, grid: Grid | None = None) -> View:
    """Reads a frame small, on a grid if one is given."""
    source, step = opened.source, step_of(opened.source)
    plate = source.reduced(step, hot_pixels=True)
    own = (plate.origin_x, plate.origin_y), plate.planes.shape[1:]
    view = seen(opened, plate.planes, step, own[0])
    return view if grid is None or own == grid else _on_grid(view, grid)


def _on_grid(view: View, grid: Grid) -> View:
    """The same, each sample mixed from its neighbours; what one of them does not show is not shown."""
    (x, y), (height, width) = grid
    shift = np.array([[1, 0, (x - view.origin[0]) / view.step], [0, 1, (y - view.origin[1]) / view.step]])
    how = {"flags": cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, "borderMode": cv2.BORDER_REPLICATE}
    planes = np.stack([cv2.warpAffine(plane, shift, (width, height), **how) for plane in view.planes])
    shown = cv2.warpAffine(view.shown.astype(np.float32), shift, (width, height), **how) > 0.999
    return replace(view, planes=planes, shown=shown, origin=grid[0])


def views_of(
    frames: Sequence[Opened], breathe: Callable[[str], None], one_grid: bool = True, aside: Collection[int] = ()
) -> Iterator[View]:
    """Reads all, each said to ``breathe`` by its name before its view comes; on one grid where all but those ``aside`` are of one
    size."""
    counted = [frame for i, frame in enumerate(frames) if i not in aside]
    grid = grid_of(counted) if one_grid else None
    with in_turn(lambda i: view_of(frames[i], None if i in aside else grid), range(len(frames))) as views:
        for frame in frames:
            breathe(f"reading {frame.name}")
            yield next(views)


def seen(opened: Opened, planes: Float32, step: int, origin: tuple[float, float]) -> View:
    """A view of reduced planes (3, h, w)."""
    source = opened.source
    levels = source.camera_values(planes).max(0) / np.float32(max(source.ceiling, 1e-6))
    slope, offset = opened.noise
    # half of the sites of a mosaic are green
    count = step * step * (0.5 if source.mosaic else 1.0)
    planes = np.ascontiguousarray(planes)
    finished, told = source.camera is None, bool(source.noise_profile)
    return View(float(slope[1] / count), float(offset[1] / count), levels < SHOWN_TO, step, origin, planes, finished, told)
