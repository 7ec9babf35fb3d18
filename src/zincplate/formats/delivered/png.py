"""PNG (ISO/IEC 15948) of 8 or 16 bits with an ICC profile, EXIF and XMP."""

import struct
import zlib

import numpy as np
from numpy.typing import NDArray

from zincplate.formats.capture import CaptureData
from zincplate.formats.delivered.kind import SOFTWARE, DeliveredFormat, exif_block
from zincplate.formats.description_writer import xmp_packet
from zincplate.formats.exif_writer import Written
from zincplate.formats.icc import profile_of


def png_bytes(image: NDArray[np.uint8] | NDArray[np.uint16], space: str, capture: CaptureData, changed_at: str = "") -> bytes:
    """(h, w, 3) uint8 or uint16 -> PNG (ISO/IEC 15948) with iCCP, eXIf and XMP, rows filtered by "up"."""
    height, width, _ = image.shape
    bits = image.dtype.itemsize * 8
    rows = image.astype(">u2" if bits == 16 else "u1").view(np.uint8).reshape(height, -1)
    filtered = np.empty((height, rows.shape[1] + 1), np.uint8)
    filtered[:, 0] = 2
    filtered[0, 1:] = rows[0]
    filtered[1:, 1:] = rows[1:] - rows[:-1]
    xmp = xmp_packet(capture, SOFTWARE, changed_at)

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    return b"".join(
        (
            b"\x89PNG\r\n\x1a\n",
            chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, bits, 2, 0, 0, 0)),
            chunk(b"iCCP", b"ICC profile\0\0" + zlib.compress(profile_of(space))),
            chunk(b"eXIf", exif_block(capture, Written(width, height, space, changed_at))),
            chunk(b"iTXt", b"XML:com.adobe.xmp\0\0\0\0\0" + xmp) if xmp else b"",
            chunk(b"IDAT", zlib.compress(filtered.tobytes(), 4)),
            chunk(b"IEND", b""),
        )
    )


PNG = DeliveredFormat(
    "png", "PNG", (".png",), (8, 16), False, lambda image, space, capture, _, at: png_bytes(image, space, capture, at)
)
