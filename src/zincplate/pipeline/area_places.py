"""Where samples of windows and of small pictures lie in a source, for areas: grids, drawn places, small planes seen at a size."""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.areas import shapes
from zincplate.core.geometry.resample import reduce_box
from zincplate.pipeline.framing import Framed
from zincplate.pipeline.windows import Window
from zincplate.plan.passes import Ring
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]


def grid_of(source: Source, window: Window) -> shapes.Grid:
    """Samples of a window in pixels of the source."""
    span_x, span_y = window.span(source)
    step_x, step_y = span_x / window.full_width, span_y / window.full_height
    x0, y0 = window.left + window.x * step_x, window.top + window.y * step_y
    return shapes.Grid(window.width, window.height, x0, y0, step_x, step_y)


def read_about(grid: shapes.Grid, scale_x: float, scale_y: float, height: int, width: int) -> tuple[slice, slice]:
    """Rows and columns of a small picture (height, width) that a window is read from; beyond its ends the last ones."""

    def stretch(start: float, length: float, scale: float, samples: int) -> slice:
        first = min(max(math.floor(start * scale) - 2, 0), samples - 1)
        return slice(first, max(math.ceil((start + length) * scale) + 2, first + 1))

    return (
        stretch(grid.y0, grid.height * grid.step_y, scale_y, height),
        stretch(grid.x0, grid.width * grid.step_x, scale_x, width),
    )


def averaged(grid: shapes.Grid, scale_x: float, scale_y: float) -> bool:
    """Whether a window is so much smaller than a small picture that its samples are averages."""
    return grid.step_x * scale_x > 1.5 or grid.step_y * scale_y > 1.5


def seen_at(small: Float32, source: Source, window: Window) -> Float32:
    """A small plane of the whole source at the samples of a window."""
    grid = grid_of(source, window)
    scale_x, scale_y = small.shape[1] / source.width, small.shape[0] / source.height
    if averaged(grid, scale_x, scale_y):
        # a window smaller than the small picture averages it, as it averages the plates
        columns = (grid.x0 * scale_x, (grid.x0 + grid.width * grid.step_x) * scale_x)
        rows = (grid.y0 * scale_y, (grid.y0 + grid.height * grid.step_y) * scale_y)
        return reduce_box(small[None], columns, rows, grid.width, grid.height)[0]
    matrix = np.array(
        [
            [grid.step_x * scale_x, 0, (grid.x0 + grid.step_x / 2) * scale_x - 0.5],
            [0, grid.step_y * scale_y, (grid.y0 + grid.step_y / 2) * scale_y - 0.5],
        ]
    )
    how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    seen = cv2.warpAffine(small, matrix, (grid.width, grid.height), flags=how, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(seen, np.float32)


def means_at(lab: Float32, grid: shapes.Grid, places: Float64) -> Float32:
    """(n, 3) means about places of the source."""
    x = np.clip(((places[:, 0] - grid.x0) / grid.step_x).astype(int), 0, grid.width - 1)
    y = np.clip(((places[:, 1] - grid.y0) / grid.step_y).astype(int), 0, grid.height - 1)
    about = np.arange(-2, 3)
    rows, columns = _mirrored(y[:, None] + about, grid.height), _mirrored(x[:, None] + about, grid.width)
    return np.asarray(lab[:, rows[:, :, None], columns[:, None, :]].mean((2, 3), dtype=np.float64).T, np.float32)


def _mirrored(index: NDArray[np.intp], size: int) -> NDArray[np.intp]:
    """Indexes that may lie some samples outside, mirrored at the ends (each end's sample twice)."""
    index = np.mod(index, 2 * size)
    return np.minimum(index, 2 * size - 1 - index)


def ellipse(framed: Framed, term: Ring) -> tuple[tuple[float, float], Float64]:
    """Middle and half axes (2, 2) of a ring in source pixels, turned and mirrored with the source."""
    angle = math.radians(term.angle_degrees)
    c, s = math.cos(angle), math.sin(angle)
    x, y = term.middle
    ends = np.array([[x, y], [x + term.radius_x * c, y + term.radius_x * s], [x - term.radius_y * s, y + term.radius_y * c]])
    places = framed.source_of_frame(ends)
    return pair(places[0]), places[1:] - places[0]


def pair(place: Float64) -> tuple[float, float]:
    """x and y of a place (2,)."""
    return float(place[0]), float(place[1])
