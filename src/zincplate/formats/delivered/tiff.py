"""TIFF 6.0 of 8 or 16 bits with capture data, XMP, an ICC profile and IPTC."""

import numpy as np
from numpy.typing import NDArray

from zincplate.formats.capture import CaptureData
from zincplate.formats.delivered.kind import SOFTWARE, DeliveredFormat
from zincplate.formats.description_writer import iptc_block, xmp_packet
from zincplate.formats.exif_writer import Written, add_capture_entries
from zincplate.formats.icc import profile_of
from zincplate.formats.tiff_writer import BYTE, UNDEFINED, rgb_image, write_structure


def tiff_bytes(image: NDArray[np.uint8] | NDArray[np.uint16], space: str, capture: CaptureData, changed_at: str = "") -> bytes:
    """(h, w, 3) uint8 or uint16 -> TIFF, deflate with predictor."""
    written = Written(image.shape[1], image.shape[0], space, changed_at)
    ifd = add_capture_entries(rgb_image(image), capture, SOFTWARE, written=written)
    ifd.set(34675, UNDEFINED, profile_of(space))
    if xmp := xmp_packet(capture, SOFTWARE, changed_at):
        ifd.set(700, BYTE, xmp)
    if iptc := iptc_block(capture):
        ifd.set(33723, UNDEFINED, iptc)
    return write_structure(ifd)


TIFF = DeliveredFormat(
    "tiff", "TIFF", (".tif", ".tiff"), (16, 8), False, lambda image, space, capture, _, at: tiff_bytes(image, space, capture, at)
)
