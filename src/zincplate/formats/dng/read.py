"""A DNG file, whole: which of its images, its samples, its levels, its colours and its steps -> a mosaic or camera planes.

A mosaic of red, green and blue in twos (the usual camera) stays a mosaic of 16-bit sites, demosaiced when it is looked at.
What is anything else becomes camera planes here: linear files, sensors of 6 x 6 or of four colours, mosaics in floating point,
and files that ask for steps after demosaicing which do not belong to the lens.
"""

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.formats.dng import colour as colours
from zincplate.formats.dng import levels, steps
from zincplate.formats.dng.samples import UnknownLayout, read_samples
from zincplate.formats.errors import FileError
from zincplate.formats.tags import Directory

Samples = NDArray[Any]
CFA, LINEAR_RAW = 32803, 34892
_PEDESTAL = 2048
"""Black of mosaics that were made linear here: room for noise below black."""
_MOST_SIDE_OF_PATTERN = 16


@dataclass(frozen=True)
class Picture:
    """What a DNG file holds: ``mosaic`` (h, w) uint16 with 2 x 2 pattern and levels, or ``planes`` (h, w, 3) float32 camera
    values."""

    mosaic: NDArray[np.uint16] | None
    planes: NDArray[np.float32] | None
    colour: colours.Colour
    cfa: tuple[int, int, int, int] = (0, 1, 1, 2)
    black: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    white: float = 65535.0
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Pattern:
    """Planes of the sites of a mosaic from the first of the active area on, and how many planes there are."""

    planes_of_sites: NDArray[np.int64]
    planes: int

    @property
    def bayer(self) -> tuple[int, int, int, int] | None:
        """The four sites of a mosaic of red, green, green and blue whose greens touch at their corners; else None."""
        flat = tuple(int(v) for v in self.planes_of_sites.ravel())
        if self.planes == 3 and self.planes_of_sites.shape == (2, 2) and sorted(flat) == [0, 1, 1, 2]:
            a, b, c, d = flat
            if a == d == 1 or b == c == 1:
                return a, b, c, d
        return None


def pattern_of(path: Path, main: Directory, image: Directory) -> Pattern:
    """The colour filter array; raises ``FileError``."""
    size = [int(v) for v in image.numbers(33421)]
    codes = [int(v) for v in image.numbers(33422)]
    if image.integer(50711, 1) != 1:
        raise FileError(path, "Its sensor has staggered rows or columns, which cannot be read.")
    if len(size) != 2 or not all(1 <= v <= _MOST_SIDE_OF_PATTERN for v in size) or len(codes) != size[0] * size[1]:
        raise FileError(path, "It does not say which colours its sensor sees.")
    order = [int(v) for v in image.numbers(50710)] or [0, 1, 2]
    if not set(codes) <= set(order) or len(set(order)) != len(order) or set(codes) != set(order):
        raise FileError(path, "The colours of its sensor do not agree with each other.")
    if len(order) not in (3, 4):
        raise FileError(path, f"Its sensor has {len(order)} colours; three and four can be worked with.")
    sites = np.array([order.index(code) for code in codes], np.int64).reshape(size)
    rows, columns = sites.shape
    # a larger pattern may be a smaller one, repeated
    for height in (r for r in range(1, rows + 1) if rows % r == 0):
        for width in (c for c in range(1, columns + 1) if columns % c == 0):
            if (np.tile(sites[:height, :width], (rows // height, columns // width)) == sites).all():
                part = sites[:height, :width]
                if part.shape in ((1, 2), (2, 1), (1, 1)):
                    part = np.tile(part, (2 // height, 2 // width))
                return Pattern(part, len(order))
    return Pattern(sites, len(order))


def main_image(main: Directory) -> Directory | None:
    """The full-size raw image: the largest that is not called a preview, mask or depth map; None when there is none."""
    found = [d for d in main.all_images() if d.integer(262) in (CFA, LINEAR_RAW) and d.integer(254) == 0]
    found += [d for d in main.all_images() if d.integer(262) in (CFA, LINEAR_RAW) and 254 not in d.values and d not in found]
    return max(found, key=lambda d: d.integer(256) * d.integer(257)) if found else None


def beside(main: Directory) -> tuple[str, ...]:
    """What lies beside the raw image and is not used, as a note."""
    kinds = {4: "a transparency mask", 16: "an enhanced picture", 65540: "masks"}
    found = sorted({kinds[d.integer(254)] for d in main.all_images() if d.integer(254) in kinds})
    return (f"Beside the raw picture the file holds {' and '.join(found)}; not used.",) if found else ()


def read(path: Path, main: Directory, image: Directory) -> Picture:
    """The picture, of the default crop; raises ``FileError``, or ``UnknownLayout`` for what is left to LibRaw."""
    linear_raw = image.integer(262) == LINEAR_RAW
    if not linear_raw and image.integer(277, 1) != 1:
        raise FileError(path, "Its mosaic has several samples in one place.")
    samples, unreal = read_samples(path, image)
    samples = samples[..., None] if samples.ndim == 2 else samples
    pattern = None if linear_raw else pattern_of(path, main, image)
    planes = samples.shape[2] if pattern is None else pattern.planes
    if pattern is None and planes not in (1, 3, 4):
        raise FileError(path, f"It has {planes} colours; one, three and four can be worked with.")
    area = levels.active_area(path, image)
    crop = levels.default_crop(image, area.width, area.height)
    todo = steps_of(path, image)
    colour = _colour(path, main, planes)
    notes = list(notes_of(path, main, image, planes, colour))
    if unreal:
        notes.append("Values that are not numbers were set to black.")

    whole = samples.dtype.kind in "ui"
    over_sensor = None if pattern is None else np.roll(pattern.planes_of_sites, (area.top, area.left), (0, 1))
    if todo.raw:
        if samples.dtype == np.uint8:
            samples = samples.astype(np.uint16)  # steps may go beyond eight bits
        samples, moved = steps.work_list(path, todo.raw, samples, 65535.0 if whole else 1.0, over_sensor, notes)
        if moved != (0, 0):
            raise FileError(path, "The file's list of steps trims the sensor before its levels are known.")
    found = levels.levels_of(path, image, samples, area)
    notes += found.notes
    if found.table is not None:
        samples = levels.through_table(samples, found.table)
    samples = samples[area.top : area.bottom, area.left : area.right]

    shape = levels.pixel_shape(image)
    bayer = pattern.bayer if pattern is not None else None
    picture = Picture(None, None, colour)
    stays = bayer is not None and whole and not todo.planes and shape == (1.0, 1.0) and colour.reduction is None
    if stays and bayer is not None:
        return _mosaic(path, picture, samples, found, todo, bayer, crop, notes)
    values = found.linear(samples)
    values, moved = steps.work_list(path, todo.linear, values, 1.0, None if pattern is None else pattern.planes_of_sites, notes)
    if pattern is not None:
        pattern = replace(pattern, planes_of_sites=np.roll(pattern.planes_of_sites, (-moved[0], -moved[1]), (0, 1)))
        values = _demosaiced(values[..., 0], pattern, _neutral_of(main, colour, planes))
    if planes == 1:
        values = np.repeat(values, 3, 2)
    elif colour.reduction is not None:
        values = _reduced(values, colour, colours.four_neutral(main))
    values, trimmed = steps.work_list(path, todo.planes, values, 1.0, None, notes)
    values = _shown(values, crop, (moved[0] + trimmed[0], moved[1] + trimmed[1]))
    if shape != (1.0, 1.0):
        values = _square(values, shape)
    return replace(picture, planes=np.ascontiguousarray(values, np.float32), notes=tuple(notes))


def notes_of(path: Path, main: Directory, image: Directory, planes: int, colour: colours.Colour | None = None) -> tuple[str, ...]:
    """What is ignored or assumed, as far as the tags tell it; raises ``FileError`` or ``UnknownLayout``."""
    area = levels.active_area(path, image)
    found = [*steps_of(path, image).notes, *levels.crop_note(image, area.width, area.height), *beside(main)]
    found += (colour or _colour(path, main, planes)).notes
    if levels.user_crop(main, image) is not None:
        found.append("The file proposes to show a part of the picture only; all of it is shown.")
    if image.integer(262) == CFA and (pattern := pattern_of(path, main, image)).bayer is None:
        found.append(_sensor_note(pattern))
    if levels.pixel_shape(image) != (1.0, 1.0):
        found.append("Its pixels are not square; the picture was stretched.")
    return tuple(dict.fromkeys(found))


def steps_of(path: Path, image: Directory) -> steps.Steps:
    """The steps of a file, sorted; raises ``FileError``."""
    area = levels.active_area(path, image)
    x, y, w, h = levels.default_crop(image, area.width, area.height)
    return steps.steps_of(path, image, x + (w - 1) / 2, y + (h - 1) / 2, area.width, area.height)


def _mosaic(
    path: Path,
    picture: Picture,
    samples: Samples,
    found: levels.Levels,
    todo: steps.Steps,
    bayer: tuple[int, int, int, int],
    crop: tuple[int, int, int, int],
    notes: list[str],
) -> Picture:
    x, y, w, h = crop
    black, white, moved = found.black[..., 0], float(found.white[0]), (0, 0)
    if samples.dtype.kind == "u" and samples.dtype.itemsize <= 2 and found.plain and not todo.linear:
        sites = samples[..., 0].astype(np.uint16, copy=False)
    else:
        values, moved = steps.work_list(path, todo.linear, found.linear(samples), 1.0, np.reshape(bayer, (2, 2)), notes)
        codes = np.clip(values[..., 0], -1, 1) * (65535 - _PEDESTAL) + _PEDESTAL
        sites = np.rint(np.maximum(codes, 0)).astype(np.uint16)
        black, white = np.full((1, 1), float(_PEDESTAL)), 65535.0
    y, x = max(y - moved[0], 0), max(x - moved[1], 0)
    shift = (y + moved[0], x + moved[1])
    part = np.ascontiguousarray(sites[y : y + h, x : x + w])
    four = np.tile(black, (2 // black.shape[0], 2 // black.shape[1]))
    colours_at = np.roll(np.reshape(bayer, (2, 2)), (-shift[0], -shift[1]), (0, 1)).ravel()
    black_at = np.roll(four, (-shift[0], -shift[1]), (0, 1)).ravel()
    return replace(
        picture,
        mosaic=part,
        cfa=(int(colours_at[0]), int(colours_at[1]), int(colours_at[2]), int(colours_at[3])),
        black=(float(black_at[0]), float(black_at[1]), float(black_at[2]), float(black_at[3])),
        white=white,
        notes=tuple(notes),
    )


def _colour(path: Path, main: Directory, planes: int) -> colours.Colour:
    if planes == 1:
        return colours.monochrome(main)
    found = colours.camera_colour(path, main, planes)
    if found is None:
        raise UnknownLayout("no colour matrix")
    return found


def _neutral_of(main: Directory, colour: colours.Colour, planes: int) -> NDArray[np.float64]:
    return colours.four_neutral(main) if planes == 4 else np.asarray(colour.camera.as_shot_neutral)


def _demosaiced(sites: NDArray[np.float32], pattern: Pattern, neutral: NDArray[np.float64]) -> NDArray[np.float32]:
    """(h, w) linear sites -> (h, w, planes) camera values."""
    rows, columns = pattern.planes_of_sites.shape
    scale = neutral[pattern.planes_of_sites].astype(np.float32)
    for r in range(rows):
        for c in range(columns):
            sites[r::rows, c::columns] /= scale[r, c]
    if (bayer := pattern.bayer) is not None and min(sites.shape) >= 2:
        from zincplate.core.sensor.demosaic import demosaic_sites

        balanced = np.moveaxis(demosaic_sites(sites, divmod(bayer.index(0), 2)), 0, -1)
    else:
        from zincplate.core.sensor.demosaic_any import demosaic_any

        balanced = demosaic_any(sites, pattern.planes_of_sites, pattern.planes)
    return np.asarray(balanced * neutral.astype(np.float32), np.float32)


def _sensor_note(pattern: Pattern) -> str:
    rows, columns = pattern.planes_of_sites.shape
    return f"The sensor's pattern is {columns} x {rows}, not the usual one of Bayer; its colours were worked out while reading."


def _reduced(values: NDArray[np.float32], colour: colours.Colour, neutral: NDArray[np.float64]) -> NDArray[np.float32]:
    assert colour.reduction is not None
    balanced = (values / neutral.astype(np.float32)) @ colour.reduction.T
    return np.asarray(balanced * np.asarray(colour.camera.as_shot_neutral, np.float32), np.float32)


def _shown(values: NDArray[np.float32], crop: tuple[int, int, int, int], moved: tuple[int, int]) -> NDArray[np.float32]:
    x, y, w, h = crop
    y, x = max(y - moved[0], 0), max(x - moved[1], 0)
    return values[y : y + h, x : x + w]


def _square(values: NDArray[np.float32], shape: tuple[float, float]) -> NDArray[np.float32]:
    import cv2

    height, width = values.shape[:2]
    size = (max(round(width * shape[0]), 1), max(round(height * shape[1]), 1))
    return np.asarray(cv2.resize(np.ascontiguousarray(values), size, interpolation=cv2.INTER_LANCZOS4), np.float32)
