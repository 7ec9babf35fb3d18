"""RGB colour spaces: primaries, white points, transfer functions and the matrices that follow from them.

Sources: IEC 61966-2-1 (sRGB), SMPTE EG 432-1 (P3-D65 with the sRGB curve), ITU-R BT.2020-2,
ISO 22028-2 (ROMM RGB), and the 1998 wide-gamut space with gamma 563/256.
All arrays are float; encoded and linear values run from 0 to 1 for colours inside the space.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.adaptation import D65_XY, bradford, xy_to_xyz

Float = NDArray[np.float64]


@dataclass(frozen=True)
class Transfer:
    """y = (a x + b)**gamma for encoded x >= threshold, else slope * x (ICC parametric type 3).

    ``gamma == 1`` with ``slope == 1`` is linear. The inverse is exact.
    """

    gamma: float
    a: float = 1.0
    b: float = 0.0
    slope: float = 0.0
    threshold: float = 0.0

    def decode(self, encoded: Float) -> Float:
        """Encoded values -> linear light; negative input is mirrored."""
        x = np.abs(np.asarray(encoded, np.float64))
        y = np.maximum(self.a * x + self.b, 0.0) ** self.gamma
        if self.threshold > 0:
            y = np.where(x >= self.threshold, y, self.slope * x)
        return np.copysign(y, encoded)

    def encode(self, linear: Float) -> Float:
        """Linear light -> encoded values; negative input is mirrored."""
        y = np.abs(np.asarray(linear, np.float64))
        x = (y ** (1 / self.gamma) - self.b) / self.a
        if self.threshold > 0:
            x = np.where(y >= self.slope * self.threshold, x, y / self.slope)
        return np.copysign(x, linear)


@dataclass(frozen=True)
class RGBSpace:
    """An RGB space by its primaries (xy of R, G, B), white point (xy) and transfer function."""

    key: str
    name: str
    primaries: tuple[tuple[float, float], tuple[float, float], tuple[float, float]]
    white_xy: tuple[float, float]
    transfer: Transfer

    @cached_property
    def to_xyz(self) -> Float:
        """3x3, linear RGB -> CIE XYZ relative to the space's own white (Y of white = 1)."""
        columns = np.array([xy_to_xyz(p) for p in self.primaries]).T
        return np.asarray(columns * np.linalg.solve(columns, xy_to_xyz(self.white_xy)), np.float64)

    @cached_property
    def from_xyz(self) -> Float:
        """Inverse of :attr:`to_xyz`."""
        return np.asarray(np.linalg.inv(self.to_xyz), np.float64)

    @cached_property
    def from_working(self) -> Float:
        """3x3, linear Rec.2020 -> linear RGB of this space, Bradford adapted between the whites."""
        return self.from_xyz @ bradford(D65_XY, self.white_xy) @ REC2020.to_xyz

    @cached_property
    def to_working(self) -> Float:
        """3x3, linear RGB of this space -> linear Rec.2020, Bradford adapted between the whites."""
        return np.asarray(np.linalg.inv(self.from_working), np.float64)


_SRGB_CURVE = Transfer(2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
# BT.2020 with the exact constants of the continuous curve: alpha = 1.09929682680944, beta = 0.018053968510807
_BT2020_CURVE = Transfer(1 / 0.45, 1 / 1.09929682680944, 0.09929682680944 / 1.09929682680944, 1 / 4.5, 0.081242858298635)
_ROMM_CURVE = Transfer(1.8, 1.0, 0.0, 1 / 16, 16.0 / 512.0)
LINEAR = Transfer(1.0)

SRGB = RGBSpace("srgb", "sRGB", ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)), D65_XY, _SRGB_CURVE)
DISPLAY_P3 = RGBSpace("p3", "Display P3", ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)), D65_XY, _SRGB_CURVE)
WIDE_1998 = RGBSpace(
    "a98", "Adobe RGB (1998) compatible", ((0.64, 0.33), (0.21, 0.71), (0.15, 0.06)), D65_XY, Transfer(563 / 256)
)
ROMM = RGBSpace(
    "romm",
    "ROMM RGB",
    ((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001)),
    (0.3457, 0.3585),
    _ROMM_CURVE,
)
REC2020 = RGBSpace("rec2020", "Rec. ITU-R BT.2020", ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)), D65_XY, _BT2020_CURVE)

SPACES: dict[str, RGBSpace] = {s.key: s for s in (SRGB, DISPLAY_P3, WIDE_1998, ROMM, REC2020)}

WORKING_LUMINANCE: Float = REC2020.to_xyz[1].copy()
"""Weights of linear Rec.2020 R, G, B in CIE Y."""
