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


def on_sensor(image: NDArray[T], orientation: int, row_axis: int = 0) -> NDArray[T]:
    """The opposite of :func:`upright`: a view of an upright ``image`` in rows and columns of the sensor."""
    flip = FLIPS[orientation]
    out = np.flip(image, row_axis + 1) if flip.columns else image
    if flip.rows:
        out = np.flip(out, row_axis)
    return np.swapaxes(out, row_axis, row_axis + 1) if flip.transpose else out


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


def turned(orientation: int, quarter_turns: int, mirror: bool) -> int:
    """The orientation that first puts upright, then turns clockwise by quarters, then mirrors left and right."""
    probe = np.arange(6).reshape(2, 3)
    wanted = np.rot90(upright(probe, orientation), -quarter_turns)
    if mirror:
        wanted = wanted[:, ::-1]
    for candidate in FLIPS:
        made = upright(probe, candidate)
        if made.shape == wanted.shape and (made == wanted).all():
            return candidate
    raise AssertionError("the eight orientations are closed under turning")


def turned_points(
    points: NDArray[np.float64], width: float, height: float, quarter_turns: int, mirror: bool
) -> NDArray[np.float64]:
    """(n, 2) places of a picture of ``width`` x ``height`` -> places after turning clockwise by quarters, then mirroring."""
    x, y = np.asarray(points, np.float64).T
    for _ in range(quarter_turns % 4):
        x, y = height - y, x
        width, height = height, width
    return np.stack([width - x if mirror else x, y], 1)


def turned_back(
    points: NDArray[np.float64], width: float, height: float, quarter_turns: int, mirror: bool
) -> NDArray[np.float64]:
    """The opposite of :func:`turned_points`; ``width`` and ``height`` are those of the unturned picture."""
    turns = quarter_turns % 4
    across, down = (height, width) if turns % 2 else (width, height)
    x, y = np.asarray(points, np.float64).T
    return turned_points(np.stack([across - x if mirror else x, y], 1), across, down, 4 - turns, False)
