"""Plates of deliveries: each part is read once, and nothing is kept but the last."""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.sensor.colour_shift import ColourShift
from zincplate.pipeline.windows import Window
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]


class ReadAgain:
    """Reads plates without keeping them but for the last: picture and areas of a part of a delivery read the same ones."""

    def __init__(self, read: Callable[..., Float32]) -> None:
        self._read = read
        self._last: tuple[tuple[Any, ...], Float32] | None = None

    def __call__(self, source: Source, key: str, window: Window, hot_pixels: bool, shift: ColourShift | None = None) -> Float32:
        asked = (key, window, hot_pixels, shift and shift.key)
        if self._last is None or self._last[0] != asked:
            self._last = None  # the old one is given back before the new one is made
            self._last = (asked, self._read(source, key, window, hot_pixels, shift))
        return self._last[1]
