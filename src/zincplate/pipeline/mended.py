"""Repairs laid over a window that is kept without them: while a place or its source moves, only what it changes is worked out.

Reduced plates and windows are sums with fixed weights of what is at full size, so what repairs add to a window is the same sum of
what they add at full size.
"""

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.resample import reduce_box
from zincplate.core.sensor.colour_shift import ColourShift
from zincplate.pipeline.windows import Window, level_of
from zincplate.sources.file import Source
from zincplate.sources.mended_smaller import as_seen
from zincplate.sources.rect import Rect

Float32 = NDArray[np.float32]


def laid_over(
    source: Source, plain: Callable[[], Float32], window: Window, hot_pixels: bool, shift: ColourShift | None
) -> Float32 | None:
    """``plain`` planes of a window with the source's repairs in them; None for windows that have to be read anew: of frames
    that the recipe turns, and of sizes between the whole and a half."""
    mended = source.mended
    # places of repairs are those of the frame as the camera held it, whatever its orientation is
    if mended is None or source.orientation != source.capture.orientation:
        return None
    span_x, span_y = window.span(source)
    step_x, step_y = span_x / window.full_width, span_y / window.full_height
    if step_x == 1 and step_y == 1:
        rect = Rect(int(window.left + window.x), int(window.top + window.y), window.width, window.height)
        planes = np.array(plain(), np.float32, order="C")
        mended.over(planes, rect, hot_pixels, shift)
        return planes
    level = level_of(source, window)
    if level < 2:
        return None
    planes = np.array(plain(), np.float32, order="C")
    origin = source.plate_origin(level)
    for (first_column, first_row), cells in as_seen(mended, level, hot_pixels).all_cells(level, origin, hot_pixels):
        _add(planes, window, step_x, step_y, cells, origin[0] + first_column * level, origin[1] + first_row * level, level)
    return planes


def _add(
    planes: Float32, window: Window, step_x: float, step_y: float, cells: Float32, left_px: int, top_px: int, level: int
) -> None:
    """Adds cells of ``level`` pixels that begin at a place of the source to a window's planes, in place."""
    rows, columns = cells.shape[1:]
    x0 = max(math.floor((left_px - window.left) / step_x) - window.x, 0)
    y0 = max(math.floor((top_px - window.top) / step_y) - window.y, 0)
    x1 = min(math.ceil((left_px + columns * level - window.left) / step_x) - window.x, window.width)
    y1 = min(math.ceil((top_px + rows * level - window.top) / step_y) - window.y, window.height)
    if x1 <= x0 or y1 <= y0:
        return
    # the part of the cells' own grid that these samples look at, in cells from its first
    a, b = ((window.left + (window.x + x) * step_x - left_px) / level for x in (x0, x1))
    c, d = ((window.top + (window.y + y) * step_y - top_px) / level for y in (y0, y1))
    before_x, before_y = max(math.ceil(-a), 0), max(math.ceil(-c), 0)
    after_x, after_y = max(math.ceil(b) - columns, 0), max(math.ceil(d) - rows, 0)
    padded = np.pad(cells, ((0, 0), (before_y, after_y), (before_x, after_x)))
    seen = reduce_box(padded, (a + before_x, b + before_x), (c + before_y, d + before_y), x1 - x0, y1 - y0)
    planes[:, y0:y1, x0:x1] += seen
