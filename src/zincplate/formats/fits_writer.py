"""FITS (standard 4.0) of a merged picture: three planes of single floats, rows from the top as ROWORDER says."""

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.formats.capture import CaptureData

Float32 = NDArray[np.float32]


def fits_bytes(planes: Float32, capture: CaptureData, software: str, sentences: list[str]) -> bytes:
    """Planes (3, h, w) of linear light and what is told of them; ``sentences`` become HISTORY."""
    from astropy.io import fits

    unit = fits.PrimaryHDU(np.asarray(planes, np.float32))
    header: Any = unit.header
    header["ROWORDER"] = "TOP-DOWN"
    header["CREATOR"] = software
    if capture.exposure_time_s > 0:
        header["EXPTIME"] = (capture.exposure_time_s, "seconds, of one frame")
    if capture.captured_at:
        header["DATE-OBS"] = capture.captured_at
    named = capture.camera_model.startswith(capture.camera_make)
    camera = capture.camera_model if named else f"{capture.camera_make} {capture.camera_model}".strip()
    if camera:
        header["INSTRUME"] = camera.encode("ascii", "replace").decode()
    for sentence in sentences:
        header["HISTORY"] = sentence.encode("ascii", "replace").decode()
    out = io.BytesIO()
    unit.writeto(out)
    return out.getvalue()
