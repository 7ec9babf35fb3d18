"""Plates of windows of open files, kept: from reduced plates, at full size, and with what repairs put beyond the picture."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.resample import reduce_box
from zincplate.core.sensor.colour_shift import ColourShift
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.windows import Window, level_of
from zincplate.sources.beyond import drawn_out, lay_beyond
from zincplate.sources.file import Source
from zincplate.sources.readers import Plate
from zincplate.sources.rect import Rect
from zincplate.sources.repair_keys import plain_key

Float32 = NDArray[np.float32]


class Plates:
    """One per renderer."""

    def __init__(self, cache_bytes: int) -> None:
        self._cache = ByteCache(cache_bytes)

    def read(self, source: Source, key: str, window: Window, hot_pixels: bool, shift: ColourShift | None = None) -> Float32:
        """Plates of a window at its size, kept."""
        make = lambda: self._window(source, key, window, hot_pixels, shift)  # noqa: E731
        stage = (key, "window", window, hot_pixels, shift and shift.key)
        return self._cache.get(stage, make, lambda a: a.nbytes)

    def read_once(self, source: Source, key: str, window: Window, hot_pixels: bool, shift: ColourShift | None = None) -> Float32:
        """The same without keeping it: strips of a delivery are read once."""
        return self._window(source, key, window, hot_pixels, shift)

    def _window(self, source: Source, key: str, r: Window, hot_pixels: bool, shift: ColourShift | None) -> Float32:
        there, all_of_it = Rect(r.x, r.y, r.width, r.height), Rect(0, 0, r.full_width, r.full_height)
        if r.span_x or there.within(all_of_it) == there:
            return self._within(source, key, r, hot_pixels, shift)
        mirrored = source.mended is not None and source.mended.mirrored
        inner, rows, columns = drawn_out(there, all_of_it, mirrored)
        part = replace(r, x=inner.x, y=inner.y, width=inner.w, height=inner.h)
        planes = np.ascontiguousarray(self._within(source, key, part, hot_pixels, shift)[:, rows[:, None], columns])
        step = (source.width / r.full_width, source.height / r.full_height)
        lay_beyond(planes, source.beyond(hot_pixels, shift), (source.width, source.height), (r.x, r.y), step)
        return planes

    def _within(self, source: Source, key: str, r: Window, hot_pixels: bool, shift: ColourShift | None) -> Float32:
        """Plates of a window that lies within the picture."""
        span_x, span_y = r.span(source)
        step_x, step_y = span_x / r.full_width, span_y / r.full_height
        x0, x1 = r.left + r.x * step_x, r.left + (r.x + r.width) * step_x
        y0, y1 = r.top + r.y * step_y, r.top + (r.y + r.height) * step_y
        level = level_of(source, r)
        if level >= 2:
            plate = self.plate(source, key, level, hot_pixels)
            return reduce_box(
                plate.planes,
                ((x0 - plate.origin_x) / level, (x1 - plate.origin_x) / level),
                ((y0 - plate.origin_y) / level, (y1 - plate.origin_y) / level),
                r.width,
                r.height,
            )
        left, top = int(x0), int(y0)
        right, bottom = min(int(np.ceil(x1 - 1e-9)), source.width), min(int(np.ceil(y1 - 1e-9)), source.height)
        rect = (left, top, right - left, bottom - top)
        if source.mended is None:
            full = source.window(*rect, hot_pixels, shift)
        else:
            # demosaiced once, however often a repair is moved
            stage = (plain_key(key), "full", rect, source.orientation, hot_pixels, shift and shift.key)
            plain = self._cache.get(stage, lambda: source.plain.window(*rect, hot_pixels, shift), lambda a: a.nbytes)
            full = source.mend(plain, left, top, hot_pixels, shift)
        if step_x == 1 and step_y == 1:
            return full
        return reduce_box(full, (x0 - left, x1 - left), (y0 - top, y1 - top), r.width, r.height)

    def plate(self, source: Source, key: str, level: int, hot_pixels: bool) -> Plate:
        """The whole averaged over ``level`` pixels, kept."""
        stage = (key, "plate", level, hot_pixels)

        def make() -> Plate:
            if source.mended is None:
                return source.reduced(level, hot_pixels)
            plain = (plain_key(key), "recorded plate", level, hot_pixels)
            recorded = self._cache.get(plain, lambda: source.recorded_plate(level, hot_pixels), lambda p: p.planes.nbytes)
            return source.mended_plate(recorded, hot_pixels)

        return self._cache.get(stage, make, lambda p: p.planes.nbytes)
