"""Where frames of a view lie on each other to a few hundredths of a pixel: tiles of the whole pictures."""

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import tile_shift
from zincplate.merges.panorama.places import Sight, half_size, straight
from zincplate.merges.view import Opened

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

TILE_PX = 72
MARGIN_PX = 8
ROUNDS = 3
DARKEST = 4.0
"""Standard deviations of noise; darker is not compared."""


def shared_tiles(
    first: Opened, second: Opened, sight_1: Sight, sight_2: Sight, most: int
) -> tuple[Float64, Float64]:  # fmt: skip
    """(n, 2) places of each, without the lens's distortion where it is known, that show the same."""
    ones, twos = [], []
    for middle in _middles(first, second, sight_1, sight_2, most):
        found = _shift(first, second, middle, sight_1, sight_2)
        if found is not None:
            ones.append(found[0])
            twos.append(found[1])
    if not ones:
        return np.empty((0, 2)), np.empty((0, 2))
    return np.array(ones), np.array(twos)


def _middles(
    first: Opened, second: Opened, sight_1: Sight, sight_2: Sight, most: int
) -> list[Float64]:  # fmt: skip
    """Middles of tiles in the first frame, from its middle, spread evenly over what both show."""
    w, h = first.source.width, first.source.height
    edge = TILE_PX / 2 + MARGIN_PX
    count = 48
    x = np.linspace(edge - w / 2, w / 2 - edge, count)
    y = np.linspace(edge - h / 2, h / 2 - edge, count)
    xx, yy = np.meshgrid(x, y)
    places = np.stack([xx.ravel(), yy.ravel()], 1)
    there = sight_2.places(sight_1.rays(places))
    room = 1.5 * edge
    w2, h2 = second.source.width / 2 - room, second.source.height / 2 - room
    inside = (np.abs(there[:, 0]) < w2) & (np.abs(there[:, 1]) < h2)
    both = places[inside]
    if len(both) <= most:
        return list(both)
    # a lattice over the overlap: every place of a coarser grid once
    across, down = np.ptp(both, 0) + 1
    cell = max(float(np.sqrt(across * down * len(both) / (count * count) / most)), 1.0)
    cell = max(cell, np.sqrt(across * down / (1.3 * most)))
    keys = np.floor((both - both.min(0)) / cell).astype(int)
    _, chosen = np.unique(keys[:, 0] * 10_000 + keys[:, 1], return_index=True)
    return list(both[chosen])


def _shift(
    first: Opened, second: Opened, middle: Float64, sight_1: Sight, sight_2: Sight
) -> tuple[Float64, Float64] | None:  # fmt: skip
    half_1, half_2 = half_size(first), half_size(second)
    corner = np.floor(middle + half_1 - TILE_PX / 2).astype(int)
    here = np.stack(np.meshgrid(*(_COARSE + c for c in corner)), -1).reshape(-1, 2) - half_1
    if (corner < 0).any() or corner[0] + TILE_PX > first.source.width or corner[1] + TILE_PX > first.source.height:
        return None
    own = first.source.window(int(corner[0]), int(corner[1]), TILE_PX, TILE_PX)[1]
    aside = np.zeros(2)
    other: Float32 | None = None
    x0 = y0 = 0
    limits = (0.0, 0.0)
    for _ in range(ROUNDS):
        there = _between(sight_2.places(sight_1.rays(here + aside)) + half_2)
        if other is None:
            x0, y0 = (int(v) - MARGIN_PX for v in there.min((0, 1)))
            x1, y1 = (int(v) + MARGIN_PX + 2 for v in there.max((0, 1)))
            if x0 < 0 or y0 < 0 or x1 > second.source.width or y1 > second.source.height or (x1 - x0) > 4 * TILE_PX:
                return None
            seen = second.source.window(x0, y0, x1 - x0, y1 - y0)[1]
            ratio = float(np.median(seen)) / max(float(np.median(own)), 1e-9)
            other = seen / np.float32(max(ratio, 1e-9))
            floor = DARKEST * max(_dark(first), _dark(second) / max(ratio, 1e-9))
            top = 0.85 * min(_top(first), _top(second) / max(ratio, 1e-9))
            if not 2 * floor < top or float((own < top).mean()) < 0.5:
                return None
            limits = (floor, top)
        moved = cv2.remap(
            other, (there[..., 0] - x0).astype(np.float32), (there[..., 1] - y0).astype(np.float32), cv2.INTER_CUBIC,
            borderMode=cv2.BORDER_REPLICATE,
        )  # fmt: skip
        more = tile_shift(_held(own, limits), _held(moved, limits))
        if more is None:
            return None
        aside = aside + more
        if np.abs(more).max() < 0.01:
            break
    if np.abs(aside).max() > MARGIN_PX - 2:
        return None
    place = (corner + (TILE_PX - 1) / 2 - half_1)[None]
    one, two = straight(place, sight_1.radial)[0], straight(sight_2.places(sight_1.rays(place + aside)), sight_2.radial)[0]
    return one, two


_COARSE = np.linspace(0, TILE_PX - 1, 4)


def _between(coarse: Float64) -> Float64:
    """(16, 2) places of a lattice of 4 x 4 over a tile -> (TILE_PX, TILE_PX, 2) of its pixels, by the cubic through them."""
    return np.stack([_CUBIC @ plane @ _CUBIC.T for plane in coarse.reshape(4, 4, 2).transpose(2, 0, 1)], -1)


def _cubic() -> Float64:
    t = np.arange(TILE_PX) / (TILE_PX - 1) * 3
    return np.stack([np.prod([(t - k) / (i - k) for k in range(4) if k != i], 0) for i in range(4)], 1)


_CUBIC = _cubic()


def _held(green: Float32, limits: tuple[float, float]) -> Float32:
    return np.log2(np.clip(green, *limits)).astype(np.float32)


def _dark(frame: Opened) -> float:
    return float(np.sqrt(frame.noise[1][1]))


def _top(frame: Opened) -> float:
    """Of green plate values."""
    return float(frame.source.ceiling / np.asarray(frame.source.as_shot_neutral)[1])
