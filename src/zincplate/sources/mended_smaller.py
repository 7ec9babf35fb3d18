"""Repairs worked out on a reduced plate: as good as a hand that moves one sees, at the cost of what is on the screen.

What was worked out at full size already is taken from there, so only what moves is less exact.
"""

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache, reduce

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.orientation import on_sensor, to_sensor
from zincplate.core.sensor.colour_shift import ColourShift
from zincplate.plan.repairs import RepairPlan
from zincplate.sources.mend import NOTHING_HIGH, Cells, Mend, Piece, Unknown, cells_of, in_pieces
from zincplate.sources.readers import Plate
from zincplate.sources.rect import Rect
from zincplate.sources.repaired import Known, Mended

Float32 = NDArray[np.float32]


class _Reduced:
    """An upright plate as a source of its own."""

    def __init__(self, plate: Plate, root_shift: float) -> None:
        self._planes, self.root_shift = plate.planes, root_shift
        self.height, self.width = plate.planes.shape[1:]

    def window(self, x: int, y: int, w: int, h: int, hot_pixels: bool = False, shift: ColourShift | None = None) -> Float32:
        return np.array(self._planes[:, y : y + h, x : x + w], np.float32, order="C")


class MendedSmaller(Mended):
    """The repairs of a recipe on an upright plate that averages pixels; places are those of its samples."""

    def __init__(self, full: Mended, plate: Plate) -> None:
        """``full`` are the same at full size."""
        self._full, self._step = full, plate.step
        self._origin = plate.origin_x, plate.origin_y
        long_edge = full.long_edge_px
        plans = tuple(_on_plate(r, plate.step, *self._origin, long_edge) for r in full.repairs)
        reduced = _Reduced(plate, full.root_shift)
        super().__init__(
            reduced, f"{full.key}\0by {plate.step}", plans, full.cache, full.quick, True, full.mirrored, small=full.small
        )
        self.long_edge_px = long_edge / plate.step

    def all_cells(self, step: int, origin: tuple[int, int], hot_pixels: bool, orientation: int = 1) -> list[Cells]:
        """What every repair adds to the plate (its own step and origin), as the sensor's orientation has it."""
        whole, found = self.whole, []
        for mend in self.mends(hot_pixels, None):
            for piece in mend.pieces:
                r = piece.rect.within(whole)
                if not r.empty:
                    x, y, _, _ = to_sensor(r.x, r.y, r.w, r.h, whole.w, whole.h, orientation)
                    found.append(((x, y), on_sensor(piece.difference[(slice(None), *r.of(piece.rect))], orientation, 1)))
        return found

    def mend(self, number: int, hot_pixels: bool, shift: ColourShift | None, known: Known | None = None) -> Mend | None:
        repair = self.repairs[number]
        exact = self._full.kept(number, hot_pixels, None)
        if isinstance(exact, Unknown):
            kept = self._full.kept_on_reduced(number, self._step, self._origin, hot_pixels)
            if kept is not None:
                return self._on_plate(*kept, number, hot_pixels)
            if repair.kind == "removal" and repair.fill:
                exact = self._full.mend(number, hot_pixels, None)
        if isinstance(exact, Unknown):
            return super().mend(number, hot_pixels, None, known)
        pieces, highest = (exact.pieces, exact.highest) if exact is not None else ((), NOTHING_HIGH)
        found = [cells_of(piece, self._full.whole, self._step, self._origin) for piece in pieces]
        return self._on_plate([cells for cells in found if cells is not None], highest, number, hot_pixels)

    def _on_plate(self, found: Sequence[Cells], highest: Float32, number: int, hot_pixels: bool) -> Mend | None:
        parts = [(Rect(*at, cells.shape[2], cells.shape[1]), cells) for at, cells in found]
        if not parts:
            return None
        rect = reduce(Rect.joined, (part for part, _ in parts)).within(self.whole)
        difference = np.zeros((3, rect.h, rect.w), np.float32)
        for there, cells in parts:
            part = there.within(rect)
            difference[(slice(None), *part.of(rect))] += cells[(slice(None), *part.of(there))]
        after = self.plain(rect, hot_pixels, None)
        self.over(after, rect, hot_pixels, None, number)
        after += difference
        changed = np.asarray(difference.any(0), np.bool_)
        return Mend(in_pieces(Piece(rect, after, changed, difference)), highest)


def as_seen(mended: Mended, step: int, hot_pixels: bool) -> Mended:
    """The repairs as they are worked out for a plate that averages ``step`` pixels: on it while they move, and while a long one
    waits for its fill, which is soon there and would take a hurried one seconds at full size."""
    if step < 2 or mended.reduced is None or not (mended.moving or mended.awaits_long_fill):
        return mended
    return MendedSmaller(mended, mended.reduced(step, hot_pixels))


@lru_cache(maxsize=2048)
def _on_plate(repair: RepairPlan, step: int, origin_x: int, origin_y: int, long_edge_px: float) -> RepairPlan:
    """The same repair where places are counted from a plate's first sample on."""
    # grain is what averages lose
    out = replace(repair, soften_px=repair.soften_px / step, grain=False)
    dx, dy = -origin_x / long_edge_px, -origin_y / long_edge_px
    if not dx and not dy:
        return out
    strokes = tuple(replace(s, places=tuple((x + dx, y + dy) for x, y in s.places)) for s in repair.strokes)
    outline = tuple((x + dx, y + dy) for x, y in repair.outline)
    taken = tuple((x + dx, y + dy) for x, y in repair.source_outline)
    return replace(out, strokes=strokes, outline=outline, source_outline=taken)
