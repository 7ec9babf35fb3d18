"""Areas of passes as planes of a window: drawn shapes at the window's own size, looks measured once on a small picture.

Everything lies in the geometry of the (turned) source and is seen through the frame stage like the picture itself, so that an
area stays on its subject. What a place looks like is measured on the frame as it came in, on a picture 1,024 pixels long, and
carried to every size by guided-filter coefficients; so fit view, 1:1 and delivery agree, and no control of light moves an
area.
"""

import math
import threading
from collections.abc import Callable
from dataclasses import replace
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.areas import ranges, shapes, shaping
from zincplate.core.areas.raster import from_text
from zincplate.core.geometry.warp import warp_linear
from zincplate.core.kernels.light import to_float
from zincplate.core.kernels.oklab_planes import lab_planes
from zincplate.core.tone.low_planes import Moments, ev
from zincplate.pipeline.area_places import averaged, ellipse, grid_of, means_at, pair, read_about, seen_at
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.framing import Framed
from zincplate.pipeline.recorded import Reader
from zincplate.pipeline.windows import Window, scale_of, small_whole
from zincplate.plan.light import LightPlan
from zincplate.plan.passes import AreaPlan, Band, Brush, Colour, Depth, Edges, Found, Near, Ring, Stroke, Term, Tone
from zincplate.recipe.document import Recipe
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

LONG_EDGE = 1024
"""Of the small picture on which looks are measured."""
FEW_SAMPLES = 3.0
"""Growing and softening of more samples of the small picture than this happens there, of fewer at the window's size."""
STROKE_TONES = {"shadows": (0.0, 0.34), "midtones": (0.48, 0.6), "highlights": (0.74, 1.0)}
STROKE_SOFTNESS = 0.14
"""Ranges of Oklab lightness to which a stroke may be limited, and how far they run out: together they are everything."""
SEEN_PLACES = 24
"""Places along a stroke whose look decides what it keeps to."""
MOST_OF_A_PART = 48 << 20
"""Bytes of areas that are kept of one part of a delivery."""
FLAT: Float32 = np.empty((0, 0), np.float32)
"""Slopes on EV of an area that does not follow the picture."""


class _Last(threading.local):
    """What was asked for last: parts of a delivery are worked out on several threads."""

    part: object = None
    guided: object = None
    guide: Float32 | None = None

    def __init__(self) -> None:
        self.planes: dict[AreaPlan, Float32 | None] = {}


class Areas:
    """One per renderer. Small pictures, looks and finished planes are kept by what they depend on."""

    def __init__(self, read: Reader, small: ByteCache, windows: ByteCache) -> None:
        """Small pictures and looks, which are dear to find again, go into ``small``, planes of a window into ``windows``."""
        self._read, self._small, self._planes = read, small, windows
        self._last = _Last()

    def plane(self, framed: Framed, key: str, plan: AreaPlan, window: Window, keep: bool = True) -> Float32:
        """(h, w) of a window of the framed picture, 0..1. Raises ``ValueError`` for a found area that cannot be read."""
        there = self.within(framed, key, plan, window, keep)
        return np.zeros((window.height, window.width), np.float32) if there is None else there

    def within(self, framed: Framed, key: str, plan: AreaPlan, window: Window, keep: bool = True) -> Float32 | None:
        """The same, or None where it is known that nothing of the area lies in the window."""
        if not plan.terms and not plan.inverted:
            return np.ones((window.height, window.width), np.float32)

        def make() -> Float32 | None:
            source, source_key = framed.source, framed.source_key(key)
            if framed.direct:
                return self._in_source(framed, source, source_key, plan, framed.direct_window(window))
            part = framed.source_window(window, 2)
            area = self._in_source(framed, source, source_key, plan, part)
            if area is None:
                return None
            seen = warp_linear(area[None], framed.sampling(window, part), framed.map.radial, window.width, window.height)
            return np.clip(seen[0], 0, 1)

        if not keep:
            return self._once(((key, window, framed.key), plan), make)
        return self._planes.get((key, "area", plan, window, framed.key), make, _one)

    def beforehand(self, framed: Framed, key: str, plan: AreaPlan) -> list[Callable[[], object]]:
        """What windows of any place need of small pictures of the frame, each to be made by itself."""
        source, source_key = framed.source, framed.source_key(key)
        if _shaped_small(source, plan):
            return [partial(self._kept_whole, framed, source, source_key, plan)]
        looks = [look for term in plan.terms for look in _looks_of(term)]
        return [partial(self._kept_look, framed, source, source_key, look) for look in dict.fromkeys(looks)]

    def _once(self, asked: tuple[object, AreaPlan], make: Callable[[], Float32 | None]) -> Float32 | None:
        """An area of a part of a delivery: what a pass does to light and to colour ask for it one after the other."""
        part, plan = asked
        if self._last.part != part:
            self._last.part, self._last.planes = part, {}
        kept = self._last.planes
        if plan in kept:
            return kept[plan]
        area = make()
        if sum(map(_one, kept.values())) + _one(area) <= MOST_OF_A_PART:
            kept[plan] = area
        return area

    def _in_source(self, framed: Framed, source: Source, key: str, plan: AreaPlan, window: Window) -> Float32 | None:
        scale = scale_of(source, window)
        run_px = _run_px(plan)
        if _shaped_small(source, plan):
            area = self._carried(source, key, *self._kept_whole(framed, source, key, plan), window)
        elif run_px > 0:
            shape = (plan.close_px * scale, plan.smooth_px * scale, plan.grow_px * scale)
            soften = plan.soften_px * scale
            outer = window.grown(math.ceil(shape[0] + 4 * shape[1] + abs(shape[2]) + 2 * soften) + 2)
            area = self._joined(framed, source, key, plan.terms, outer)
            if area is not None:
                area = shaping.softened(shaping.shaped(area, *shape), soften)[window.inside(outer)]
        else:
            area = self._joined(framed, source, key, plan.terms, window)
        if area is None:
            return np.ones((window.height, window.width), np.float32) if plan.inverted else None
        if run_px > 0 or plan.cling > 0:
            area = np.clip(area, 0, 1)
        return np.ascontiguousarray(1 - area if plan.inverted else area, np.float32)

    def _kept_whole(self, framed: Framed, source: Source, key: str, plan: AreaPlan) -> tuple[Float32, Float32]:
        stage = (key, "whole area", plan)
        return self._small.get(stage, lambda: self._whole_area(framed, source, key, plan), _bytes)

    def _whole_area(self, framed: Framed, source: Source, key: str, plan: AreaPlan) -> tuple[Float32, Float32]:
        """Coefficients on EV of a whole area that is shaped on the small picture."""
        small = small_whole(source, LONG_EDGE)
        scale = scale_of(source, small)
        area = self._joined(framed, source, key, plan.terms, small)
        area = grid_of(source, small).zeros() if area is None else area
        area = shaping.shaped(area, plan.close_px * scale, plan.smooth_px * scale, plan.grow_px * scale)
        if plan.cling > 0:
            a, b = shaping.clinging(area, self._guide(source, key, small), plan.cling)
            soften = plan.soften_px * scale
            return shaping.softened(a, soften), shaping.softened(b, soften)
        area = shaping.softened(area, plan.soften_px * scale)
        return FLAT, area

    def _joined(self, framed: Framed, source: Source, key: str, terms: tuple[Term, ...], window: Window) -> Float32 | None:
        """None where nothing of it lies in the window."""
        if not terms:
            return np.ones((window.height, window.width), np.float32)
        area: Float32 | None = None
        for number, term in enumerate(terms):
            if number and area is None and term.join != "add":
                continue  # what is taken from nothing leaves nothing
            part = self._term(framed, source, key, term, window)
            if part is None and term.join == "add" and not term.inverted:
                continue
            if part is None:
                part = grid_of(source, window).zeros()
            area = shaping.joined(area, part, term.join, term.strength, term.inverted)
        return area

    def _term(self, framed: Framed, source: Source, key: str, term: Term, window: Window) -> Float32 | None:
        grid = grid_of(source, window)
        if isinstance(term, Band):
            places = framed.source_of_frame(np.array([term.full, term.none]))
            return shapes.band(grid, pair(places[0]), pair(places[1]))
        if isinstance(term, Ring):
            middle, axes = ellipse(framed, term)
            return shapes.ring(grid, middle, axes, term.softness)
        if isinstance(term, Brush):
            out: Float32 | None = None
            for stroke in term.strokes:
                there = None if stroke.erase and out is None else self._stroke(framed, source, key, stroke, window, grid)
                if there is None:
                    continue
                cover, rows, columns = there
                if out is not None:
                    shapes.laid(out[rows, columns], cover, stroke.erase)
                elif cover.shape == (grid.height, grid.width):
                    out = cover
                else:
                    out = grid.zeros()
                    out[rows, columns] = cover
            return out
        return self._carried(source, key, *self._kept_look(framed, source, key, term), window)

    def _stroke(
        self, framed: Framed, source: Source, key: str, stroke: Stroke, window: Window, grid: shapes.Grid
    ) -> tuple[Float32, slice, slice] | None:
        """Coverage of one stroke in the rows and columns of a window that it may reach; None for none."""
        long_edge = max(source.width, source.height)
        places = framed.source_of_frame(np.array(stroke.places))
        radii = shapes.radii_of(len(places), stroke.size * long_edge / 2, stroke.widths)
        there = shapes.reached(grid, places, radii)
        if there is None:
            return None
        if stroke.build_up:
            cover = shapes.building_stroke(grid.part(*there), places, radii, stroke.hardness, stroke.flow)
        else:
            cover = shapes.stroke(grid.part(*there), places, radii, stroke.hardness)
            if stroke.flow != 1:
                cover *= np.float32(stroke.flow)
        narrowed: list[tuple[Float32, Float32]] = []
        if stroke.near_edges:
            like = replace(stroke, size=0.1, hardness=0.0, flow=1.0, erase=False, build_up=False, widths=())
            narrowed.append(self._small.get((key, "like", like), lambda: self._like(source, key, places), _bytes))
        if stroke.tones != "all":
            narrowed.append(self._kept_look(framed, source, key, _tone_of(stroke)))
        for a, b in narrowed:
            share = self._carried(source, key, a, b, window, there)
            if share is None:
                return None
            cover *= share
        return cover, *there

    def _kept_look(self, framed: Framed, source: Source, key: str, term: Term) -> tuple[Float32, Float32]:
        return self._small.get((key, "look", term), lambda: self._look(framed, source, key, term), _bytes)

    def _look(self, framed: Framed, source: Source, key: str, term: Term) -> tuple[Float32, Float32]:
        """Coefficients of a term that depends on what places look like."""
        small = small_whole(source, LONG_EDGE)
        if isinstance(term, Found):
            found = _turned(from_text(term.raster), framed.plan.quarter_turns, framed.plan.mirror)
            area = cv2.resize(found, (small.width, small.height), interpolation=cv2.INTER_LINEAR)
            return self._fine(source, key, np.clip(area, 0, 1), shaping.FOUND_RADIUS)
        if isinstance(term, Depth):
            return self._fine(source, key, _at_depth(source.depth, term, small), shaping.FOUND_RADIUS)
        lab = self.lab(source, key)
        if isinstance(term, Tone):
            area = ranges.between(lab[0], term.low, term.high, term.softness)
        elif isinstance(term, Colour):
            area = ranges.colour(lab, (term.lightness, term.a, term.b), term.reach)
        elif isinstance(term, Near):
            place = framed.source_of_frame(np.array([term.place]))[0]
            grid = grid_of(source, small)
            x, y = grid.places()
            seen = means_at(lab, grid, place[None])[0]
            centre = (float(seen[0]), float(seen[1]), float(seen[2]))
            reach = term.reach * max(source.width, source.height)
            area = ranges.near(lab, centre, term.tolerance, ranges.Fading(x, y, pair(place), reach))
        elif isinstance(term, Edges):
            area = ranges.edges(lab[0], term.threshold, term.width_px * scale_of(source, small))
        else:
            raise TypeError(type(term).__name__)
        return self._fine(source, key, area)

    def _like(self, source: Source, key: str, places: Float64) -> tuple[Float32, Float32]:
        """Coefficients of what looks like the places that a stroke's middle went over."""
        lab, grid = self.lab(source, key), grid_of(source, small_whole(source, LONG_EDGE))
        along = places[np.linspace(0, len(places) - 1, min(len(places), SEEN_PLACES)).round().astype(int)]
        return self._fine(source, key, ranges.like_any(lab, means_at(lab, grid, along)))

    def _fine(self, source: Source, key: str, area: Float32, radius: int = shaping.FINE_RADIUS) -> tuple[Float32, Float32]:
        """Coefficients of an area that was found on the small picture."""
        guide = self._guide(source, key, small_whole(source, LONG_EDGE))
        moments = self._small.get((key, "moments", radius), lambda: Moments.of(guide, radius), lambda m: 2 * m.mean.nbytes)
        return shaping.fine(area, guide, radius, moments)

    def lab(self, source: Source, key: str) -> Float32:
        """Oklab (3, h, w) of the whole frame as it came in, 1,024 pixels long."""

        def make() -> Float32:
            small = small_whole(source, LONG_EDGE)
            planes = np.ascontiguousarray(self._read(source, key, small, False))
            light = np.empty_like(planes)
            to_float(planes, source.tables(Recipe.neutral(source.raw), "rec2020", linear_output=True), light)
            return lab_planes(light)

        return self._small.get((key, "lab"), make, lambda a: a.nbytes)

    def _guide(self, source: Source, key: str, window: Window) -> Float32:
        """EV of a window at neutral exposure and the balance as shot."""
        weights = source.luminance_weights(LightPlan(source.raw, source.as_shot_xy, source.as_shot_xy))
        if window == small_whole(source, LONG_EDGE):
            return self._small.get((key, "guide"), lambda: ev(self._read(source, key, window, False), weights), _one)
        if self._last.guided != (key, window) or self._last.guide is None:
            self._last.guided, self._last.guide = (key, window), ev(self._read(source, key, window, False), weights)
        return self._last.guide

    def _carried(
        self, source: Source, key: str, a: Float32, b: Float32, window: Window, part: tuple[slice, slice] | None = None
    ) -> Float32 | None:
        """An area from its coefficients at a window's size, or in some of its rows and columns; None where there is nothing about
        them."""
        small, seen = small_whole(source, LONG_EDGE), window if part is None else window.part(*part)
        if window == small and part is None:
            return np.clip(a * self._guide(source, key, small) + b, 0, 1) if a.size else b.copy()  # joins write to it
        grid = grid_of(source, seen)
        scale_x, scale_y = b.shape[1] / source.width, b.shape[0] / source.height
        there = read_about(grid, scale_x, scale_y, *b.shape)
        if not b[there].any() and not (a.size and a[there].any()):
            return None
        if not a.size:
            return seen_at(b, source, seen)
        guide = self._guide(source, key, window)
        guide = guide if part is None else np.ascontiguousarray(guide[part])
        if averaged(grid, scale_x, scale_y):
            return np.clip(seen_at(a, source, seen) * guide + seen_at(b, source, seen), 0, 1)
        out = grid.empty()
        x0, y0 = (grid.x0 + grid.step_x / 2) * scale_x - 0.5, (grid.y0 + grid.step_y / 2) * scale_y - 0.5
        shaping.carried(a, b, guide, x0, y0, grid.step_x * scale_x, grid.step_y * scale_y, out)
        return out


def _run_px(plan: AreaPlan) -> float:
    """Over how many pixels of the full picture an area is grown, softened or smoothed."""
    return max(abs(plan.grow_px), plan.soften_px, plan.close_px, plan.smooth_px)


def _shaped_small(source: Source, plan: AreaPlan) -> bool:
    """Whether an area is put together on the small picture, not at a window's size."""
    return plan.cling > 0 or _run_px(plan) * scale_of(source, small_whole(source, LONG_EDGE)) > FEW_SAMPLES


def _tone_of(stroke: Stroke) -> Tone:
    low, high = STROKE_TONES[stroke.tones]
    return Tone(low=low, high=high, softness=STROKE_SOFTNESS)


def _looks_of(term: Term) -> list[Term]:
    """What a term looks for on the small picture, wherever it lies."""
    if isinstance(term, Brush):
        return [_tone_of(stroke) for stroke in term.strokes if stroke.tones != "all"]
    return [] if isinstance(term, Band | Ring) else [term]


def _at_depth(depth: Float32 | None, term: Depth, small: Window) -> Float32:
    """A range of a depth map at the size of the small picture; nothing without a map."""
    if depth is None:
        return np.zeros((small.height, small.width), np.float32)
    # first the range, then the size: the mean of near and far is a depth where nothing is
    area = ranges.between(depth, term.low, term.high, term.softness)
    shrinks = depth.shape[1] > small.width
    return np.asarray(
        cv2.resize(area, (small.width, small.height), interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR), np.float32
    )


def _turned(area: Float32, quarter_turns: int, mirror: bool) -> Float32:
    out = np.rot90(area, -quarter_turns)
    return np.ascontiguousarray(out[:, ::-1] if mirror else out)


def _bytes(planes: tuple[Float32, ...]) -> int:
    return sum(p.nbytes for p in planes)


def _one(plane: Float32 | None) -> int:
    return 64 if plane is None else plane.nbytes
