"""What a file says about its making and its meaning: read from EXIF (CIPA DC-008, EXIF 2.32), XMP and IPTC."""

import math
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from typing import Any

from zincplate.formats.sphere import Sphere
from zincplate.formats.tags import Directory

LONGEST_TEXT = 4000
MOST_KEYWORDS = 200


@dataclass(frozen=True)
class CaptureData:
    """Facts of a frame; zero, empty or None means that the file does not say. Sizes are those of the upright picture."""

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

    sphere: Sphere = ()
    """Where it lies on the whole view about its camera."""
    depth_map: bool = False
    """Whether the file holds one beside the picture."""
    utc_offset: str = ""
    """Of the time of capture, such as ``+02:00``."""
    modified_at: str = ""
    """When the file was last changed by a program, ISO 8601 without zone."""
    bias_ev: float | None = None
    program: int = 0
    metering: int = 0
    """Exposure program, metering mode: numbers of EXIF."""
    flash: int | None = None
    """Bits of EXIF; the lowest: it fired."""
    subject_distance_m: float = 0.0
    camera_serial: str = ""
    camera_owner: str = ""
    lens_make: str = ""
    lens_serial: str = ""
    lens_limits: tuple[float, ...] = ()
    """Shortest and longest focal length in millimetres, widest f-number at each (0: unknown)."""

    artist: str = ""
    copyright: str = ""
    title: str = ""
    caption: str = ""
    keywords: tuple[str, ...] = ()
    user_comment: str = ""
    rating: int | None = None
    """0 to 5, -1 rejected."""
    label: str = ""
    latitude: float | None = None
    """Degrees, north and east positive (WGS 84)."""
    longitude: float | None = None
    altitude_m: float | None = None
    direction_degrees: float | None = None
    place: str = ""
    city: str = ""
    region: str = ""
    country: str = ""
    notes: tuple[str, ...] = ()
    """Sentences about what was ignored, repaired or assumed."""

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready."""
        return asdict(self)

    @staticmethod
    def of(document: dict[str, Any]) -> "CaptureData":
        """From :meth:`as_dict`, also of another version: unknown fields are passed over, missing ones take their default."""
        known: dict[str, Any] = {
            k: tuple(v) if isinstance(v, list) else v for k, v in document.items() if k in CaptureData.__dataclass_fields__
        }
        return CaptureData(**known)

    def without_location(self) -> "CaptureData":
        """The same without anything that tells where it was."""
        nowhere = {"latitude": None, "longitude": None, "altitude_m": None, "direction_degrees": None}
        return replace(self, **nowhere, place="", city="", region="", country="")  # type: ignore[arg-type]


def _moment(text: str, fraction: str) -> str:
    try:
        moment = datetime.strptime(text.strip()[:19], "%Y:%m:%d %H:%M:%S")
    except ValueError:
        return ""
    fraction = fraction.strip()
    suffix = f".{fraction[:3].ljust(3, '0')}" if fraction.isascii() and fraction.isdigit() else ""
    return moment.isoformat() + suffix


def _time(main: Directory, exif: Directory) -> str:
    """Time of capture: original, else digitised, else the time of change."""
    original = exif.text(36867) or main.text(36867)
    return (
        _moment(original, exif.text(37521))
        or _moment(exif.text(36868) or main.text(36868), exif.text(37522))
        or _moment(main.text(306), exif.text(37520))
    )


def _number(directory: Directory, tag: int, low: float, high: float) -> float | None:
    value = directory.number(tag)
    return value if value is not None and low <= value <= high else None


def _exposure_time(exif: Directory, main: Directory) -> float:
    found = exif.number(33434) or main.number(33434)
    if found and found > 0:
        return found
    apex = _number(exif, 37377, -20, 20)  # ShutterSpeedValue
    return 2.0**-apex if apex is not None else 0.0


def _f_number(exif: Directory, main: Directory) -> float:
    found = exif.number(33437) or main.number(33437)
    if found and found > 0:
        return found
    apex = _number(exif, 37378, -2, 20)  # ApertureValue
    return 2.0 ** (apex / 2) if apex else 0.0


def _iso(exif: Directory, main: Directory) -> int:
    """PhotographicSensitivity holds 65,535 at most: above that one of the longer ones counts."""
    short = exif.integer(34855) or main.integer(34855)
    long = next((v for tag in (34867, 34866, 34865) if (v := exif.integer(tag)) > 0), 0)
    if short and short != 65535:
        return short
    return long or short or round(_number(exif, 41493, 1, 1e9) or 0)


def _comment(exif: Directory) -> str:
    """UserComment: eight bytes that name its code, then text."""
    data = exif.data(37510)
    code, text = data[:8], data[8:]
    if code.startswith(b"UNICODE"):
        return text.decode("utf-16-le" if exif.order == "<" else "utf-16-be", "replace").strip("\0 ")
    if code.startswith(b"ASCII") or code == bytes(8):
        return text.split(b"\0")[0].decode("utf-8", "replace").strip()
    return ""


def _wide(main: Directory, tag: int) -> str:
    """Text of two bytes a character, as an office system writes it."""
    return main.data(tag).decode("utf-16-le", "replace").strip("\0 ")


def _degrees(gps: Directory, tag: int, reference: int, negative: str) -> float | None:
    parts = gps.numbers(tag)
    if not 1 <= len(parts) <= 3 or not all(math.isfinite(v) for v in parts):
        return None
    value = sum(v / 60**i for i, v in enumerate(parts))
    return -value if gps.text(reference).upper().startswith(negative) else value


def place_of(gps: Directory) -> dict[str, Any]:
    """Latitude, longitude, altitude and direction of a GPS directory; only what is there and can be."""
    found: dict[str, Any] = {}
    latitude, longitude = _degrees(gps, 2, 1, "S"), _degrees(gps, 4, 3, "W")
    if latitude is not None and longitude is not None and abs(latitude) <= 90 and abs(longitude) <= 180:
        found |= {"latitude": latitude, "longitude": longitude}
    altitude = _number(gps, 6, -20_000, 100_000)
    if altitude is not None:
        found["altitude_m"] = -altitude if gps.integer(5) == 1 else altitude
    direction = _number(gps, 17, 0, 360)
    if direction is not None:
        found["direction_degrees"] = direction
    return found


def facts_of(main: Directory) -> dict[str, Any]:
    """Facts found in the first directory of a file and its EXIF; only those that are there."""
    exif = main.exif or Directory()
    orientation = main.integer(274, 1)
    limits = tuple(v if math.isfinite(v) else 0.0 for v in exif.numbers(42034) or main.numbers(50736))
    keywords = tuple(k.strip() for k in _wide(main, 40094).split(";") if k.strip())
    found: dict[str, Any] = {
        "orientation": orientation if 1 <= orientation <= 8 else 1,
        "camera_make": main.text(271)[:80],
        "camera_model": main.text(272)[:80],
        "lens": exif.text(42036)[:120],
        "exposure_time_s": _exposure_time(exif, main),
        "f_number": _f_number(exif, main),
        "iso": _iso(exif, main),
        "focal_length_mm": _number(exif, 37386, 0, 1e5) or _number(main, 37386, 0, 1e5) or 0.0,
        "focal_length_35mm": float(exif.integer(41989)),
        "captured_at": _time(main, exif),
        "modified_at": _moment(main.text(306), ""),
        "utc_offset": _offset(exif),
        "program": exif.integer(34850),
        "metering": exif.integer(37383),
        "subject_distance_m": _number(exif, 37382, 0, 1e6) or 0.0,
        "camera_serial": (exif.text(42033) or main.text(50735))[:80],
        "camera_owner": exif.text(42032)[:200],
        "lens_make": exif.text(42035)[:80],
        "lens_serial": exif.text(42037)[:80],
        "lens_limits": limits if len(limits) == 4 else (),
        "artist": (main.text(315) or _wide(main, 40093))[:LONGEST_TEXT],
        "copyright": main.text(33432)[:LONGEST_TEXT],
        "title": _wide(main, 40091)[:LONGEST_TEXT],
        "caption": (main.text(270) or _wide(main, 40092))[:LONGEST_TEXT],
        "keywords": keywords[:MOST_KEYWORDS],
        "user_comment": _comment(exif)[:LONGEST_TEXT],
        **(place_of(main.gps) if main.gps is not None else {}),
    }
    kept = {k: v for k, v in found.items() if v or k in ("latitude", "longitude", "altitude_m", "direction_degrees")}
    # zero says something here
    for name, value in (
        ("bias_ev", _number(exif, 37380, -99, 99)),
        ("flash", exif.number(37385)),
        ("rating", _number(main, 18246, 0, 5)),
    ):
        if value is not None:
            kept[name] = value if name == "bias_ev" else int(value)
    return kept


def _offset(exif: Directory) -> str:
    text = exif.text(36881) or exif.text(36880) or exif.text(36882)
    good = len(text) == 6 and text[0] in "+-" and text[3] == ":" and (text[1:3] + text[4:]).isdigit()
    return text if good else ""
