"""Where frames of a view lie on each other to a few hundredths of a pixel: tiles of the whole pictures."""

from dataclasses import dataclass

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
    middles = _middles(first, second, sight_1, sight_2, most)
    tiles = [tile for middle in middles if (tile := _tile(first, middle)) is not None]
    looked = tiles
    # all of them at once: where a few places of one look takes longer to ask for than to work out
    for _ in range(ROUNDS):
        if not looked:
            break
        there = _between(_seen([tile.lattice + tile.aside for tile in looked], sight_1, sight_2) + half_size(second))
        looked = [tile for tile, places in zip(looked, there, strict=True) if _nearer(tile, places, first, second)]
    found = [tile for tile in tiles if tile.known and np.abs(tile.aside).max() <= MARGIN_PX - 2]
    if not found:
        return np.empty((0, 2)), np.empty((0, 2))
    places = np.array([tile.corner + (TILE_PX - 1) / 2 - half_size(first) for tile in found])
    moved = sight_2.places(sight_1.rays(places + np.array([tile.aside for tile in found])))
    return straight(places, sight_1.radial), straight(moved, sight_2.radial)


@dataclass
class _Tile:
    """A tile of the first frame, and how far from where the cameras look it was found in the second."""

    corner: NDArray[np.int64]
    lattice: Float64
    """(16, 2) places of 4 x 4 of its pixels, from the picture's middle."""
    own: Float32
    aside: Float64
    held: Float32 | None = None
    other: Float32 | None = None
    """What the second frame shows about it, in the first one's light, from pixel (x0, y0) on."""
    x0: int = 0
    y0: int = 0
    limits: tuple[float, float] = (0.0, 0.0)
    known: bool = False


def _tile(first: Opened, middle: Float64) -> _Tile | None:
    half = half_size(first)
    corner = np.floor(middle + half - TILE_PX / 2).astype(int)
    if (corner < 0).any() or corner[0] + TILE_PX > first.source.width or corner[1] + TILE_PX > first.source.height:
        return None
    lattice = np.stack(np.meshgrid(*(_COARSE + c for c in corner)), -1).reshape(-1, 2) - half
    own = first.source.window(int(corner[0]), int(corner[1]), TILE_PX, TILE_PX)[1]
    return _Tile(corner, lattice, own, np.zeros(2))


def _seen(places: list[Float64], sight_1: Sight, sight_2: Sight) -> Float64:
    """(n, 16, 2) places of the first frame -> in the second."""
    return sight_2.places(sight_1.rays(np.concatenate(places))).reshape(-1, 16, 2)


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


def _nearer(tile: _Tile, there: Float64, first: Opened, second: Opened) -> bool:
    """Moves a tile by what still lies aside, its pixels read ``there`` (2, TILE_PX, TILE_PX) in the second frame; whether to look
    once more. A tile that cannot be laid is not known afterwards."""
    tile.known = False
    if tile.other is None and not _held_against(tile, there, first, second):
        return False
    assert tile.other is not None and tile.held is not None
    moved = cv2.remap(
        tile.other, (there[0] - tile.x0).astype(np.float32), (there[1] - tile.y0).astype(np.float32), cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    more = tile_shift(tile.held, _held(moved, tile.limits))
    if more is None:
        return False
    tile.aside = tile.aside + more
    tile.known = True
    return bool(np.abs(more).max() >= 0.01)


def _held_against(tile: _Tile, there: Float64, first: Opened, second: Opened) -> bool:
    """Reads what the second frame shows about a tile; whether that can be compared."""
    x0, y0 = (int(v.min()) - MARGIN_PX for v in there)
    x1, y1 = (int(v.max()) + MARGIN_PX + 2 for v in there)
    if x0 < 0 or y0 < 0 or x1 > second.source.width or y1 > second.source.height or (x1 - x0) > 4 * TILE_PX:
        return False
    seen = second.source.window(x0, y0, x1 - x0, y1 - y0)[1]
    ratio = float(np.median(seen)) / max(float(np.median(tile.own)), 1e-9)
    floor = DARKEST * max(_dark(first), _dark(second) / max(ratio, 1e-9))
    top = 0.85 * min(_top(first), _top(second) / max(ratio, 1e-9))
    if not 2 * floor < top or float((tile.own < top).mean()) < 0.5:
        return False
    tile.other, tile.x0, tile.y0, tile.limits = seen / np.float32(max(ratio, 1e-9)), x0, y0, (floor, top)
    tile.held = _held(tile.own, tile.limits)
    return True


_COARSE = np.linspace(0, TILE_PX - 1, 4)


def _between(coarse: Float64) -> Float64:
    """(n, 16, 2) places of lattices of 4 x 4 over tiles -> (n, 2, TILE_PX, TILE_PX), x and y of their pixels, by the cubic
    through them."""
    return np.asarray(_CUBIC @ coarse.reshape(-1, 4, 4, 2).transpose(0, 3, 1, 2) @ _CUBIC.T)


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
