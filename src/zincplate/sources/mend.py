"""What a repair makes of its place, and what that is on a reduced plate."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.orientation import FLIPS, on_sensor, to_sensor
from zincplate.core.repair.healing import compared
from zincplate.sources.rect import Rect

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]
T = TypeVar("T")
Cells = tuple[tuple[int, int], Float32]
"""Column and row where they begin, and planes (3, h, w) to be added."""


class Kept(Protocol):
    """A cache."""

    def get(self, key: object, make: Callable[[], T], size_of: Callable[[T], int]) -> T: ...

    def kept(self, key: object, otherwise: Any) -> Any: ...


PIECE_PX = 192
"""Side of the squares in which a long thin place is held: a cable across a picture has a hundredth of its pixels."""
DENSE = 0.5
"""Share of its place that a repair changes from which that is held in one piece."""


@dataclass(frozen=True)
class Piece:
    """``planes`` (3, h, w) where ``changed`` (h, w), and how far they are from what was there."""

    rect: Rect
    planes: Float32
    changed: Bool
    difference: Float32

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return int(self.planes.nbytes + self.changed.nbytes + self.difference.nbytes)


@dataclass(frozen=True)
class Mend:
    """What a repair makes of its place, in pieces that do not lie over each other."""

    pieces: tuple[Piece, ...]
    highest: Float32
    """(3,) of what is there and what was, where it changed."""

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return sum(piece.nbytes for piece in self.pieces)


def changes(rect: Rect, before: Float32, after: Float32) -> tuple[tuple[Piece, ...], Float32]:
    """What changed of the planes of a rectangle, and the highest values there (3,)."""
    difference, changed, highest = compared(before, after)
    return in_pieces(Piece(rect, after, changed, difference)) if changed.any() else (), highest


def in_pieces(whole: Piece) -> tuple[Piece, ...]:
    """What changed, without most of what did not."""
    if whole.changed.sum() > DENSE * whole.changed.size:
        return (whole,)
    found = []
    for top in range(0, whole.rect.h, PIECE_PX):
        for left in range(0, whole.rect.w, PIECE_PX):
            changed = whole.changed[top : top + PIECE_PX, left : left + PIECE_PX]
            rows, columns = np.flatnonzero(changed.any(1)), np.flatnonzero(changed.any(0))
            if not rows.size:
                continue
            y, x = top + int(rows[0]), left + int(columns[0])
            rect = Rect(whole.rect.x + x, whole.rect.y + y, int(columns[-1] - columns[0]) + 1, int(rows[-1] - rows[0]) + 1)
            here = rect.of(whole.rect)
            planes, difference = whole.planes[(slice(None), *here)].copy(), whole.difference[(slice(None), *here)].copy()
            found.append(Piece(rect, planes, whole.changed[here].copy(), difference))
    return tuple(found)


def with_pieces(pieces: Sequence[Piece], planes: Float32, rect: Rect) -> Float32:
    """Planes of a rectangle with pieces laid over them, in place."""
    for piece in pieces:
        part = piece.rect.within(rect)
        if not part.empty:
            there, here = part.of(rect), part.of(piece.rect)
            np.copyto(planes[(slice(None), *there)], piece.planes[(slice(None), *here)], where=piece.changed[here])
    return planes


NOTHING_HIGH: Float32 = np.full(3, -3e38, np.float32)
"""The highest values of what changes nothing."""


class Unknown:
    """Not worked out yet."""


UNKNOWN = Unknown()


def cells_of(piece: Piece, whole: Rect, step: int, origin: tuple[int, int], orientation: int = 1) -> Cells | None:
    """What a piece adds to a plate of the sensor's orientation that averages ``step`` pixels of ``whole`` from ``origin`` on;
    None when it lies beyond the picture."""
    right, bottom = (whole.h, whole.w) if FLIPS[orientation].transpose else (whole.w, whole.h)
    r = piece.rect.within(whole)
    if r.empty:
        return None
    difference = on_sensor(piece.difference[(slice(None), *r.of(piece.rect))], orientation, 1)
    x, y, w, h = to_sensor(r.x, r.y, r.w, r.h, whole.w, whole.h, orientation)
    x, y = x - origin[0], y - origin[1]
    i0, j0, i1, j1 = x // step, y // step, -(-(x + w) // step), -(-(y + h) // step)
    padded = np.zeros((3, (j1 - j0) * step, (i1 - i0) * step), np.float32)
    padded[:, y - j0 * step : y - j0 * step + h, x - i0 * step : x - i0 * step + w] = difference
    sums = padded.reshape(3, j1 - j0, step, i1 - i0, step).sum((2, 4))
    # at the picture's ends a sample is the mean of what it has
    down = _filled(np.arange(j0, j1) * step + origin[1], step, bottom)
    across = _filled(np.arange(i0, i1) * step + origin[0], step, right)
    return (i0, j0), sums / (down[:, None] * across)


def _filled(first: NDArray[np.intp], step: int, size: int) -> Float32:
    """How many pixels of 0 to ``size`` lie in cells of ``step`` that begin at ``first``."""
    return (np.minimum(first + step, size) - np.maximum(first, 0)).astype(np.float32)
