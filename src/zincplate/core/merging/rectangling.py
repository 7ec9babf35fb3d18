"""Bending an irregular outline into a rectangle."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import RectBivariateSpline

Float64 = NDArray[np.float64]


@dataclass(frozen=True)
class Bend:
    """Where places of the bent picture lie in the one before: a lattice and the smooth surface through it."""

    x: Float64
    y: Float64
    """(n,), (m,) lattice lines of the bent picture, in pixels."""
    places: Float64
    """(m, n, 2) where they lie."""
    off: tuple[float, float] = (0.0, 0.0)

    @cached_property
    def _surfaces(self) -> tuple[RectBivariateSpline, RectBivariateSpline]:
        k = min(3, len(self.y) - 1), min(3, len(self.x) - 1)
        one, two = (RectBivariateSpline(self.y, self.x, self.places[..., i], kx=k[0], ky=k[1]) for i in (0, 1))
        return one, two

    def at(self, x: Float64, y: Float64) -> tuple[Float64, Float64]:
        """Places (any shape) before bending."""
        one, two = self._surfaces
        fx, fy = np.ravel(x) + self.off[0], np.ravel(y) + self.off[1]
        return one.ev(fy, fx).reshape(np.shape(x)), two.ev(fy, fx).reshape(np.shape(x))

    def moved(self, x: float, y: float) -> "Bend":
        """The same for a part of the bent picture that begins at (x, y)."""
        return Bend(self.x, self.y, self.places, (self.off[0] + x, self.off[1] + y))


def rectangled(covered: NDArray[np.bool_], step: int, width: int, height: int, amount: float) -> Bend | None:
    return None
