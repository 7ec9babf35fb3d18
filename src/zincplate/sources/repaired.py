"""A source's plates with repairs in them: every repair is worked out once, at full size, in the geometry of the upright
source, and laid over whatever is read, at any size and turned in any way. So fit view, 1:1 and delivery show the same, and
nothing later in the pipeline knows that there are repairs.

Each is worked on plates as they are after the repairs before it. What one depends on is its own plan and those earlier ones whose
places it reads; so only what has to is worked out anew.
"""

import hashlib
import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.orientation import FLIPS, on_sensor, to_sensor
from zincplate.core.repair.fill import blended, found
from zincplate.core.repair.fill_map import Fill, fill_from_text
from zincplate.core.repair.healing import CLOSE, CLOSE_WHILE_MOVING, from_roots, grain_of, healed, mixed, to_roots
from zincplate.core.sensor.colour_shift import ColourShift
from zincplate.plan.repairs import RepairPlan
from zincplate.sources.readers import Plate
from zincplate.sources.rect import Rect
from zincplate.sources.repair_cover import cover_of, extent_of

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]

CONTEXT_PX = 6
"""About a place, for the light of its border."""
LEAST_AROUND_PX, MOST_AROUND_PX, HURRIED_AROUND_PX = 48, 1400, 400
"""How far a removal looks for what to take."""
COVERED = 0.02
"""Cover from which a place takes part."""
REMOVED = 0.25
"""Cover from which a place is removed."""


MARK = "\0repaired "
"""Between the key of a source and that of its repairs; no path has it."""
_DIGITS = 20


def repaired_key(key: str, name: str) -> str:
    """Key of a source with repairs that ``name`` tells apart (20 digits)."""
    return f"{key}{MARK}{name[:_DIGITS]}"


def plain_key(key: str) -> str:
    """The key of the same source without its repairs, turned as it is."""
    first, mark, rest = key.partition(MARK)
    return first + rest[_DIGITS:] if mark else key


@lru_cache(maxsize=4096)
def digest_of(repair: RepairPlan) -> str:
    """A name that tells a repair's plan from every other."""
    return hashlib.sha256(repr(repair).encode()).hexdigest()


class Plain(Protocol):
    """A source without repairs, upright and not turned."""

    @property
    def width(self) -> int: ...

    @property
    def height(self) -> int: ...

    @property
    def root_shift(self) -> float: ...

    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32: ...


class Kept(Protocol):
    """A cache."""

    def get(self, key: object, make: Callable[[], "Mend | None"], size_of: Callable[["Mend | None"], int]) -> "Mend | None": ...


@dataclass(frozen=True)
class Mend:
    """What a repair makes of its place: ``planes`` (3, h, w) where ``changed`` (h, w), and how far they are from what was
    there."""

    rect: Rect
    planes: Float32
    changed: Bool
    difference: Float32

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return int(self.planes.nbytes + self.changed.nbytes + self.difference.nbytes)


class Mended:
    """The repairs of one recipe on one source."""

    def __init__(
        self, source: Plain, key: str, repairs: tuple[RepairPlan, ...], cache: Kept, quick: bool, moving: bool = False
    ) -> None:
        """``key`` names the source's content. With ``quick`` removals that are still to be filled are filled in a hurry;
        while something is ``moving`` membranes are drawn less exactly."""
        self._source, self._key, self._repairs, self._cache, self._quick = source, key, repairs, cache, quick
        self._close = CLOSE_WHILE_MOVING if moving else CLOSE
        self._whole = Rect(0, 0, source.width, source.height)
        self._chains: list[tuple[str, Rect, Rect]] | None = None

    def mends(self, hot_pixels: bool, shift: ColourShift | None, first: int | None = None) -> list[Mend]:
        """All of them that do something, in order; only the first so many when asked."""
        out = []
        for number in range(len(self._repairs) if first is None else first):
            mend = self._mend(number, hot_pixels, shift)
            if mend is not None:
                out.append(mend)
        return out

    def over(self, planes: Float32, rect: Rect, hot_pixels: bool, shift: ColourShift | None, first: int | None = None) -> None:
        """Lays the repairs over upright planes of a rectangle, in place."""
        chains = self._chained()
        for number in range(len(self._repairs) if first is None else first):
            if chains[number][1].within(rect).empty:
                continue
            mend = self._mend(number, hot_pixels, shift)
            if mend is None:
                continue
            part = mend.rect.within(rect)
            if part.empty:
                continue
            there, here = part.of(rect), part.of(mend.rect)
            target = planes[(slice(None), *there)]
            np.copyto(target, mend.planes[(slice(None), *here)], where=mend.changed[here])

    def touches(self, rect: Rect) -> bool:
        """Whether any repair may change something of a rectangle."""
        return any(not target.grown(CONTEXT_PX).within(rect).empty for _, target, _ in self._chained())

    def over_reduced(self, plate: Plate, hot_pixels: bool, orientation: int) -> None:
        """Lays them over a reduced plate of the sensor's orientation, in place: what they change, averaged as the plate is."""
        rows, columns = plate.planes.shape[1:]
        for (i, j), cells in self.cells(plate.step, (plate.origin_x, plate.origin_y), hot_pixels, orientation):
            part = cells[:, : rows - j, : columns - i]
            plate.planes[:, j : j + part.shape[1], i : i + part.shape[2]] += part

    def cells(
        self, step: int, origin: tuple[int, int], hot_pixels: bool, orientation: int = 1
    ) -> list[tuple[tuple[int, int], Float32]]:
        """What every repair adds to a plate of the sensor's orientation that averages ``step`` pixels from ``origin`` on: the
        column and row where it begins, and planes (3, h, w)."""
        upright = (self._source.width, self._source.height)
        right, bottom = upright[::-1] if FLIPS[orientation].transpose else upright
        found = []
        for mend in self.mends(hot_pixels, None):
            difference, r = on_sensor(mend.difference, orientation, 1), mend.rect
            x, y, w, h = to_sensor(r.x, r.y, r.w, r.h, *upright, orientation)
            x, y = x - origin[0], y - origin[1]
            i0, j0, i1, j1 = x // step, y // step, -(-(x + w) // step), -(-(y + h) // step)
            padded = np.zeros((3, (j1 - j0) * step, (i1 - i0) * step), np.float32)
            padded[:, y - j0 * step : y - j0 * step + h, x - i0 * step : x - i0 * step + w] = difference
            sums = padded.reshape(3, j1 - j0, step, i1 - i0, step).sum((2, 4))
            # at the picture's ends a sample is the mean of what it has
            down = _filled(np.arange(j0, j1) * step + origin[1], step, bottom)
            across = _filled(np.arange(i0, i1) * step + origin[0], step, right)
            found.append(((i0, j0), sums / (down[:, None] * across)))
        return found

    def reaches(self, levels: Float32, hot_pixels: bool) -> bool:
        """Whether anything that is mended was, or becomes, as light as ``levels`` (3,)."""
        top = levels[:, None, None]
        return any(
            bool(((m.planes >= top) | (m.planes - m.difference >= top))[:, m.changed].any()) for m in self.mends(hot_pixels, None)
        )

    # ----- one repair

    def _chained(self) -> list[tuple[str, Rect, Rect]]:
        """For every repair a name of all that it depends on, where it changes something, and where it reads."""
        if self._chains is None:
            self._chains = []
            for repair in self._repairs:
                target = self.target(repair)
                reads = self._reads(repair, target)
                # names and not the plans themselves: of many that lie over each other each would hold all before it
                touched = "".join(c[0] for c in self._chains if not c[1].within(reads).empty)
                how = (digest_of(repair), self._quick and repair.kind == "removal", repair.heals and self._close, touched)
                self._chains.append((hashlib.sha256(repr(how).encode()).hexdigest(), target, reads))
        return self._chains

    def _mend(self, number: int, hot_pixels: bool, shift: ColourShift | None) -> Mend | None:
        chain, target, _ = self._chained()[number]
        if target.empty:
            return None
        stage = (self._key, "mend", chain, hot_pixels, shift and shift.key)
        make = lambda: self._made(number, hot_pixels, shift)  # noqa: E731
        return self._cache.get(stage, make, lambda m: m.nbytes if m else 64)

    def _made(self, number: int, hot_pixels: bool, shift: ColourShift | None) -> Mend | None:
        repair, target = self._repairs[number], self._chained()[number][1]

        def read(rect: Rect) -> Float32:
            planes = np.array(self._source.window(rect.x, rect.y, rect.w, rect.h, hot_pixels, shift), np.float32, order="C")
            self.over(planes, rect, hot_pixels, shift, number)
            return planes

        outer = target.grown(CONTEXT_PX).within(self._whole)
        before = read(outer)
        cover = self.cover(repair, outer)
        if repair.kind == "removal":
            after = self._removed(repair, outer, before, cover, read)
        elif repair.kind == "cover":
            after = self._covered(repair, outer, before, cover, read)
        else:
            after = self._laid_over(repair, outer, before, cover, read)
        changed = (after != before).any(0)
        if not changed.any():
            return None
        return Mend(outer, after, changed, after - before)

    def cover(self, repair: RepairPlan, rect: Rect) -> Float32:
        """(h, w) 0..1 how much of a repair lies on every pixel of a rectangle, without its strength."""
        return cover_of(repair, rect, max(self._source.width, self._source.height))

    def target(self, repair: RepairPlan) -> Rect:
        """Where a repair may change something."""
        return extent_of(repair, max(self._source.width, self._source.height)).within(self._whole)

    def _reads(self, repair: RepairPlan, target: Rect) -> Rect:
        outer = target.grown(CONTEXT_PX)
        if repair.kind == "removal":
            return self._surroundings(repair, target)
        if repair.kind == "cover" and not repair.grain:
            return outer
        return outer.joined(self._taken_from(repair, outer)).within(self._whole)

    def away_px(self, repair: RepairPlan) -> tuple[int, int]:
        """Whole columns and rows from a place to where it is taken from."""
        long_edge = max(self._source.width, self._source.height)
        return round(repair.away[0] * long_edge), round(repair.away[1] * long_edge)

    def _matrix(self, repair: RepairPlan) -> NDArray[np.float64]:
        """(2, 3) from a place to where it is taken from, in pixels: turned about where the first stroke began."""
        dx, dy = self.away_px(repair)
        if not repair.angle_degrees and not repair.mirrored:
            return np.array([[1.0, 0, dx], [0, 1.0, dy]])
        long_edge = max(self._source.width, self._source.height)
        # on half pixels, so that mirror images and quarter turns are copies to the value
        x, y = np.rint(2 * long_edge * np.asarray(repair.strokes[0].places[0])) / 2
        a = -math.radians(repair.angle_degrees)
        turn = np.array([[math.cos(a), -math.sin(a)], [math.sin(a), math.cos(a)]])
        if repair.mirrored:
            turn = np.diag([-1.0, 1.0]) @ turn
        middle = np.array([x, y])
        return np.column_stack([turn, middle + np.array([dx, dy]) - turn @ middle])

    def _taken_from(self, repair: RepairPlan, rect: Rect) -> Rect:
        m = self._matrix(repair)
        corners = (
            np.array([[rect.x, rect.y, 1], [rect.right, rect.y, 1], [rect.x, rect.bottom, 1], [rect.right, rect.bottom, 1]]) @ m.T
        )
        whole = not repair.angle_degrees and not repair.mirrored
        margin = 0 if whole else 4
        x, y = (math.floor(v) - margin for v in corners.min(0))
        right, bottom = (math.ceil(v) + margin for v in corners.max(0))
        return Rect(x, y, right - x, bottom - y)

    def _source_of(self, repair: RepairPlan, rect: Rect, read: Callable[[Rect], Float32]) -> tuple[Float32, Bool]:
        """(3, h, w) what is taken for every pixel of a rectangle, and where the picture has it."""
        wanted = self._taken_from(repair, rect)
        inside = wanted.within(self._whole)
        planes, there = np.zeros((3, rect.h, rect.w), np.float32), np.zeros((rect.h, rect.w), np.bool_)
        if inside.empty:
            return planes, there
        light = read(inside)
        if not repair.angle_degrees and not repair.mirrored:
            at = inside.of(wanted)
            planes[(slice(None), *at)] = light
            there[at] = True
            return planes, there
        m = self._matrix(repair)
        ys, xs = np.mgrid[rect.y : rect.bottom, rect.x : rect.right] + 0.5
        map_x = (m[0, 0] * xs + m[0, 1] * ys + m[0, 2] - inside.x - 0.5).astype(np.float32)
        map_y = (m[1, 0] * xs + m[1, 1] * ys + m[1, 2] - inside.y - 0.5).astype(np.float32)
        for c in range(3):
            planes[c] = cv2.remap(light[c], map_x, map_y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        there = (map_x >= 0) & (map_y >= 0) & (map_x <= inside.w - 1) & (map_y <= inside.h - 1)
        return planes, there

    def _laid_over(
        self, repair: RepairPlan, rect: Rect, before: Float32, cover: Float32, read: Callable[[Rect], Float32]
    ) -> Float32:
        source, there = self._source_of(repair, rect, read)
        cover = np.where(there, cover, 0).astype(np.float32)
        if repair.heals:
            inside = cover > COVERED
            if not inside.any():
                return before
            shift = self._source.root_shift
            roots = healed(to_roots(before, shift), to_roots(source, shift), inside, there, self._close)
            source = from_roots(roots, shift)
        return _where_covered(before, mixed(before, source, cover * np.float32(repair.strength)), cover)

    def _covered(
        self, repair: RepairPlan, rect: Rect, before: Float32, cover: Float32, read: Callable[[Rect], Float32]
    ) -> Float32:
        result = np.empty_like(before)
        result[:] = np.asarray(repair.colour, np.float32)[:, None, None]
        if repair.grain:
            shift = self._source.root_shift
            light, there = self._source_of(repair, rect, read)
            grain = grain_of(to_roots(light, shift))
            result = from_roots(to_roots(result, shift) + np.where(there, grain, 0), shift)
        return _where_covered(before, mixed(before, result, cover * np.float32(repair.strength)), cover)

    # ----- removals

    def _surroundings(self, repair: RepairPlan, target: Rect) -> Rect:
        most = MOST_AROUND_PX if repair.fill or not self._quick else HURRIED_AROUND_PX
        around = min(max(int(repair.reach * max(target.w, target.h)), LEAST_AROUND_PX), most)
        region = target.grown(around)
        if repair.fill:
            fill = fill_from_text(repair.fill)
            used = fill.offsets
            leads = Rect(
                fill.left + int(used[:, 1].min()),
                fill.top + int(used[:, 0].min()),
                int(np.ptp(used[:, 1])),
                int(np.ptp(used[:, 0])),
            )
            leads = Rect(leads.x, leads.y, leads.w + fill.labels.shape[1], leads.h + fill.labels.shape[0])
            region = region.joined(leads.grown(2))
        return region.within(self._whole)

    def hole(self, repair: RepairPlan, rect: Rect) -> Bool:
        """Pixels that a removal takes away."""
        return self.cover(repair, rect) > REMOVED

    def fill_of(
        self, number: int, hot_pixels: bool, shift: ColourShift | None = None, breathe: Callable[[], None] = lambda: None
    ) -> Fill | None:
        """The fill of a removal looked for with all care, in pixels of the upright source; None when it removes nothing.

        Raises ``ValueError`` with a sentence when there is nothing to take from.
        """
        repair, target = self._repairs[number], self._chained()[number][1]
        if target.empty:
            return None
        region = self._surroundings(repair, target)
        planes = np.array(self._source.window(region.x, region.y, region.w, region.h, hot_pixels, shift), np.float32, order="C")
        self.over(planes, region, hot_pixels, shift, number)
        hole = self.hole(repair, region)
        if not hole.any():
            return None
        return self._looked_for(repair, region, planes, hole, False, breathe)

    def _looked_for(
        self, repair: RepairPlan, region: Rect, planes: Float32, hole: Bool, quick: bool, breathe: Callable[[], None]
    ) -> Fill:
        roots = to_roots(planes, self._source.root_shift)
        fill = found(roots, hole, ~hole, repair.seed, quick, breathe)
        return Fill(fill.left + region.x, fill.top + region.y, fill.labels, fill.offsets)

    def _removed(
        self, repair: RepairPlan, rect: Rect, before: Float32, cover: Float32, read: Callable[[Rect], Float32]
    ) -> Float32:
        region = self._surroundings(repair, self.target(repair)).joined(rect).within(self._whole)
        planes = read(region)
        hole = self.hole(repair, region)
        if not hole.any() or hole.all():
            return before
        shift = self._source.root_shift
        roots = to_roots(planes, shift)
        try:
            if repair.fill:
                fill = fill_from_text(repair.fill)
            else:
                fill = self._looked_for(repair, region, planes, hole, self._quick, lambda: None)
            result = blended(roots, hole, Fill(fill.left - region.x, fill.top - region.y, fill.labels, fill.offsets))
        except ValueError:
            # its strokes were changed, or it came from another frame: it is looked for again; else there is nothing to take
            return self._removed(replace(repair, fill=""), rect, before, cover, read) if repair.fill else before
        inside = hole[rect.of(region)]
        light = from_roots(result, shift)[(slice(None), *rect.of(region))]
        # what brightens by less than the hole itself is left as it was
        weight = inside.astype(np.float32) * np.float32(repair.strength)
        return _where_covered(before, mixed(before, light, weight), weight)


def _filled(first: NDArray[np.intp], step: int, size: int) -> Float32:
    """How many pixels of 0 to ``size`` lie in cells of ``step`` that begin at ``first``."""
    return (np.minimum(first + step, size) - np.maximum(first, 0)).astype(np.float32)


def _where_covered(before: Float32, after: Float32, cover: Float32) -> Float32:
    return np.where(cover > 0, after, before)
