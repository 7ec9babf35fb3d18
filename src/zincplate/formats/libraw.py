"""Camera raw files through LibRaw: everything that is no DNG, and DNG files of a layout that is not read here.

LibRaw's ``rgb_xyz_matrix`` is zero for DNG, so the colour of those comes from their tags. Mosaics that are not 2 x 2 Bayer are
demosaiced by LibRaw itself, and a note says so.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import rawpy

from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.formats import tags
from zincplate.formats.capture import CaptureData, facts_of
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.description import merged
from zincplate.formats.dng.colour import camera_colour, scaled
from zincplate.formats.dng.levels import default_crop
from zincplate.formats.errors import FileError
from zincplate.formats.preview import preview_of
from zincplate.formats.preview_pictures import Preview

UNSUPPORTED = "This camera's raw format is not one that can be read."
SizeCheck = Callable[[Path, int, int], None]


def _opened(path: Path) -> rawpy.RawPy:
    try:
        return rawpy.imread(str(path))
    except rawpy.LibRawError as error:
        raise _said(path, error) from error


def known_to_libraw(path: Path) -> bool:
    """Whether LibRaw knows a file that starts like none that we know: raw containers that are not TIFF-based have many heads."""
    try:
        with rawpy.imread(str(path)):
            return True
    except (rawpy.LibRawFileUnsupportedError, rawpy.LibRawIOError):
        return False  # a few bytes of anything end before LibRaw knows what they are
    except rawpy.LibRawError:
        return True  # known, and damaged: opening it says how


def file_type(main: tags.Directory, path: Path) -> str:
    """What the facts call the file."""
    return "DNG" if 50706 in main.values else f"raw ({path.suffix.lstrip('.').upper()})" if path.suffix else "raw"


def _capture(path: Path, raw: rawpy.RawPy, main: tags.Directory, image: tags.Directory) -> CaptureData:
    found = merged(facts_of(main), main.data(700), main.data(33723))
    if "orientation" not in found:
        found["orientation"] = {0: 1, 3: 3, 5: 8, 6: 6}.get(raw.sizes.flip, 1)
    if not {"exposure_time_s", "f_number", "iso", "focal_length_mm", "captured_at"} <= found.keys():
        # costs unpacking the whole mosaic, so only where the tags are silent
        found = {**facts_of_libraw(raw), **found}
    width, height = raw.sizes.width, raw.sizes.height
    crop = default_crop(image, width, height)
    width, height = crop[2], crop[3]
    if found["orientation"] >= 5:
        width, height = height, width
    # rawpy's own white_level would unpack the whole mosaic only to tell the facts
    stored = image.integer(50717).bit_length() or image.integer(258)
    bits = stored if 8 <= stored <= 16 else 0
    return CaptureData(file_type=file_type(main, path), width=width, height=height, bits=bits, channels=1, raw=True, **found)


def facts_of_libraw(raw: rawpy.RawPy) -> dict[str, Any]:
    """What LibRaw knows of a file from where tags of ours do not reach: only what is there and can be true."""
    other, lens = raw.other, raw.lens
    numbers = (
        ("exposure_time_s", other.shutter_speed, 86_400.0),
        ("f_number", other.aperture, 1000.0),
        ("focal_length_mm", other.focal_length, 100_000.0),
    )
    found: dict[str, Any] = {name: float(value) for name, value, most in numbers if value and 0 < value < most}
    if other.iso_speed and 0 < other.iso_speed < 1e9:
        found["iso"] = round(other.iso_speed)
    # a file without a time has the beginning of all clocks
    if other.timestamp is not None and other.timestamp.year >= 1980:
        found["captured_at"] = other.timestamp.replace(microsecond=0).isoformat()
    name = lens.model if not lens.make or lens.model.startswith(lens.make) else f"{lens.make} {lens.model}"
    if name.strip():
        found["lens"] = name.strip()[:120]
    return found


_SENTENCES: tuple[tuple[type[Exception], str], ...] = (
    (rawpy.LibRawFileUnsupportedError, UNSUPPORTED),
    (rawpy.LibRawIOError, "The raw data end early or are damaged. Copy it from the card again."),
    (rawpy.LibRawDataError, "The raw data are damaged. Copy it from the card again."),
    (rawpy.LibRawTooBigError, "Its picture is larger than LibRaw can read."),
    (rawpy.LibRawUnsufficientMemoryError, "It needs more memory than decoding may use."),
    (rawpy.LibRawMemPoolOverflowError, "It needs more memory than decoding may use."),
    (rawpy.LibRawNotImplementedError, UNSUPPORTED),
)


def _said(path: Path, error: Exception) -> FileError:
    """One of our sentences for each of LibRaw's errors."""
    words = next((words for kind, words in _SENTENCES if isinstance(error, kind)), "The raw data cannot be read.")
    return FileError(path, words)


def libraw_facts(path: Path, main: tags.Directory, image: tags.Directory, check: SizeCheck) -> tuple[CaptureData, Preview | None]:
    """Facts and the embedded preview (upright, small) without unpacking the mosaic; raises :class:`FileError`."""
    try:
        return _facts(path, main, image, check)
    except rawpy.LibRawError as error:
        raise _said(path, error) from error


def _opened_right(path: Path, raw: rawpy.RawPy, check: SizeCheck) -> None:
    check(path, raw.sizes.width, raw.sizes.height)
    colours = set(raw.color_desc.decode("ascii", "replace").strip("\0 "))
    if not colours <= set("RGB"):
        raise FileError(path, f"Its sensor sees other colours than red, green and blue ({', '.join(sorted(colours))}).")


def _facts(path: Path, main: tags.Directory, image: tags.Directory, check: SizeCheck) -> tuple[CaptureData, Preview | None]:
    with _opened(path) as raw:
        _opened_right(path, raw, check)
        capture = _capture(path, raw, main, image)
        preview = None
        try:
            thumb = raw.extract_thumb()
            if thumb.format == rawpy.ThumbFormat.JPEG:
                preview = preview_of(bytes(thumb.data), capture.orientation)
        except (rawpy.LibRawError, rawpy.NotSupportedError):
            preview = None
        return capture, preview


def _camera_colour(path: Path, raw: rawpy.RawPy, main: tags.Directory) -> tuple[CameraColour, tuple[str, ...]]:
    found = camera_colour(path, main, 3) if 50706 in main.values else None
    if found is not None:
        return found.camera, found.notes
    notes: tuple[str, ...] = ()
    matrix = np.asarray(raw.rgb_xyz_matrix, np.float64)[:3]
    if not np.abs(matrix).max() > 0:
        raise FileError(path, "Neither the file nor LibRaw knows the colour of this camera.")
    try:
        matrices = CameraMatrices.plain(tuple(float(v) for v in matrix.ravel()), 6504.0)
    except ValueError as error:
        raise FileError(path, f"Its colour matrix cannot be used: {error}.") from error
    multipliers = np.asarray(raw.camera_whitebalance[:3], np.float64)
    if not (multipliers > 0).all():
        multipliers = np.asarray(raw.daylight_whitebalance[:3], np.float64)
        notes = ("The file holds no white balance; daylight is taken as shot.",)
    neutral = tuple(1 / multipliers) if (multipliers > 0).all() else (1.0, 1.0, 1.0)
    baseline = main.number(50730) or 0.0
    return CameraColour(matrices, scaled(path, matrices, neutral), baseline if -10 <= baseline <= 10 else 0.0), notes


def decode_libraw(path: Path, main: tags.Directory, image: tags.Directory, check: SizeCheck) -> Decoded:
    """Mosaic (Bayer) or camera planes (anything else) with colour facts; raises :class:`FileError`."""
    try:
        return _decode(path, main, image, check)
    except rawpy.LibRawError as error:
        raise _said(path, error) from error


def _decode(path: Path, main: tags.Directory, image: tags.Directory, check: SizeCheck) -> Decoded:
    with _opened(path) as raw:
        _opened_right(path, raw, check)
        capture = _capture(path, raw, main, image)
        colour, notes = _camera_colour(path, raw, main)
        bayer = raw.raw_type == rawpy.RawType.Flat and np.shape(raw.raw_pattern) == (2, 2)
        if bayer:
            x, y, w, h = default_crop(image, raw.sizes.width, raw.sizes.height)
            pattern = [{"R": 0, "G": 1, "B": 2}.get(chr(raw.color_desc[i]), -1) for i in np.ravel(raw.raw_pattern)]
            if sorted(pattern) == [0, 1, 1, 2]:
                mosaic = raw.raw_image_visible[y : y + h, x : x + w].copy()
                levels = [float(raw.black_level_per_channel[i]) for i in np.ravel(raw.raw_pattern)]
                return _mosaic(mosaic, pattern, levels, float(raw.white_level), x, y, capture, colour, notes)
        planes = raw.postprocess(
            use_camera_wb=False,
            user_wb=[1.0, 1.0, 1.0, 1.0],
            no_auto_bright=True,
            gamma=(1, 1),
            output_bps=16,
            output_color=rawpy.ColorSpace.raw,
            adjust_maximum_thr=0.0,
            user_flip=0,
        )
    x, y, w, h = default_crop(image, planes.shape[1], planes.shape[0])
    note = "The sensor is no Bayer mosaic; LibRaw made its colour picture."
    return Decoded("camera", np.ascontiguousarray(planes[y : y + h, x : x + w, :3]), capture, colour, notes=(*notes, note))


def _mosaic(
    mosaic: np.ndarray,
    pattern: list[int],
    levels: list[float],
    white: float,
    x: int,
    y: int,
    capture: CaptureData,
    colour: CameraColour,
    notes: tuple[str, ...],
) -> Decoded:
    def at(row: int, column: int) -> int:
        return ((row + y) % 2) * 2 + (column + x) % 2

    places = [at(r, c) for r in range(2) for c in range(2)]
    cfa = (pattern[places[0]], pattern[places[1]], pattern[places[2]], pattern[places[3]])
    black = (levels[places[0]], levels[places[1]], levels[places[2]], levels[places[3]])
    return Decoded("mosaic", mosaic, capture, colour, None, cfa, black, white, notes)
