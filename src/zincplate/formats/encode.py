"""Writing deliveries: JPEG, TIFF and PNG with ICC profile and EXIF.

Everything is written to a temporary name in the target folder, flushed to disk and renamed: a file under its final name is
always complete. A full disk is reported as such and leaves nothing behind.
"""

import errno
import struct
import zlib
from dataclasses import replace
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zincplate import __version__
from zincplate.formats.capture import CaptureData
from zincplate.formats.description_writer import image_resource, iptc_block, xmp_packet
from zincplate.formats.errors import FileError
from zincplate.formats.exif_writer import Written, add_capture_entries
from zincplate.formats.files import whole_file
from zincplate.formats.icc import profile_of
from zincplate.formats.jpeg_writer import LONGEST_SEGMENT, jpeg, segment
from zincplate.formats.tiff_writer import BYTE, IFD, UNDEFINED, rgb_image, write_structure

Format = Literal["jpeg", "tiff", "png"]
SUFFIX: dict[str, str] = {"jpeg": ".jpg", "tiff": ".tif", "png": ".png"}
SOFTWARE = f"Zincplate {__version__}"


def exif_block(capture: CaptureData, written: Written | None = None) -> bytes:
    """EXIF as a TIFF structure, without the JPEG header."""
    return write_structure(add_capture_entries(IFD(), capture, SOFTWARE, written=written))


def jpeg_bytes(image: NDArray[np.uint8], space: str, capture: CaptureData, quality: int, changed_at: str = "") -> bytes:
    """(h, w, 3) uint8 -> JPEG; 4:4:4 from quality 90 on, 4:2:0 below."""
    written = Written(image.shape[1], image.shape[0], space, changed_at)
    xmp, iptc = xmp_packet(capture, SOFTWARE, changed_at), iptc_block(capture)
    exif = exif_block(capture, written)
    if len(exif) > LONGEST_SEGMENT:  # the longest texts; XMP and IPTC hold them too
        shorter = {name: getattr(capture, name)[:1000] for name in ("caption", "artist", "copyright", "user_comment")}
        exif = exif_block(replace(capture, **shorter), written)
    extra = [segment(0xE1, b"Exif\0\0" + exif)]
    if xmp and len(xmp) < LONGEST_SEGMENT:
        extra.append(segment(0xE1, b"http://ns.adobe.com/xap/1.0/\0" + xmp))
    extra.append(segment(0xE2, b"ICC_PROFILE\0\1\1" + profile_of(space)))
    if iptc and len(iptc) < LONGEST_SEGMENT:
        extra.append(segment(0xED, image_resource(iptc)))
    return jpeg(image, quality, full_colour=quality >= 90, extra=extra)


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


def encode(
    image: NDArray[np.uint8] | NDArray[np.uint16],
    file_format: Format,
    space: str,
    capture: CaptureData,
    quality: int = 92,
    changed_at: str = "",
) -> bytes:
    """The bytes of a delivered file. ``changed_at`` (ISO 8601) is when the picture was last worked on; empty: as the file
    says."""
    if file_format == "jpeg":
        if image.dtype != np.uint8:
            raise ValueError("JPEG holds 8 bit")
        return jpeg_bytes(image.astype(np.uint8, copy=False), space, capture, quality, changed_at)
    if file_format == "tiff":
        return tiff_bytes(image, space, capture, changed_at)
    return png_bytes(image, space, capture, changed_at)


def write_whole(path: Path, data: bytes, overwrite: bool = False) -> None:
    """All of ``data`` under ``path``, or nothing; raises :class:`FileError` (disk full, no rights, already there)."""
    try:
        with whole_file(path, replace=overwrite) as file:
            file.write(data)
    except FileExistsError as error:
        raise FileError(path, "A file of this name is already there; nothing was overwritten.") from error
    except OSError as error:
        raise unwritten(path, error, len(data)) from error


def unwritten(path: Path, error: OSError, size_bytes: int) -> FileError:
    """Why a file could not be written, as a sentence."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return FileError(path, f"The disk is full: {size_bytes / 1e6:,.0f} MB are needed. Make room and try again.")
    if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        return FileError(path, "There is no permission to write there.")
    if error.errno == errno.ENOENT:
        return FileError(path, "There is no such folder.")
    return FileError(path, f"It could not be written: {error.strerror}.")
