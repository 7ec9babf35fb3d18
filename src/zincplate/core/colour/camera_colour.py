"""Camera colour from the model of the DNG specification 1.7.1, chapter 6: one, two or three calibration illuminants.

A camera is described by matrices XYZ -> camera for its calibration illuminants. Everything here works on
linear camera values with black taken off and white level = 1.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from zincplate.core.colour.adaptation import D50_XY, D65_XY, bradford, xy_to_xyz, xyz_to_xy
from zincplate.core.colour.colour_spaces import REC2020
from zincplate.core.colour.temperature import temperature_and_tint, white_point_xy

Float = NDArray[np.float64]

# Light sources of EXIF 2.32 (tag LightSource) that DNG calibration matrices refer to, in kelvin.
ILLUMINANT_KELVIN: dict[int, float] = {
    1: 5500.0, 2: 4200.0, 3: 2856.0, 4: 5500.0, 9: 5500.0, 10: 6500.0, 11: 7500.0, 12: 6430.0, 13: 5000.0, 14: 4230.0,
    15: 3450.0, 17: 2856.0, 18: 4874.0, 19: 6774.0, 20: 5503.0, 21: 6504.0, 22: 7504.0, 23: 5003.0, 24: 3200.0,
}  # fmt: skip


Nine = tuple[float, ...]


@dataclass(frozen=True)
class Calibration:
    """What is known of a camera under one illuminant; matrices are nine numbers, row by row."""

    kelvin: float
    matrix: Nine
    """XYZ -> camera (ColorMatrix)."""
    individual: Nine | None = None
    """Reference camera -> this camera (CameraCalibration)."""
    forward: Nine | None = None
    """Balanced camera -> XYZ of D50 (ForwardMatrix)."""
    xy: tuple[float, float] | None = None
    """Chromaticity of the illuminant where the file gives it."""

    def __post_init__(self) -> None:
        for values in (self.matrix, self.individual, self.forward):
            if values is not None and not _usable(values):
                raise ValueError("a camera matrix must hold nine finite numbers and be invertible")
        if not 500 < self.kelvin < 1e6:
            raise ValueError("a calibration illuminant has no usable temperature")


def _usable(values: Nine) -> bool:
    return len(values) == 9 and bool(np.isfinite(values).all()) and abs(np.linalg.det(np.reshape(values, (3, 3)))) >= 1e-9


@dataclass(frozen=True)
class CameraMatrices:
    """How a camera sees: its calibrations under one to three illuminants."""

    calibrations: tuple[Calibration, ...]
    analog_balance: tuple[float, float, float] = (1.0, 1.0, 1.0)
    """Gains applied to the raw values in the camera (AnalogBalance)."""

    def __post_init__(self) -> None:
        if not 1 <= len(self.calibrations) <= 3:
            raise ValueError("a camera has one to three calibrations")
        if not all(np.isfinite(v) and v > 0 for v in self.analog_balance):
            raise ValueError("the analogue balance must be positive")

    @staticmethod
    def plain(matrix_1: Nine, kelvin_1: float, matrix_2: Nine | None = None, kelvin_2: float = 6504.0) -> "CameraMatrices":
        """Of XYZ -> camera matrices alone, each with the temperature of its illuminant; the second may be absent."""
        first = Calibration(kelvin_1, matrix_1)
        return CameraMatrices((first,) if matrix_2 is None else (first, Calibration(kelvin_2, matrix_2)))

    def _weights(self, white_xy: ArrayLike) -> Float:
        """Share of each calibration under a white point.

        Two: linear in reciprocal temperature (DNG 1.7.1, "Translating White Balance xy Coordinates to Camera Neutral
        Coordinates"). Three: by the inverse square of the distance in xy, exact at each calibration (from memory of the
        specification 1.6)."""
        if len(self.calibrations) == 1:
            return np.ones(1)
        if len(self.calibrations) == 3:
            whites = np.array([c.xy or white_point_xy(c.kelvin) for c in self.calibrations])
            share = 1 / np.maximum(((whites - np.asarray(white_xy)) ** 2).sum(1), 1e-12)
            return np.asarray(share / share.sum())
        first, second = (1 / c.kelvin for c in self.calibrations)
        if abs(first - second) < 1e-9:
            return np.array([1.0, 0.0])
        weight = min(max((1 / temperature_and_tint(white_xy)[0] - second) / (first - second), 0.0), 1.0)
        return np.array([weight, 1 - weight])

    @cached_property
    def _stacks(self) -> dict[str, Float]:
        """(k, 3, 3) of each kind of matrix; identity where a file has none."""
        kinds = {name: [getattr(c, name) for c in self.calibrations] for name in ("matrix", "individual", "forward")}
        return {
            name: np.stack([np.eye(3) if p is None else np.reshape(p, (3, 3)).astype(np.float64) for p in parts])
            for name, parts in kinds.items()
        }

    def _mixed(self, white_xy: ArrayLike, name: str) -> Float:
        """One kind of matrix for a white point."""
        stack = self._stacks[name]
        return np.asarray(stack[0] if len(stack) == 1 else np.tensordot(self._weights(white_xy), stack, 1))

    @cached_property
    def _plain(self) -> bool:
        """Neither an individual calibration nor an analogue balance."""
        return self.analog_balance == (1.0, 1.0, 1.0) and all(c.individual is None for c in self.calibrations)

    def _individual(self, white_xy: ArrayLike) -> Float:
        """Reference camera -> raw values of this one: analogue balance and individual calibration."""
        return np.asarray(np.diag(self.analog_balance) @ self._mixed(white_xy, "individual"))

    def xyz_to_camera(self, white_xy: ArrayLike) -> Float:
        """Matrix for a white point (DNG 1.7.1, chapter 6)."""
        matrix = self._mixed(white_xy, "matrix")
        return matrix if self._plain else np.asarray(self._individual(white_xy) @ matrix)

    def neutral_of(self, white_xy: ArrayLike) -> Float:
        """Camera values (3,) of a neutral surface under a white point; the largest is 1."""
        neutral = self.xyz_to_camera(white_xy) @ xy_to_xyz(white_xy)
        neutral = np.maximum(neutral, 1e-4)
        return neutral / neutral.max()

    def white_of(self, neutral: ArrayLike) -> tuple[float, float]:
        """White point (x, y) under which these camera values are neutral: fixed point of the DNG iteration."""
        n = np.asarray(neutral, np.float64)
        if n.shape != (3,) or not np.isfinite(n).all() or (n <= 0).any():
            raise ValueError("a neutral needs three positive camera values")
        xy = np.array(D50_XY)
        for step in range(60):
            new = np.array(xyz_to_xy(np.linalg.inv(self.xyz_to_camera(xy)) @ n))
            if not np.isfinite(new).all() or new[1] <= 0:
                raise ValueError("these camera values belong to no white point of this camera")
            if np.abs(new - xy).max() < 1e-9:
                break
            xy = (xy + new) / 2 if step > 20 else new  # damped: two matrices can make the plain iteration swing
        return float(xy[0]), float(xy[1])

    def balanced_to_working(self, white_xy: ArrayLike) -> Float:
        """3x3: camera values divided by the neutral -> linear Rec.2020; (1, 1, 1) goes to (1, 1, 1).

        By the forward matrices where there are some for every illuminant, else by the inverse of the colour matrix.
        """
        neutral = self.neutral_of(white_xy)
        if all(c.forward is not None for c in self.calibrations):
            back = np.linalg.inv(self._individual(white_xy))
            reference = np.maximum(back @ neutral, 1e-6)
            to_xyz = self._mixed(white_xy, "forward") @ np.diag(1 / reference) @ back @ np.diag(neutral)
            m = REC2020.from_xyz @ bradford(D50_XY, D65_XY) @ to_xyz
        else:
            to_xyz = np.linalg.inv(self.xyz_to_camera(white_xy)) @ np.diag(neutral)
            to_xyz = to_xyz / to_xyz.sum(1)[1]
            m = REC2020.from_xyz @ bradford(white_xy, D65_XY) @ to_xyz
        return np.asarray(m / m.sum(1, keepdims=True))  # rows sum to 1: takes out the last 1e-9 of the iteration
