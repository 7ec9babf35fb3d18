"""Where every place of a reference lies in another picture: a homography, and what it leaves over as a smooth field.

A camera that turns moves its picture by a homography only where the lens does not distort, and one that moves only where
everything is far away. The rest is smooth: a cubic polynomial of the place in each direction, fitted to what tiles of the
pictures still lie apart (least squares, Tukey's weights).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.places import beyond, carried_trust, places

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

TERMS = 10
ORDERS = ((10, 45, 10), (8, 24, 6), (5, 12, 3), (1, 4, 1))
"""Twelfths of the picture that have tiles, tiles, and the terms they may bend: a polynomial runs away where it is not held."""
TILE_PX_DEVIATION, LEAST_FIELD_PX, SHARE_OF_MOVED = 0.15, 0.1, 0.04
LATTICE_PX = 64
"""Between places of which the least and the greatest are taken: a smooth field bends by less than a pixel between them."""
MOST_PX = 0.02
"""Of the long edge: a field that moves anything further is no rest of a homography."""


def _powers(u: Float64, v: Float64) -> Float64:
    u, v = 2 * u, 2 * v  # 1 at the ends of a row
    return np.stack([np.ones_like(u), u, v, u * u, u * v, v * v, u**3, u * u * v, u * v * v, v**3])


@dataclass(frozen=True)
class Placement:
    """Places are pixel middles at whole numbers, at full size; the reference has ``width`` x ``height`` pixels."""

    homography: Float64
    """(3, 3), reference to the other picture."""
    width: int
    height: int
    field: Float64 | None = None
    """(2, TERMS) x and y, in pixels, by powers of the place from the middle over the width."""

    def at(self, x: Float64, y: Float64) -> tuple[Float64, Float64]:
        """Places of the reference (any shape) in the other picture."""
        a = self.homography
        z = a[2, 0] * x + a[2, 1] * y + a[2, 2]
        there_x, there_y = (a[0, 0] * x + a[0, 1] * y + a[0, 2]) / z, (a[1, 0] * x + a[1, 1] * y + a[1, 2]) / z
        if self.field is not None:
            powers = _powers((x - (self.width - 1) / 2) / self.width, (y - (self.height - 1) / 2) / self.width)
            there_x = there_x + np.tensordot(self.field[0], powers, 1)
            there_y = there_y + np.tensordot(self.field[1], powers, 1)
        return there_x, there_y

    def reduced(self, step: int, origin: tuple[float, float], size: tuple[int, int]) -> tuple[Float32, Float32]:
        """x and y, each of ``size`` (height, width), of the pixels of a picture reduced by ``step`` from ``origin`` (x, y) on, in
        the other one, reduced alike."""
        out_x, out_y = np.empty(size, np.float32), np.empty(size, np.float32)
        field = np.zeros((2, TERMS)) if self.field is None else self.field
        first_x, first_y = (step - 1) / 2 + origin[0], (step - 1) / 2 + origin[1]
        places(self.homography, field, self.width, self.height, first_x, first_y, step, out_x, out_y)
        return out_x, out_y

    def box(self, left: int, top: int, columns: int, rows: int) -> tuple[float, float, float, float]:
        """Least x, least y, greatest x and greatest y of the places of a part of the reference, within a pixel."""
        x = np.linspace(left, left + columns - 1, 2 + columns // LATTICE_PX)
        y = np.linspace(top, top + rows - 1, 2 + rows // LATTICE_PX)
        there_x, there_y = self.at(*np.meshgrid(x, y))
        return float(there_x.min()) - 1, float(there_y.min()) - 1, float(there_x.max()) + 1, float(there_y.max()) + 1

    def mark_beyond(self, left: int, top: int, size: tuple[int, int], trust: Float32) -> None:
        """Puts -1 into ``trust`` (rows, columns) of a part of the reference where its places lie beside a picture of ``size``
        (width, height)."""
        field = np.zeros((2, TERMS)) if self.field is None else self.field
        beyond(self.homography, field, self.width, self.height, left, top, *size, trust)

    def carry_trust(self, left: int, top: int, own: Float32, x0: int, y0: int, trust: Float32) -> None:
        """Writes ``trust`` (rows, columns) of a part of the reference, by that of the other picture's samples: ``own`` (h, w),
        from (``x0``, ``y0``) on."""
        field = np.zeros((2, TERMS)) if self.field is None else self.field
        own = np.ascontiguousarray(own, np.float32)
        carried_trust(own, x0, y0, self.homography, field, self.width, self.height, left, top, trust)

    @staticmethod
    def through(x: Float64, y: Float64, there_x: Float64, there_y: Float64, width: int, height: int) -> "Placement":
        """The placement nearest to exact places (1-D arrays, spread over the whole reference), by least squares."""
        import cv2

        here, there = np.stack([x, y], 1), np.stack([there_x, there_y], 1)
        middle = np.array([(width - 1) / 2, (height - 1) / 2])
        found, _ = cv2.findHomography(here - middle, there - middle, 0)  # where the numbers are small
        shift = np.array([[1, 0, middle[0]], [0, 1, middle[1]], [0, 0, 1.0]])
        matrix = shift @ found @ np.linalg.inv(shift)
        plain = Placement(np.asarray(matrix / matrix[2, 2]), width, height)
        rest = there - np.stack(plain.at(x, y), 1)
        powers = _powers((x - middle[0]) / width, (y - middle[1]) / width).T
        field = np.asarray(np.linalg.lstsq(powers, rest, rcond=None)[0].T, np.float64)
        return Placement(plain.homography, width, height, field if np.abs(rest).max() > 0.01 else None)

    def inverse(self) -> "Placement":
        """Back to the reference, the field left out: for masks."""
        found = np.linalg.inv(self.homography)
        return Placement(np.asarray(found / found[2, 2]), self.width, self.height)


def fitted_field(
    x: Float64, y: Float64, apart_x: Float64, apart_y: Float64, width: int, height: int, moved_px: float
) -> Float64 | None:
    """The smooth field through what tiles at places (1-D arrays) lie apart; None where too few say the same. ``moved_px`` is how
    far the pictures were moved: what distortion makes of that is a part of it, and where no tile is nothing more is believed."""
    cells = len(set(zip((4 * x / width).astype(int), (3 * y / height).astype(int), strict=True)))
    terms = next((t for some, least, t in ORDERS if cells >= some and x.size >= least), 0)
    if not terms:
        return None
    powers = _powers((x - (width - 1) / 2) / width, (y - (height - 1) / 2) / width).T[:, :terms]
    field = np.zeros((2, TERMS))
    weight = np.ones(x.size)
    # ridge: a tile is known to about a tenth of a pixel, a term to be about so large
    held = np.diag([1e-6, *[TILE_PX_DEVIATION / (LEAST_FIELD_PX + SHARE_OF_MOVED * moved_px)] * (terms - 1)])
    for _ in range(8):
        rest = []
        for axis, apart in enumerate((apart_x, apart_y)):
            rows = np.concatenate([powers * weight[:, None], held])
            field[axis, :terms] = np.linalg.lstsq(rows, np.concatenate([apart * weight, np.zeros(terms)]), rcond=None)[0]
            rest.append(apart - powers @ field[axis, :terms])
        distance = np.hypot(*rest)
        scale = max(float(np.median(distance)) * 4.0, 1e-3)
        weight = np.sqrt(np.where(distance < scale, (1 - (distance / scale) ** 2) ** 2, 0.0))
        if (weight > 0).sum() < max(terms, 4):
            return None
    # where no tile is, a cubic runs away: it is held to what it does at the tiles
    edges = np.array([[a * (width - 1), b * (height - 1)] for a in (0, 0.5, 1) for b in (0, 0.5, 1)])
    out = _powers((edges[:, 0] - (width - 1) / 2) / width, (edges[:, 1] - (height - 1) / 2) / width)
    return field if np.abs(field @ out).max() < MOST_PX * max(width, height) else None
