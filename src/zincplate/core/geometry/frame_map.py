"""Coordinate maps of the frame stage, both ways, and rectangles inside the area that the picture covers.

Source points are (n, 2) in full-size pixels of the picture as it stands upright, 0..width and 0..height, pixel (i, j)
covering i..i+1. Plane points are in pixels of the corrected plane from where the picture's middle went. At the middle a
plane pixel is as large as a source pixel.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.inscribed import largest_square, surrounded
from zincplate.core.geometry.projective import FramingError, apply
from zincplate.core.geometry.radial import Radial

Float64 = NDArray[np.float64]

OUTLINE_POINTS = 24
"""Per side, where the edge of the covered area is followed."""
TOLERANCE_PX = 0.02
STRONGEST = 6.0
"""A picture that is drawn out more than this anywhere compared with its middle is refused."""


@dataclass(frozen=True)
class Rectangle:
    """On the plane: middle and size in pixels."""

    x: float
    y: float
    width: float
    height: float

    def scaled(self, factor: float) -> "Rectangle":
        """About its own middle."""
        return Rectangle(self.x, self.y, self.width * factor, self.height * factor)

    def edge(self, per_side: int = OUTLINE_POINTS) -> Float64:
        """(4 * per_side, 2) points along its edge."""
        return _along_edge(self.x - self.width / 2, self.y - self.height / 2, self.width, self.height, per_side)


def _along_edge(x: float, y: float, width: float, height: float, per_side: int) -> Float64:
    t = np.arange(per_side) / per_side
    zero, one = np.zeros(per_side), np.ones(per_side)
    across, down = np.concatenate([t, one, 1 - t, zero]), np.concatenate([zero, t, one, 1 - t])
    return np.stack([x + width * across, y + height * down], 1)


@dataclass(frozen=True, eq=False)
class FrameMap:
    """Where every place of the picture is in the corrected plane."""

    width: int
    height: int
    matrix: Float64
    """(3, 3) undistorted picture (from its middle) -> plane."""
    radial: Radial

    @cached_property
    def inverse(self) -> Float64:
        """(3, 3) plane -> undistorted picture."""
        inverse = np.linalg.inv(self.matrix)
        return np.asarray(inverse / inverse[2, 2])

    @cached_property
    def identity(self) -> bool:
        """Whether nothing moves and no light changes, so that no resampling is needed."""
        still = np.abs(self.matrix / self.matrix[2, 2] - np.eye(3)).max() < 1e-12
        return bool(still and not self.radial.moves and not self.radial.lights)

    def to_source(self, plane: Float64, channel: int = 1) -> Float64:
        """Plane -> source; NaN for places that no ray of the picture reaches. ``channel`` 0..2 follows red, green, blue."""
        picture = apply(self.inverse, plane)
        radius = np.hypot(*picture.T)
        scale = self.radial.scale_at(np.nan_to_num(radius, nan=0.0), channel)
        return picture * scale[:, None] + [self.width / 2, self.height / 2]

    def to_plane(self, source: Float64, channel: int = 1) -> Float64:
        """Source -> plane."""
        distorted = np.asarray(source, np.float64) - [self.width / 2, self.height / 2]
        radius = np.hypot(*distorted.T)
        scale = self.radial.undistorted(radius, channel) / np.maximum(radius, 1e-9)
        return apply(self.matrix, distorted * np.where(radius > 1e-9, scale, 1 / self.radial.scales[channel, 0])[:, None])

    @cached_property
    def outline(self) -> Float64:
        """(4 * OUTLINE_POINTS, 2) edge of the covered area on the plane, from the upper left corner clockwise."""
        return self.to_plane(_along_edge(0, 0, self.width, self.height, OUTLINE_POINTS))

    def covers(self, rectangle: Rectangle) -> bool:
        """Whether the picture reaches everywhere inside a rectangle."""
        source = self.to_source(rectangle.edge())
        low = (source >= -TOLERANCE_PX).all()
        return bool(low and (source <= np.array([self.width, self.height]) + TOLERANCE_PX).all())

    def inside(self, rectangle: Rectangle) -> float:
        """The factor of at most 1 by which a rectangle, shrunk about its middle, is covered; 0 when its middle is not."""
        if self.covers(rectangle):
            return 1.0
        low, high = 0.0, 1.0
        if not self.covers(rectangle.scaled(1e-6)):
            return 0.0
        for _ in range(18):
            middle = (low + high) / 2
            low, high = (middle, high) if self.covers(rectangle.scaled(middle)) else (low, middle)
        return low

    def largest(self, ratio: float) -> Rectangle:
        """The largest covered rectangle of a ratio of width to height, as near to the middle as it can be."""
        half = np.array([ratio / 2, 0.5])
        start = np.zeros(2)
        if not surrounded(self.outline, start):
            start = self.outline.mean(0)
        if not surrounded(self.outline, start):
            raise FramingError("These movements leave nothing of the picture.")
        centre, size = largest_square(self.outline / half, start / half, np.zeros(2))
        if size <= 1e-3 * self.height:
            raise FramingError("These movements leave nothing of the picture.")
        (x, y), best = (float(v) for v in centre * half), size
        # between the outline's points the exact map decides
        larger = Rectangle(x, y, best * ratio * 1.01, best * 1.01)
        return larger.scaled(self.inside(larger))

    def steps(self, rectangle: Rectangle) -> tuple[float, float]:
        """Least and greatest distance on the source of two neighbours on the plane, over a rectangle."""
        columns, rows = np.meshgrid(np.linspace(-0.5, 0.5, 9), np.linspace(-0.5, 0.5, 9))
        places = np.stack([rectangle.x + rectangle.width * columns.ravel(), rectangle.y + rectangle.height * rows.ravel()], 1)
        here = self.to_source(places)
        right, below = np.array([0.5, 0.0]), np.array([0.0, 0.5])
        across = np.hypot(*(self.to_source(places + right) - self.to_source(places - right)).T)
        down = np.hypot(*(self.to_source(places + below) - self.to_source(places - below)).T)
        known = ~np.isnan(here).any(1) & ~np.isnan(across) & ~np.isnan(down)
        if not known.any():
            return 1.0, 1.0
        both = np.concatenate([across[known], down[known]])
        return float(both.min()), float(both.max())

    def checked(self) -> "FrameMap":
        """Self; raises :class:`FramingError` when the picture would be folded or drawn out beyond sense."""
        outline = self.outline
        if not np.isfinite(outline).all():
            raise FramingError("These movements go past the horizon of the picture. Take smaller ones.")
        x, y = outline.T
        area = float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2
        if area <= 1e-3 * self.width * self.height:
            raise FramingError("These movements leave nothing of the picture.")
        points = _along_edge(0, 0, self.width, self.height, 4)
        middle = np.array([self.width / 2, self.height / 2])
        inner = middle + (points - middle) * 0.999
        stretch = np.hypot(*(self.to_plane(points) - self.to_plane(inner)).T) / np.hypot(*(points - inner).T)
        if stretch.max() > STRONGEST**2 or stretch.min() < STRONGEST**-2:
            raise FramingError("These movements draw the picture out too far. Take smaller ones.")
        return self
