"""The picture that a camera puts into its files: small, upright, and never trusted. Made in the decoding child."""

import io

import numpy as np
from PIL import Image

from zincplate.core.geometry.orientation import upright

LONG_EDGE = 1600
LARGEST_PIXELS = 120_000_000
"""A preview that claims more is none."""


def preview_of(data: bytes, orientation: int) -> bytes | None:
    """JPEG of at most :data:`LONG_EDGE` (about: JPEG is reduced by whole octaves), upright; None when it cannot be read."""
    try:
        with Image.open(io.BytesIO(data), formats=("JPEG",)) as image:
            if not 0 < image.width * image.height <= LARGEST_PIXELS:
                return None
            image.draft("RGB", (LONG_EDGE, LONG_EDGE))
            pixels = np.asarray(image.convert("RGB"))
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        return None
    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(upright(pixels, orientation))).save(out, "JPEG", quality=85)
    return out.getvalue()
