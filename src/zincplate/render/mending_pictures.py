"""Small pictures of repairs, each at its own scale: its place before and after it."""

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.kernels.light import to_8_bit
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.sources.file import Source
from zincplate.sources.rect import Rect

SIDE_PX = 60
AROUND = 0.45
"""Of the place's own size is shown on every side."""
Pair = tuple[str, NDArray[np.uint8], NDArray[np.uint8]]


def before_and_after(renderer: Renderer, source: Source, key: str, recipe: Recipe, names: list[str]) -> list[Pair]:
    """Id, and pictures (side, side, 3) of sRGB before and after, of those of the repairs that are named and act."""
    listed = [r for r in recipe.value("repair", "repairs") if r.on and r.strength > 0]
    mended = renderer.mended(source, key, recipe.with_switch("repair", True))
    plan = source.plan(recipe.with_switch("repair", True))
    light = recipe.with_switch("framing", False).with_switch("passes", False)

    def work() -> list[Pair]:
        made = []
        for number, one in enumerate(listed):
            if one.id not in names:
                continue
            rect = _square(mended.target(plan.repairs[number]), source)
            if rect.empty:
                continue
            pair = []
            for first in (number, number + 1):
                planes = mended.plain(rect, plan.plate.hot_pixels, None)
                mended.over(planes, rect, plan.plate.hot_pixels, None, first)
                small = np.stack([cv2.resize(p, (SIDE_PX, SIDE_PX), interpolation=cv2.INTER_AREA) for p in planes])
                picture = np.empty((SIDE_PX, SIDE_PX, 3), np.uint8)
                to_8_bit(np.ascontiguousarray(small, np.float32), source.tables(light, "srgb"), 0, 0, picture)
                pair.append(picture)
            made.append((one.id, pair[0], pair[1]))
        return made

    return renderer.on_render_thread(work)


def _square(target: Rect, source: Source) -> Rect:
    side = max(int(max(target.w, target.h) * (1 + 2 * AROUND)), SIDE_PX)
    if target.within(Rect(0, 0, source.width, source.height)) != target:
        # what lies beyond the picture is shown in the middle too
        return Rect(target.x + (target.w - side) // 2, target.y + (target.h - side) // 2, side, side)
    side = min(side, source.width, source.height)
    x = min(max(target.x + target.w // 2 - side // 2, 0), source.width - side)
    y = min(max(target.y + target.h // 2 - side // 2, 0), source.height - side)
    return Rect(x, y, side, side) if not target.empty else target
