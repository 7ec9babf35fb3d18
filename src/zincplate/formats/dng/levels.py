"""From stored samples to linear values (DNG specification 1.7.1, chapter 5): table, black by place, white; and where the
picture lies."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.formats.errors import FileError
from zincplate.formats.tags import Directory

Samples = NDArray[Any]
Float64 = NDArray[np.float64]
_TABLE, _REPEAT, _BLACK, _DELTA_H, _DELTA_V, _WHITE = 50712, 50713, 50714, 50715, 50716, 50717
_ACTIVE, _MASKED, _CROP_ORIGIN, _CROP_SIZE, _SCALE, _USER_CROP = 50829, 50830, 50719, 50720, 50718, 51125
_LARGEST_REPEAT = 64


@dataclass(frozen=True)
class Rectangle:
    """Rows ``top`` to ``bottom`` and columns ``left`` to ``right``, the ends not included."""

    top: int
    left: int
    bottom: int
    right: int

    @property
    def height(self) -> int:
        """Rows."""
        return self.bottom - self.top

    @property
    def width(self) -> int:
        """Columns."""
        return self.right - self.left


def active_area(path: Path, image: Directory) -> Rectangle:
    """ActiveArea; raises ``FileError`` when it lies outside the picture."""
    width, height = image.integer(256), image.integer(257)
    area = image.numbers(_ACTIVE)
    if not area:
        return Rectangle(0, 0, height, width)
    if len(area) == 4:
        found = Rectangle(*(int(v) for v in area))
        if 0 <= found.top < found.bottom <= height and 0 <= found.left < found.right <= width:
            return found
    raise FileError(path, "Its active area lies outside the picture.")


def default_crop(image: Directory, width: int, height: int) -> tuple[int, int, int, int]:
    """x, y, width, height of the part to show, inside an active area of ``width`` x ``height``; the whole when it does not
    fit."""
    origin, size = image.numbers(_CROP_ORIGIN), image.numbers(_CROP_SIZE)
    if len(origin) == 2 and len(size) == 2 and np.isfinite((*origin, *size)).all():
        x, y, w, h = round(origin[0]), round(origin[1]), int(size[0] + 0.5), int(size[1] + 0.5)
        if x >= 0 and y >= 0 and w >= 1 and h >= 1 and x + w <= width and y + h <= height:
            return x, y, w, h
    return 0, 0, width, height


def crop_note(image: Directory, width: int, height: int) -> tuple[str, ...]:
    """A word when the file names a part to show that does not lie inside."""
    named = bool(image.numbers(_CROP_ORIGIN) or image.numbers(_CROP_SIZE))
    taken = default_crop(image, width, height)
    size = image.numbers(_CROP_SIZE)
    if named and taken == (0, 0, width, height) and tuple(int(v + 0.5) for v in size if v == v) != (width, height):
        return ("The part that the file wants shown lies outside its active area; all of that is shown.",)
    return ()


def pixel_shape(image: Directory) -> tuple[float, float]:
    """DefaultScale: how many finished pixels a stored one is wide and high, by its own larger number (1, 1 when square)."""
    scale = image.numbers(_SCALE)
    if len(scale) != 2 or not all(0.05 < v < 20 for v in scale):
        return 1.0, 1.0
    smaller = min(scale)
    return scale[0] / smaller, scale[1] / smaller


def user_crop(main: Directory, image: Directory) -> tuple[float, float, float, float] | None:
    """DefaultUserCrop: top, left, bottom, right as shares of the picture; None when there is none or it takes all."""
    found = image.numbers(_USER_CROP) or main.numbers(_USER_CROP)
    if len(found) != 4:
        return None
    top, left, bottom, right = found
    if not (0 <= top < bottom <= 1 and 0 <= left < right <= 1) or found == (0, 0, 1, 1):
        return None
    return top, left, bottom, right


@dataclass(frozen=True)
class Levels:
    """Black and white of the samples. ``black`` is (rows, columns, samples) and repeats from the first site of the active area
    on."""

    black: Float64
    white: Float64
    """(samples,)"""
    by_column: Float64 | None
    by_row: Float64 | None
    table: NDArray[np.uint16] | None
    notes: tuple[str, ...] = ()

    @property
    def plain(self) -> bool:
        """One black for each place of a pattern of at most 2 x 2, nothing by row or column."""
        return self.by_column is None and self.by_row is None and self.black.shape[0] <= 2 and self.black.shape[1] <= 2

    def top(self) -> Float64:
        """(samples,) the largest black level of each plane: what the scale is counted from."""
        most = self.black.max((0, 1))
        for by in (self.by_column, self.by_row):
            if by is not None:
                most = most + by.max()
        return np.asarray(most)

    def linear(self, samples: Samples) -> NDArray[np.float32]:
        """(h, w, samples) of the active area -> linear, 0 black, 1 white; what is above white stays above."""
        height, width = samples.shape[:2]
        scale = (1 / (self.white - self.top())).astype(np.float32)
        out = samples.astype(np.float32, copy=False)  # floating point is changed in place
        rows, columns = self.black.shape[:2]
        if rows == columns == 1 and np.ptp(self.black) == 0:
            if self.black[0, 0, 0]:
                out -= np.float32(self.black[0, 0, 0])
        else:
            for r in range(rows):
                for c in range(columns):
                    out[r::rows, c::columns] -= self.black[r, c].astype(np.float32)
        if self.by_column is not None:
            out -= self.by_column[:width].astype(np.float32)[None, :, None]
        if self.by_row is not None:
            out -= self.by_row[:height].astype(np.float32)[:, None, None]
        if np.ptp(scale) == 0:
            if scale[0] != 1:
                out *= scale[0]
        else:
            out *= scale
        return out


def levels_of(path: Path, image: Directory, samples: Samples, area: Rectangle) -> Levels:
    """Levels for samples (h, w, n) as stored; raises ``FileError`` when they contradict each other."""
    n, notes = samples.shape[2], []
    repeat = [int(v) for v in image.numbers(_REPEAT)] or [1, 1]
    if len(repeat) != 2 or not all(1 <= v <= _LARGEST_REPEAT for v in repeat):
        raise FileError(path, "Its black levels repeat in a way that cannot be.")
    rows, columns = repeat
    black = image.numbers(_BLACK)
    if not black:
        level = _masked(image, samples)
        if level is not None:
            notes.append("The file gives no black level; it was measured on its masked border.")
        values = np.full((1, 1, n), level or 0.0)
    elif len(black) == rows * columns * n:
        values = np.reshape(black, (rows, columns, n))
    elif len(black) == 1:
        values = np.full((1, 1, n), black[0])
    else:
        raise FileError(path, f"It gives {len(black)} black levels where {rows * columns * n} belong.")
    by_column, by_row = image.numbers(_DELTA_H), image.numbers(_DELTA_V)
    if (by_column and len(by_column) != area.width) or (by_row and len(by_row) != area.height):
        raise FileError(path, "It gives black levels for another number of rows or columns than it has.")
    table = None
    stored = image.numbers(_TABLE)
    if stored:
        if samples.dtype.kind != "u" or len(stored) > 65536:
            raise FileError(path, "Its table of linear values does not fit its samples.")
        table = np.clip(stored, 0, 65535).astype(np.uint16)
    bits = image.integer(258, 16)
    natural = 1.0 if samples.dtype.kind == "f" else float(2 ** min(bits, 32) - 1)
    if table is not None and not image.numbers(_WHITE):
        natural = float(table.max())
    white = image.numbers(_WHITE) or (natural,)
    if len(white) not in (1, n):
        raise FileError(path, f"It gives {len(white)} white levels where {n} belong.")
    levels = Levels(
        values.astype(np.float64),
        np.broadcast_to(np.asarray(white, np.float64), (n,)).copy(),
        np.asarray(by_column) if by_column and np.any(by_column) else None,
        np.asarray(by_row) if by_row and np.any(by_row) else None,
        table,
        tuple(notes),
    )
    finite = np.isfinite(levels.black).all() and np.isfinite(levels.white).all()
    if not finite or (levels.white - levels.top() <= 0).any():
        raise FileError(path, "Its white level is not above its black level.")
    return levels


def _masked(image: Directory, samples: Samples) -> float | None:
    """Median of the masked areas; None when there are none inside."""
    values = [int(v) for v in image.numbers(_MASKED) if v == v]
    height, width = samples.shape[:2]
    parts = []
    for i in range(0, len(values) - 3, 4):
        top, left, bottom, right = values[i : i + 4]
        if 0 <= top < bottom <= height and 0 <= left < right <= width:
            parts.append(samples[top:bottom, left:right].ravel())
    return float(np.median(np.concatenate(parts))) if parts else None


def through_table(samples: Samples, table: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """LinearizationTable: values beyond its end take its last entry."""
    full = np.full(65536 if samples.dtype.itemsize > 1 else 256, table[-1], np.uint16)
    full[: min(len(table), len(full))] = table[: len(full)]
    return np.asarray(np.take(full, samples if samples.dtype.itemsize <= 2 else np.minimum(samples, 65535)))
