"""FITS (standard 4.0) as cameras on telescopes write it: grey or three planes, whole numbers or floating point, mosaics,
linear light.

FITS says nothing about colour: its light is taken as linear, in the primaries of sRGB, and that is told. Mosaics (BAYERPAT) are
worked out while reading, without the colour of the camera.
"""

from pathlib import Path
from typing import Any

import numpy as np

from zincplate.formats import tags
from zincplate.formats.errors import FileError
from zincplate.formats.rendered.picture import Model, Pixels, Rendered, linear_of

_STILL_LIGHT = 64.0
"""Floating point that goes no further counts from 1 as white, with bright light above; more are counts of a sensor."""
_DAMAGED = "The picture data are damaged or cut off. Copy it again."
_NOTE = "FITS names no colours: linear light and the primaries of sRGB are assumed."


def read(path: Path, pixels: bool) -> Rendered:
    """The picture; raises ``FileError``."""
    import warnings

    from astropy.io import fits

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            with fits.open(path, memmap=False, lazy_load_hdus=True) as file:
                return _picture(path, file, pixels)
        except FileError:
            raise
        except Exception as error:  # astropy raises many kinds
            raise FileError(path, _DAMAGED) from error


def _picture(path: Path, file: Any, pixels: bool) -> Rendered:
    unit = next((u for u in file if getattr(u, "is_image", False) and len(getattr(u, "shape", ())) in (2, 3)), None)
    if unit is None:
        raise FileError(path, "It holds no picture of two or three dimensions.")
    header, shape = unit.header, unit.shape
    first = len(shape) == 3 and shape[0] in (1, 3)
    last = len(shape) == 3 and not first and shape[2] in (1, 3)
    if len(shape) == 3 and not (first or last):
        raise FileError(path, f"It is a cube of {shape[0]} planes; one and three can be shown.")
    height, width = shape[1:] if first else shape[:2]
    planes = 1 if len(shape) == 2 else shape[0] if first else shape[2]
    pattern = str(header.get("BAYERPAT", header.get("COLORTYP", ""))).strip().upper()
    mosaic = planes == 1 and sorted(pattern) == ["B", "G", "G", "R"]
    notes = [_NOTE]
    stored = abs(int(header.get("BITPIX", 16)))
    found: Pixels | None = None
    if pixels:
        values = np.asarray(unit.data)
        values = values[..., None] if values.ndim == 2 else np.moveaxis(values, 0, -1) if first else values
        # rows are stored from the bottom, unless the file says otherwise
        if str(header.get("ROWORDER", "BOTTOM-UP")).strip().upper() != "TOP-DOWN":
            values = values[::-1]
            if mosaic and height % 2 == 0:
                pattern = pattern[2:] + pattern[:2]
        found, more = _scaled(values, stored, "BZERO" in header, header)
        notes += more
        if mosaic:
            found = _worked_out(found[..., 0], pattern)
    if mosaic:
        notes.append("It is a mosaic; its colours were worked out while reading.")
    model: Model = "rgb" if planes == 3 or mosaic else "grey"
    return Rendered(
        "FITS", width, height, stored, 3 if model == "rgb" else 1, model, found, "", b"", linear_of("srgb", "linear, assumed"),
        _facts(header), b"", b"", True, tuple(notes),
    )  # fmt: skip


def _scaled(values: Pixels, bits: int, offset: bool, header: Any) -> tuple[Pixels, list[str]]:
    """Whole numbers by their range; floating point as it is where it may be light, else by DATAMAX or its size."""
    numbers = values.astype(np.float32)
    if header["BITPIX"] > 0:
        top = float(2 ** (bits if offset or bits == 8 else bits - 1) - 1)
        return numbers / np.float32(top), []
    good = np.isfinite(numbers)
    largest = float(numbers[good].max()) if good.any() else 1.0
    if largest <= _STILL_LIGHT:
        return numbers, []
    top = float(header.get("DATAMAX", 0)) or (65535.0 if largest <= 65536 else largest)
    return numbers / np.float32(top), [f"Its values go up to {largest:,.0f}; {top:,.0f} is taken as white."]


def _worked_out(sites: Pixels, pattern: str) -> Pixels:
    from zincplate.core.sensor.demosaic_any import demosaic_any

    planes = np.array(["RGB".index(c) for c in pattern], np.int64).reshape(2, 2)
    return demosaic_any(np.ascontiguousarray(np.nan_to_num(sites), np.float32), planes, 3)


def _facts(header: Any) -> tags.Directory:
    """Keywords in common use, as the tags of EXIF."""
    found = tags.Directory(exif=tags.Directory())
    assert found.exif is not None
    for names, tag in ((("INSTRUME", "CAMERA"), 272), (("OBSERVER",), 315), (("OBJECT",), 270)):
        text = next((str(header[n]).strip() for n in names if isinstance(header.get(n), str)), "")
        if text:
            found.values[tag] = text
    when = str(header.get("DATE-OBS", ""))[:19]
    if len(when) == 19:
        found.exif.values[36867] = when.replace("-", ":").replace("T", " ")
    for names, tag in ((("EXPTIME", "EXPOSURE"), 33434), (("FOCALLEN",), 37386), (("FOCRATIO", "APERTURE"), 33437)):
        number = next((header[n] for n in names if isinstance(header.get(n), int | float)), 0)
        if number > 0:
            found.exif.values[tag] = (float(number),)
    return found
