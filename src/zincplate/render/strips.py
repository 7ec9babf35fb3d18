"""Whole pictures in strips of rows or in tiles, so that memory holds one part in float planes and one finished picture."""

import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.colour_spaces import SPACES
from zincplate.core.geometry.resample import lanczos_columns, lanczos_rows
from zincplate.core.kernels.light import NOTHING, LightNumbers, LightTables
from zincplate.core.kernels.numbers import float32_numbers
from zincplate.pipeline.finishing import finished, margin_of
from zincplate.pipeline.framing import Framed
from zincplate.pipeline.lit import Lit
from zincplate.pipeline.passes import lit, sharper_of
from zincplate.pipeline.stages import Stages
from zincplate.pipeline.windows import Window, fitted_size, scale_of
from zincplate.plan.colour import ColourPlan
from zincplate.plan.finish import FinishPlan
from zincplate.plan.light import LightPlan
from zincplate.recipe.document import Recipe
from zincplate.render.at_once import each
from zincplate.tables.colour_plan import colour_tables
from zincplate.tables.light_plan import encode_table

Float32 = NDArray[np.float32]
Part = tuple[Window, Window]
"""What is delivered, and that with its context."""
Progress = Callable[[float], bool] | None

STRIP_ROWS = 192
TILE_WIDTH, TILE_HEIGHT = 1024, 512
"""Work that needs context goes in tiles: their planes stay in the processor's cache from stage to stage."""
LARGE_TILE_WIDTH, LARGE_TILE_HEIGHT = 1536, 1024
"""The best noise reduction has tiles of its own, of which small parts would need half as many again."""


@dataclass
class _Row:
    """A row of tiles at full width, before it is made smaller."""

    planes: Float32
    filled: int = 0
    """Columns that are there."""


class Cancelled(Exception):
    """Raised out of a delivery whose progress callback asked to stop."""


def deliver_whole(
    stages: Stages, framed: Framed, key: str, recipe: Recipe, space: str, bits: int, long_edge: int | None, progress: Progress
) -> NDArray[np.uint8] | NDArray[np.uint16]:
    """The finished picture (h, w, 3), 8 bit (dithered) or 16 bit; smaller when ``long_edge`` is."""
    if bits not in (8, 16):
        raise ValueError("a delivery has 8 or 16 bits")
    plan = framed.source.plan(recipe)
    if long_edge is not None and long_edge < max(framed.width, framed.height):
        return _reduced(stages, framed, key, recipe, plan, space, bits, long_edge, progress)
    out = _empty(framed.height, framed.width, bits)
    whole = Window(framed.width, framed.height, 0, 0, framed.width, framed.height)
    margin = stages.margin(framed, plan) + margin_of(plan.finish, 1.0)

    def work(part: Part) -> None:
        window, outer = part
        planes = stages.local(framed, key, plan, outer, keep=False)
        # one block of memory, as the compiled kernels know it; a tile of the picture itself would not be
        made = _empty(window.height, window.width, bits)
        inner = window.inside(outer)
        if plan.finish == FinishPlan():
            planes = planes[(slice(None), *inner)]
            lighted = lit(stages.areas, framed, key, recipe, plan, planes, window, space, keep=False)
            _quantise(lighted, window.x, window.y, made)
        else:
            lighted = lit(stages.areas, framed, key, recipe, plan, planes, outer, space, keep=False)
            sharper = sharper_of(stages.areas, framed, key, plan, window, keep=False)
            finished(lighted, plan.finish, 1.0, window, inner, made, sharper)
        out[window.y : window.y + window.height, window.x : window.x + window.width] = made

    todo = _todo(_parts(whole, margin, framed, plan), work, stages.beforehand(framed, key, plan))
    each(todo, _done, lambda done: _tell(progress, done / len(todo)))
    return out


def _reduced(
    stages: Stages,
    framed: Framed,
    key: str,
    recipe: Recipe,
    plan: LightPlan,
    space: str,
    bits: int,
    long_edge: int,
    progress: Progress,
) -> NDArray[np.uint8] | NDArray[np.uint16]:
    width, height = fitted_size(framed.width, framed.height, long_edge)
    middle = np.empty((3, framed.height, width), np.float32)
    whole = Window(framed.width, framed.height, 0, 0, framed.width, framed.height)
    lock, rows = threading.Lock(), dict[int, _Row]()

    def work(part: Part) -> None:
        window, outer = part
        planes = stages.local(framed, key, plan, outer, keep=False)
        planes = planes[(slice(None), *window.inside(outer))]
        linear = lit(stages.areas, framed, key, recipe, plan, planes, window, space, linear_output=True, keep=False).to_float()
        with lock:
            row = rows.setdefault(window.y, _Row(np.empty((3, window.height, framed.width), np.float32)))
        row.planes[:, :, window.x : window.x + window.width] = linear
        with lock:
            row.filled += window.width
            whole_row = row.filled == framed.width
        if whole_row:
            del rows[window.y]
            middle[:, window.y : window.y + window.height] = lanczos_rows(row.planes, width)

    todo = _todo(_parts(whole, stages.margin(framed, plan), framed, plan), work, stages.beforehand(framed, key, plan))
    each(todo, _done, lambda done: _tell(progress, 0.95 * done / len(todo)))
    out = _empty(height, width, bits)
    small = lanczos_columns(middle, height)
    if plan.finish == FinishPlan():
        _quantise(Lit(small, _encoding_only(space)), 0, 0, out)
    else:
        all_of_it = Window(width, height, 0, 0, width, height)
        scale = scale_of(framed, all_of_it)
        finished(
            Lit(small, _encoding_only(space)),
            plan.finish,
            scale,
            all_of_it,
            (slice(0, height), slice(0, width)),
            out,
            sharper_of(stages.areas, framed, key, plan, all_of_it, keep=False),
        )
    _tell(progress, 1.0)
    return out


def _parts(whole: Window, margin: int, framed: Framed, plan: LightPlan) -> list[Part]:
    """Parts of the picture, row after row, each with its context: strips where none is needed, else tiles."""
    width, height = whole.width, STRIP_ROWS
    if margin or not framed.direct:
        width, height = (LARGE_TILE_WIDTH, LARGE_TILE_HEIGHT) if plan.plate.best_noise else (TILE_WIDTH, TILE_HEIGHT)
    found = []
    for y in range(0, whole.height, height):
        for x in range(0, whole.width, width):
            window = replace(whole, x=x, y=y, width=min(width, whole.width - x), height=min(height, whole.height - y))
            found.append((window, window.grown(margin)))
    return found


def _todo(parts: list[Part], work: Callable[[Part], None], beforehand: list[Callable[[], object]]) -> list[Callable[[], object]]:
    """All work on a picture; one part alone has both processors, and makes what it needs on the way."""
    return [*(beforehand if len(parts) > 1 else ()), *(partial(work, part) for part in parts)]


def _done(one: Callable[[], object]) -> None:
    one()


def _tell(progress: Progress, share: float) -> None:
    if progress is not None and not progress(share):
        raise Cancelled


def _empty(height: int, width: int, bits: int) -> NDArray[Any]:
    return np.empty((height, width, 3), np.uint8 if bits == 8 else np.uint16)


def _quantise(lighted: Lit, x: int, y: int, out: NDArray[Any]) -> None:
    if out.dtype == np.uint8:
        lighted.to_8_bit(x, y, out)
    else:
        lighted.to_16_bit(out)


def _encoding_only(space: str) -> LightTables:
    """Tables that only clip and encode planes which are already linear light of the delivery space."""
    target = SPACES[space]
    numbers = float32_numbers(LightNumbers, 1, 1, 1, 3e38, np.eye(3), target.to_xyz[1], np.eye(3), np.zeros(13))
    srgb_curve = target.transfer == SPACES["srgb"].transfer
    switches = NOTHING._replace(encoding=1 if srgb_curve else 2)
    unused = np.zeros(2, np.float32)
    colours = colour_tables(ColourPlan(), space, False)
    return LightTables(numbers, switches, unused, np.zeros((5, 2), np.float32), encode_table(space), colours)
