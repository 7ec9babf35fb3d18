"""Where in its source planes a window of the plane is read."""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.rim_stretch import RimStretch

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
_NO_RIM = np.zeros(4, np.float32)


class SamplingNumbers(NamedTuple):
    """:class:`Sampling` for the kernels; all float64, yes and no as 1 and 0."""

    m00: float
    m01: float
    m02: float
    m10: float
    m11: float
    m12: float
    m20: float
    m21: float
    m22: float
    """Plane to picture, row by row; picture coordinates from the middle, undistorted."""
    start_x: float
    start_y: float
    step_x: float
    step_y: float
    picture_width: float
    picture_height: float
    scale_x: float
    scale_y: float
    origin_x: float
    origin_y: float
    mirrored: float
    left: float
    top: float
    right: float
    bottom: float
    drawn: float


@dataclass(frozen=True)
class Sampling:
    """How pixels of a window find their place in source planes.

    A window pixel (x, y) has its middle at ``(start_x + (x + 0.5) * step, start_y + (y + 0.5) * step)`` of the plane;
    ``to_picture`` takes plane to undistorted picture, both in full-size pixels from the picture's middle. Source planes are
    the picture reduced by ``scale`` from ``origin`` (in reduced pixels) on.
    """

    to_picture: Float64
    """(3, 3)"""
    start_x: float
    start_y: float
    step_x: float
    step_y: float
    picture_width: int
    picture_height: int
    scale_x: float
    scale_y: float
    origin_x: int
    origin_y: int
    mirrored: bool = False
    """Beyond the picture: its mirror image (True) or its edge drawn out."""
    reach: tuple[float, float, float, float] | None = None
    """Left, top, right and bottom (full-size pixels of the picture) of what the source planes hold, where that is more than the
    picture: what lies beyond it but within is read as it is."""
    rim: RimStretch | None = None
    """The picture's border is drawn out by as much."""
    finer: int = 1
    """Places read per pixel and direction, where the source is much finer than the window."""

    def numbers(self) -> "SamplingNumbers":
        """For the kernels."""
        places = (self.start_x, self.start_y, self.step_x, self.step_y, self.picture_width, self.picture_height)
        rest = (self.scale_x, self.scale_y, self.origin_x, self.origin_y, self.mirrored)
        reach = self.reach or (0.0, 0.0, self.picture_width, self.picture_height)
        return SamplingNumbers(*map(float, (*np.ravel(self.to_picture), *places, *rest, *reach, self.rim is not None)))

    def rim_table(self) -> Float32:
        """For the kernels."""
        return _NO_RIM if self.rim is None else self.rim.table
