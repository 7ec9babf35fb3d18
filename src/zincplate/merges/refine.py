"""The last tenths of a pixel: tiles of the whole pictures, where reduced ones gave the place to a few of them."""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import tile_shift
from zincplate.core.merging.placement import Placement, fitted_field
from zincplate.merges.view import Opened, View

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

TILE_PX = 72
MARGIN_PX = 6
CELLS = 12, 8
"""Across and down: the best tile of each cell is looked at."""


Tiles = dict[tuple[int, int], Float32]
"""Green of the reference's tiles by their middles: the same ones are looked at for every frame."""


def refined(
    base: Opened,
    frame: Opened,
    placement: Placement,
    drawing: Float32,
    view: View,
    ratio: float,
    limits: tuple[float, float],
    tiles: Tiles,
) -> tuple[Placement, float, int]:
    """A placement with the smooth field that tiles ask for, the median of what they still lie apart, and how many told it.

    ``drawing`` is the reduced reference as a logarithm of light; ``ratio`` the frame's light against the reference's; ``limits``
    the light that both can show, in the reference's unit; ``tiles`` is filled, and used for the next frame.
    """
    found = []
    for x, y in _places(drawing, view, placement):
        shift = _shift(base, frame, placement, x, y, ratio, limits, tiles)
        if shift is not None:
            found.append((x, y, *shift))
    if len(found) < 4:
        return placement, 0.0, 0
    at_x, at_y, apart_x, apart_y = np.array(found, np.float64).T
    there_x, there_y = placement.at(at_x, at_y)
    moved_px = float(np.median(np.hypot(there_x - at_x, there_y - at_y)))
    field = fitted_field(at_x, at_y, apart_x, apart_y, placement.width, placement.height, moved_px)
    if field is None:
        return placement, float(np.median(np.hypot(apart_x, apart_y))), len(found)
    bent = Placement(placement.homography, placement.width, placement.height, field)
    before, after = placement.at(at_x, at_y), bent.at(at_x, at_y)
    rest = np.hypot(apart_x - (after[0] - before[0]), apart_y - (after[1] - before[1]))
    return bent, float(np.median(rest)), len(found)


def _places(drawing: Float32, view: View, placement: Placement) -> list[tuple[int, int]]:
    """Middles of tiles, at full size, where there is most drawing in both directions."""
    corners = cv2.cornerMinEigenVal(cv2.GaussianBlur(drawing, (0, 0), 1.0), max(TILE_PX // view.step, 3), ksize=3)
    rows, columns = corners.shape
    across, down = CELLS
    half = TILE_PX // 2 + MARGIN_PX
    places = []
    for i in range(down):
        for k in range(across):
            top, left = i * rows // down, k * columns // across
            cell = corners[top : (i + 1) * rows // down, left : (k + 1) * columns // across]
            if not cell.size or cell.max() < 1e-5:
                continue
            y, x = np.unravel_index(int(cell.argmax()), cell.shape)
            full_x = (left + int(x)) * view.step + view.step // 2 + math.floor(view.origin[0])
            full_y = (top + int(y)) * view.step + view.step // 2 + math.floor(view.origin[1])
            places.append((min(max(full_x, half), placement.width - half), min(max(full_y, half), placement.height - half)))
    return places


def _shift(
    base: Opened,
    frame: Opened,
    placement: Placement,
    x: int,
    y: int,
    ratio: float,
    limits: tuple[float, float],
    tiles: Tiles,
) -> tuple[float, float] | None:
    half = TILE_PX // 2
    left, top = x - half, y - half
    xx, yy = np.meshgrid(np.arange(left, left + TILE_PX, dtype=np.float64), np.arange(top, top + TILE_PX, dtype=np.float64))
    there_x, there_y = placement.at(xx, yy)
    x0, y0 = int(there_x.min()) - MARGIN_PX, int(there_y.min()) - MARGIN_PX
    w, h = int(there_x.max()) + MARGIN_PX + 2 - x0, int(there_y.max()) + MARGIN_PX + 2 - y0
    if left < 0 or top < 0 or left + TILE_PX > placement.width or top + TILE_PX > placement.height:
        return None
    if x0 < 0 or y0 < 0 or x0 + w > frame.source.width or y0 + h > frame.source.height:
        return None
    if (x, y) not in tiles:
        tiles[x, y] = base.source.window(left, top, TILE_PX, TILE_PX)[1].copy()
    own = _held(tiles[x, y], limits)
    other = _held(frame.source.window(x0, y0, w, h)[1] / np.float32(ratio), limits)
    aside_x = aside_y = 0.0
    for _ in range(2):
        moved = cv2.remap(
            other, (there_x + aside_x - x0).astype(np.float32), (there_y + aside_y - y0).astype(np.float32), cv2.INTER_CUBIC
        )
        more = tile_shift(own, moved)
        if more is None:
            return None
        aside_x, aside_y = aside_x + more[0], aside_y + more[1]
    return aside_x, aside_y


def _held(green: Float32, limits: tuple[float, float]) -> Float32:
    return np.log2(np.clip(green, *limits)).astype(np.float32)
