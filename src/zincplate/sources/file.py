"""A decoded file as the engine reads it: linear plates of any window at full size, or of the whole at reduced size.

Plates are float32 planes (3, h, w), upright. For camera data they are camera RGB divided by the as-shot neutral (1 = where
the first channel of a neutral clips); for rendered files linear light of their own primaries.
"""

import copy
import math
import threading
from dataclasses import dataclass, replace
from typing import Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.adaptation import D65_XY, xy_to_xyz, xyz_to_xy
from zincplate.core.colour.colour_spaces import REC2020, WORKING_LUMINANCE
from zincplate.core.geometry.orientation import FLIPS, to_sensor, turned, upright, upright_size
from zincplate.core.geometry.radial import Radial
from zincplate.core.kernels.light import LightTables
from zincplate.core.kernels.rendered import bin_codes, bin_linear, window_from_codes, window_from_linear
from zincplate.core.noise.noise_model import NoiseModel, measure_noise
from zincplate.core.noise.wavelet_noise import StabilisedNoise, deviation_of
from zincplate.core.sensor.colour_shift import ColourShift, colour_shift
from zincplate.core.sensor.demosaic import MARGIN, bin_mosaic, demosaic_window, window_of
from zincplate.core.sensor.hot_pixels import without_hot_pixels
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.plan.light import LightPlan
from zincplate.recipe.document import Recipe
from zincplate.tables.light_plan import gains_of, matrix_of, plan_of, tables_of

Float32 = NDArray[np.float32]


@dataclass(frozen=True)
class Plate:
    """Reduced planes of the whole picture: sample (i, j) averages ``step`` pixels from ``origin + step * index`` on."""

    planes: Float32
    step: int
    origin_x: int
    origin_y: int


class _Reader(Protocol):
    """Reads in sensor orientation."""

    width: int
    height: int
    ceiling: float
    """Where camera values end, in white levels."""

    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32: ...

    def reduced(self, step: int, hot_pixels: bool = False) -> Plate: ...

    def trust(self, x: int, y: int, w: int, h: int) -> Float32: ...

    @property
    def nbytes(self) -> int: ...


class _Mosaic:
    def __init__(self, decoded: Decoded, neutral: tuple[float, float, float]) -> None:
        self._sites = decoded.pixels
        self.height, self.width = decoded.pixels.shape
        red = decoded.cfa.index(0)
        self._red_y, self._red_x = divmod(red, 2)
        black = np.reshape(np.asarray(decoded.black, np.float32), (2, 2))
        colours = np.reshape(decoded.cfa, (2, 2))
        # one scale for all sites, counted from the highest black (DNG 1.7.1, "Rescaling")
        scale = 1.0 / ((decoded.white - black.max()) * np.asarray(neutral, np.float32)[colours])
        shift = (-self._red_y, -self._red_x)
        self._black_by_parity, self._white = black.astype(np.float64), float(decoded.white)
        self._lock = threading.Lock()
        self._clean: tuple[NDArray[np.uint16], NDArray[np.intp]] | None = None
        self._noise: NoiseModel | None = None
        self._black = np.ascontiguousarray(np.roll(black, shift, (0, 1)))
        self._scale = np.ascontiguousarray(np.roll(scale.astype(np.float32), shift, (0, 1)))

    ceiling = 1.0

    @property
    def code_range(self) -> float:
        return self._white - float(self._black_by_parity.min())

    @property
    def nbytes(self) -> int:
        return int(self._sites.nbytes) * (1 if self._clean is None else 2)

    @property
    def noise(self) -> NoiseModel:
        with self._lock:
            if self._noise is None:
                self._noise = measure_noise(self._sites, self._black_by_parity, self._white)
            return self._noise

    def clean(self) -> tuple[NDArray[np.uint16], NDArray[np.intp]]:
        """Sites with hot ones replaced, and the places of those; found once."""
        model = self.noise
        with self._lock:
            if self._clean is None:
                self._clean = without_hot_pixels(self._sites, self._black_by_parity, self._white, model.slope, model.offset)
            return self._clean

    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32:
        margin = MARGIN if shift is None else MARGIN + math.ceil(shift.largest_px) + 3
        x0 = x - margin - (x - margin - self._red_x) % 2
        y0 = y - margin - (y - margin - self._red_y) % 2
        columns = max(_even(x + w + margin - x0), 4 * MARGIN)
        rows = max(_even(y + h + margin - y0), 4 * MARGIN)
        sites = np.empty((rows, columns), np.float32)
        window_of(self.clean()[0] if hot_pixels else self._sites, y0, x0, self._black, self._scale, sites)
        middle = ((self.height - 1) / 2 - y0, (self.width - 1) / 2 - x0)
        planes, scratch = np.empty((3, rows, columns), np.float32), np.empty((rows, columns), np.float32)
        demosaic_window(sites, planes, scratch, shift, middle)
        return planes[:, y - y0 : y - y0 + h, x - x0 : x - x0 + w]

    def reduced(self, step: int, hot_pixels: bool = False) -> Plate:
        x0, y0 = -self._red_x, -self._red_y
        if self._red_x:
            x0 = -1
        if self._red_y:
            y0 = -1
        columns, rows = -(-(self.width - x0) // step), -(-(self.height - y0) // step)
        planes = np.empty((3, rows, columns), np.float32)
        sites = self.clean()[0] if hot_pixels else self._sites
        bin_mosaic(sites, y0, x0, step, self._black, self._scale, planes)
        return Plate(planes, step, x0, y0)

    def trust(self, x: int, y: int, w: int, h: int) -> Float32:
        x0, y0 = max(x - FOOTPRINT, 0), max(y - FOOTPRINT, 0)
        part = self._sites[y0 : y + h + FOOTPRINT, x0 : x + w + FOOTPRINT].astype(np.float32)
        black = np.roll(self._black_by_parity, (-(y0 % 2), -(x0 % 2)), (0, 1)).astype(np.float32)
        for row in range(2):
            for column in range(2):
                sites = part[row::2, column::2]
                sites -= black[row, column]
                sites /= np.float32(self._white - black[row, column])
        return _trusted(part)[y - y0 : y - y0 + h, x - x0 : x - x0 + w]


FOOTPRINT = 4
"""Sites about one that demosaicing looks at."""
TRUSTED_TO, LOST_FROM = 0.88, 0.97
"""Of the white level: to there a value is taken as it is, from there on it may be clipped."""


def _trusted(levels: Float32) -> Float32:
    """(h, w) 1 where nothing near a place is clipped, 0 where something is; white level 1."""
    size = 2 * FOOTPRINT + 1
    highest = cv2.dilate(levels, np.ones((size, size), np.uint8), borderType=cv2.BORDER_REPLICATE)
    return np.asarray(np.clip((LOST_FROM - highest) / (LOST_FROM - TRUSTED_TO), 0, 1), np.float32)


class _Picture:
    def __init__(self, pixels: NDArray[Any], table: NDArray[np.float64] | None, ceiling: float = 1.0) -> None:
        self._pixels, self.ceiling = pixels, ceiling
        self.height, self.width = pixels.shape[:2]
        self._table = None if table is None else np.ascontiguousarray(table, np.float32)

    @property
    def nbytes(self) -> int:
        return int(self._pixels.nbytes)

    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32:
        assert shift is None, "only a mosaic is read through a shift"
        out = np.empty((3, h, w), np.float32)
        if self._table is None:
            window_from_linear(self._pixels, y, x, out)
        else:
            window_from_codes(self._pixels, y, x, self._table, out)
        return out

    def trust(self, x: int, y: int, w: int, h: int) -> Float32:
        values = self.window(x, y, w, h)
        return _trusted(values.max(0) / np.float32(self.ceiling))

    def reduced(self, step: int, hot_pixels: bool = False) -> Plate:
        out = np.empty((3, -(-self.height // step), -(-self.width // step)), np.float32)
        if self._table is None:
            bin_linear(self._pixels, step, out)
        else:
            bin_codes(self._pixels, step, self._table, out)
        return Plate(out, step, 0, 0)


def _even(n: int) -> int:
    return n + (n & 1)


class Source:
    """One open file. Safe to use from several threads; what is measured on it is measured once, when first asked for."""

    def __init__(self, decoded: Decoded) -> None:
        self.capture: CaptureData = decoded.capture
        self.camera: CameraColour | None = decoded.camera
        self.notes = decoded.notes
        self.noise_profile = decoded.noise_profile
        """Slope and offset for red, green and blue by the file (white level 1); empty where it tells nothing."""
        self.to_working = tuple(float(v) for v in decoded.profile.to_working.ravel()) if decoded.profile else ()
        """Nine numbers: linear light of a rendered file -> linear Rec.2020."""
        self.space_key = decoded.profile.space_key if decoded.profile else ""
        self.orientation = decoded.capture.orientation
        self._reader = self._reader_of(decoded)
        self._lock = threading.Lock()
        self._measured: float | None = None
        self.width, self.height = upright_size(self._reader.width, self._reader.height, self.orientation)
        if self.camera is not None:
            self.as_shot_neutral = self.camera.as_shot_neutral
            self.as_shot_xy = self.camera.matrices.white_of(self.as_shot_neutral)
            self.white_limits = (0.998 * self._reader.ceiling / np.asarray(self.as_shot_neutral)).astype(np.float32)
        else:
            self.as_shot_neutral = (1.0, 1.0, 1.0)
            self.as_shot_xy = D65_XY
            self.white_limits = np.full(3, np.float32(3e38))

    @staticmethod
    def _reader_of(decoded: Decoded) -> _Reader:
        if decoded.kind == "mosaic":
            assert decoded.camera is not None
            return _Mosaic(decoded, decoded.camera.as_shot_neutral)
        if decoded.kind == "camera":
            assert decoded.camera is not None
            if decoded.pixels.dtype.kind == "f":
                balanced = decoded.pixels  # taken over: nobody else holds them
                balanced /= np.asarray(decoded.camera.as_shot_neutral, np.float32)
                return _Picture(balanced, None, decoded.white)
            ramp = np.linspace(0, 1, 65536)
            return _Picture(decoded.pixels, np.stack([ramp / n for n in decoded.camera.as_shot_neutral]))
        profile = decoded.profile
        assert profile is not None
        pixels = decoded.pixels
        if pixels.dtype.kind == "f":
            return _Picture(np.ascontiguousarray(profile.decode_floats(pixels), np.float32), None)
        return _Picture(pixels, profile.decode_table(256 if pixels.dtype == np.uint8 else 65536))

    def turned(self, quarter_turns: int, mirror: bool) -> "Source":
        """The same file seen turned clockwise by quarters, then mirrored; what was measured and decoded is shared."""
        if not quarter_turns % 4 and not mirror:
            return self
        other = copy.copy(self)
        other.orientation = turned(self.orientation, quarter_turns, mirror)
        other.width, other.height = upright_size(self._reader.width, self._reader.height, other.orientation)
        return other

    @property
    def raw(self) -> bool:
        """Camera data."""
        return self.camera is not None

    @property
    def mosaic(self) -> bool:
        """One colour for each site."""
        return isinstance(self._reader, _Mosaic)

    @property
    def code_step(self) -> float:
        """What one code of a mosaic is of its white level; 0 where that is not known."""
        return 1 / self._reader.code_range if isinstance(self._reader, _Mosaic) else 0.0

    @property
    def ceiling(self) -> float:
        """Where camera values end, in white levels."""
        return self._reader.ceiling

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return self._reader.nbytes

    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32:
        """Full-size plate of a rectangle of the upright picture, which must lie inside it; a mosaic through a shift."""
        sx, sy, sw, sh = to_sensor(x, y, w, h, self.width, self.height, self.orientation)
        return np.ascontiguousarray(upright(self._reader.window(sx, sy, sw, sh, hot_pixels, shift), self.orientation, 1))

    def trust(self, x: int, y: int, w: int, h: int) -> Float32:
        """(h, w) how far the recorded values of a rectangle of the upright picture are to be believed: 1 well below clipping, 0
        where a site that the pixel is made of may be clipped."""
        sx, sy, sw, sh = to_sensor(x, y, w, h, self.width, self.height, self.orientation)
        return np.ascontiguousarray(upright(self._reader.trust(sx, sy, sw, sh), self.orientation))

    def colour_shift(self, radial: Radial) -> ColourShift | None:
        """Lateral colour that is undone while a mosaic is read at full size; None where it is left to the resampling."""
        return colour_shift(radial, math.hypot(self.width, self.height) / 2) if isinstance(self._reader, _Mosaic) else None

    def reduced(self, step: int, hot_pixels: bool = False) -> Plate:
        """Plate of the whole picture averaged over ``step`` pixels (even)."""
        plate = self._reader.reduced(step, hot_pixels)
        if self.orientation == 1:
            return plate
        flip = FLIPS[self.orientation]
        rows, columns = plate.planes.shape[1:]
        x, y = plate.origin_x, plate.origin_y
        if flip.transpose:
            x, y, rows, columns = y, x, columns, rows
        if flip.columns:
            x = self.width - (x + columns * step)
        if flip.rows:
            y = self.height - (y + rows * step)
        return Plate(np.ascontiguousarray(upright(plate.planes, self.orientation, 1)), step, x, y)

    def tables(self, recipe: Recipe, space: str, linear_output: bool = False) -> LightTables:
        """Kernel tables for this source."""
        return tables_of(
            recipe,
            matrices=self.camera.matrices if self.camera else None,
            as_shot_neutral=self.as_shot_neutral,
            as_shot_xy=self.as_shot_xy,
            baseline_gain=2.0**self.camera.baseline_exposure_ev if self.camera else 1.0,
            space=space,
            to_working=self.to_working,
            linear_output=linear_output,
        )

    def plan(self, recipe: Recipe) -> LightPlan:
        """What a recipe asks for on this source."""
        return plan_of(recipe, self.raw, self.as_shot_xy)

    def luminance_weights(self, plan: LightPlan) -> NDArray[np.float64]:
        """Weights (3,) of plate values in scene luminance under a plan: white of the balance at normal exposure is 1."""
        matrices = self.camera.matrices if self.camera else None
        gain = 2.0**self.camera.baseline_exposure_ev if self.camera else 1.0
        matrix = matrix_of(replace(plan, primaries=()), matrices, gain, self.to_working)
        weights = WORKING_LUMINANCE @ matrix * gains_of(plan, matrices, self.as_shot_neutral, self.as_shot_xy)
        return np.asarray(np.maximum(weights, 0))

    @property
    def hot_pixels(self) -> int:
        """How many hot and cold sites were found (0 for files without a mosaic)."""
        return len(self._reader.clean()[1]) if isinstance(self._reader, _Mosaic) else 0

    def noise(self, scale: float) -> StabilisedNoise:
        """Noise of plates at a size relative to full size (1 or less)."""
        if isinstance(self._reader, _Mosaic):
            model = self._reader.noise
            neutral = np.asarray(self.as_shot_neutral)
            deviation = np.sqrt(model.slope / neutral) / 2
            shift = float(np.mean(model.offset / model.slope / neutral) + 0.375 * model.slope / neutral.min())
            # a small pixel averages all sites under it: a quarter of them red, half green, a quarter blue
            deviation = deviation * scale * (np.array([2.0, 2.0**0.5, 2.0]) if scale <= 0.5 else 1.0)
            return StabilisedNoise(shift, (deviation[0], deviation[1], deviation[2]), scale > 0.5)
        with self._lock:
            if self._measured is None:
                w, h = min(self.width, 1024), min(self.height, 1024)
                self._measured = deviation_of(self.window((self.width - w) // 2, (self.height - h) // 2, w, h))
        d = self._measured * scale
        return StabilisedNoise(1e-4, (d, d, d), False)

    def white_of_plate(self, rgb: NDArray[np.float64]) -> tuple[float, float]:
        """White point (xy) of a light that gives these plate values; raises ``ValueError`` when no light could."""
        if self.camera is not None:
            neutral = np.asarray(rgb, np.float64) * np.asarray(self.as_shot_neutral)
            return self.camera.matrices.white_of(neutral / neutral.max())
        x, y = xyz_to_xy(REC2020.to_xyz @ np.reshape(self.to_working, (3, 3)) @ np.asarray(rgb, np.float64))
        return float(x), float(y)

    def plate_of_white(self, white_xy: tuple[float, float]) -> NDArray[np.float64]:
        """Plate values (3,), green 1, of a neutral surface in a light."""
        if self.camera is not None:
            plate = self.camera.matrices.neutral_of(white_xy) / np.asarray(self.as_shot_neutral)
        else:
            plate = np.linalg.solve(np.reshape(self.to_working, (3, 3)), REC2020.from_xyz @ xy_to_xyz(white_xy))
        return np.asarray(np.maximum(plate, 1e-6) / max(float(plate[1]), 1e-6))

    def camera_values(self, planes: Float32) -> Float32:
        """Plate values -> camera values with white level 1 (raw), or linear light as it is."""
        return planes * np.asarray(self.as_shot_neutral, np.float32)[:, None, None]
