"""Where a repair lies: its cover of pixels, and the rectangle that holds it, in pixels of the upright source."""

import math
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.areas import shapes
from zincplate.plan.passes import Points, Stroke
from zincplate.plan.repairs import RepairPlan
from zincplate.sources.rect import Rect

Float32 = NDArray[np.float32]

KEPT_PX = 2_000_000
"""Largest cover that is kept for the next picture."""


def cover_of(repair: RepairPlan, rect: Rect, long_edge_px: float) -> Float32:
    """(h, w) 0..1 how much of a repair lies on every pixel of a rectangle, without its strength."""
    where = (repair.kind == "patch", repair.strokes, repair.outline, repair.soften_px, rect, long_edge_px)
    # it stays while where it is taken from moves
    return _kept_cover(*where) if rect.area <= KEPT_PX else _cover(*where)


def _cover(
    patch: bool, strokes: tuple[Stroke, ...], outline: Points, soften_px: float, rect: Rect, long_edge_px: float
) -> Float32:
    grid = shapes.Grid(rect.w, rect.h, float(rect.x), float(rect.y), 1.0, 1.0)
    if patch:
        return _outlined(np.asarray(outline) * long_edge_px, soften_px, rect)
    out = np.zeros((rect.h, rect.w), np.float32)
    if outline:
        out = _outlined(np.asarray(outline) * long_edge_px, 0.0, rect)
    for stroke in strokes:
        places = np.asarray(stroke.places, np.float64) * long_edge_px
        radii = shapes.radii_of(len(places), stroke.size * long_edge_px / 2, stroke.widths)
        there = shapes.reached(grid, places, radii)
        if there is None:
            continue
        part = grid.part(*there)
        if stroke.build_up:
            one = shapes.building_stroke(part, places, radii, stroke.hardness, stroke.flow)
        else:
            one = shapes.stroke(part, places, radii, stroke.hardness) * np.float32(stroke.flow)
        if stroke.erase:
            out[there] *= 1 - one
        else:
            out[there] += (1 - out[there]) * one
    return out


_kept_cover = lru_cache(maxsize=4)(_cover)


def extent_of(repair: RepairPlan, long_edge_px: float) -> Rect:
    """The rectangle that a repair may change something of; without width where nothing is drawn. It may reach beyond the
    picture."""
    if repair.kind == "patch":
        points = np.asarray(repair.outline) * long_edge_px
        low, high = points.min(0) - repair.soften_px, points.max(0) + repair.soften_px
    else:
        drawn = [s for s in repair.strokes if not s.erase]
        ends = [(np.asarray(s.places) * long_edge_px, s.size * long_edge_px / 2) for s in drawn]
        if repair.outline:
            ends.append((np.asarray(repair.outline) * long_edge_px, 0.0))
        if not ends:
            return Rect(0, 0, 0, 0)
        low = np.min([places.min(0) - radius for places, radius in ends], axis=0)
        high = np.max([places.max(0) + radius for places, radius in ends], axis=0)
    x, y = (math.floor(v) - 1 for v in low)
    right, bottom = (math.ceil(v) + 1 for v in high)
    return Rect(x, y, right - x, bottom - y)


def taken_within(repair: RepairPlan, rect: Rect, long_edge_px: float) -> NDArray[np.bool_]:
    """(h, w) in which pixels of a rectangle a removal may take."""
    if not repair.source_outline:
        return np.ones((rect.h, rect.w), np.bool_)
    return _outlined(np.asarray(repair.source_outline) * long_edge_px, 0.0, rect) > 0.5


def taken_extent(repair: RepairPlan, long_edge_px: float) -> Rect:
    """The rectangle about where a removal may take, where that was drawn."""
    points = np.asarray(repair.source_outline) * long_edge_px
    (x, y), (right, bottom) = np.floor(points.min(0)).astype(int), np.ceil(points.max(0)).astype(int)
    return Rect(int(x), int(y), int(right - x), int(bottom - y))


def _outlined(points: NDArray[np.float64], soften_px: float, rect: Rect) -> Float32:
    """(h, w) inside of an outline, smooth at its border over ``soften_px`` inwards."""
    scale = 16
    moved = np.round((points - [rect.x, rect.y]) * scale - scale / 2).astype(np.int32)
    out = np.zeros((rect.h, rect.w), np.uint8)
    cv2.fillPoly(out, [moved], 255, lineType=cv2.LINE_AA, shift=4)
    area = out.astype(np.float32) / np.float32(255)
    if soften_px <= 0.5:
        return area
    padded = cv2.copyMakeBorder((out > 127).astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
    depth = cv2.distanceTransform(padded, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[1:-1, 1:-1]
    t = np.clip(depth / np.float32(soften_px), 0, 1)
    return np.asarray(np.minimum(area, t * t * (3 - 2 * t)), np.float32)
