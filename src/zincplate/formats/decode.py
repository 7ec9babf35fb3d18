"""Decoding of one file, by what its first bytes are, not by its name. Runs inside the decoding child.

``MAX_PIXELS`` is checked on the dimensions that the file claims, before anything is decoded.
"""

import io
import mmap
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from zincplate.core.orientation import upright
from zincplate.formats import icc, tags
from zincplate.formats.capture import CaptureData, facts_of
from zincplate.formats.decoded import Decoded
from zincplate.formats.errors import FileError
from zincplate.formats.libraw import known_to_libraw
from zincplate.formats.preview import LONG_EDGE
from zincplate.formats.raw import decode_raw, raw_facts

MAX_PIXELS = 300_000_000
MAX_SIDE = 120_000
"""Codecs hold a pointer or a line for every row: a picture one pixel wide would take many times its size."""
LARGEST_FLOAT = 65504.0
"""Largest value of a floating-point picture that is taken as it is: sixteen stops above white, the end of half floats."""
Image.MAX_IMAGE_PIXELS = MAX_PIXELS

_NAMED = (
    (b"GIF8", "a GIF picture"),
    (b"BM", "a BMP picture"),
    (b"8BPS", "a layered picture of an editor"),
    (b"\0\0\0\x0cjP  ", "a JPEG 2000 picture"),
    (b"\xffO\xffQ", "a JPEG 2000 picture"),
    (b"\xff\x0a", "a JPEG XL picture"),
    (b"\0\0\0\x0cJXL ", "a JPEG XL picture"),
    (b"v/1\x01", "an OpenEXR picture"),
    (b"SIMPLE  =", "a FITS picture"),
    (b"%PDF", "a PDF document"),
    (b"PK\x03\x04", "a ZIP archive"),
    (b"\x1a\x45\xdf\xa3", "a film"),
)
_BRANDS = {
    b"avif": "an AVIF picture", b"avis": "an AVIF picture", b"heic": "a HEIF picture", b"heix": "a HEIF picture",
    b"mif1": "a HEIF picture", b"msf1": "a HEIF picture",
}  # fmt: skip


def named(head: bytes) -> str:
    """What a file that cannot be read is, by its first 16 bytes; empty when that is unknown."""
    if head[:4] == b"RIFF":
        return {b"WEBP": "a WebP picture", b"WAVE": "a sound", b"AVI ": "a film"}.get(head[8:12], "")
    if head[4:8] == b"ftyp":
        return "" if head[8:12] == b"crx " else _BRANDS.get(head[8:12], "a film")
    return next((words for start, words in _NAMED if head.startswith(start)), "")


def kind_of(path: Path) -> str:
    """``jpeg``, ``png``, ``tiff`` or ``raw``; raises :class:`FileError` for anything else."""
    try:
        with open(path, "rb") as file:
            head = file.read(16)
            if not head:
                raise FileError(path, "The file is empty (0 bytes).")
            if head[:3] == b"\xff\xd8\xff":
                return "jpeg"
            if head[:8] == b"\x89PNG\r\n\x1a\n":
                return "png"
            if head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
                return _tiff_or_raw(path)
    except PermissionError as error:
        raise FileError(path, "There is no permission to read it.") from error
    except IsADirectoryError as error:
        raise FileError(path, "This is a folder, not a file.") from error
    except FileNotFoundError as error:
        raise FileError(path, "The file is not there.") from error
    if words := named(head):
        raise FileError(path, f"This is {words}; raw, DNG, TIFF, JPEG and PNG files can be read.")
    if not known_to_libraw(path):
        raise FileError(path, "This is not a picture that can be read: it starts like no raw, DNG, TIFF, JPEG or PNG file.")
    return "raw"


def _directories(path: Path) -> list[tags.Directory]:
    with open(path, "rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:
        try:
            return tags.read_directories(data)
        except tags.TagError as error:
            raise FileError(path, f"The file is damaged: {error}.") from error


def _tiff_or_raw(path: Path) -> str:
    main = _directories(path)[0]
    if 50706 in main.values:
        return "raw"
    images = main.all_images()
    if any(d.integer(262) in (32803, 34892) for d in images):
        return "raw"
    # A camera's TIFF-based raw: made by a named camera, with a compression that rendered TIFF files do not have
    compressions = {d.integer(259) for d in images}
    rendered = {1, 5, 7, 8, 32773, 32946, 34925, 50000}
    if main.text(271) and (compressions - rendered - {0} or path.suffix.lower() not in (".tif", ".tiff")):
        return "raw"
    return "tiff"


def check_size(path: Path, width: int, height: int) -> None:
    """Raises :class:`FileError` when a picture is larger than can be worked on, or has no size."""
    if width <= 0 or height <= 0:
        raise FileError(path, "The file gives no picture size.")
    if max(width, height) > MAX_SIDE:
        raise FileError(path, f"The file claims {width:,} x {height:,} pixels; up to {MAX_SIDE:,} a side can be worked on.")
    if width * height > MAX_PIXELS:
        raise FileError(
            path,
            f"The file claims {width:,} x {height:,} pixels; up to {MAX_PIXELS // 1_000_000} million can be worked on.",
        )


def decode(path: Path) -> Decoded:
    """Decode a file completely; raises :class:`FileError`."""
    kind = kind_of(path)
    if kind == "raw":
        return decode_raw(path, check_size)
    return {"jpeg": _jpeg, "png": _png, "tiff": _tiff}[kind](path)


def facts(path: Path) -> tuple[CaptureData, bytes | None]:
    """Capture facts without decoding all pixels, and a preview (JPEG bytes) if it costs little: the embedded one of a raw
    file, a reduced decoding of a JPEG.

    What could not be decoded later is refused here: cut-off files, kinds of pixels and profiles that cannot be read.
    """
    kind = kind_of(path)
    if kind == "raw":
        return raw_facts(path, check_size)
    if kind == "tiff":
        main = _directories(path)[0]
        profile, _ = _check_tiff(path, main)
        size = main.integer(256), main.integer(257)
        return _capture(path, "TIFF", *size, main.integer(258, 8), main.integer(277, 1), main, profile), None
    with _open(path) as image:
        main, size, channels = _exif(image), image.size, len(image.getbands())
        profile, _ = _profile(path, image.info.get("icc_profile"))
        if kind == "png":
            if not _png_ends(path):
                raise FileError(path, "The picture data are damaged or cut off. Copy it again.")
            return _capture(path, "PNG", *size, _png_depth(path), channels, main, profile), None
        _check_jpeg_mode(path, image)
        capture = _capture(path, "JPEG", *size, 8, channels, main, profile)
        image.draft("RGB", (LONG_EDGE, LONG_EDGE))
        return capture, jpeg_from(np.ascontiguousarray(upright(_jpeg_pixels(path, image), capture.orientation)))


def _open(path: Path) -> Image.Image:
    try:
        image = Image.open(path, formats=("JPEG", "PNG"))
    except (UnidentifiedImageError, SyntaxError, ValueError, OSError) as error:
        raise FileError(path, f"The file is damaged: {_reason(error)}.") from error
    except Image.DecompressionBombError as error:
        raise FileError(path, "The file claims more pixels than can be worked on.") from error
    check_size(path, image.width, image.height)
    return image


def _reason(error: Exception) -> str:
    text = str(error).rstrip(".") or type(error).__name__
    return "its header cannot be read" if "cannot identify" in text else text[0].lower() + text[1:200]


def _exif(image: Image.Image) -> tags.Directory:
    data = image.info.get("exif", b"")
    data = data[6:] if data[:6] == b"Exif\0\0" else data
    try:
        return tags.read_directories(data)[0]
    except tags.TagError:
        return tags.Directory()


def _capture(
    path: Path,
    file_type: str,
    width: int,
    height: int,
    bits: int,
    channels: int,
    main: tags.Directory,
    profile: icc.MatrixProfile | None,
) -> CaptureData:
    found = facts_of(main)
    if found.get("orientation", 1) >= 5:
        width, height = height, width
    space = profile.name if profile else "sRGB"
    return CaptureData(file_type=file_type, width=width, height=height, bits=bits, channels=channels, colour_space=space, **found)


def _profile(path: Path, data: bytes | None) -> tuple[icc.MatrixProfile, tuple[str, ...]]:
    if not data:
        return icc.of_space("srgb"), ("The file names no colour space; sRGB is assumed.",)
    profile = icc.read_profile(data)
    if profile is None:
        raise FileError(path, "Its colour profile is of a kind that cannot be read (not an RGB matrix profile).")
    return profile, ()


def _jpeg(path: Path) -> Decoded:
    with _open(path) as image:
        _check_jpeg_mode(path, image)
        profile, notes = _profile(path, image.info.get("icc_profile"))
        pixels = _jpeg_pixels(path, image)
        capture = _capture(path, "JPEG", image.width, image.height, 8, len(image.getbands()), _exif(image), profile)
    return Decoded("rendered", pixels, capture, profile=profile, notes=notes)


def _check_jpeg_mode(path: Path, image: Image.Image) -> None:
    if image.mode not in ("RGB", "L"):
        raise FileError(path, f"The picture is {image.mode}; only RGB and grey JPEG files can be read.")


def _jpeg_pixels(path: Path, image: Image.Image) -> NDArray[np.uint8]:
    try:
        return np.asarray(image.convert("RGB"))
    except (OSError, SyntaxError) as error:
        share = _jpeg_share(path)
        raise FileError(path, f"The picture data end after about {share:.0%}. Copy it from the card again.") from error


def _jpeg_share(path: Path) -> float:
    """How many rows of a truncated JPEG can be decoded, as a share: the rest comes out flat grey."""
    from PIL import ImageFile

    ImageFile.LOAD_TRUNCATED_IMAGES = True
    try:
        with Image.open(path, formats=("JPEG",)) as image:
            rows = np.asarray(image.convert("L")).astype(np.int16)
    except (OSError, SyntaxError):
        return 0.0
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = False
    same = (rows == rows[-1:]).all(1)
    filled = len(rows) - int(np.argmin(same[::-1])) if not same.all() else 0
    return filled / len(rows)


def _png_depth(path: Path) -> int:
    with open(path, "rb") as file:
        header = file.read(26)
    return header[24] if len(header) > 24 else 8


def _png_ends(path: Path) -> bool:
    """Whether the closing chunk (IEND) is there."""
    with open(path, "rb") as file:
        file.seek(-min(path.stat().st_size, 4096), 2)
        return b"IEND" in file.read()


def _png(path: Path) -> Decoded:
    import imagecodecs

    with _open(path) as image:
        profile, notes = _profile(path, image.info.get("icc_profile"))
        main = _exif(image)
    try:
        pixels = imagecodecs.png_decode(path.read_bytes())
    except Exception as error:  # the codec raises its own kinds
        raise FileError(path, "The picture data are damaged or cut off. Copy it again.") from error
    pixels, channels = _to_rgb(path, np.asarray(pixels))
    height, width = pixels.shape[:2]
    capture = _capture(path, "PNG", width, height, pixels.dtype.itemsize * 8, channels, main, profile)
    return Decoded("rendered", pixels, capture, profile=profile, notes=notes)


def _to_rgb(path: Path, pixels: NDArray[Any]) -> tuple[NDArray[Any], int]:
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    channels = pixels.shape[2]
    if channels in (2, 4):
        pixels = pixels[..., : channels - 1]
    if pixels.shape[2] == 1:
        pixels = np.repeat(pixels, 3, 2)
    if pixels.shape[2] != 3:
        raise FileError(path, f"The picture has {channels} channels; grey and RGB can be read.")
    return np.ascontiguousarray(pixels), channels


def _check_tiff(path: Path, main: tags.Directory) -> tuple[icc.MatrixProfile, tuple[str, ...]]:
    """Profile and notes of a TIFF whose size, completeness and kind of pixels are in order."""
    check_size(path, main.integer(256), main.integer(257))
    share = tags.stored_fraction(main, path.stat().st_size)
    if share < 1:
        raise FileError(path, f"The picture data end after {share:.0%}. Copy it again.")
    if main.integer(262) not in (1, 2):
        raise FileError(path, "Only grey and RGB TIFF files can be read.")
    data = main.values.get(34675)
    profile_data = bytes(data) if isinstance(data, bytes | tuple) else None
    if main.integer(339, 1) != 3 or profile_data:
        return _profile(path, profile_data)
    base, line = icc.of_space("srgb"), np.linspace(0, 1, 4096)
    note = "The file names no colour space; linear sRGB is assumed for floating point."
    return icc.MatrixProfile("linear sRGB", "", base.to_working, (line, line, line)), (note,)


def _tiff(path: Path) -> Decoded:
    import tifffile

    main = _directories(path)[0]
    width, height = main.integer(256), main.integer(257)
    profile, notes = _check_tiff(path, main)
    try:
        with tifffile.TiffFile(path) as file:
            if not len(file.pages):
                raise FileError(path, "The file holds no picture.")
            page = file.pages[0]
            pixels = np.asarray(page.asarray())
            if getattr(page, "planarconfig", 1) == 2 and pixels.ndim == 3:
                pixels = np.moveaxis(pixels, 0, -1)
    except FileError:
        raise
    except Exception as error:  # tifffile and its codecs raise many kinds
        raise FileError(path, f"The picture cannot be decoded: {_reason(error)}.") from error
    if pixels.dtype not in (np.uint8, np.uint16, np.float32, np.float16):
        raise FileError(path, f"Its pixels are {pixels.dtype}; 8 and 16 bit whole numbers and 32 bit floating point can be read.")
    if pixels.dtype == np.float16:
        pixels = pixels.astype(np.float32)
    if pixels.dtype.kind == "f" and not np.isfinite(pixels).all():
        pixels = np.nan_to_num(pixels, nan=0.0, posinf=0.0, neginf=0.0)
    if pixels.dtype.kind == "f" and max(float(pixels.max()), -float(pixels.min())) > LARGEST_FLOAT:
        # a picture that is not light any more: kept finite through every product that follows
        pixels = np.clip(pixels, -LARGEST_FLOAT, LARGEST_FLOAT)
        notes = (*notes, "Pixels that are not numbers were set to black.")
    pixels, channels = _to_rgb(path, pixels)
    capture = _capture(path, "TIFF", width, height, pixels.dtype.itemsize * 8, channels, main, profile)
    return Decoded("rendered", pixels, capture, profile=profile, notes=notes)


def jpeg_from(image: NDArray[np.uint8], quality: int = 88) -> bytes:
    """(h, w, 3) uint8 -> JPEG bytes for previews."""
    out = io.BytesIO()
    Image.fromarray(image).save(out, "JPEG", quality=quality)
    return out.getvalue()
