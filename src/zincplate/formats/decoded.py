"""What decoding a file gives: a Bayer mosaic, camera planes, or a rendered picture, with the colour facts it needs."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.formats.capture import CaptureData
from zincplate.formats.icc import MatrixProfile

Kind = Literal["mosaic", "camera", "rendered"]


@dataclass(frozen=True)
class CameraColour:
    """Colour facts of camera data."""

    matrices: CameraMatrices
    as_shot_neutral: tuple[float, float, float]
    """Camera values of the light, the largest is 1."""
    baseline_exposure_ev: float = 0.0


@dataclass(frozen=True)
class Decoded:
    """Pixels as the file holds them, in sensor orientation.

    mosaic: (h, w) uint16 sites of the visible area; ``cfa`` gives the colour (0 R, 1 G, 2 B) of the first 2 x 2 sites,
    ``black`` the black level at each of them, ``white`` the clipping level.
    camera: (h, w, 3) linear camera values, black taken off: uint16 with white level 65535, or float32 with white level 1, where
    values above it are kept and ``white`` says where they end.
    rendered: (h, w, 3) uint8 or uint16 encoded values, or float32, of the space in ``profile``.
    """

    kind: Kind
    pixels: NDArray[Any]
    capture: CaptureData
    camera: CameraColour | None = None
    profile: MatrixProfile | None = None
    cfa: tuple[int, int, int, int] = (0, 1, 1, 2)
    black: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    white: float = 65535.0
    notes: tuple[str, ...] = field(default_factory=tuple)
    """Sentences about what was assumed."""
    noise_profile: tuple[tuple[float, float], ...] = ()
    """Slope and offset of the variance of stored values (white level 1) for red, green and blue, where the file tells them."""
    depth: NDArray[np.float32] | None = None
    """(h, w) how far away each place is, 0 nearest to 1 farthest, of any size; None where the file has no depth map."""
    rest: Callable[[], None] | None = field(default=None, compare=False)
    """Gives back the memory of pixels that lie on disk; they are there all the same."""
    balanced: bool = False
    """Camera values as floats that were divided by the as-shot neutral before."""
