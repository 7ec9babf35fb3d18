"""The eight orientations of EXIF 2.32 (tag Orientation), on arrays and on rectangles."""

from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

T = TypeVar("T", bound=np.generic)


class Flip(NamedTuple):
    """Transpose first (swap rows and columns), then mirror rows, then mirror columns."""

    transpose: bool
    rows: bool
    columns: bool


FLIPS: dict[int, Flip] = {
    1: Flip(False, False, False),
    2: Flip(False, False, True),
    3: Flip(False, True, True),
    4: Flip(False, True, False),
    5: Flip(True, False, False),
    6: Flip(True, False, True),
    7: Flip(True, True, True),
    8: Flip(True, True, False),
}


def upright(image: NDArray[T], orientation: int, row_axis: int = 0) -> NDArray[T]:
    """View of ``image`` as it should be seen; rows on ``row_axis``, columns on the next."""
    flip = FLIPS[orientation]
    out = np.swapaxes(image, row_axis, row_axis + 1) if flip.transpose else image
    if flip.rows:
        out = np.flip(out, row_axis)
    if flip.columns:
        out = np.flip(out, row_axis + 1)
    return out


def upright_size(width: int, height: int, orientation: int) -> tuple[int, int]:
    """(width, height) after putting upright."""
    return (height, width) if FLIPS[orientation].transpose else (width, height)


def to_sensor(x: int, y: int, w: int, h: int, width: int, height: int, orientation: int) -> tuple[int, int, int, int]:
    """Rectangle in the upright picture -> the same rectangle in sensor rows and columns.

    ``width`` and ``height`` are those of the upright picture.
    """
    flip = FLIPS[orientation]
    if flip.columns:
        x = width - x - w
    if flip.rows:
        y = height - y - h
    return (y, x, h, w) if flip.transpose else (x, y, w, h)
