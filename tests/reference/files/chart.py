"""Twenty-four known patches as a camera or a file would hold them, and how far what was read is from them.

Colours are those of the ColorChecker of 2014 in colour-science (X-Rite's published values), adapted to D65 with Bradford's
matrix."""

from functools import cache
from pathlib import Path

import colour
import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.colour_spaces import REC2020
from zincplate.formats.decoded import Decoded
from zincplate.sources.file import Source

Float64 = NDArray[np.float64]
PATCH = 16
ROWS, COLUMNS = 4, 6
HEIGHT, WIDTH = ROWS * PATCH, COLUMNS * PATCH
WHITE = 0.8
"""Level of a perfect white in the pictures."""
D65 = (0.3127, 0.3290)


@cache
def patches_xyz() -> Float64:
    """(24, 3) XYZ under D65, white (0.9505, 1, 1.089)."""
    chart = colour.CCS_COLOURCHECKERS["ColorChecker24 - After November 2014"]
    xyz = colour.xyY_to_XYZ(np.array(list(chart.data.values())))
    source = colour.xy_to_XYZ(chart.illuminant)
    return np.asarray(colour.chromatic_adaptation(xyz, source, colour.xy_to_XYZ(D65), method="Von Kries", transform="Bradford"))


def picture(values: Float64) -> Float64:
    """(24, n) -> (HEIGHT, WIDTH, n), each patch PATCH pixels."""
    grid = values.reshape(ROWS, COLUMNS, -1)
    return np.asarray(np.repeat(np.repeat(grid, PATCH, 0), PATCH, 1))


def read_xyz(decoded: Decoded) -> Float64:
    """(24, 3) XYZ of the patches as the application sees them as shot, white level as in :func:`patches_xyz`.

    Works on any size of which the chart fills all: the middle of each patch is read.
    """
    source = Source(decoded)
    planes = source.window(0, 0, source.width, source.height).astype(np.float64)
    if source.camera is not None:
        gain = 2.0**source.camera.baseline_exposure_ev
        matrix = source.camera.matrices.balanced_to_working(source.as_shot_xy) * gain
    else:
        matrix = np.reshape(source.to_working, (3, 3))
    found = []
    for row in range(ROWS):
        for column in range(COLUMNS):
            y, x = (row + 0.5) * source.height / ROWS, (column + 0.5) * source.width / COLUMNS
            half = max(int(min(source.height / ROWS, source.width / COLUMNS) / 5), 1)
            part = planes[:, int(y) - half : int(y) + half, int(x) - half : int(x) + half]
            found.append(REC2020.to_xyz @ matrix @ part.mean((1, 2)))
    return np.asarray(found) / WHITE


def worst_difference(decoded: Decoded, expected_xyz: Float64 | None = None) -> float:
    """Largest dE00 of the patches."""
    expected = patches_xyz() if expected_xyz is None else expected_xyz
    found = read_xyz(decoded)
    labs = [colour.XYZ_to_Lab(v, D65) for v in (expected, found)]
    return float(np.max(colour.delta_E(*labs, method="CIE 2000")))


def save(path: Path, data: bytes) -> Path:
    """Writes and returns the path."""
    path.write_bytes(data)
    return path
