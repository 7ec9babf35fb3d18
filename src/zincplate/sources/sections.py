"""Long thin repairs cut into sections: a cable across a picture has a hundredth of the pixels of the rectangle about it."""

from dataclasses import replace
from functools import lru_cache

import numpy as np

from zincplate.plan.repairs import RepairPlan
from zincplate.sources.rect import Rect
from zincplate.sources.repair_cover import cover_of

LONG_PX = 1_500_000
"""Places of more pixels are cut where most of them is bare."""
SECTION_PX = 1024
BARE = 0.3
"""Share of its rectangle up to which a long repair covers it."""
MARGIN_TIMES, MARGIN_PX = 2, 64
"""About a section, in widths of the brush and pixels: in a strip what the border asks for fades to a 23rd with every width
(Laplace's equation: exp(-pi x / width)), so that no section knows of where others are cut."""


def sections_of(repair: RepairPlan, target: Rect, long_edge_px: float) -> tuple[Rect, ...]:
    """Rectangles that together hold all of a repair and do not lie over each other: ``target`` itself unless it is long and
    thin."""
    if target.area <= LONG_PX or repair.kind == "patch":
        return (target,)
    # where it lies, whatever it does there
    where = replace(repair, kind="cover", away=(0.0, 0.0), fill="", seed=0, strength=1.0)
    return _cut(where, target, long_edge_px)


@lru_cache(maxsize=256)
def _cut(repair: RepairPlan, target: Rect, long_edge_px: float) -> tuple[Rect, ...]:
    found, covered = [], 0
    for y in range(target.y, target.bottom, SECTION_PX):
        for x in range(target.x, target.right, SECTION_PX):
            cell = Rect(x, y, SECTION_PX, SECTION_PX).within(target)
            cover = cover_of(repair, cell, long_edge_px) > 0
            if cover.any():
                rows, columns = np.flatnonzero(cover.any(1)), np.flatnonzero(cover.any(0))
                top, left = int(rows[0]), int(columns[0])
                found.append(Rect(x + left, y + top, int(columns[-1]) + 1 - left, int(rows[-1]) + 1 - top))
                covered += int(cover.sum())
    if len(found) < 2 or covered > BARE * target.area:
        return (target,)
    return tuple(found)


def width_px(repair: RepairPlan, long_edge_px: float) -> float:
    """Of the widest brush of a repair."""
    return max((stroke.size for stroke in repair.strokes if not stroke.erase), default=0.0) * long_edge_px


def margin_px(repair: RepairPlan, long_edge_px: float) -> int:
    """About a section, for what its surroundings have to do with it."""
    return int(MARGIN_TIMES * width_px(repair, long_edge_px)) + MARGIN_PX
