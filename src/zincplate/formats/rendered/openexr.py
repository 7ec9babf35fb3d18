"""OpenEXR: scene-linear half and single floating point, its own chromaticities; of several parts the first with colours."""

from pathlib import Path
from typing import Any

import numpy as np

from zincplate.formats import tags
from zincplate.formats.errors import FileError
from zincplate.formats.rendered.picture import Model, Rendered, linear_of, of_primaries

_DAMAGED = "The picture data are damaged or cut off. Copy it again."
LARGEST_FILE = 4 << 30


def _place(box: Any) -> tuple[int, int, int, int]:
    (x0, y0), (x1, y1) = box
    return int(x0), int(y0), int(x1) + 1, int(y1) + 1


def read(path: Path, pixels: bool) -> Rendered:
    """The picture; raises ``FileError``."""
    import OpenEXR

    if path.stat().st_size > LARGEST_FILE:
        raise FileError(path, "The file is larger than 4 GB, more than can be read of this kind.")
    try:
        with OpenEXR.File(str(path), separate_channels=True, header_only=not pixels) as file:
            parts = [(dict(part.header), dict(part.channels)) for part in file.parts]
    except Exception as error:  # the library raises its own kinds
        raise FileError(path, _DAMAGED) from error
    listed = [[str(c.name) for c in header["channels"]] if not pixels else list(channels) for header, channels in parts]
    index = next((i for i, names in enumerate(listed) if {"R", "G", "B"} <= set(names) or "Y" in names), None)
    if index is None:
        raise FileError(path, "It holds no red, green and blue and no grey; other channels cannot be shown.")
    names, (header, channels) = listed[index], parts[index]
    if {"RY", "BY"} & set(names):
        raise FileError(path, "It stores luminance and colour differences; RGB and grey can be read.")
    notes = []
    if len(parts) > 1:
        notes.append(f"It holds {len(parts)} parts; number {index + 1} is shown.")
    colours = ["R", "G", "B"] if {"R", "G", "B"} <= set(names) else ["Y"]
    left = sorted(set(names) - {*colours, "A"})
    if left:
        notes.append(f"Other channels are not used: {', '.join(left[:8])}.")
    x0, y0, x1, y1 = _place(header["dataWindow"])
    alpha = "A" in names
    found = None
    if pixels:
        planes = [np.asarray(channels[c].pixels) for c in [*colours, *(["A"] if alpha else [])]]
        if any(p.shape != (y1 - y0, x1 - x0) for p in planes):
            raise FileError(path, "Its channels have different sizes.")
        found = np.stack(planes, -1).astype(np.float32)
        bits = 16 if planes[0].dtype == np.float16 else 32
    else:
        bits = 16
    profile = linear_of("srgb", "linear Rec. 709")
    given = header.get("chromaticities")
    if given is not None:
        rx, ry, gx, gy, bx, by, wx, wy = (float(v) for v in np.ravel(given))
        try:
            profile = of_primaries("linear, its own primaries", ((rx, ry), (gx, gy), (bx, by)), (wx, wy), np.linspace(0, 1, 4096))
        except (ValueError, ZeroDivisionError):
            notes.append("Its chromaticities cannot be; those of sRGB are assumed.")
    if (x0, y0, x1, y1) != _place(header["displayWindow"]):
        notes.append("Its pixels fill another window than it wants shown; all of them are shown.")
    model: Model = "rgb" if len(colours) == 3 else "grey"
    return Rendered(
        "OpenEXR", x1 - x0, y1 - y0, bits, len(names), model, found, "associated" if alpha else "", b"", profile, _facts(header),
        b"", b"", True, tuple(notes),
    )  # fmt: skip


def _facts(header: dict[str, Any]) -> tags.Directory:
    """Standard attributes (OpenEXR, "Standard Attributes") as the tags of EXIF."""
    found = tags.Directory(exif=tags.Directory())
    assert found.exif is not None
    for name, tag in (("owner", 33432), ("comments", 270), ("capDate", 306), ("cameraMake", 271), ("cameraModel", 272)):
        if isinstance(header.get(name), str):
            found.values[tag] = header[name]
    for name, tag in (("expTime", 33434), ("aperture", 33437), ("isoSpeed", 34855), ("nominalFocalLength", 37386)):
        if isinstance(header.get(name), int | float):
            found.exif.values[tag] = (float(header[name]),)
    if isinstance(header.get("lensModel"), str):
        found.exif.values[42036] = header["lensModel"]
    return found
