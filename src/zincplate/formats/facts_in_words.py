"""The facts of a file as people say them: groups of a name and a text each, for the facts of a frame and for ``info``."""

from zincplate.formats.capture import CaptureData
from zincplate.formats.sphere import Sphere

Rows = list[tuple[str, str]]
_PROGRAMS = {
    1: "manual", 2: "programmed", 3: "aperture first", 4: "time first", 5: "creative", 6: "action", 7: "portrait", 8: "landscape",
}  # fmt: skip
_METERING = {1: "average", 2: "centre-weighted", 3: "spot", 4: "several spots", 5: "pattern", 6: "partial"}


def _time(seconds: float) -> str:
    if seconds <= 0:
        return ""
    return f"{seconds:.4g} s" if seconds >= 0.4 else f"1/{1 / seconds:.0f} s"


def _degrees(value: float, positive: str, negative: str) -> str:
    return f"{abs(value):.5f}\N{DEGREE SIGN} {positive if value >= 0 else negative}"


def _flash(capture: CaptureData) -> str:
    if capture.flash is None:
        return ""
    return "fired" if capture.flash & 1 else "did not fire"


def _lens_limits(limits: tuple[float, ...]) -> str:
    if len(limits) != 4 or not limits[0]:
        return ""
    shortest, longest, wide, tele = limits
    focal = f"{shortest:g}" if shortest == longest else f"{shortest:g}-{longest:g}"
    stop = "" if not wide else f" f/{wide:g}" if wide == tele or not tele else f" f/{wide:g}-{tele:g}"
    return f"{focal} mm{stop}"


def _when(text: str) -> str:
    return text.replace("T", " ")


def searched(c: CaptureData) -> str:
    """Everything by which a picture may be looked for, a line each."""
    parts = (
        c.title, c.caption, *c.keywords, c.user_comment, c.artist, c.copyright, c.label, c.camera_make, c.camera_model, c.lens,
        c.place, c.city, c.region, c.country, c.file_type,
    )  # fmt: skip
    return "\n".join(part for part in parts if part)


def _part_of_view(sphere: Sphere) -> str:
    """How much of the whole view about the camera it shows."""
    if not sphere:
        return ""
    across, high = 360 * sphere[4] / sphere[0], 180 * sphere[5] / sphere[1]
    return f"{across:.0f}\N{DEGREE SIGN} of 360\N{DEGREE SIGN} across, {high:.0f}\N{DEGREE SIGN} of 180\N{DEGREE SIGN} high"


def in_words(c: CaptureData) -> list[tuple[str, Rows]]:
    """Groups with their rows; what the file does not say is left out."""
    camera = c.camera_model if c.camera_model.startswith(c.camera_make) else f"{c.camera_make} {c.camera_model}".strip()
    lens = c.lens if not c.lens_make or c.lens.startswith(c.lens_make) else f"{c.lens_make} {c.lens}".strip()
    focal = f"{c.focal_length_mm:g} mm" if c.focal_length_mm else ""
    if focal and c.focal_length_35mm and abs(c.focal_length_35mm - c.focal_length_mm) > 0.5:
        focal += f" (as {c.focal_length_35mm:g} mm on 36 x 24)"
    kind = "raw" if c.raw else {1: "grey", 2: "grey"}.get(c.channels, "")
    rating = "" if c.rating is None else "rejected" if c.rating < 0 else f"{c.rating} of 5"
    where = ", ".join(v for v in (c.place, c.city, c.region, c.country) if v)
    position = ""
    if c.latitude is not None and c.longitude is not None:
        position = f"{_degrees(c.latitude, 'north', 'south')}, {_degrees(c.longitude, 'east', 'west')}"
    groups: list[tuple[str, Rows]] = [
        (
            "Picture",
            [
                ("Title", c.title),
                ("Caption", c.caption),
                ("Keywords", ", ".join(c.keywords)),
                ("Author", c.artist),
                ("Rights", c.copyright),
                ("Rating", rating),
                ("Label", c.label),
                ("Comment", c.user_comment),
            ],
        ),
        (
            "Exposure",
            [
                ("Taken", f"{_when(c.captured_at)} {c.utc_offset}".strip()),
                ("Time", _time(c.exposure_time_s)),
                ("Aperture", f"f/{c.f_number:g}" if c.f_number else ""),
                ("Sensitivity", f"ISO {c.iso}" if c.iso else ""),
                ("Focal length", focal),
                ("Compensation", f"{c.bias_ev:+g} EV" if c.bias_ev else ""),
                ("Program", _PROGRAMS.get(c.program, "")),
                ("Metering", _METERING.get(c.metering, "")),
                ("Flash", _flash(c)),
                ("Distance", f"{c.subject_distance_m:g} m" if c.subject_distance_m else ""),
            ],
        ),
        (
            "Camera",
            [
                ("Camera", camera),
                ("Serial number", c.camera_serial),
                ("Owner", c.camera_owner),
                ("Lens", lens),
                ("Lens range", _lens_limits(c.lens_limits)),
                ("Lens serial", c.lens_serial),
                ("Lens in the file", "described" if c.own_lens else ""),
            ],
        ),
        (
            "Place",
            [
                ("Position", position),
                ("Altitude", f"{c.altitude_m:.0f} m" if c.altitude_m is not None else ""),
                ("Direction", f"{c.direction_degrees:.0f}\N{DEGREE SIGN}" if c.direction_degrees is not None else ""),
                ("Named", where),
            ],
        ),
        (
            "File",
            [
                ("Kind", " ".join(v for v in (c.file_type, kind) if v)),
                ("Size", f"{c.width} x {c.height}"),
                ("Whole view", _part_of_view(c.sphere)),
                ("Bits", str(c.bits) if c.bits else ""),
                ("Colour space", c.colour_space),
                ("Changed", _when(c.modified_at) if c.modified_at != c.captured_at.partition(".")[0] else ""),
            ],
        ),
    ]
    shown = [(title, [(name, text) for name, text in rows if text]) for title, rows in groups]
    return [(title, rows) for title, rows in shown if rows]
