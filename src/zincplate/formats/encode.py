"""Writing deliveries, with ICC profile and EXIF.

Everything is written to a temporary name in the target folder, flushed to disk and renamed: a file under its final name is
always complete. A full disk is reported as such and leaves nothing behind.
"""

import errno
from pathlib import Path
from typing import Any

from numpy.typing import NDArray

from zincplate.formats.capture import CaptureData
from zincplate.formats.delivered.jpeg import JPEG
from zincplate.formats.delivered.png import PNG
from zincplate.formats.delivered.tiff import TIFF
from zincplate.formats.errors import FileError
from zincplate.formats.files import whole_file

FORMATS = {one.name: one for one in (JPEG, TIFF, PNG)}
"""Every format that pictures are delivered in. A new one adds its file and its place here."""


def encode(
    image: NDArray[Any], file_format: str, space: str, capture: CaptureData, quality: int = 92, changed_at: str = ""
) -> bytes:
    """The bytes of a delivered file of a picture (h, w, 3), uint8 or uint16. ``changed_at`` (ISO 8601) is when the picture was
    last worked on; empty: as the file says. Raises ``ValueError`` for more bits than the format holds."""
    kind, bits = FORMATS[file_format], 8 * image.dtype.itemsize
    if bits not in kind.bits:
        raise ValueError(f"{kind.words} holds {kind.bits[0]} bit")
    return kind.write(image, space, capture, quality, changed_at)


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
