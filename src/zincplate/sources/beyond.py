"""Where the picture ends: what is read there until something else is put there, and the light that repairs put there."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.resample import reduce_box
from zincplate.sources.rect import Rect

Float32 = NDArray[np.float32]
Bool = NDArray[np.bool_]

MOST_BEYOND = 1.0
"""How far beyond the picture repairs may reach, in long edges."""


@dataclass(frozen=True)
class Laid:
    """Light at full size that reaches beyond the picture: ``planes`` (3, h, w) where ``changed`` (h, w)."""

    rect: Rect
    planes: Float32
    changed: Bool


def inward(first: int, count: int, size: int, mirrored: bool) -> NDArray[np.intp]:
    """For ``count`` samples from ``first`` on the ones of 0 to ``size`` that stand for them: the last ones, or the mirror
    image's."""
    at = np.arange(first, first + count)
    if mirrored:
        at = at % (2 * size)
        at = np.minimum(at, 2 * size - 1 - at)
    return np.asarray(np.clip(at, 0, size - 1), np.intp)


def drawn_out(rect: Rect, whole: Rect, mirrored: bool) -> tuple[Rect, NDArray[np.intp], NDArray[np.intp]]:
    """The part of the whole that stands for a rectangle which reaches beyond it, and the rows and columns of that part which
    make the rectangle."""
    columns, rows = inward(rect.x, rect.w, whole.w, mirrored), inward(rect.y, rect.h, whole.h, mirrored)
    x, y = int(columns.min()), int(rows.min())
    inner = Rect(x, y, int(columns.max()) + 1 - x, int(rows.max()) + 1 - y)
    return inner, rows - y, columns - x


def outside(rect: Rect, whole: Rect) -> Bool:
    """(h, w) which pixels of a rectangle lie beyond the whole."""
    out = np.ones((rect.h, rect.w), np.bool_)
    inner = rect.within(whole)
    if not inner.empty:
        out[inner.of(rect)] = False
    return out


def lay_beyond(
    planes: Float32, laid: list[Laid], size: tuple[int, int], first: tuple[int, int], step: tuple[float, float]
) -> None:
    """Puts what is laid beyond a picture of a size into a window's planes (3, h, w), in place. The window's samples average
    ``step`` pixels each; its first one is number ``first``. What is laid within the picture is left: the plates have it."""
    height, width = planes.shape[1:]
    middles_x = (first[0] + np.arange(width) + 0.5) * step[0]
    middles_y = (first[1] + np.arange(height) + 0.5) * step[1]
    beyond_x, beyond_y = (middles_x < 0) | (middles_x > size[0]), (middles_y < 0) | (middles_y > size[1])
    for one in laid:
        r = one.rect
        x0, y0 = max(int(np.floor(r.x / step[0])) - first[0], 0), max(int(np.floor(r.y / step[1])) - first[1], 0)
        x1 = min(int(np.ceil(r.right / step[0])) - first[0], width)
        y1 = min(int(np.ceil(r.bottom / step[1])) - first[1], height)
        if x1 <= x0 or y1 <= y0:
            continue
        share = one.changed.astype(np.float32)
        both = np.concatenate([one.planes * share, share[None]])
        # with room about it, so that samples which look over its border see nothing there
        a, b = ((first[0] + x) * step[0] - r.x for x in (x0, x1))
        c, d = ((first[1] + y) * step[1] - r.y for y in (y0, y1))
        left, top = max(int(np.ceil(-a)), 0), max(int(np.ceil(-c)), 0)
        right, bottom = max(int(np.ceil(b)) - r.w, 0), max(int(np.ceil(d)) - r.h, 0)
        padded = np.pad(both, ((0, 0), (top, bottom), (left, right)))
        seen = reduce_box(padded, (a + left, b + left), (c + top, d + top), x1 - x0, y1 - y0)
        there = (beyond_y[y0:y1, None] | beyond_x[None, x0:x1]).astype(np.float32)
        part = planes[:, y0:y1, x0:x1]
        part += there * (seen[:3] - seen[3] * part)
