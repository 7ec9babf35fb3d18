"""What a format is in which pictures are delivered: its names, what it can hold, and how it is written."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from zincplate import __version__
from zincplate.formats.capture import CaptureData
from zincplate.formats.exif_writer import Written, add_capture_entries
from zincplate.formats.tiff_writer import IFD, write_structure

SOFTWARE = f"Zincplate {__version__}"


@dataclass(frozen=True)
class DeliveredFormat:
    """One format."""

    name: str
    """As presets and the command line say it."""
    words: str
    endings: tuple[str, ...]
    """Of file names; the first is what files get."""
    bits: tuple[int, ...]
    """A channel may have, the usual number first."""
    has_quality: bool
    write: Callable[[NDArray[Any], str, CaptureData, int, str], bytes]
    """From the picture (h, w, 3) uint8 or uint16, its colour space, what the file says of itself, the quality 1 to 100, and when
    it was last worked on (ISO 8601, or empty)."""


def exif_block(capture: CaptureData, written: Written | None = None) -> bytes:
    """EXIF as a TIFF structure, without the JPEG header."""
    return write_structure(add_capture_entries(IFD(), capture, SOFTWARE, written=written))
