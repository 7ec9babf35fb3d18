"""Decoding of one file, by what its first bytes are, not by its name. Runs inside the decoding child.

``MAX_PIXELS`` is checked on the dimensions that the file claims, before anything is decoded.
"""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from PIL import Image

from zincplate.core.geometry.orientation import upright
from zincplate.formats.capture import CaptureData, facts_of
from zincplate.formats.decoded import Decoded
from zincplate.formats.description import merged
from zincplate.formats.errors import FileError
from zincplate.formats.libraw import known_to_libraw
from zincplate.formats.preview import LONG_EDGE, preview_from
from zincplate.formats.preview_pictures import Preview
from zincplate.formats.raw import decode_raw, raw_facts
from zincplate.formats.rendered.jpeg import loaded, opened
from zincplate.formats.rendered.picture import Rendered, colour_of, decoded
from zincplate.formats.rendered.tiff import directories

MAX_PIXELS = 300_000_000
MAX_SIDE = 120_000
"""Codecs hold a pointer or a line for every row: a picture one pixel wide would take many times its size."""
Image.MAX_IMAGE_PIXELS = MAX_PIXELS
READABLE = "raw, DNG, TIFF, JPEG, PNG, WebP, AVIF, HEIF, JPEG XL, OpenEXR and FITS files can be read"

_NAMED = (
    (b"GIF8", "a GIF picture"),
    (b"BM", "a BMP picture"),
    (b"8BPS", "a layered picture of an editor"),
    (b"\0\0\0\x0cjP  ", "a JPEG 2000 picture"),
    (b"\xffO\xffQ", "a JPEG 2000 picture"),
    (b"#?RADIANCE", "a Radiance picture"),
    (b"#?RGBE", "a Radiance picture"),
    (b"SDPX", "a DPX picture"),
    (b"XPDS", "a DPX picture"),
    (b"qoif", "a QOI picture"),
    (b"P1", "a Netpbm picture"), (b"P2", "a Netpbm picture"), (b"P3", "a Netpbm picture"),
    (b"P4", "a Netpbm picture"), (b"P5", "a Netpbm picture"), (b"P6", "a Netpbm picture"), (b"PF", "a Netpbm picture"),
    (b"II\xbc\x01", "a JPEG XR picture"),
    (b"DDS ", "a texture (DDS)"),
    (b"\0\0\1\0", "an icon"),
    (b"<svg", "a drawing (SVG)"),
    (b"<?xml", "an XML document"),
    (b"<x:xmpmeta", "an XMP document"),
    (b"%PDF", "a PDF document"),
    (b"%!PS", "a PostScript document"),
    (b"PK\x03\x04", "a ZIP archive"),
    (b"\x1f\x8b", "a compressed archive"),
    (b"Rar!", "a compressed archive"),
    (b"7z\xbc\xaf", "a compressed archive"),
    (b"\x1a\x45\xdf\xa3", "a film"),
    (b"OggS", "a film or sound"),
    (b"ID3", "a sound"),
)  # fmt: skip
_STARTS: tuple[tuple[bytes, str], ...] = (
    (b"\xff\xd8\xff", "jpeg"),
    (b"\x89PNG\r\n\x1a\n", "png"),
    (b"II*\0", "tiff"), (b"MM\0*", "tiff"), (b"II+\0", "tiff"), (b"MM\0+", "tiff"),
    (b"\xff\x0a", "jpegxl"),
    (b"\0\0\0\x0cJXL ", "jpegxl"),
    (b"v/1\x01", "openexr"),
    (b"SIMPLE  =", "fits"),
)  # fmt: skip
_BRANDS = {b"avif": "avif", b"avis": "avif", b"heic": "heif", b"heix": "heif", b"heim": "heif", b"heis": "heif", b"hevc": "heif"}


def named(head: bytes) -> str:
    """What a file that cannot be read is, by its first bytes; empty when that is unknown."""
    if head[:4] == b"RIFF":
        return {b"WAVE": "a sound", b"AVI ": "a film"}.get(head[8:12], "")
    if head[4:8] == b"ftyp":
        return "" if head[8:12] == b"crx " else "a film"
    return next((words for start, words in _NAMED if head.startswith(start)), "")


def _brand(head: bytes) -> str:
    """Kind of a picture in an ISO base media file, by its main brand and then by the others; empty when it is none."""
    if head[4:8] != b"ftyp":
        return ""
    size = min(int.from_bytes(head[:4], "big"), len(head))
    brands = [head[8:12], *(head[i : i + 4] for i in range(16, size - 3, 4))]
    return next((_BRANDS[b] for b in brands if b in _BRANDS), "")


def kind_of(path: Path) -> str:
    """The format that is read: a key of :data:`READERS`, or ``raw``; raises :class:`FileError` for anything else."""
    try:
        with open(path, "rb") as file:
            head = file.read(256)
    except PermissionError as error:
        raise FileError(path, "There is no permission to read it.") from error
    except IsADirectoryError as error:
        raise FileError(path, "This is a folder, not a file.") from error
    except FileNotFoundError as error:
        raise FileError(path, "The file is not there.") from error
    if not head:
        raise FileError(path, "The file is empty (0 bytes).")
    for start, kind in _STARTS:
        if head.startswith(start):
            return _tiff_or_raw(path) if kind == "tiff" else kind
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return "webp"
    if brand := _brand(head):
        return brand
    if words := named(head):
        raise FileError(path, f"This is {words}; {READABLE}.")
    if not known_to_libraw(path):
        raise FileError(
            path, "This is not a picture that can be read: it starts like no raw, DNG, TIFF, JPEG, PNG or other known file."
        )
    return "raw"


def _tiff_or_raw(path: Path) -> str:
    main = directories(path)[0]
    if 50706 in main.values:
        return "raw"
    images = main.all_images()
    if any(d.integer(262) in (32803, 34892) for d in images):
        return "raw"
    # A camera's TIFF-based raw: made by a named camera, with a compression that rendered TIFF files do not have
    compressions = {d.integer(259) for d in images}
    rendered = {1, 2, 3, 4, 5, 6, 7, 8, 32773, 32946, 34712, 34887, 34892, 34925, 34926, 34927, 50000, 50001, 50002}
    suffix = path.suffix.lower() not in (".tif", ".tiff")
    if main.text(271) and (compressions - rendered - {0} or suffix) and known_to_libraw(path):
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


Reader = Callable[[Path, bool], Rendered]


def _reader(kind: str) -> Reader:
    """Reader of a finished picture; loaded when it is needed."""
    if kind in ("webp", "avif", "heif"):
        from zincplate.formats.rendered import modern

        return {"webp": modern.webp, "avif": modern.avif, "heif": modern.heif}[kind]
    from importlib import import_module

    found: Reader = import_module(f"zincplate.formats.rendered.{kind}").read
    return found


def decode(path: Path) -> Decoded:
    """Decode a file completely; raises :class:`FileError`."""
    kind = kind_of(path)
    if kind == "raw":
        found = decode_raw(path, check_size)
        return replace(found, notes=tuple(dict.fromkeys((*found.notes, *found.capture.notes))))
    read = _reader(kind)
    header = read(path, False)
    check_size(path, header.width, header.height)
    picture = read(path, True)
    result = decoded(path, picture, _capture(path, picture))
    notes = tuple(dict.fromkeys((*result.notes, *result.capture.notes)))
    return replace(result, notes=notes)


def facts(path: Path) -> tuple[CaptureData, Preview | None]:
    """Capture facts without decoding all pixels, and a preview if it costs little: the embedded one of a raw
    file, a reduced decoding of a JPEG.

    What could not be decoded later is refused here: cut-off files, kinds of pixels and profiles that cannot be read.
    """
    kind = kind_of(path)
    if kind == "raw":
        return raw_facts(path, check_size)
    picture = _reader(kind)(path, False)
    check_size(path, picture.width, picture.height)
    capture = _capture(path, picture)
    if kind != "jpeg" or picture.bits > 8 or picture.model == "cmyk":
        return capture, None
    with opened(path, "JPEG") as image:
        assert image is not None
        image.draft("RGB", (LONG_EDGE, LONG_EDGE))
        pixels = loaded(path, image.convert("RGB")) if image.mode != "RGB" else loaded(path, image)
    return capture, preview_from(upright(pixels, capture.orientation))


def _capture(path: Path, picture: Rendered) -> CaptureData:
    found: dict[str, Any] = merged(facts_of(picture.exif), picture.xmp, picture.iptc)
    if picture.upright:
        found.pop("orientation", None)
    width, height = picture.width, picture.height
    if found.get("orientation", 1) >= 5:
        width, height = height, width
    profile, _, notes = colour_of(path, picture)
    notes = tuple(dict.fromkeys((*found.pop("notes", ()), *picture.notes, *notes)))
    return CaptureData(
        file_type=picture.kind, width=width, height=height, bits=picture.bits, channels=picture.channels,
        colour_space=profile.name, notes=notes, **found,
    )  # fmt: skip
