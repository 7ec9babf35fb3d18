"""A source's plates with repairs in them: every repair is worked out once, at full size, in the geometry of the upright
source, and laid over whatever is read, at any size and turned in any way. So fit view, 1:1 and delivery show the same, and
nothing later in the pipeline knows that there are repairs.

Each is worked on plates as they are after the repairs before it. What one depends on is its own plan and those earlier ones whose
places it reads; so only what has to is worked out anew.
"""

import hashlib
from collections.abc import Callable
from functools import reduce

import numpy as np
from numpy.typing import NDArray

from zincplate.core.repair.fill_map import Fill, text_of
from zincplate.core.repair.healing import (
    CLOSE,
    CLOSE_WHILE_MOVING,
    border_of,
    from_roots,
    grain_of,
    laid,
    light_of,
    root_differences,
    to_roots,
)
from zincplate.core.sensor.colour_shift import ColourShift
from zincplate.plan.repairs import RepairPlan
from zincplate.sources.beyond import MOST_BEYOND, Laid, drawn_out
from zincplate.sources.mend import NOTHING_HIGH, UNKNOWN, Cells, Kept, Mend, Piece, Unknown, cells_of, changes, with_pieces
from zincplate.sources.plain import Plain
from zincplate.sources.readers import Plate
from zincplate.sources.rect import Rect
from zincplate.sources.removals import CONTEXT_PX, REMOVED, Removal
from zincplate.sources.repair_cover import cover_of, extent_of
from zincplate.sources.repair_keys import digest_of, fills_of_text
from zincplate.sources.sections import margin_px, sections_of
from zincplate.sources.taken_from import source_of, taken_from, takes_nothing

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]

COVERED = 0.02
"""Cover from which a place takes part."""
Known = tuple[Rect, Float32]


class Mended:
    """The repairs of one recipe on one source."""

    def __init__(
        self,
        source: Plain,
        key: str,
        repairs: tuple[RepairPlan, ...],
        cache: Kept,
        quick: bool,
        moving: bool = False,
        mirrored: bool = False,
        reduced: Callable[[int, bool], Plate] | None = None,
        small: Kept | None = None,
    ) -> None:
        """``key`` names the source's content. With ``quick`` removals that are still to be filled are filled in a hurry;
        while something is ``moving`` membranes are drawn less exactly. What stands beyond the picture until something is put
        there is its mirror image when ``mirrored``, else its edge. ``reduced`` gives the upright source averaged over so many
        pixels, with hot pixels replaced or not. ``small`` is for what is small and asked for by every view: twenty patches at
        full size fill a cache, and few views need those."""
        self._source, self.key, self.repairs, self.cache, self.quick = source, key, repairs, cache, quick
        self.moving, self.reduced, self.small = moving, reduced, cache if small is None else small
        self._close = CLOSE_WHILE_MOVING if moving else CLOSE
        self.whole = Rect(0, 0, source.width, source.height)
        self.long_edge_px: float = max(source.width, source.height)
        self._limits = self.whole.grown(round(MOST_BEYOND * max(source.width, source.height)))
        self.mirrored = mirrored
        self._chains: list[tuple[str, Rect, Rect]] | None = None
        self._held: dict[object, Mend | None] = {}

    @property
    def root_shift(self) -> float:
        """What is added to plate values before a root."""
        return self._source.root_shift

    def mends(self, hot_pixels: bool, shift: ColourShift | None) -> list[Mend]:
        """All of them that do something, in order."""
        found = (self.mend(number, hot_pixels, shift) for number in range(len(self.repairs)))
        return [mend for mend in found if mend is not None]

    def over(self, planes: Float32, rect: Rect, hot_pixels: bool, shift: ColourShift | None, first: int | None = None) -> None:
        """Lays the repairs over upright planes of a rectangle, in place."""
        chains = self._chained()
        for number in range(len(self.repairs) if first is None else first):
            if chains[number][1].within(rect).empty:
                continue
            # while a hand moves, what is under it has been read already (blown places in it may be rebuilt)
            mend = self.mend(number, hot_pixels, shift, (rect, planes) if self.moving else None)
            if mend is None:
                continue
            with_pieces(mend.pieces, planes, rect)

    @property
    def reach(self) -> Rect:
        """The picture with all that repairs put beyond it."""
        return reduce(Rect.joined, (target for _, target, _ in self._chained() if not target.empty), self.whole)

    def beyond(self, hot_pixels: bool, shift: ColourShift | None) -> list[Laid]:
        """What repairs put beyond the picture, in order."""
        found = (
            self.mend(number, hot_pixels, shift)
            for number, (_, target, _) in enumerate(self._chained())
            if target.within(self.whole) != target
        )
        return [Laid(p.rect, p.planes, p.changed) for mend in found if mend is not None for p in mend.pieces]

    def notes(self) -> list[str]:
        """That repairs do nothing, in a sentence."""
        idle = sum(takes_nothing(r, t, self.whole) for r, (_, t, _) in zip(self.repairs, self._chained(), strict=True))
        which = "1 repair is" if idle == 1 else f"{idle} repairs are"
        return [f"{which} taken from beside the picture, where there is nothing."] if idle else []

    def fills_at(self, places_px: NDArray[np.float64]) -> Bool:
        """(n,) which places of the upright frame, in pixels, something is put onto that reaches beyond the picture."""
        out = np.zeros(len(places_px), np.bool_)
        x, y = np.floor(places_px).astype(int).T
        for repair, (_, target, _) in zip(self.repairs, self._chained(), strict=True):
            if target.empty or target.within(self.whole) == target:
                continue
            there = (x >= target.x) & (x < target.right) & (y >= target.y) & (y < target.bottom)
            out[there] |= self.cover(repair, target)[y[there] - target.y, x[there] - target.x] > REMOVED
        return out

    @property
    def awaits_long_fill(self) -> bool:
        """Whether a removal that is filled in sections is to be filled in a hurry."""
        waiting = (r for r in self.repairs if self.quick and r.kind == "removal" and not r.fill)
        return any(len(sections_of(r, self.target(r), self.long_edge_px)) > 1 for r in waiting)

    def touches(self, rect: Rect) -> bool:
        """Whether any repair may change something of a rectangle."""
        return any(not target.grown(CONTEXT_PX).within(rect).empty for _, target, _ in self._chained())

    def over_reduced(self, plate: Plate, hot_pixels: bool, orientation: int) -> None:
        """Lays them over a reduced plate of the sensor's orientation, in place: what they change, averaged as the plate is."""
        rows, columns = plate.planes.shape[1:]
        for (i, j), cells in self.all_cells(plate.step, (plate.origin_x, plate.origin_y), hot_pixels, orientation):
            part = cells[:, : rows - j, : columns - i]
            plate.planes[:, j : j + part.shape[1], i : i + part.shape[2]] += part

    def all_cells(self, step: int, origin: tuple[int, int], hot_pixels: bool, orientation: int = 1) -> list[Cells]:
        """What every repair adds to a plate of the sensor's orientation that averages ``step`` pixels from ``origin`` on: the
        column and row where it begins, and planes (3, h, w)."""
        found = (self._on_reduced(number, step, origin, hot_pixels, orientation) for number in range(len(self.repairs)))
        return [cells for all_of_one, _ in found for cells in all_of_one]

    def _on_reduced(
        self, number: int, step: int, origin: tuple[int, int], hot_pixels: bool, orientation: int
    ) -> tuple[tuple[Cells, ...], Float32]:
        """What one of them adds, and the highest of its values."""

        def make() -> tuple[tuple[Cells, ...], Float32]:
            mend = self.mend(number, hot_pixels, None)
            if mend is None:
                return (), NOTHING_HIGH
            found = (cells_of(piece, self.whole, step, origin, orientation) for piece in mend.pieces)
            return tuple(cells for cells in found if cells is not None), mend.highest

        stage = self._reduced_stage(number, step, origin, hot_pixels, orientation, self.moving)
        return self.small.get(stage, make, lambda found: 64 + sum(planes.nbytes for _, planes in found[0]))

    def _reduced_stage(
        self, number: int, step: int, origin: tuple[int, int], hot_pixels: bool, orientation: int, moving: bool
    ) -> object:
        return (self._stage(self.named(number), hot_pixels, None), "cells", step, origin, orientation, moving)

    def kept_on_reduced(
        self, number: int, step: int, origin: tuple[int, int], hot_pixels: bool
    ) -> tuple[tuple[Cells, ...], Float32] | None:
        """What a repair adds to an upright plate, and the highest of its values, where that was worked out exactly before."""
        found: tuple[tuple[Cells, ...], Float32] | None = self.small.kept(
            self._reduced_stage(number, step, origin, hot_pixels, 1, False), None
        )
        return found

    def reaches(self, levels: Float32, hot_pixels: bool) -> bool:
        """Whether anything that is mended was, or becomes, as light as ``levels`` (3,)."""
        return any(bool((self._highest(number, hot_pixels) >= levels).any()) for number in range(len(self.repairs)))

    def _highest(self, number: int, hot_pixels: bool) -> Float32:
        """(3,) of what one makes and of what was there."""

        def make() -> Float32:
            mend = self.mend(number, hot_pixels, None)
            return NOTHING_HIGH if mend is None else mend.highest

        stage = (self._stage(self.named(number), hot_pixels, None), "highest", self.moving)
        return self.small.get(stage, make, lambda found: found.nbytes)

    # ----- one repair

    def _chained(self) -> list[tuple[str, Rect, Rect]]:
        """For every repair a name of all that it depends on, where it changes something, and where it reads."""
        if self._chains is None:
            # whole before it is there: parts of a delivery are worked out at once
            chains = list[tuple[str, Rect, Rect]]()
            sides = np.zeros((4, len(self.repairs)), np.int64)  # of the targets: three hundred repairs are 45,000 pairs
            for number, repair in enumerate(self.repairs):
                target = self.target(repair)
                reads = self._reads(repair, target)
                # names and not the plans themselves: of many that lie over each other each would hold all before it
                left, top, right, bottom = sides[:, :number]
                over = (np.minimum(right, reads.right) > np.maximum(left, reads.x)) & (
                    np.minimum(bottom, reads.bottom) > np.maximum(top, reads.y)
                )
                touched = "".join(chains[i][0] for i in np.flatnonzero(over))
                sides[:, number] = target.x, target.y, target.right, target.bottom
                # what stood beyond the picture before is a part of what stands there in half strength
                mirrored = self.mirrored and target.within(self.whole) != target
                how = (
                    digest_of(repair),
                    self.quick and repair.kind == "removal",
                    mirrored,
                    touched,
                )
                chains.append((hashlib.sha256(repr(how).encode()).hexdigest(), target, reads))
            self._chains = chains
        return self._chains

    def named(self, number: int) -> str:
        """A name of a repair and of all before it that it depends on."""
        return self._chained()[number][0]

    def mend(self, number: int, hot_pixels: bool, shift: ColourShift | None, known: Known | None = None) -> Mend | None:
        """What one of them makes of its place; None when that is nothing. ``known`` is a rectangle with its planes as those
        before left it."""
        chain, target, _ = self._chained()[number]
        if target.empty:
            return None
        exact = self.kept(number, hot_pixels, shift)
        if self.moving and not isinstance(exact, Unknown):
            return exact
        stage = (self._stage(chain, hot_pixels, shift), self.moving)
        # held as long as this is in use: of many that lie over each other every one asks for all before it, and a cache that does
        # not hold them all would work them out again and again
        if stage not in self._held:
            make = lambda: self._made(number, hot_pixels, shift, known)  # noqa: E731
            self._held[stage] = self.cache.get(stage, make, lambda m: m.nbytes if m else 64)
        return self._held[stage]

    def _stage(self, chain: str, hot_pixels: bool, shift: ColourShift | None) -> object:
        return (self.key, "mend", chain, hot_pixels, shift and shift.key)

    def kept(self, number: int, hot_pixels: bool, shift: ColourShift | None) -> Mend | Unknown | None:
        """What a repair makes of its place, where that was worked out exactly before."""
        found: Mend | Unknown | None = self.cache.kept(
            (self._stage(self._chained()[number][0], hot_pixels, shift), False), UNKNOWN
        )
        return found

    def _made(self, number: int, hot_pixels: bool, shift: ColourShift | None, known: Known | None) -> Mend | None:
        repair, target = self.repairs[number], self._chained()[number][1]
        if self.quick and repair.outline and not repair.strokes and not repair.fill and repair.kind == "removal":
            return None  # whole sides are not filled in a hurry: until their fill is there they are as they were

        def read(rect: Rect) -> Float32:
            if known is not None and rect.within(known[0]) == rect:
                return np.array(known[1][(slice(None), *rect.of(known[0]))], np.float32, order="C")
            planes = self._plain_kept(rect, hot_pixels, shift) if rect == outer else self.plain(rect, hot_pixels, shift)
            self.over(planes, rect, hot_pixels, shift, number)
            return planes

        removal = Removal(self, number, repair, target) if repair.kind == "removal" else None
        sections = removal.sections if removal else sections_of(repair, target, self.long_edge_px)
        margin = CONTEXT_PX if removal or len(sections) == 1 else margin_px(repair, self.long_edge_px)
        outer, highest = target, NOTHING_HIGH
        pieces, gone = list[Piece](), list[Piece]()
        for at, section in enumerate(sections):
            outer = section.grown(margin).within(self.whole).joined(section)
            before = read(outer)
            if removal:
                after = removal.made(at, outer, before, lambda rect: with_pieces(gone, read(rect), rect))
                if len(sections) > 1:
                    gone.extend(changes(section, *_part(section, outer, before, after))[0])
                if repair.strength != 1:
                    after = before + np.float32(repair.strength) * (after - before)
            elif repair.kind == "cover":
                after = self._covered(repair, outer, before, self.cover(repair, outer), read)
            else:
                after = self._laid_over(repair, outer, before, self.cover(repair, outer), read)
            if len(sections) > 1:
                outer, (before, after) = section, _part(section, outer, before, after)
            made, most = changes(outer, before, after)
            pieces.extend(made)
            highest = np.maximum(highest, most)
        return Mend(tuple(pieces), highest) if pieces else None

    def before(self, number: int) -> list[tuple[RepairPlan, Rect]]:
        """The repairs before one, with where they change something."""
        return [(r, target) for r, (_, target, _) in zip(self.repairs[:number], self._chained(), strict=False)]

    def fill_of(
        self, number: int, hot_pixels: bool, shift: ColourShift | None = None, breathe: Callable[[], None] = lambda: None
    ) -> str:
        """The fill of a removal looked for with all care, as a recipe keeps it; empty when it removes nothing.

        Raises ``ValueError`` with a sentence when there is nothing to take from.
        """
        repair, target = self.repairs[number], self._chained()[number][1]
        if target.empty:
            return ""
        removal, pieces, fills = Removal(self, number, repair, target), list[Piece](), list[Fill | None]()

        def read(rect: Rect) -> Float32:
            planes = self.plain(rect, hot_pixels, shift)
            self.over(planes, rect, hot_pixels, shift, number)
            return with_pieces(pieces, planes, rect)

        for at, section in enumerate(removal.sections):
            fill = removal.looked_for(at, read, breathe)
            fills.append(fill)
            if fill is not None and at + 1 < len(removal.sections):
                # the next one goes by what this one put there
                before = read(section)
                pieces.extend(changes(section, before, removal.made(at, section, before, read, fill))[0])
        return text_of(fills)

    def cover(self, repair: RepairPlan, rect: Rect) -> Float32:
        """(h, w) 0..1 how much of a repair lies on every pixel of a rectangle, without its strength."""
        return cover_of(repair, rect, self.long_edge_px)

    def target(self, repair: RepairPlan) -> Rect:
        """Where a repair may change something."""
        limits = self.whole if repair.heals else self._limits
        fills = fills_of_text(repair.fill)
        # sections are cut from where it lies, with a fill and without
        if len(fills) == 1 and (one := fills[0]) is not None:
            rect = Rect(one.left, one.top, one.labels.shape[1], one.labels.shape[0])
            if rect.within(self.whole) == rect:
                # a fill that was looked for within the picture only
                limits = self.whole
        return extent_of(repair, self.long_edge_px).within(limits)

    def plain(self, rect: Rect, hot_pixels: bool, shift: ColourShift | None) -> Float32:
        """Plates of a rectangle that may reach beyond the picture, without repairs; the caller's own."""
        if rect.within(self.whole) == rect:
            return self._source.window(rect.x, rect.y, rect.w, rect.h, hot_pixels, shift)
        inner, rows, columns = drawn_out(rect, self.whole, self.mirrored)
        planes = self._source.window(inner.x, inner.y, inner.w, inner.h, hot_pixels, shift)
        return np.ascontiguousarray(planes[:, rows[:, None], columns], np.float32)

    def _plain_kept(self, rect: Rect, hot_pixels: bool, shift: ColourShift | None) -> Float32:
        """:meth:`plain`; kept while a hand moves what is taken for it."""
        if not self.moving:
            return self.plain(rect, hot_pixels, shift)
        stage = (self.key, "under a mend", rect, hot_pixels, shift and shift.key, self.mirrored)
        return self.cache.get(stage, lambda: self.plain(rect, hot_pixels, shift), lambda a: a.nbytes).copy()

    def _reads(self, repair: RepairPlan, target: Rect) -> Rect:
        outer = target.grown(CONTEXT_PX)
        if repair.kind == "removal":
            return Removal(self, 0, repair, target).reads
        if repair.kind == "cover" and not repair.grain:
            return outer
        return outer.joined(taken_from(repair, outer, self.long_edge_px)).within(self._limits)

    def _laid_over(
        self, repair: RepairPlan, rect: Rect, before: Float32, cover: Float32, read: Callable[[Rect], Float32]
    ) -> Float32:
        source, there = source_of(repair, rect, self.whole, self.long_edge_px, read)
        cover = np.where(there, cover, 0).astype(np.float32)
        light, shift = None, self._source.root_shift
        if repair.heals:
            inside = cover > COVERED
            if not inside.any():
                return before
            cover = np.where(inside, cover, 0)
            border = border_of(inside, there)
            if border.any():
                light = light_of(root_differences(before, source, border, shift), border, inside, there, self._close)
        return laid(before, source, cover, repair.strength, light, shift)

    def _covered(
        self, repair: RepairPlan, rect: Rect, before: Float32, cover: Float32, read: Callable[[Rect], Float32]
    ) -> Float32:
        result, shift = np.empty_like(before), self._source.root_shift
        result[:] = np.asarray(repair.colour, np.float32)[:, None, None]
        if repair.grain:
            light, there = source_of(repair, rect, self.whole, self.long_edge_px, read)
            grain = grain_of(to_roots(light, shift))
            result = from_roots(to_roots(result, shift) + np.where(there, grain, 0), shift)
        return laid(before, result, cover, repair.strength, None, shift)


def _part(section: Rect, rect: Rect, before: Float32, after: Float32) -> tuple[Float32, Float32]:
    """A section of planes of a rectangle before and after."""
    own = (slice(None), *section.of(rect))
    return np.ascontiguousarray(before[own]), np.ascontiguousarray(after[own])
