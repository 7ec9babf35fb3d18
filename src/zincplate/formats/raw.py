"""Camera raw files: DNG by its own tags, everything else through LibRaw."""

import mmap
from dataclasses import replace
from pathlib import Path

import numpy as np
import rawpy

from zincplate.formats import libraw, tags
from zincplate.formats.capture import CaptureData, facts_of
from zincplate.formats.decoded import Decoded
from zincplate.formats.description import merged
from zincplate.formats.dng import levels, read
from zincplate.formats.dng.depth import read_depth
from zincplate.formats.dng.lens import own_lens
from zincplate.formats.dng.samples import JPEG, UnknownLayout, layout_of
from zincplate.formats.errors import FileError
from zincplate.formats.libraw import SizeCheck
from zincplate.formats.preview import preview_of
from zincplate.formats.preview_pictures import Preview

DNG_VERSION = 50706
_PREVIEW, _YCBCR = 1, 6
_NOISE_PROFILE = 51041
_MAKERS_NOTES = (37500, 50740)
_WANTED = {"exposure_time_s", "f_number", "iso", "focal_length_mm", "captured_at"}


def _tags(path: Path) -> tuple[tags.Directory, tags.Directory]:
    """First directory, and the one of the full-size raw image (the same when not a DNG)."""
    try:
        with open(path, "rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:
            main = tags.read_directories(data)[0]
    except tags.TagError:
        return tags.Directory(), tags.Directory()
    return main, read.main_image(main) or main


def _check_complete(path: Path, image: tags.Directory, check: SizeCheck) -> None:
    width, height = image.integer(256), image.integer(257)
    if width and height:
        check(path, width, height)
    share = tags.stored_fraction(image, path.stat().st_size)
    if share < 1:
        raise FileError(path, f"The picture data end after {share:.0%}. Copy it from the card again.")


def _own(main: tags.Directory, image: tags.Directory) -> bool:
    return DNG_VERSION in main.values and image.integer(262) in (read.CFA, read.LINEAR_RAW)


def raw_facts(path: Path, check: SizeCheck) -> tuple[CaptureData, Preview | None]:
    """Facts and the embedded preview (upright, small) without unpacking the mosaic.

    What could not be decoded later is refused here: cut-off files, and tags that contradict each other.
    """
    main, image = _tags(path)
    _check_complete(path, image, check)
    if _own(main, image):
        try:
            notes = _check_tags(path, main, image)
            capture = _capture(path, main, image)
            capture = replace(capture, notes=tuple(dict.fromkeys((*notes, *capture.notes))))
            return capture, _preview(path, main, capture.orientation)
        except UnknownLayout:
            pass
    return libraw.libraw_facts(path, main, image, check)


def decode_raw(path: Path, check: SizeCheck) -> Decoded:
    """Mosaic (Bayer) or camera planes (anything else) with colour facts; raises :class:`FileError`."""
    main, image = _tags(path)
    _check_complete(path, image, check)
    if not _own(main, image):
        return libraw.decode_libraw(path, main, image, check)
    try:
        found = read.read(path, main, image)
    except UnknownLayout:
        return libraw.decode_libraw(path, main, image, check)
    capture = _capture(path, main, image)
    depth, trouble = read_depth(path, main)
    notes = (*found.notes, trouble) if trouble else found.notes
    if found.mosaic is not None:
        profile = _noise_profile(main, image)
        return Decoded(
            "mosaic", found.mosaic, capture, found.colour.camera, None, found.cfa, found.black, found.white, notes, profile, depth
        )
    assert found.planes is not None
    # whole numbers clip at their white level; floating point goes on as far as it goes
    ceiling = max(float(found.planes.max()), 1.0) if image.integer(339, 1) == 3 else 1.0
    return Decoded("camera", found.planes, capture, found.colour.camera, white=ceiling, notes=notes, depth=depth)


def _noise_profile(main: tags.Directory, image: tags.Directory) -> tuple[tuple[float, float], ...]:
    """NoiseProfile (DNG 1.7.1): one pair for all colours or one for each; passed over when it makes no sense."""
    values = image.numbers(_NOISE_PROFILE) or main.numbers(_NOISE_PROFILE)
    pairs = tuple(zip(values[::2], values[1::2], strict=False))
    sound = len(values) in (2, 6) and all(0 < slope < 0.1 and 0 <= offset < 0.01 for slope, offset in pairs)
    return pairs * (3 // len(pairs)) if sound else ()


def _check_tags(path: Path, main: tags.Directory, image: tags.Directory) -> tuple[str, ...]:
    """Everything that :func:`read.read` would refuse without looking at the samples; what it would note."""
    layout = layout_of(path, image)
    pattern = None if image.integer(262) == read.LINEAR_RAW else read.pattern_of(path, main, image)
    planes = pattern.planes if pattern is not None else layout.samples
    area = levels.active_area(path, image)
    nothing = np.broadcast_to(np.zeros(1, layout.dtype), (layout.height, layout.width, layout.samples))
    found = levels.levels_of(path, image, nothing, area)
    if planes not in (1, 3, 4):
        raise FileError(path, f"It has {planes} colours; one, three and four can be worked with.")
    return (*read.notes_of(path, main, image, planes), *found.notes)


def _capture(path: Path, main: tags.Directory, image: tags.Directory) -> CaptureData:
    found = merged(facts_of(main), main.data(700), main.data(33723))
    noted = any(tag in d.values for tag in _MAKERS_NOTES for d in (main, main.exif) if d is not None)
    if noted and not found.keys() >= _WANTED:
        # LibRaw reads the notes of the makers, at the price of unpacking the picture
        try:
            with rawpy.imread(str(path)) as raw:
                found = {**libraw.facts_of_libraw(raw), **found}
        except rawpy.LibRawError:
            pass  # what the tags say is all there is
    area = levels.active_area(path, image)
    lens = own_lens(read.steps_of(path, image).lens, area.width, area.height)
    _, _, width, height = levels.default_crop(image, area.width, area.height)
    shape = levels.pixel_shape(image)
    width, height = max(round(width * shape[0]), 1), max(round(height * shape[1]), 1)
    if found.get("orientation", 1) >= 5:
        width, height = height, width
    stored, floating = image.integer(258, 16), image.integer(339, 1) == 3
    bits = stored if floating else image.integer(50717).bit_length() or stored
    return CaptureData(
        file_type="DNG",
        width=width,
        height=height,
        bits=bits,
        channels=image.integer(277, 1),
        raw=True,
        own_lens=lens,
        depth_map=read_depth(path, main)[0] is not None,
        **found,
    )


def _preview(path: Path, main: tags.Directory, orientation: int) -> Preview | None:
    """The largest JPEG preview that the file holds, upright."""
    found = [d for d in main.all_images() if d.integer(254) == _PREVIEW and d.integer(262) == _YCBCR and d.integer(259) == JPEG]
    for directory in sorted(found, key=lambda d: -d.integer(256) * d.integer(257)):
        start, count = directory.numbers(273), directory.numbers(279)
        if len(start) == len(count) == 1:
            with open(path, "rb") as file:
                file.seek(int(start[0]))
                preview = preview_of(file.read(int(min(count[0], path.stat().st_size))), orientation)
            if preview is not None:
                return preview
    return None
