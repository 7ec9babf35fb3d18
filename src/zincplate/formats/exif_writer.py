"""EXIF of deliveries (CIPA DC-008, EXIF 2.32): everything that is known of a frame, with the size and colour of what is
written."""

from dataclasses import dataclass
from datetime import datetime

from zincplate.formats.capture import CaptureData
from zincplate.formats.tiff_writer import ASCII, BYTE, IFD, LARGEST, LONG, RATIONAL, SHORT, SRATIONAL, UNDEFINED, rational

SRGB_TAG, UNCALIBRATED = 1, 65535


@dataclass(frozen=True)
class Written:
    """What is true of the file that is written: its size, its space, when the picture was last changed (ISO 8601, UTC; empty:
    unknown)."""

    width: int = 0
    height: int = 0
    space: str = ""
    changed_at: str = ""


def _stamp(text: str) -> str:
    return datetime.fromisoformat(text).strftime("%Y:%m:%d %H:%M:%S")


def _gps(capture: CaptureData) -> IFD | None:
    if capture.latitude is None or capture.longitude is None:
        return None

    def parts(value: float) -> list[tuple[int, int]]:
        # seconds to a hundred-thousandth: a third of a millimetre; carried over where rounding fills a minute
        units = round(abs(value) * 3600 * 100_000)
        degrees, rest = divmod(units, 3600 * 100_000)
        minutes, seconds = divmod(rest, 60 * 100_000)
        return [(degrees, 1), (minutes, 1), (seconds, 100_000)]

    ifd = IFD()
    ifd.set(0, BYTE, [2, 3, 0, 0])
    ifd.set(1, ASCII, "S" if capture.latitude < 0 else "N").set(2, RATIONAL, parts(capture.latitude))
    ifd.set(3, ASCII, "W" if capture.longitude < 0 else "E").set(4, RATIONAL, parts(capture.longitude))
    if capture.altitude_m is not None:
        ifd.set(5, BYTE, int(capture.altitude_m < 0)).set(6, RATIONAL, rational(abs(capture.altitude_m), 100))
    if capture.direction_degrees is not None:
        ifd.set(16, ASCII, "T").set(17, RATIONAL, rational(capture.direction_degrees, 100))
    return ifd


def add_capture_entries(
    ifd: IFD, capture: CaptureData, software: str, orientation: int = 1, written: Written | None = None
) -> IFD:
    """Puts what is known into a directory, its EXIF directory and its GPS directory."""
    written = written or Written()
    texts = (
        (270, capture.caption), (271, capture.camera_make), (272, capture.camera_model), (305, software), (315, capture.artist),
        (33432, capture.copyright),
    )  # fmt: skip
    for tag, text in texts:
        if text:
            ifd.set(tag, ASCII, text.replace("\0", ""))
    ifd.set(274, SHORT, orientation)
    if written.width:
        for tag in (282, 283):
            ifd.entries.setdefault(tag, (RATIONAL, (300, 1)))
        ifd.entries.setdefault(296, (SHORT, 2))
    exif = IFD()
    exif.set(36864, UNDEFINED, b"0232")
    changed = written.changed_at or capture.modified_at or capture.captured_at
    if changed:
        ifd.set(306, ASCII, _stamp(changed))
        if written.changed_at:
            exif.set(36880, ASCII, "+00:00")
    if capture.captured_at:
        moment = datetime.fromisoformat(capture.captured_at)
        exif.set(36867, ASCII, _stamp(capture.captured_at)).set(36868, ASCII, _stamp(capture.captured_at))
        exif.set(37521, ASCII, f"{moment.microsecond // 1000:03d}").set(37522, ASCII, f"{moment.microsecond // 1000:03d}")
        if capture.utc_offset:
            exif.set(36881, ASCII, capture.utc_offset).set(36882, ASCII, capture.utc_offset)
    _exposure(exif, capture)
    _makers(exif, capture)
    if capture.user_comment:
        exif.set(37510, UNDEFINED, b"UNICODE\0" + capture.user_comment.encode("utf-16-le"))
    if written.width:
        exif.set(40962, LONG, written.width).set(40963, LONG, written.height)
    if written.space:
        exif.set(40961, SHORT, SRGB_TAG if written.space == "srgb" else UNCALIBRATED)
    ifd.exif, ifd.gps = exif, _gps(capture)
    if capture.rating is not None:
        ifd.set(18246, SHORT, max(capture.rating, 0))
    return ifd


def _exposure(exif: IFD, capture: CaptureData) -> None:
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
    if capture.bias_ev is not None:
        exif.set(37380, SRATIONAL, rational(capture.bias_ev, 100))
    if capture.subject_distance_m:
        exif.set(37382, RATIONAL, rational(capture.subject_distance_m, 1000))
    for tag, value in ((34850, capture.program), (37383, capture.metering), (37385, capture.flash)):
        if value or (tag == 37385 and value is not None):
            exif.set(tag, SHORT, min(int(value or 0), 65535))


def _makers(exif: IFD, capture: CaptureData) -> None:
    texts = (
        (42036, capture.lens), (42035, capture.lens_make), (42037, capture.lens_serial), (42033, capture.camera_serial),
        (42032, capture.camera_owner),
    )  # fmt: skip
    for tag, text in texts:
        if text:
            exif.set(tag, ASCII, text.replace("\0", ""))
    if len(capture.lens_limits) == 4:
        exif.set(42034, RATIONAL, [rational(v, 100) if v else (0, 0) for v in capture.lens_limits])
