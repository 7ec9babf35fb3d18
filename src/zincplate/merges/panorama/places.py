"""Places of a frame: in the file, reduced, and as a lens without distortion would have brought them. All but the reduced ones
are pixels from the picture's middle."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.radial import Radial
from zincplate.core.merging.parallax import Field
from zincplate.core.merging.turning_camera import TurningCamera
from zincplate.merges.view import Opened, View

Float64 = NDArray[np.float64]


def straight(places: Float64, radial: Radial) -> Float64:
    """(n, 2) places in the file -> where a lens without distortion would have brought them."""
    if not radial.moves:
        return places
    r = np.hypot(*places.T)
    return np.asarray(places * (radial.undistorted(r) / np.maximum(r, 1e-9))[:, None])


def bent(places: Float64, radial: Radial) -> Float64:
    """The other way."""
    if not radial.moves:
        return places
    return np.asarray(places * radial.scale_at(np.hypot(*places.T))[:, None])


def half_size(frame: Opened) -> Float64:
    """(2,) what to add to places from the middle, to have pixels from the first one."""
    return (np.array([frame.source.width, frame.source.height]) - 1) / 2


def full_places(view: View, places: Float64, frame: Opened) -> Float64:
    """(n, 2) pixels of a reduced picture -> places in the file."""
    return np.asarray(places * view.step + (view.step - 1) / 2 + np.asarray(view.origin) - half_size(frame))


def reduced_places(view: View, places: Float64, frame: Opened) -> Float64:
    """The other way."""
    return np.asarray((places + half_size(frame) - np.asarray(view.origin) - (view.step - 1) / 2) / view.step)


@dataclass(frozen=True)
class Sight:
    """How a frame sees: its camera, its lens, and what it gives way for near things where its camera stood elsewhere."""

    camera: TurningCamera
    radial: Radial
    field: Field | None = None

    def rays(self, places: Float64) -> Float64:
        """(n, 2) places in the file -> (n, 3) directions in the world."""
        flat = straight(places, self.radial)
        return self.camera.rays(flat if self.field is None else self.field.unmoved(flat))

    def flat(self, rays: Float64) -> Float64:
        """(n, 3) directions in the world -> (n, 2) places without distortion; far outside where they lie behind."""
        flat = self.camera.places(rays)
        if self.field is None:
            return flat
        ahead = np.abs(flat).max(1) < 1e6
        return np.where(ahead[:, None], self.field.moved(flat), flat)

    def places(self, rays: Float64) -> Float64:
        """(n, 3) directions in the world -> (n, 2) places in the file."""
        return bent(self.flat(rays), self.radial)
