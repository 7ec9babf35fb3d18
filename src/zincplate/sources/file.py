"""A decoded file as the engine reads it: linear plates of any window at full size, or of the whole at reduced size.

Plates are float32 planes (3, h, w), upright. For camera data they are camera RGB divided by the as-shot neutral (1 = where
the first channel of a neutral clips); for rendered files linear light of their own primaries.
"""

import copy
import math
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.adaptation import D65_XY, xy_to_xyz, xyz_to_xy
from zincplate.core.colour.colour_spaces import REC2020, WORKING_LUMINANCE
from zincplate.core.geometry.orientation import FLIPS, on_sensor, to_sensor, turned, upright, upright_size
from zincplate.core.geometry.radial import Radial
from zincplate.core.kernels.light import LightTables
from zincplate.core.noise.wavelet_noise import StabilisedNoise
from zincplate.core.sensor.colour_shift import ColourShift, colour_shift
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.plan.light import LightPlan
from zincplate.recipe.document import Recipe
from zincplate.sources.beyond import Laid
from zincplate.sources.mended_smaller import as_seen
from zincplate.sources.readers import Mosaic, Picture, Plate, Reader
from zincplate.sources.rect import Rect
from zincplate.sources.repaired import Mended
from zincplate.tables.light_plan import gains_of, matrix_of, plan_of, tables_of

Float32 = NDArray[np.float32]

MOST_WEIGHTS = 32
"""Balances and exposures whose weights of luminance are kept."""


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
        self._depth = decoded.depth
        self._mended: Mended | None = None
        self.width, self.height = upright_size(self._reader.width, self._reader.height, self.orientation)
        if self.camera is not None:
            self.as_shot_neutral = self.camera.as_shot_neutral
            self.as_shot_xy = self.camera.matrices.white_of(self.as_shot_neutral)
            self.white_limits = (0.998 * self._reader.ceiling / np.asarray(self.as_shot_neutral)).astype(np.float32)
        else:
            self.as_shot_neutral = (1.0, 1.0, 1.0)
            self.as_shot_xy = D65_XY
            self.white_limits = np.full(3, np.float32(3e38))
        self._weights: dict[tuple[tuple[float, float], float], NDArray[np.float64]] = {}

    @staticmethod
    def _reader_of(decoded: Decoded) -> Reader:
        if decoded.kind == "mosaic":
            assert decoded.camera is not None
            return Mosaic(decoded, decoded.camera.as_shot_neutral)
        if decoded.kind == "camera":
            assert decoded.camera is not None
            if decoded.pixels.dtype.kind == "f":
                balanced = decoded.pixels  # taken over: nobody else holds them
                if not decoded.balanced:
                    balanced /= np.asarray(decoded.camera.as_shot_neutral, np.float32)
                return Picture(balanced, None, decoded.white, rest=decoded.rest)
            ramp = np.linspace(0, 1, 65536)
            return Picture(decoded.pixels, np.stack([ramp / n for n in decoded.camera.as_shot_neutral]), rest=decoded.rest)
        profile = decoded.profile
        assert profile is not None
        pixels = decoded.pixels
        if pixels.dtype.kind == "f":
            return Picture(np.ascontiguousarray(profile.decode_floats(pixels), np.float32), None)
        return Picture(pixels, profile.decode_table(256 if pixels.dtype == np.uint8 else 65536), rest=decoded.rest)

    def turned(self, quarter_turns: int, mirror: bool) -> "Source":
        """The same file seen turned clockwise by quarters, then mirrored; what was measured and decoded is shared."""
        if not quarter_turns % 4 and not mirror:
            return self
        return self.held(turned(self.orientation, quarter_turns, mirror))

    def held(self, orientation: int) -> "Source":
        """The same file as if its camera had been held in another way (a flag of EXIF)."""
        other = copy.copy(self)
        other.orientation = orientation
        other.width, other.height = upright_size(self._reader.width, self._reader.height, orientation)
        return other

    def repaired(self, mended: Mended) -> "Source":
        """The same file with repairs in what is read of it."""
        other = copy.copy(self)
        other._mended = mended
        return other

    @property
    def mended(self) -> Mended | None:
        """The repairs in what is read."""
        return self._mended

    @property
    def plain(self) -> "Source":
        """The same without repairs."""
        if self._mended is None:
            return self
        other = copy.copy(self)
        other._mended = None
        return other

    def mend(self, planes: Float32, x: int, y: int, hot_pixels: bool, shift: ColourShift | None) -> Float32:
        """Full-size plates of a rectangle read from the plain source, with the repairs in them; a copy where there are any."""
        if self._mended is None:
            return planes
        h, w = planes.shape[1:]
        sx, sy, sw, sh = to_sensor(x, y, w, h, self.width, self.height, self.orientation)
        # in the geometry that repairs live in: the frame upright, whatever the turn of this view of it
        first = self.capture.orientation
        rect = Rect(*_upright_rect(sx, sy, sw, sh, self._reader.width, self._reader.height, first))
        if not self._mended.touches(rect):
            return planes
        recorded = np.array(on_sensor(planes, self.orientation, 1), np.float32, order="C")
        self._mended.over(upright(recorded, first, 1), rect, hot_pixels, shift)
        return np.ascontiguousarray(upright(recorded, self.orientation, 1))

    def notes_of_repairs(self) -> list[str]:
        """Sentences about what repairs cannot do."""
        return self._mended.notes() if self._mended is not None else []

    @property
    def reach(self) -> Rect:
        """The picture with all that repairs put beyond it, as this view of it is turned."""
        whole = Rect(0, 0, self.width, self.height)
        reach = self._mended.reach if self._mended is not None else whole
        return whole if reach.area == whole.area else self._as_turned(reach)

    def beyond(self, hot_pixels: bool, shift: ColourShift | None) -> list[Laid]:
        """What repairs put beyond the picture, as this view of it is turned."""
        if self._mended is None:
            return []
        first = self.capture.orientation

        def turned(planes: NDArray[Any]) -> NDArray[Any]:
            offset = planes.ndim - 2
            return np.ascontiguousarray(upright(on_sensor(planes, first, offset), self.orientation, offset))

        found = self._mended.beyond(hot_pixels, shift)
        return [Laid(self._as_turned(one.rect), turned(one.planes), turned(one.changed)) for one in found]

    def _as_turned(self, rect: Rect) -> Rect:
        """A rectangle of the upright frame in this view of it."""
        width, height = self._reader.width, self._reader.height
        size = upright_size(width, height, self.capture.orientation)
        recorded = to_sensor(rect.x, rect.y, rect.w, rect.h, *size, self.capture.orientation)
        return Rect(*_upright_rect(*recorded, width, height, self.orientation))

    @property
    def root_shift(self) -> float:
        """What is added to plate values before a root makes their noise even."""
        return max(self.noise(1.0).shift, 1e-4)

    @property
    def depth(self) -> Float32 | None:
        """(h, w) of the upright picture, of any size: 0 nearest to 1 farthest; None where the file has no depth map."""
        return None if self._depth is None else np.ascontiguousarray(upright(self._depth, self.orientation))

    @property
    def raw(self) -> bool:
        """Camera data."""
        return self.camera is not None

    @property
    def mosaic(self) -> bool:
        """One colour for each site."""
        return isinstance(self._reader, Mosaic)

    def site_values(self) -> Float32:
        """(h, w) of a mosaic in sensor orientation, black at 0 and white level 1; raises ``TypeError`` for other files."""
        if not isinstance(self._reader, Mosaic):
            raise TypeError("only a mosaic has sites")
        return self._reader.site_values()

    def calibrated(self, values: Float32, full: NDArray[np.bool_]) -> "Source":
        """The same mosaic with other site values (h, w, in its own white levels); ``full`` marks what was at the sensor's end.
        White level 1 of the result is :data:`HEADROOM` of this one's."""
        if not isinstance(self._reader, Mosaic):
            raise TypeError("only a mosaic has sites")
        other = copy.copy(self)
        other._reader = self._reader.calibrated(values, full, self.as_shot_neutral)
        other.noise_profile = ()
        return other

    @property
    def levels(self) -> int:
        """Codes of a finished picture of whole numbers, 256 or 65536; 0 for others."""
        table = self._reader.table if isinstance(self._reader, Picture) and self.camera is None else None
        return 0 if table is None else table.shape[1]

    def code_table(self) -> NDArray[np.float64]:
        """(3, levels) light of each code of a finished picture; raises ``TypeError`` for others."""
        if not isinstance(self._reader, Picture) or self._reader.table is None:
            raise TypeError("only whole numbers have a table")
        return self._reader.table.astype(np.float64)

    def with_response(self, table: NDArray[np.float64]) -> "Source":
        """The same picture with other light behind its codes, (3, levels)."""
        if not isinstance(self._reader, Picture):
            raise TypeError("only whole numbers have a table")
        other = copy.copy(self)
        other._reader = self._reader.responding(table)
        return other

    @property
    def code_step(self) -> float:
        """What one code of a mosaic is of its white level; 0 where that is not known."""
        return 1 / self._reader.code_range if isinstance(self._reader, Mosaic) else 0.0

    @property
    def ceiling(self) -> float:
        """Where camera values end, in white levels."""
        return self._reader.ceiling

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return self._reader.nbytes + (0 if self._depth is None else self._depth.nbytes)

    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32:
        """Full-size plate of a rectangle of the upright picture, which must lie inside it; a mosaic through a shift."""
        sx, sy, sw, sh = to_sensor(x, y, w, h, self.width, self.height, self.orientation)
        recorded = np.ascontiguousarray(upright(self._reader.window(sx, sy, sw, sh, hot_pixels, shift), self.orientation, 1))
        return self.mend(recorded, x, y, hot_pixels, shift)

    def window_about(self, x: int, y: int, w: int, h: int, hot_pixels: bool) -> tuple[Float32, int, int]:
        """The same in what it was cut from, where that saves a copy, and the column and row where that begins."""
        if self.orientation != 1 or self._mended is not None:
            return self.window(x, y, w, h, hot_pixels), x, y
        return self._reader.window_about(x, y, w, h, hot_pixels)

    def trust(self, x: int, y: int, w: int, h: int) -> Float32:
        """(h, w) how far the recorded values of a rectangle of the upright picture are to be believed: 1 well below clipping, 0
        where a site that the pixel is made of may be clipped."""
        sx, sy, sw, sh = to_sensor(x, y, w, h, self.width, self.height, self.orientation)
        return np.ascontiguousarray(upright(self._reader.trust(sx, sy, sw, sh), self.orientation))

    def colour_shift(self, radial: Radial) -> ColourShift | None:
        """Lateral colour that is undone while a mosaic is read at full size; None where it is left to the resampling."""
        return colour_shift(radial, math.hypot(self.width, self.height) / 2) if isinstance(self._reader, Mosaic) else None

    def reduced(self, step: int, hot_pixels: bool = False) -> Plate:
        """Plate of the whole picture averaged over ``step`` pixels (even)."""
        plate = self._reader.reduced(step, hot_pixels)
        if self._mended is not None:
            as_seen(self._mended, step, hot_pixels).over_reduced(plate, hot_pixels, self.capture.orientation)
        return self._upright_plate(plate)

    def mended_plate(self, plain: Plate, hot_pixels: bool) -> Plate:
        """A reduced plate of the plain source (as :meth:`recorded_plate` gives it) with the repairs in it, upright."""
        assert self._mended is not None
        plate = Plate(plain.planes.copy(), plain.step, plain.origin_x, plain.origin_y)
        as_seen(self._mended, plate.step, hot_pixels).over_reduced(plate, hot_pixels, self.capture.orientation)
        return self._upright_plate(plate)

    def plate_origin(self, step: int) -> tuple[int, int]:
        """Column and row of the upright picture where plates that average ``step`` pixels begin."""
        x, y = self._reader.origin
        return self._upright_origin(x, y, -(-(self._reader.width - x) // step), -(-(self._reader.height - y) // step), step)

    def plate_size(self, step: int) -> tuple[int, int]:
        """Height and width of the whole picture's plate that averages ``step`` pixels."""
        x, y = self._reader.origin
        columns, rows = upright_size(
            -(-(self._reader.width - x) // step), -(-(self._reader.height - y) // step), self.orientation
        )
        return rows, columns

    def recorded_plate(self, step: int, hot_pixels: bool) -> Plate:
        """A reduced plate in the sensor's orientation, without repairs."""
        return self._reader.reduced(step, hot_pixels)

    def _upright_plate(self, plate: Plate) -> Plate:
        step = plate.step
        if self.orientation == 1:
            return plate
        rows, columns = plate.planes.shape[1:]
        x, y = self._upright_origin(plate.origin_x, plate.origin_y, columns, rows, step)
        return Plate(np.ascontiguousarray(upright(plate.planes, self.orientation, 1)), step, x, y)

    def _upright_origin(self, x: int, y: int, columns: int, rows: int, step: int) -> tuple[int, int]:
        """Where a plate begins upright that begins at a place of the sensor."""
        flip = FLIPS[self.orientation]
        if flip.transpose:
            x, y, rows, columns = y, x, columns, rows
        return (
            self.width - (x + columns * step) if flip.columns else x,
            self.height - (y + rows * step) if flip.rows else y,
        )

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

    def to_rec2020(self, recipe: Recipe) -> NDArray[np.float64]:
        """(3, 3) plate values -> linear Rec.2020 by a recipe's balance and exposure, white at normal exposure 1."""
        return self._to_rec2020(self.plan(recipe))

    def _to_rec2020(self, plan: LightPlan) -> NDArray[np.float64]:
        matrices = self.camera.matrices if self.camera else None
        gain = 2.0**self.camera.baseline_exposure_ev if self.camera else 1.0
        matrix = matrix_of(replace(plan, primaries=()), matrices, gain, self.to_working)
        return np.asarray(matrix * gains_of(plan, matrices, self.as_shot_neutral, self.as_shot_xy))

    def luminance_weights(self, plan: LightPlan) -> NDArray[np.float64]:
        """Weights (3,) of plate values in scene luminance under a plan: white of the balance at normal exposure is 1."""
        asked = (plan.white_xy, plan.gain)
        weights = self._weights.get(asked)
        if weights is None:
            weights = np.asarray(np.maximum(WORKING_LUMINANCE @ self._to_rec2020(plan), 0))
            weights.flags.writeable = False
            if len(self._weights) >= MOST_WEIGHTS:
                self._weights.clear()
            self._weights[asked] = weights
        return weights

    @property
    def hot_pixels(self) -> int:
        """How many hot and cold sites were found (0 for files without a mosaic)."""
        return len(self._reader.hot()[0]) if isinstance(self._reader, Mosaic) else 0

    def noise(self, scale: float, *, below_texture: bool = False) -> StabilisedNoise:
        """Noise of plates at a size relative to full size (1 or less).

        ``below_texture``: of camera files without drawing that fills the picture, which counts as noise otherwise.
        """
        if isinstance(self._reader, Mosaic):
            model = self._reader.noise_below_texture if below_texture else self._reader.noise
            neutral = np.asarray(self.as_shot_neutral)
            deviation = np.sqrt(model.slope / neutral) / 2
            shift = float(np.mean(model.offset / model.slope / neutral) + 0.375 * model.slope / neutral.min())
            # a small pixel averages all sites under it: a quarter of them red, half green, a quarter blue
            deviation = deviation * scale * (np.array([2.0, 2.0**0.5, 2.0]) if scale <= 0.5 else 1.0)
            return StabilisedNoise(shift, (deviation[0], deviation[1], deviation[2]), scale > 0.5)
        assert isinstance(self._reader, Picture)
        d = self._reader.deviation * scale
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


def _upright_rect(x: int, y: int, w: int, h: int, width: int, height: int, orientation: int) -> tuple[int, int, int, int]:
    """Rectangle in sensor rows and columns (of a sensor that size) -> the same rectangle in the upright picture."""
    flip = FLIPS[orientation]
    if flip.transpose:
        x, y, w, h, width, height = y, x, h, w, height, width
    if flip.rows:
        y = height - y - h
    if flip.columns:
        x = width - x - w
    return x, y, w, h
