"""What a removal makes of its place: a fill that is looked for or was kept, section by section where it is long and thin.

A section is filled when those before it are: they are there to go by, though nothing is taken from them. Those after it are
void, as what lies beyond the picture is: nothing is compared there and light is free.
"""

from collections.abc import Callable
from functools import reduce
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from zincplate.core.repair.fill import blended, found
from zincplate.core.repair.fill_map import Fill
from zincplate.core.repair.healing import from_roots, laid, to_roots
from zincplate.core.repair.hurried_fill import hurried
from zincplate.plan.repairs import RepairPlan
from zincplate.sources.beyond import outside
from zincplate.sources.rect import Rect
from zincplate.sources.repair_cover import taken_extent, taken_within
from zincplate.sources.repair_keys import fills_of_text
from zincplate.sources.sections import margin_px, sections_of, width_px

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]
Read = Callable[[Rect], Float32]

CONTEXT_PX = 6
"""About a place, for the light of its border."""
LEAST_AROUND_PX, MOST_AROUND_PX, HURRIED_AROUND_PX = 48, 1400, 400
"""How far a removal looks for what to take."""
STRIP_TIMES, STRIP_PX = 6, 120
REMOVED = 0.25
"""Cover from which a place is removed."""


class Ground(Protocol):
    """What a removal lies on."""

    whole: Rect
    long_edge_px: float
    quick: bool

    @property
    def root_shift(self) -> float: ...

    def cover(self, repair: RepairPlan, rect: Rect) -> Float32: ...

    def before(self, number: int) -> list[tuple[RepairPlan, Rect]]:
        """The repairs before one, with where they change something."""
        ...


class Removal:
    """One removal. Places are those of the upright source."""

    def __init__(self, ground: Ground, number: int, repair: RepairPlan, target: Rect) -> None:
        self._ground, self._number, self._repair = ground, number, repair
        fills = fills_of_text(repair.fill)
        # a fill of one piece for a long place is one of an earlier version
        self.sections = (target,) if len(fills) == 1 else sections_of(repair, target, ground.long_edge_px)
        # light is free where a section is cut: it goes on beyond that, and what of it lies there is not kept
        beyond = margin_px(repair, ground.long_edge_px) if len(self.sections) > 1 else 0
        self._worked = tuple(section.grown(beyond).within(target) for section in self.sections)
        # its strokes were changed: it is looked for again
        self._fills = fills if len(fills) == len(self.sections) else (None,) * len(self.sections)

    @property
    def reads(self) -> Rect:
        """All that it looks at."""
        return reduce(Rect.joined, (self._surroundings(at, self._fills[at]) for at in range(len(self.sections))))

    def _surroundings(self, at: int, fill: Fill | None) -> Rect:
        """What a section reads: where its fill leads, or all that may be taken while that is looked for."""
        repair, target, whole = self._repair, self._worked[at], self._ground.whole
        if fill is not None:
            (top, left), (bottom, right) = fill.offsets.min(0), fill.offsets.max(0)
            rows, columns = fill.labels.shape
            leads = Rect(fill.left + int(left), fill.top + int(top), columns + int(right - left), rows + int(bottom - top))
            return target.grown(CONTEXT_PX).joined(leads.grown(2)).within(whole).joined(target)
        most = HURRIED_AROUND_PX if self._ground.quick else MOST_AROUND_PX
        size = max(target.w, target.h)
        if len(self.sections) > 1:
            size = min(size, STRIP_TIMES * int(width_px(repair, self._ground.long_edge_px)) + STRIP_PX)
        elif target.within(whole) != target:
            # along a whole side as far as across it and some more: a strip is not looked for in half the picture
            size = min(size, STRIP_TIMES * min(target.w, target.h) + STRIP_PX)
        around = min(max(int(repair.reach * size), LEAST_AROUND_PX), most)
        region = target.grown(around)
        if repair.source_outline:
            # no farther about it than what tells how it goes on
            region = target.grown(min(around, LEAST_AROUND_PX)).joined(taken_extent(repair, self._ground.long_edge_px))
        return region.within(whole).joined(target)

    def parts(self, at: int, rect: Rect) -> tuple[Bool, Bool, Bool, Bool]:
        """(h, w) what a section takes away of a rectangle; with that, what is filled so that it goes on well: all that lies
        beyond the picture where it reaches there; what of the rest is not there to go by; and what may be taken."""
        target, whole = self.sections[at], self._ground.whole
        removed = self._ground.cover(self._repair, rect) > REMOVED
        void, later = outside(rect, whole), np.zeros_like(removed)
        usable = ~removed & ~void & taken_within(self._repair, rect, self._ground.long_edge_px)
        if len(self.sections) > 1:
            before, own = np.zeros_like(removed), np.zeros_like(removed)
            for other in self.sections[:at]:
                before[other.within(rect).of(rect)] = True
            own[self._worked[at].of(rect)] = True
            own &= ~before
            later = removed & ~own & ~before
            removed &= own
        if not outside(target, whole).any():
            return removed, removed, later | void & ~removed, usable
        for earlier, other in self._ground.before(self._number):
            if not other.within(rect).empty and not earlier.heals:
                void &= self._ground.cover(earlier, rect) <= REMOVED
        filled = removed.copy()
        filled[target.of(rect)] |= void[target.of(rect)]
        return removed, filled, later | void & ~filled, usable

    def looked_for(self, at: int, read: Read, breathe: Callable[[], None] = lambda: None) -> Fill | None:
        """The fill of a section looked for with all care; None when it removes nothing. Raises ``ValueError`` with a sentence
        when there is nothing to take from."""
        region = self._surroundings(at, None)
        removed, hole, void, usable = self.parts(at, region)
        if not removed.any():
            return None
        return self._found(region, to_roots(read(region), self._ground.root_shift), hole, void, usable, breathe)

    def _found(
        self, region: Rect, roots: Float32, hole: Bool, void: Bool, usable: Bool, breathe: Callable[[], None] = lambda: None
    ) -> Fill:
        fill = found(roots, hole, usable & ~hole, self._repair.seed, False, breathe, void)
        return Fill(fill.left + region.x, fill.top + region.y, fill.labels, fill.offsets)

    def made(self, at: int, rect: Rect, before: Float32, read: Read, fill: Fill | None = None) -> Float32:
        """What a section makes of a rectangle's planes in full strength, by a fill, the kept one, or one that is looked for."""
        fill = fill if fill is not None else self._fills[at]
        region = self._surroundings(at, fill).joined(rect)
        removed, hole, void, usable = self.parts(at, region)
        if not removed.any() or hole.all():
            return before
        repair, shift = self._repair, self._ground.root_shift
        roots = to_roots(read(region), shift)
        unseen = void if void.any() else None
        try:
            if fill is None and self._ground.quick:
                result = hurried(roots, hole, usable & ~hole, repair.seed, unseen)
            else:
                fill = fill if fill is not None else self._found(region, roots, hole, void, usable)
                here = Fill(fill.left - region.x, fill.top - region.y, fill.labels, fill.offsets)
                result = blended(roots, hole, here, void=unseen)
        except ValueError:
            # its strokes were changed, or it came from another frame: it is looked for again; else there is nothing to take
            if self._fills[at] is None:
                return before
            self._fills = (*self._fills[:at], None, *self._fills[at + 1 :])
            return self.made(at, rect, before, read)
        inside = removed[rect.of(region)]
        light = from_roots(result, shift)[(slice(None), *rect.of(region))]
        # what brightens by less than the hole itself is left as it was
        return laid(before, light, inside.astype(np.float32), 1.0, None, shift)
