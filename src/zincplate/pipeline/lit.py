"""What the last kernel takes: planes with the tables of a recipe and, where passes lie over it, finished light."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincplate.core.kernels.light import LightTables, Parts, to_8_bit, to_16_bit, to_float

Float32 = NDArray[np.float32]


@dataclass(frozen=True)
class Over:
    """Finished light in the parts of rows that passes reach."""

    light: Float32
    """(3, h, w) display-linear Rec.2020, 0..1; anything elsewhere."""
    tables: LightTables
    """That draw it in to the delivery space and encode it."""
    reached: NDArray[np.uint8]
    """(h, parts of a row) 1 where a pass reaches."""


@dataclass(frozen=True)
class Lit:
    """Planes (3, h, w) on their way to values that are shown or delivered."""

    planes: Float32
    tables: LightTables
    over: Over | None = None

    def to_8_bit(self, x0: int, y0: int, out: NDArray[np.uint8]) -> None:
        """(h, w, 3), dithered by position; (x0, y0) is the place of the first pixel."""
        for planes, tables, parts in self._each():
            to_8_bit(planes, tables, x0, y0, out, parts)

    def to_16_bit(self, out: NDArray[np.uint16]) -> None:
        """(h, w, 3), rounded."""
        for planes, tables, parts in self._each():
            to_16_bit(planes, tables, out, parts)

    def to_float(self) -> Float32:
        """(3, h, w), encoded (or linear, by the tables), 0..1."""
        out = np.empty(self.planes.shape, np.float32)
        for planes, tables, parts in self._each():
            to_float(planes, tables, out, parts)
        return out

    def _each(self) -> Iterator[tuple[Float32, LightTables, Parts | None]]:
        planes = np.ascontiguousarray(self.planes)
        if self.over is None:
            yield planes, self.tables, None
        else:
            yield planes, self.tables, Parts(self.over.reached, 0)
            yield self.over.light, self.over.tables, Parts(self.over.reached, 1)
