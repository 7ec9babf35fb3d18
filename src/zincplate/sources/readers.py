"""How a decoded file's pixels are read in the sensor's orientation: mosaics, and pictures that have all colours everywhere."""

import math
import threading
from collections.abc import Callable
from dataclasses import dataclass
from functools import wraps
from typing import Any, Concatenate, ParamSpec, Protocol, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.kernels import memory
from zincplate.core.kernels.rendered import bin_codes, bin_linear, window_from_codes, window_from_linear
from zincplate.core.noise.noise_model import NoiseModel, measure_noise
from zincplate.core.noise.quiet_directions import measure_noise_below_texture
from zincplate.core.noise.wavelet_noise import deviation_of
from zincplate.core.sensor.colour_shift import ColourShift
from zincplate.core.sensor.demosaic import MARGIN, bin_mosaic, demosaic_window, window_of
from zincplate.core.sensor.hot_pixels import hot_sites, replaced
from zincplate.core.sensor.trust import LOST_FROM, TRUSTED_TO, trust_of_codes
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import Decoded

Float32 = NDArray[np.float32]
NOISE_PX = 1024
"""Of the middle of a picture, that its noise is measured on."""

P = ParamSpec("P")
T = TypeVar("T")


class _Rests(Protocol):
    rest: Callable[[], None] | None


R = TypeVar("R", bound=_Rests)


def _resting(read: Callable[Concatenate[R, P], T]) -> Callable[Concatenate[R, P], T]:
    """A reading after which memory of pixels that lie on disk is given back."""

    @wraps(read)
    def rested(self: R, /, *args: P.args, **named: P.kwargs) -> T:
        try:
            return read(self, *args, **named)
        finally:
            if self.rest is not None:
                self.rest()

    return rested


@dataclass(frozen=True)
class Plate:
    """Reduced planes of the whole picture: sample (i, j) averages ``step`` pixels from ``origin + step * index`` on."""

    planes: Float32
    step: int
    origin_x: int
    origin_y: int


class Reader(Protocol):
    """Reads in sensor orientation."""

    width: int
    height: int
    ceiling: float
    """Where camera values end, in white levels."""

    @property
    def origin(self) -> tuple[int, int]:
        """Column and row where reduced plates begin."""
        ...

    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32: ...

    def window_about(
        self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None
    ) -> tuple[Float32, int, int]:
        """A window in what it was cut from, which may reach beyond the picture, and the column and row where that begins."""
        ...

    def reduced(self, step: int, hot_pixels: bool = False) -> Plate: ...

    def trust(self, x: int, y: int, w: int, h: int) -> Float32: ...

    @property
    def nbytes(self) -> int: ...


class Mosaic:
    def __init__(self, decoded: Decoded, neutral: tuple[float, float, float]) -> None:
        self._sites, self.rest = decoded.pixels, decoded.rest
        self.height, self.width = decoded.pixels.shape
        self.cfa = decoded.cfa
        red = decoded.cfa.index(0)
        self._red_y, self._red_x = divmod(red, 2)
        black = np.reshape(np.asarray(decoded.black, np.float32), (2, 2))
        colours = np.reshape(decoded.cfa, (2, 2))
        # one scale for all sites, counted from the highest black (DNG 1.7.1, "Rescaling")
        scale = 1.0 / ((decoded.white - black.max()) * np.asarray(neutral, np.float32)[colours])
        shift = (-self._red_y, -self._red_x)
        self._black_by_parity, self._white = black.astype(np.float64), float(decoded.white)
        self._lock = threading.Lock()
        self._hot: tuple[NDArray[np.intp], NDArray[np.uint16]] | None = None
        self._noise: NoiseModel | None = None
        self._noise_below_texture: NoiseModel | None = None
        self._black = np.ascontiguousarray(np.roll(black, shift, (0, 1)))
        self._scale = np.ascontiguousarray(np.roll(scale.astype(np.float32), shift, (0, 1)))

    ceiling = 1.0

    @property
    def code_range(self) -> float:
        return self._white - float(self._black_by_parity.min())

    @property
    def nbytes(self) -> int:
        return int(self._sites.nbytes) + (0 if self._hot is None else sum(int(part.nbytes) for part in self._hot))

    @property
    def noise(self) -> NoiseModel:
        with self._lock:
            if self._noise is None:
                self._noise = self._measured()
            return self._noise

    @_resting
    def _measured(self) -> NoiseModel:
        return measure_noise(self._sites, self._black_by_parity, self._white)

    @property
    def noise_below_texture(self) -> NoiseModel:
        """What noise reduction goes by: without drawing that fills the picture, which :attr:`noise` holds."""
        blocks = self.noise
        with self._lock:
            if self._noise_below_texture is None:
                self._noise_below_texture = self._below_texture(blocks)
            return self._noise_below_texture

    @_resting
    def _below_texture(self, blocks: NoiseModel) -> NoiseModel:
        return measure_noise_below_texture(self._sites, self._black_by_parity, self._white, blocks)

    @_resting
    def hot(self) -> tuple[NDArray[np.intp], NDArray[np.uint16]]:
        """Places of hot sites and what stands for them; found once."""
        model = self.noise
        with self._lock:
            if self._hot is None:
                self._hot = hot_sites(self._sites, self._black_by_parity, self._white, model.slope, model.offset)
            return self._hot

    def _cleaned(self, y: int, x: int, rows: int, columns: int) -> tuple[NDArray[np.uint16], int, int]:
        """Sites with hot ones replaced, as far as a window needs them that may lie outside (mirrored), and where they begin."""
        y0, y1 = max(min(y, 2 * (self.height - 1) - y - rows), 0), min(max(y + rows, 2 - y), self.height)
        x0, x1 = max(min(x, 2 * (self.width - 1) - x - columns), 0), min(max(x + columns, 2 - x), self.width)
        return replaced(self._sites[y0:y1, x0:x1], *self.hot(), y0, x0), y0, x0

    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32:
        planes, x0, y0 = self.window_about(x, y, w, h, hot_pixels, shift)
        return planes[:, y - y0 : y - y0 + h, x - x0 : x - x0 + w]

    @_resting
    def window_about(
        self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None
    ) -> tuple[Float32, int, int]:
        margin = MARGIN if shift is None else MARGIN + math.ceil(shift.largest_px) + 3
        x0 = x - margin - (x - margin - self._red_x) % 2
        y0 = y - margin - (y - margin - self._red_y) % 2
        columns = max(_even(x + w + margin - x0), 4 * MARGIN)
        rows = max(_even(y + h + margin - y0), 4 * MARGIN)
        sites = memory.empty(rows, columns)
        part, top, left = self._cleaned(y0, x0, rows, columns) if hot_pixels else (self._sites, 0, 0)
        window_of(part, y0 - top, x0 - left, self._black, self._scale, sites)
        middle = ((self.height - 1) / 2 - y0, (self.width - 1) / 2 - x0)
        planes, scratch = memory.empty(3, rows, columns), memory.empty(rows, columns)
        demosaic_window(sites, planes, scratch, shift, middle)
        return planes, x0, y0

    @property
    def origin(self) -> tuple[int, int]:
        return -self._red_x, -self._red_y

    @_resting
    def reduced(self, step: int, hot_pixels: bool = False) -> Plate:
        x0, y0 = self.origin
        columns, rows = -(-(self.width - x0) // step), -(-(self.height - y0) // step)
        planes = np.empty((3, rows, columns), np.float32)
        sites = replaced(self._sites, *self.hot()) if hot_pixels else self._sites
        bin_mosaic(sites, y0, x0, step, self._black, self._scale, planes)
        return Plate(planes, step, x0, y0)

    @_resting
    def site_values(self) -> Float32:
        """(h, w) of the sensor, black at 0 and white level 1."""
        out = self._sites.astype(np.float32)
        for row in range(2):
            for column in range(2):
                black = np.float32(self._black_by_parity[row, column])
                out[row::2, column::2] -= black
                out[row::2, column::2] /= np.float32(self._white - black)
        return out

    def calibrated(self, values: Float32, full: NDArray[np.bool_], neutral: tuple[float, float, float]) -> "Mosaic":
        """The same with other site values; ``full`` marks those that were at the sensor's end and stay so."""
        codes = np.clip(values * np.float32((65535 - PEDESTAL) / HEADROOM) + np.float32(PEDESTAL + 0.5), 0, 65535)
        sites = np.where(full, np.uint16(65535), codes.astype(np.uint16))
        return Mosaic(Decoded("mosaic", sites, CaptureData(), None, cfa=self.cfa, black=(PEDESTAL,) * 4, white=65535.0), neutral)

    @_resting
    def trust(self, x: int, y: int, w: int, h: int) -> Float32:
        x0, y0 = max(x - FOOTPRINT, 0), max(y - FOOTPRINT, 0)
        codes = self._sites[y0 : y + h + FOOTPRINT, x0 : x + w + FOOTPRINT]
        lowest = float(self._black_by_parity.min())
        if codes.size and int(codes.max()) <= lowest + TRUSTED_TO * (self._white - lowest):
            return np.ones((h, w), np.float32)
        if np.ptp(self._black_by_parity) == 0:  # as most cameras have it: the highest code is the highest level
            trust = np.empty((h, w), np.float32)
            trust_of_codes(_highest(codes), x - x0, y - y0, np.float32(lowest), np.float32(self._white - lowest), trust)
            return trust
        part = codes.astype(np.float32)
        black = np.roll(self._black_by_parity, (-(y0 % 2), -(x0 % 2)), (0, 1)).astype(np.float32)
        for row in range(2):
            for column in range(2):
                sites = part[row::2, column::2]
                sites -= black[row, column]
                sites /= np.float32(self._white - black[row, column])
        return _trusted(part)[y - y0 : y - y0 + h, x - x0 : x - x0 + w]


PEDESTAL, HEADROOM = 2048.0, 2.0
"""Of calibrated sites: room for noise below black, and for corners that a flat makes brighter."""
FOOTPRINT = 4
"""Sites about one that demosaicing looks at."""


def _trusted(levels: Float32) -> Float32:
    """(h, w) 1 where nothing near a place is clipped, 0 where something is; white level 1."""
    return _trust_of(_highest(levels))


def _highest(values: NDArray[Any]) -> NDArray[Any]:
    """The highest of what demosaicing looks at about each place (h, w)."""
    size = 2 * FOOTPRINT + 1
    return np.asarray(cv2.dilate(values, np.ones((size, size), np.uint8), borderType=cv2.BORDER_REPLICATE))


def _trust_of(highest: Float32) -> Float32:
    return np.asarray(np.clip((np.float32(LOST_FROM) - highest) / np.float32(LOST_FROM - TRUSTED_TO), 0, 1), np.float32)


class Picture:
    origin = (0, 0)

    def __init__(
        self,
        pixels: NDArray[Any],
        table: NDArray[np.float64] | None,
        ceiling: float = 1.0,
        by_codes: bool = False,
        rest: Callable[[], None] | None = None,
    ) -> None:
        """``by_codes``: codes say what is at its end, where their light ends at another level in each colour."""
        self._pixels, self.ceiling, self._by_codes, self.rest = pixels, ceiling, by_codes, rest
        self.height, self.width = pixels.shape[:2]
        self._table = None if table is None else np.ascontiguousarray(table, np.float32)
        self._lock = threading.Lock()
        self._deviation: float | None = None

    @property
    def deviation(self) -> float:
        """Of the noise of roots of light, in the middle of the picture; measured once, on what was recorded: repairs and turns
        of the picture are other views of the same noise."""
        with self._lock:
            if self._deviation is None:
                w, h = min(self.width, NOISE_PX), min(self.height, NOISE_PX)
                self._deviation = deviation_of(self.window((self.width - w) // 2, (self.height - h) // 2, w, h))
            return self._deviation

    @property
    def nbytes(self) -> int:
        return int(self._pixels.nbytes)

    @_resting
    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32:
        assert shift is None, "only a mosaic is read through a shift"
        out = memory.empty(3, h, w)
        if self._table is None:
            window_from_linear(self._pixels, y, x, out)
        else:
            window_from_codes(self._pixels, y, x, self._table, out)
        return out

    def window_about(
        self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None
    ) -> tuple[Float32, int, int]:
        return self.window(x, y, w, h, hot_pixels, shift), x, y

    @_resting
    def trust(self, x: int, y: int, w: int, h: int) -> Float32:
        if self._by_codes and self._table is not None:
            codes = self._pixels[y : y + h, x : x + w].max(2).astype(np.float32)
            return _trusted(codes / np.float32(len(self._table[0]) - 1))
        values = self.window(x, y, w, h)
        return _trusted(values.max(0) / np.float32(self.ceiling))

    @property
    def table(self) -> Float32 | None:
        """(3, levels) light of each code; None for floating point."""
        return self._table

    def responding(self, table: NDArray[np.float64]) -> "Picture":
        """The same codes standing for other light."""
        return Picture(self._pixels, table, 1.0, True, self.rest)

    @_resting
    def reduced(self, step: int, hot_pixels: bool = False) -> Plate:
        out = np.empty((3, -(-self.height // step), -(-self.width // step)), np.float32)
        if self._table is None:
            bin_linear(self._pixels, step, out)
        else:
            bin_codes(self._pixels, step, self._table, out)
        return Plate(out, step, 0, 0)


def _even(n: int) -> int:
    return n + (n & 1)
