"""What is kept of a picture, and how much one may differ from it.

A record is the shape, means of blocks and some hundred values at places drawn by lot; a whole file of them is a few hundred
kilobytes. Another processor may round otherwise, so the last codes of 16 bits are left free, and a few places may fall on the
other side of a step.
"""

import zlib
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

FOLDER = Path(__file__).parent / "kept"
PLACES = 240
BLOCKS = 8
Record = NDArray[np.float32]


def recorded(name: str, values: NDArray[np.floating] | NDArray[np.integer]) -> Record:
    """One record (3 + means + values,) of anything of up to three axes; ``name`` draws the places."""
    found = np.asarray(values, np.float64)
    found = found.reshape((1,) * (3 - found.ndim) + found.shape)
    if found.shape[0] <= 4 < found.shape[2]:  # planes
        found = np.moveaxis(found, 0, 2)
    rows, columns = (np.linspace(0, n, BLOCKS + 1).astype(int) for n in found.shape[:2])
    sums = np.concatenate([np.zeros((1, *found.shape[1:])), found.cumsum(0)])[rows]
    sums = np.concatenate([np.zeros((len(rows), 1, found.shape[2])), sums.cumsum(1)], axis=1)[:, columns]
    counts = np.maximum(np.diff(rows)[:, None] * np.diff(columns), 1)[..., None]
    means = np.diff(np.diff(sums, axis=0), axis=1) / counts
    rng = np.random.default_rng(zlib.crc32(name.encode()))
    drawn = found.ravel()[(rng.random(PLACES) * found.size).astype(np.int64)]
    return np.concatenate([found.shape, means.ravel(), drawn]).astype(np.float32)


def difference(before: Record, now: Record, tolerance: float) -> str:
    """Why ``now`` is another picture than ``before``; nothing where it is the same. ``tolerance`` is in units of the values."""
    if not np.array_equal(before[:3], now[:3]):
        return f"its size was {before[:3].astype(int).tolist()} and is {now[:3].astype(int).tolist()}"
    off = np.abs(before[3:].astype(np.float64) - now[3:])
    means, places = off[:-PLACES], off[-PLACES:]
    if not np.isfinite(now).all():
        return "not all of it is a number"
    if means.max(initial=0) > tolerance:
        return f"the mean of a block differs by {means.max():.3g}"
    # a few places may lie on a step
    if np.quantile(places, 0.98) > 2 * tolerance:
        return f"values differ by up to {places.max():.3g}, {(places > 2 * tolerance).mean():.0%} of them notably"
    return ""


def kept(group: str) -> dict[str, Record]:
    """All records of a group by their names."""
    with np.load(FOLDER / f"{group}.npz") as file:
        return {name: file[name] for name in file.files}


def keep(group: str, records: dict[str, Record]) -> None:
    """Writes them."""
    FOLDER.mkdir(exist_ok=True)
    np.savez_compressed(FOLDER / f"{group}.npz", **records)  # type: ignore[arg-type]
