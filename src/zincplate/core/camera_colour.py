"""Camera colour from the two-matrix model of the DNG specification 1.7, chapter 6.

A camera is described by matrices XYZ -> camera for one or two calibration illuminants. Everything here works on
linear camera values with black taken off and white level = 1.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from zincplate.core.adaptation import D50_XY, D65_XY, bradford, xy_to_xyz, xyz_to_xy
from zincplate.core.colour_spaces import REC2020
from zincplate.core.temperature import temperature_and_tint

Float = NDArray[np.float64]

# Light sources of EXIF 2.32 (tag LightSource) that DNG calibration matrices refer to, in kelvin.
ILLUMINANT_KELVIN: dict[int, float] = {
    1: 5500.0, 2: 4200.0, 3: 2856.0, 4: 5500.0, 9: 5500.0, 10: 6500.0, 11: 7500.0, 12: 6430.0, 13: 5000.0, 14: 4230.0,
    15: 3450.0, 17: 2856.0, 18: 4874.0, 19: 6774.0, 20: 5503.0, 21: 6504.0, 22: 7504.0, 23: 5003.0, 24: 3200.0,
}  # fmt: skip


@dataclass(frozen=True)
class CameraMatrices:
    """XYZ -> camera matrices, each with the temperature of its illuminant in kelvin; the second may be absent."""

    matrix_1: tuple[float, ...]
    kelvin_1: float
    matrix_2: tuple[float, ...] | None = None
    kelvin_2: float = 6504.0

    def __post_init__(self) -> None:
        for m in (self.matrix_1, self.matrix_2):
            if m is not None and (len(m) != 9 or not np.isfinite(m).all() or abs(np.linalg.det(np.reshape(m, (3, 3)))) < 1e-9):
                raise ValueError("a camera matrix must hold nine finite numbers and be invertible")

    def xyz_to_camera(self, white_xy: ArrayLike) -> Float:
        """Matrix for a white point: interpolated in reciprocal temperature (DNG 1.7, "Translating ... ")."""
        first = np.reshape(self.matrix_1, (3, 3)).astype(np.float64)
        if self.matrix_2 is None:
            return first
        second = np.reshape(self.matrix_2, (3, 3)).astype(np.float64)
        kelvin, _ = temperature_and_tint(white_xy)
        weight = (1 / kelvin - 1 / self.kelvin_2) / (1 / self.kelvin_1 - 1 / self.kelvin_2)
        weight = float(np.clip(weight, 0.0, 1.0))
        return weight * first + (1 - weight) * second

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
        """3x3: camera values divided by the neutral -> linear Rec.2020; (1, 1, 1) goes to (1, 1, 1)."""
        to_xyz = np.linalg.inv(self.xyz_to_camera(white_xy)) @ np.diag(self.neutral_of(white_xy))
        to_xyz = to_xyz / to_xyz.sum(1)[1]
        m = REC2020.from_xyz @ bradford(white_xy, D65_XY) @ to_xyz
        return m / m.sum(1, keepdims=True)  # rows sum to 1: takes out the last 1e-9 of the iteration
