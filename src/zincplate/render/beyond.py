"""What a crop shows beyond the picture, as outlines that removals can fill."""

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.ops.drawn_places import POINT_SCALE
from zincplate.pipeline.framing import Framed
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.render import Renderer
from zincplate.sources.beyond import MOST_BEYOND
from zincplate.sources.file import Source

GRID = 1600
"""Cells along the longer side of what is looked at."""
ALONG = 96
"""Places along each side of the finished picture: lenses bend them."""
LEAST_CELLS = 6
MOST_PIECES = 24
NOTHING = "The crop shows nothing that lies beyond the picture."


def outlines_beyond(renderer: Renderer, source: Source, key: str, recipe: Recipe) -> list[list[int]]:
    """Outlines (x, y, x, y ... in 1/20,000 of the long edge, frame coordinates) of all that the crop shows beyond the picture
    and no repair has filled, one for each piece on each side; they overlap the picture a little, so that what is filled goes on
    from it. Raises :class:`RecipeError` when there is nothing."""
    repaired, repaired_key = renderer.repaired(source, key, recipe)
    framed = renderer.framed(repaired, repaired_key, source.plan(recipe).frame)
    if framed.bare == 0:
        raise RecipeError(NOTHING)
    width, height = framed.unturned
    long_edge = max(width, height)
    sides = _sides(framed) * long_edge
    if not np.isfinite(sides).all():
        raise RecipeError("A part of the crop lies past the horizon of the picture; there is nothing to fill it from.")
    room = MOST_BEYOND * long_edge
    low = np.maximum(sides.min(0), [-room, -room])
    high = np.minimum(sides.max(0), [width + room, height + room])
    cell = max(float((high - low).max()) / GRID, 1.0)
    columns, rows = (int(np.ceil(v)) + 4 for v in (high - low) / cell)
    origin = low - 2 * cell
    shown = np.zeros((rows, columns), np.uint8)
    cv2.fillPoly(shown, [np.round(16 * ((sides - origin) / cell - 0.5)).astype(np.int32)], 1, shift=4)
    # a border that runs through a cell belongs to it
    shown = cv2.dilate(shown, np.ones((3, 3), np.uint8))
    x = origin[0] + (np.arange(columns) + 0.5) * cell
    y = origin[1] + (np.arange(rows) + 0.5) * cell
    across, down = np.searchsorted([0, width], x), np.searchsorted([0, height], y)
    bare = (shown > 0) & ((across != 1)[None] | (down != 1)[:, None])
    if repaired.mended is not None:
        ys, xs = np.nonzero(bare)
        bare[ys, xs] = ~repaired.mended.fills_at(np.stack([x[xs], y[ys]], 1))
    found: list[tuple[int, list[int]]] = []
    for side in (
        across[None] == 0,
        across[None] == 2,
        (across[None] == 1) & (down == 0)[:, None],
        (across[None] == 1) & (down == 2)[:, None],
    ):
        count, labels = cv2.connectedComponents((bare & side).astype(np.uint8), connectivity=4)
        for number in range(1, count):
            piece = (labels == number).astype(np.uint8)
            size = int(piece.sum())
            if size >= LEAST_CELLS:
                found.append((size, _outline(piece, origin, cell, long_edge)))
    if not found:
        raise RecipeError(NOTHING)
    return [outline for _, outline in sorted(found, key=lambda f: -f[0])[:MOST_PIECES]]


def _sides(framed: Framed) -> NDArray[np.float64]:
    """(n, 2) places along the finished picture's border in frame coordinates."""
    w, h, t = framed.width, framed.height, np.linspace(0, 1, ALONG, endpoint=False)
    zero, one = np.zeros(ALONG), np.ones(ALONG)
    xs = np.concatenate([t, one, 1 - t, zero]) * w
    ys = np.concatenate([zero, t, one, 1 - t]) * h
    return framed.to_frame(np.stack([xs, ys], 1))


def _outline(piece: NDArray[np.uint8], origin: NDArray[np.float64], cell: float, long_edge: int) -> list[int]:
    grown = cv2.dilate(piece, np.ones((5, 5), np.uint8))
    contours, _ = cv2.findContours(grown, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    points = cv2.approxPolyDP(max(contours, key=len), 0.6, True).reshape(-1, 2)
    places = (origin + (points + 0.5) * cell) / long_edge
    return [int(v) for v in np.round(places * POINT_SCALE).ravel()]
