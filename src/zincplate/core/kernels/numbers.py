"""The numbers that kernels take beside pictures: named tuples, so that no kernel reads ``p[17]``.

All fields of one are of one type (numbers float32, switches whole numbers): only such tuples may go into parallel loops.
"""

from typing import Any, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

Float64 = NDArray[np.float64]

N = TypeVar("N", bound=tuple[Any, ...])


def float32_numbers(kind: type[N], *parts: Any) -> N:
    """A named tuple of float32 from numbers and arrays in the order of its fields (arrays row by row); raises ``TypeError`` when
    they are too many or too few."""
    return kind(*np.concatenate([np.ravel(np.asarray(part, np.float64)) for part in parts]).astype(np.float32))


class ViewNumbers(NamedTuple):
    """What kernels of local light know of a view: the whole picture's size at its scale, and its light."""

    full_width: np.float32
    full_height: np.float32
    weight_red: np.float32
    weight_green: np.float32
    weight_blue: np.float32
    """Of luminance, on the planes."""
    exposure_ev: np.float32


def view_numbers(full_width: int, full_height: int, weights: Float64, exposure_ev: float) -> ViewNumbers:
    """``weights`` (3,) of luminance, on the planes; ``exposure_ev`` by which the planes are to be exposed."""
    return float32_numbers(ViewNumbers, full_width, full_height, weights, exposure_ev)
