"""What the sensor recorded at the places of a window, before anything was repaired, reduced or developed."""

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.warp import MARGIN as WARP_MARGIN
from zincplate.core.geometry.warp import warp_bits, warp_nearest
from zincplate.core.measure.statistics import full_of
from zincplate.core.noise.wavelet_noise import MARGIN as NOISE_MARGIN
from zincplate.core.sensor.colour_shift import ColourShift
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.framing import Framed
from zincplate.pipeline.windows import Window, level_of
from zincplate.plan.plate import PlatePlan
from zincplate.sources.file import Source
from zincplate.sources.rect import Rect
from zincplate.sources.repair_keys import plain_key

Float32 = NDArray[np.float32]


class Reader(Protocol):
    """Plates of a window at its size; of a mosaic at full size with lateral colour undone where a shift is given."""

    def __call__(
        self, source: Source, key: str, window: Window, hot_pixels: bool, shift: ColourShift | None = None
    ) -> Float32: ...


def noise_margin(plan: PlatePlan) -> int:
    """Context that noise reduction needs, in pixels of the planes that it works on."""
    return NOISE_MARGIN if plan.luminance_noise or plan.colour_noise else 0


def part_read(framed: Framed, window: Window, plan: PlatePlan, reach: Rect | None = None) -> tuple[Window, ColourShift | None]:
    """What is read of the source for a window of a picture that is resampled, and through which shift."""
    part = framed.source_window(window, WARP_MARGIN + noise_margin(plan), reach)
    # reduced plates average over red and blue sites, so nothing of green is in them: there the resampling shifts them
    return part, framed.source.colour_shift(framed.map.radial) if level_of(framed.source, part) == 0 else None


class Recorded:
    """Reads without repairs; what it finds of windows is kept with the stages' own."""

    def __init__(self, read: Reader, windows: ByteCache) -> None:
        self._read, self._windows = read, windows

    def plates(self, framed: Framed, key: str, window: Window, hot_pixels: bool) -> Float32:
        """Plates of a window, without interpolation where that is avoidable."""
        source, source_key = framed.source.plain, plain_key(framed.source_key(key))
        if framed.direct:
            return self._read(source, source_key, framed.direct_window(window), hot_pixels)
        part = framed.source_window(window, WARP_MARGIN)
        planes = self._read(source, source_key, part, hot_pixels)
        return warp_nearest(planes, framed.sampling(window, part), framed.map.radial, window.width, window.height)

    def full(self, framed: Framed, key: str, plan: PlatePlan, window: Window, outer: Window, every: int = 1) -> NDArray[np.uint8]:
        """Where the sensor was full (:func:`~.statistics.full_of`) in a window; in every ``every``th row at least, from the first
        on. It is read from what the stages read for ``outer``, which holds the window."""
        source, source_key = framed.source.plain, plain_key(framed.source_key(key))
        if not source.raw:
            return np.zeros((window.height, window.width), np.uint8)

        def bits(of: Window, shift: ColourShift | None) -> NDArray[np.uint8]:
            def make() -> NDArray[np.uint8]:
                return full_of(self._read(source, source_key, of, plan.hot_pixels, shift), source.white_limits)

            stage = (source_key, "full", of, plan.hot_pixels, shift and shift.key)
            return self._windows.get(stage, make, lambda a: a.nbytes)

        def make() -> NDArray[np.uint8]:
            part, shift = part_read(framed, outer, plan)
            place = (framed.sampling(window, part), framed.map.radial, window.width, window.height)
            return warp_bits(bits(part, shift), *place, every)

        if framed.direct:
            return bits(framed.direct_window(outer), None)[window.inside(outer)]
        stage = (plain_key(key), "full there", window, plan.hot_pixels, every, framed.key)
        return self._windows.get(stage, make, lambda a: a.nbytes)
