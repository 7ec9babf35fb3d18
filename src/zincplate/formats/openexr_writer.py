"""OpenEXR of a merged picture: linear Rec.2020 as half floats, ZIP, with its chromaticities."""

from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.adaptation import D65_XY
from zincplate.formats.capture import CaptureData

Float32 = NDArray[np.float32]

REC2020_XY = (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, *D65_XY)
"""Red, green, blue and white (ITU-R BT.2020)."""
LARGEST_HALF = 65504.0


def exr_bytes(linear_rec2020: Float32, capture: CaptureData, software: str, comments: str) -> bytes:
    """The file of planes (3, h, w); 1 is white at normal exposure, light above it is kept."""
    import OpenEXR

    halves = np.clip(linear_rec2020, -LARGEST_HALF, LARGEST_HALF).astype(np.float16)
    header = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": tuple(float(v) for v in REC2020_XY),
        "software": software,
        "comments": comments,
    }
    if capture.exposure_time_s > 0:
        header["expTime"] = float(capture.exposure_time_s)
    channels = {name: np.ascontiguousarray(plane) for name, plane in zip("RGB", halves, strict=True)}
    with TemporaryDirectory() as folder:
        path = Path(folder) / "master.exr"
        with OpenEXR.File(header, channels) as file:
            file.write(str(path))
        return path.read_bytes()
