"""Where a clone, heal, patch or the grain of a cover is taken from, and what stands there."""

import math
from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.plan.repairs import RepairPlan
from zincplate.sources.rect import Rect

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]


def away_px(repair: RepairPlan, long_edge_px: float) -> tuple[int, int]:
    """Whole columns and rows from a place to where it is taken from."""
    return round(repair.away[0] * long_edge_px), round(repair.away[1] * long_edge_px)


def matrix_of(repair: RepairPlan, long_edge_px: float) -> NDArray[np.float64]:
    """(2, 3) from a place to where it is taken from, in pixels: turned about where the first stroke began."""
    dx, dy = away_px(repair, long_edge_px)
    if not repair.angle_degrees and not repair.mirrored:
        return np.array([[1.0, 0, dx], [0, 1.0, dy]])
    # on half pixels, so that mirror images and quarter turns are copies to the value
    x, y = np.rint(2 * long_edge_px * np.asarray(repair.strokes[0].places[0])) / 2
    a = -math.radians(repair.angle_degrees)
    turn = np.array([[math.cos(a), -math.sin(a)], [math.sin(a), math.cos(a)]])
    if repair.mirrored:
        turn = np.diag([-1.0, 1.0]) @ turn
    middle = np.array([x, y])
    return np.column_stack([turn, middle + np.array([dx, dy]) - turn @ middle])


def taken_from(repair: RepairPlan, rect: Rect, long_edge_px: float) -> Rect:
    """The rectangle that is read for another; it may lie beside the picture."""
    m = matrix_of(repair, long_edge_px)
    corners = (
        np.array([[rect.x, rect.y, 1], [rect.right, rect.y, 1], [rect.x, rect.bottom, 1], [rect.right, rect.bottom, 1]]) @ m.T
    )
    margin = 4 if repair.angle_degrees or repair.mirrored else 0
    x, y = (math.floor(v) - margin for v in corners.min(0))
    right, bottom = (math.ceil(v) + margin for v in corners.max(0))
    return Rect(x, y, right - x, bottom - y)


def takes_nothing(repair: RepairPlan, target: Rect, whole: Rect) -> bool:
    """Whether all of a repair would be taken from beside the picture."""
    if target.empty or repair.kind == "removal" or (repair.kind == "cover" and not repair.grain):
        return False
    return taken_from(repair, target, max(whole.w, whole.h)).within(whole).empty


def source_of(
    repair: RepairPlan, rect: Rect, whole: Rect, long_edge_px: float, read: Callable[[Rect], Float32]
) -> tuple[Float32, Bool]:
    """(3, h, w) what is taken for every pixel of a rectangle, and where the picture (``whole``) has it."""
    wanted = taken_from(repair, rect, long_edge_px)
    inside = wanted.within(whole)
    if inside.empty:
        return np.zeros((3, rect.h, rect.w), np.float32), np.zeros((rect.h, rect.w), np.bool_)
    light = read(inside)
    if inside == wanted and not repair.angle_degrees and not repair.mirrored:
        return light, np.ones((rect.h, rect.w), np.bool_)
    if not repair.angle_degrees and not repair.mirrored:
        planes, there = np.zeros((3, rect.h, rect.w), np.float32), np.zeros((rect.h, rect.w), np.bool_)
        at = inside.of(wanted)
        planes[(slice(None), *at)] = light
        there[at] = True
        return planes, there
    planes = np.empty((3, rect.h, rect.w), np.float32)
    m = matrix_of(repair, long_edge_px)
    ys, xs = np.mgrid[rect.y : rect.bottom, rect.x : rect.right] + 0.5
    map_x = (m[0, 0] * xs + m[0, 1] * ys + m[0, 2] - inside.x - 0.5).astype(np.float32)
    map_y = (m[1, 0] * xs + m[1, 1] * ys + m[1, 2] - inside.y - 0.5).astype(np.float32)
    for c in range(3):
        planes[c] = cv2.remap(light[c], map_x, map_y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    there = (map_x >= 0) & (map_y >= 0) & (map_x <= inside.w - 1) & (map_y <= inside.h - 1)
    return planes, there
