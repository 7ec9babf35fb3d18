"""What a file says about its making, and the EXIF that carries it on (EXIF 2.32)."""

from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from zincplate.formats.tags import Directory
from zincplate.formats.tiff_writer import ASCII, IFD, LARGEST, LONG, RATIONAL, SHORT, UNDEFINED, rational


@dataclass(frozen=True)
class CaptureData:
    """Facts of a frame; zero or empty means that the file does not say. Sizes are those of the upright picture."""

    file_type: str = ""
    width: int = 0
    height: int = 0
    bits: int = 0
    channels: int = 0
    raw: bool = False
    orientation: int = 1
    colour_space: str = ""
    camera_make: str = ""
    camera_model: str = ""
    lens: str = ""
    exposure_time_s: float = 0.0
    f_number: float = 0.0
    iso: int = 0
    focal_length_mm: float = 0.0
    focal_length_35mm: float = 0.0
    """The same angle of view on 36 x 24 mm."""
    captured_at: str = ""
    """ISO 8601 without zone, with milliseconds where the file has them."""
    own_lens: str = ""
    """What the file itself says of its lens, as :func:`zincplate.formats.dng.lens.own_lens` writes it."""

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready."""
        return asdict(self)


def _time(main: Directory, exif: Directory) -> str:
    text = exif.text(36867) or main.text(36867) or main.text(306)
    try:
        moment = datetime.strptime(text, "%Y:%m:%d %H:%M:%S")
    except ValueError:
        return ""
    fraction = exif.text(37521)
    suffix = f".{fraction[:3].ljust(3, '0')}" if fraction.isascii() and fraction.isdigit() else ""
    return moment.isoformat() + suffix


def facts_of(main: Directory) -> dict[str, Any]:
    """Capture facts found in the first directory of a file and its EXIF; only those that are there."""
    exif = main.exif or Directory()
    make, model = main.text(271), main.text(272)
    orientation = main.integer(274, 1)
    found: dict[str, Any] = {
        "orientation": orientation if 1 <= orientation <= 8 else 1,
        "camera_make": make[:80],
        "camera_model": model[:80],
        "lens": exif.text(42036)[:120],
        "exposure_time_s": exif.number(33434) or main.number(33434) or 0.0,
        "f_number": exif.number(33437) or main.number(33437) or 0.0,
        "iso": exif.integer(34855) or exif.integer(34866) or main.integer(34855),
        "focal_length_mm": exif.number(37386) or main.number(37386) or 0.0,
        "focal_length_35mm": float(exif.integer(41989)),
        "captured_at": _time(main, exif),
    }
    return {k: v for k, v in found.items() if v}


def add_capture_entries(ifd: IFD, capture: CaptureData, software: str, orientation: int = 1) -> IFD:
    """Puts capture data into a directory and its EXIF directory."""
    for tag, text in ((271, capture.camera_make), (272, capture.camera_model), (305, software)):
        if text:
            ifd.set(tag, ASCII, text)
    ifd.set(274, SHORT, orientation)
    exif = IFD()
    exif.set(36864, UNDEFINED, b"0232")
    if capture.captured_at:
        moment = datetime.fromisoformat(capture.captured_at)
        stamp = moment.strftime("%Y:%m:%d %H:%M:%S")
        ifd.set(306, ASCII, stamp)
        exif.set(36867, ASCII, stamp).set(36868, ASCII, stamp)
        exif.set(37521, ASCII, f"{moment.microsecond // 1000:03d}").set(37522, ASCII, f"{moment.microsecond // 1000:03d}")
    if capture.exposure_time_s:
        exif.set(33434, RATIONAL, rational(capture.exposure_time_s))
    if capture.f_number:
        exif.set(33437, RATIONAL, rational(capture.f_number, 100))
    if capture.iso:
        exif.set(34855, SHORT, min(capture.iso, 65535)).set(34864, SHORT, 2).set(34866, LONG, min(capture.iso, LARGEST))
    if capture.focal_length_mm:
        exif.set(37386, RATIONAL, rational(capture.focal_length_mm, 100))
    if capture.focal_length_35mm:
        exif.set(41989, SHORT, min(round(capture.focal_length_35mm), 65535))
    if capture.lens:
        exif.set(42036, ASCII, capture.lens)
    ifd.exif = exif
    return ifd
