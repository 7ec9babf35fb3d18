"""The picture that a camera puts into its files: small, upright, and never trusted. Made in the decoding child."""

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from zincplate.core.geometry.orientation import upright
from zincplate.formats.preview_pictures import Preview

LONG_EDGE = 1600
SMALL_EDGE = 480
LARGEST_PIXELS = 120_000_000
"""A preview that claims more is none."""


def preview_from(pixels: NDArray[np.uint8]) -> Preview:
    """Of an upright picture (h, w, 3), sRGB."""
    import cv2  # facts are asked for alone, and are to come at once

    scale = SMALL_EDGE / max(pixels.shape[:2])
    size = tuple(max(round(n * scale), 1) for n in (pixels.shape[1], pixels.shape[0]))
    small = pixels if scale >= 1 else cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    return Preview(jpeg_from(pixels), jpeg_from(np.asarray(small, np.uint8)))


def jpeg_from(pixels: NDArray[np.uint8], quality: int = 85) -> bytes:
    """(h, w, 3) -> JPEG."""
    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(pixels)).save(out, "JPEG", quality=quality)
    return out.getvalue()


def preview_of(data: bytes, orientation: int) -> Preview | None:
    """Of at most :data:`LONG_EDGE` (about: JPEG is reduced by whole octaves), upright; None when it cannot be read."""
    try:
        with Image.open(io.BytesIO(data), formats=("JPEG",)) as image:
            if not 0 < image.width * image.height <= LARGEST_PIXELS:
                return None
            image.draft("RGB", (LONG_EDGE, LONG_EDGE))
            pixels = np.asarray(image.convert("RGB"))
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        return None
    return preview_from(upright(pixels, orientation))
