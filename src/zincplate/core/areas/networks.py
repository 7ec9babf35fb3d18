"""Running the small learned networks that come with the application (models/README), and the squares they look at."""

from functools import cache
from pathlib import Path
from threading import Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

_ONE_AT_A_TIME = Lock()
"""A network has one place for its input, and two requests may look for people at once."""
MODELS = Path(__file__).parent / "models"
SHARES = (1.0, 0.75, 0.5)
"""Of the short side: sizes of the squares that are looked at, besides the whole picture."""
MOST_SQUARES = 9
"""In one direction: in a very long strip squares lie farther apart."""


@cache
def _network(name: str) -> Any:
    from ai_edge_litert.interpreter import Interpreter  # takes a moment to load: only who looks for people waits for it

    network = Interpreter(str(MODELS / name), num_threads=2)
    network.allocate_tensors()
    return network


def run(name: str, picture: Float32) -> list[Float32]:
    """What a network says of a picture (h, w, 3) of its size: its outputs, without the axis of the batch."""
    with _ONE_AT_A_TIME:
        network = _network(name)
        network.set_tensor(network.get_input_details()[0]["index"], np.ascontiguousarray(picture[None], np.float32))
        network.invoke()
        return [network.get_tensor(output["index"])[0] for output in network.get_output_details()]


def chance(logit: Float32) -> Float64:
    """Logits -> 0..1."""
    return np.asarray(1 / (1 + np.exp(-np.clip(logit.astype(np.float64), -60, 60))))


def anchors(size: int, layers: tuple[tuple[int, int], ...]) -> Float64:
    """Middles of a detector's cells, 0..1 (n, 2): for each layer its stride in pixels and how many it has in a cell."""
    found = []
    for stride, number in layers:
        cells = size // stride
        y, x = np.mgrid[0:cells, 0:cells]
        middles = np.stack([(x.ravel() + 0.5) / cells, (y.ravel() + 0.5) / cells], 1)
        found.append(np.repeat(middles, number, axis=0))
    return np.concatenate(found)


def square(srgb: Float32, x0: float, y0: float, side: float, size: int) -> Float32:
    """A square of a picture at a size; what lies outside is black."""
    scale = size / side
    return cut(srgb, np.array([[scale, 0, -x0 * scale], [0, scale, -y0 * scale]]), size)


def cut(srgb: Float32, matrix: Float64, size: int) -> Float32:
    """A picture seen through a matrix (2, 3) from its places to those of a square; averaged where it becomes much smaller."""
    scale = float(np.hypot(matrix[0, 0], matrix[0, 1]))
    if scale < 0.5:
        step = int(0.5 / scale) + 1
        height, width = srgb.shape[:2]
        srgb = cv2.resize(srgb, (max(width // step, 1), max(height // step, 1)), interpolation=cv2.INTER_AREA)
        matrix = matrix.copy()
        matrix[:, :2] *= [width / srgb.shape[1], height / srgb.shape[0]]
    return np.asarray(cv2.warpAffine(srgb, matrix, (size, size), flags=cv2.INTER_LINEAR, borderValue=(0, 0, 0)), np.float32)


def squares(height: int, width: int) -> list[tuple[float, float, float]]:
    """Left, top and side of the squares of a picture that are looked at: all of it, then parts that overlap."""
    long, short = max(height, width), min(height, width)
    found = [((width - long) / 2, (height - long) / 2, float(long))]
    for share in SHARES:
        side = share * short
        found += [(float(x), float(y), side) for y in _along(height, side) for x in _along(width, side)]
    return found


def _along(length: int, side: float) -> Float64:
    """Where squares of a side begin along a length: a third apart, no more of them than :data:`MOST_SQUARES`."""
    return np.linspace(0, length - side, min(1 + round((length - side) / (side / 3)), MOST_SQUARES))
