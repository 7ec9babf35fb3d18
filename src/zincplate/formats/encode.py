"""Writing deliveries: JPEG, TIFF and PNG with ICC profile and EXIF.

Everything is written to a temporary name in the target folder, flushed to disk and renamed: a file under its final name is
always complete. A full disk is reported as such and leaves nothing behind.
"""

import errno
import io
import struct
import zlib
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from zincplate import __version__
from zincplate.formats.capture import CaptureData, add_capture_entries
from zincplate.formats.errors import FileError
from zincplate.formats.files import whole_file
from zincplate.formats.icc import profile_of
from zincplate.formats.tiff_writer import IFD, UNDEFINED, rgb_image, write_structure

Format = Literal["jpeg", "tiff", "png"]
SUFFIX: dict[str, str] = {"jpeg": ".jpg", "tiff": ".tif", "png": ".png"}
SOFTWARE = f"Zincplate {__version__}"


def exif_block(capture: CaptureData) -> bytes:
    """EXIF as a TIFF structure, without the JPEG header."""
    return write_structure(add_capture_entries(IFD(), capture, SOFTWARE))


def jpeg_bytes(image: NDArray[np.uint8], space: str, capture: CaptureData, quality: int) -> bytes:
    """(h, w, 3) uint8 -> JPEG; 4:4:4 from quality 90 on, 4:2:0 below."""
    out = io.BytesIO()
    Image.fromarray(image).save(
        out,
        "JPEG",
        quality=quality,
        subsampling=0 if quality >= 90 else 2,
        icc_profile=profile_of(space),
        exif=b"Exif\0\0" + exif_block(capture),
    )
    return out.getvalue()


def tiff_bytes(image: NDArray[np.uint8] | NDArray[np.uint16], space: str, capture: CaptureData) -> bytes:
    """(h, w, 3) uint8 or uint16 -> TIFF, deflate with predictor."""
    ifd = add_capture_entries(rgb_image(image), capture, SOFTWARE)
    ifd.set(34675, UNDEFINED, profile_of(space))
    return write_structure(ifd)


def png_bytes(image: NDArray[np.uint8] | NDArray[np.uint16], space: str, capture: CaptureData) -> bytes:
    """(h, w, 3) uint8 or uint16 -> PNG (ISO/IEC 15948) with iCCP and eXIf, rows filtered by "up"."""
    height, width, _ = image.shape
    bits = image.dtype.itemsize * 8
    rows = image.astype(">u2" if bits == 16 else "u1").view(np.uint8).reshape(height, -1)
    filtered = np.empty((height, rows.shape[1] + 1), np.uint8)
    filtered[:, 0] = 2
    filtered[0, 1:] = rows[0]
    filtered[1:, 1:] = rows[1:] - rows[:-1]

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    return b"".join(
        (
            b"\x89PNG\r\n\x1a\n",
            chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, bits, 2, 0, 0, 0)),
            chunk(b"iCCP", b"ICC profile\0\0" + zlib.compress(profile_of(space))),
            chunk(b"eXIf", exif_block(capture)),
            chunk(b"IDAT", zlib.compress(filtered.tobytes(), 4)),
            chunk(b"IEND", b""),
        )
    )


def encode(
    image: NDArray[np.uint8] | NDArray[np.uint16], file_format: Format, space: str, capture: CaptureData, quality: int = 92
) -> bytes:
    """The bytes of a delivered file."""
    if file_format == "jpeg":
        if image.dtype != np.uint8:
            raise ValueError("JPEG holds 8 bit")
        return jpeg_bytes(image.astype(np.uint8, copy=False), space, capture, quality)
    return tiff_bytes(image, space, capture) if file_format == "tiff" else png_bytes(image, space, capture)


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
        return FileError(path, f"The disk is full: {size_bytes / 1e6:,.0f} MB are needed. Make room and deliver again.")
    if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        return FileError(path, "There is no permission to write there.")
    return FileError(path, f"It could not be written: {error.strerror}.")
