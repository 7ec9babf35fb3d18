"""A frame reduced to what a comparison of light needs: a few hundred pixels of recorded light, and how the camera was set."""

import io
import json
import math
import zipfile
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.adaptation import xy_to_xyz, xyz_to_xy
from zincplate.core.colour.camera_colour import Calibration, CameraMatrices
from zincplate.core.colour.colour_spaces import REC2020
from zincplate.core.colour.temperature import temperature_and_tint
from zincplate.core.measure.same_light import EDGE_PX, reduced, sharpness_of
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]


@dataclass(frozen=True)
class Settings:
    """How the camera was set, as far as it is told (0 or empty: unknown)."""

    camera: str
    raw: bool
    focal_length_mm: float
    exposure_ev: float | None
    """log2 of time * ISO / f-number squared: a stop more lets twice the light through. None where one of them is unknown."""
    seconds: float | None
    """Since 1970, in the camera's own time."""
    exposure_time_s: float
    f_number: float
    iso: int
    focus_distance_m: float
    """As the camera tells it; 0 where it does not."""
    upright: tuple[int, int]
    """Width and height of the whole picture."""
    as_shot_xy: tuple[float, float]
    """White point of the balance that the camera was set to."""
    matrices: CameraMatrices | None
    """How the camera sees colour; None for finished pictures, whose planes are linear Rec.2020."""

    @property
    def to_xyz(self) -> Float64:
        """(3, 3): recorded RGB -> XYZ, white point kept."""
        matrices = self.matrices
        return np.asarray(REC2020.to_xyz if matrices is None else np.linalg.inv(matrices.xyz_to_camera(self.as_shot_xy)))


@dataclass(frozen=True)
class LightPlate:
    """``planes`` (3, h, w): linear recorded RGB, upright, white level 1, baseline exposure in it, :data:`EDGE_PX` along the long
    edge. Camera RGB for camera data, linear Rec.2020 for finished pictures."""

    planes: Float32
    settings: Settings
    sharpness: Float32
    """(8, 8): log2 of the fine detail in each part of the picture, against its lightness."""

    @cached_property
    def in_rec2020(self) -> Float32:
        """The same in linear Rec.2020 as seen: for comparing different cameras."""
        matrix = REC2020.from_xyz @ self.settings.to_xyz
        return np.tensordot(matrix, self.planes.astype(np.float64), 1).astype(np.float32)

    def turned(self, quarters: int) -> "LightPlate":
        """The same turned by quarters, counter-clockwise."""
        width, height = self.settings.upright
        return replace(
            self,
            planes=np.ascontiguousarray(np.rot90(self.planes, quarters, (1, 2))),
            settings=self.settings if quarters % 2 == 0 else replace(self.settings, upright=(height, width)),
            sharpness=np.ascontiguousarray(np.rot90(self.sharpness, quarters)),
        )

    @property
    def as_shot(self) -> tuple[float, float]:
        """Temperature in kelvin and tint of the camera's balance."""
        return temperature_and_tint(self.settings.as_shot_xy)

    @cached_property
    def middle_ev(self) -> float:
        """The median of its lightness, in stops from white."""
        return float(np.median(np.log2(np.maximum(self.in_rec2020[1], 2.0**-12))))

    def white_after(self, white_xy: tuple[float, float], log2_rgb: tuple[float, float, float], own: bool) -> tuple[float, float]:
        """White point of a light that differs from ``white_xy`` by these stops of RGB: recorded by this camera (``own``), else
        of linear Rec.2020. Raises ``ValueError`` when no light could."""
        matrices = self.settings.matrices
        factors = 2.0 ** np.asarray(log2_rgb)
        if own and matrices is not None:
            return matrices.white_of(matrices.neutral_of(white_xy) * factors)
        x, y = xyz_to_xy(REC2020.to_xyz @ (np.linalg.solve(REC2020.to_xyz, xy_to_xyz(white_xy)) * factors))
        return float(x), float(y)

    def packed(self) -> bytes:
        """For keeping: about a quarter of a megabyte before compression."""
        out = io.BytesIO()
        settings = np.frombuffer(json.dumps(asdict(self.settings)).encode(), np.uint8)
        np.savez_compressed(out, planes=self.planes.astype(np.float16), settings=settings, sharpness=self.sharpness)
        return out.getvalue()

    @staticmethod
    def unpacked(data: bytes) -> "LightPlate":
        """What :meth:`packed` wrote; raises ``ValueError`` for anything else."""
        try:
            with np.load(io.BytesIO(data), allow_pickle=False) as file:
                told = json.loads(file["settings"].tobytes())
                planes, sharpness = file["planes"].astype(np.float32), file["sharpness"]
        except (OSError, KeyError, EOFError, zipfile.BadZipFile) as error:
            raise ValueError("this is no light plate") from error
        matrices = told["matrices"]
        if matrices is not None:
            calibrations = tuple(Calibration(**_tuples(c)) for c in matrices["calibrations"])
            told["matrices"] = CameraMatrices(calibrations, tuple(matrices["analog_balance"]))
        return LightPlate(planes, Settings(**_tuples(told)), sharpness)


def _tuples(told: dict[str, Any]) -> dict[str, Any]:
    """Lists of numbers as tuples."""
    return {k: tuple(v) if isinstance(v, list) else v for k, v in told.items()}


DETAIL_PX = 1400
"""Long edge at which sharpness is measured: at least so many pixels, where the picture has them."""


def light_plate(source: Source) -> LightPlate:
    """Measures an open file."""
    step = max(int(max(source.width, source.height) / EDGE_PX) // 2 * 2, 2)
    planes = source.camera_values(source.reduced(step).planes)
    if source.camera is not None:
        planes = planes * np.float32(2.0**source.camera.baseline_exposure_ev)
    else:
        matrix = np.reshape(source.to_working, (3, 3))
        planes = np.tensordot(matrix, planes.astype(np.float64), 1).astype(np.float32)
    scale = EDGE_PX / max(planes.shape[1:])
    detail = source.reduced(max(int(max(source.width, source.height) / DETAIL_PX) // 2 * 2, 2)).planes[1]
    return LightPlate(reduced(planes, scale), settings_of(source), sharpness_of(detail))


def settings_of(source: Source) -> Settings:
    """What a file tells about how its camera was set."""
    capture = source.capture
    time_s, f_number, iso = capture.exposure_time_s, capture.f_number, capture.iso
    told = time_s > 0 and f_number > 0 and iso > 0
    return Settings(
        camera=" ".join(part for part in (capture.camera_make, capture.camera_model, capture.camera_serial) if part),
        raw=source.raw,
        focal_length_mm=capture.focal_length_mm,
        exposure_ev=math.log2(time_s * iso / f_number**2) if told else None,
        seconds=seconds_of(capture.captured_at),
        exposure_time_s=time_s,
        f_number=f_number,
        iso=iso,
        focus_distance_m=capture.subject_distance_m,
        upright=(source.width, source.height),
        as_shot_xy=source.as_shot_xy,
        matrices=source.camera.matrices if source.camera else None,
    )


def seconds_of(captured_at: str) -> float | None:
    """ISO 8601 in the camera's own time -> seconds since 1970; None for what is no time. A zone is left out: a series runs on by
    the clock on the camera, whatever zone each frame names."""
    try:
        return datetime.fromisoformat(captured_at).replace(tzinfo=UTC).timestamp()
    except ValueError:
        return None
