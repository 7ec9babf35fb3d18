"""What repairs are worked out on."""

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from zincplate.core.sensor.colour_shift import ColourShift

Float32 = NDArray[np.float32]


class Plain(Protocol):
    """A source without repairs, upright and not turned."""

    @property
    def width(self) -> int: ...

    @property
    def height(self) -> int: ...

    @property
    def root_shift(self) -> float: ...

    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32:
        """Plates (3, h, w) of a rectangle that lies inside; the caller's own."""
        ...
