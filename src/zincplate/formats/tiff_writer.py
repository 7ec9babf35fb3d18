"""Writer of classic little-endian TIFF structures: DNG, delivered TIFF, EXIF blocks (TIFF 6.0, DNG 1.7, EXIF 2.32).

Pixel data are given as strips or tiles that are already encoded; output depends on the input alone.
"""

import struct
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

BYTE, ASCII, SHORT, LONG, RATIONAL, UNDEFINED, SRATIONAL, DOUBLE = 1, 2, 3, 4, 5, 7, 10, 12
_CODE = {BYTE: "B", SHORT: "H", LONG: "I"}


LARGEST = 0xFFFFFFFF


def rational(value: float, denominator: int | None = None) -> tuple[int, int]:
    """Number -> (numerator, denominator) of 32 bits each; what is larger or smaller becomes the nearest there is."""
    value = min(max(value, -float(LARGEST // 2)), float(LARGEST)) if value == value else 0.0
    if denominator is not None:
        return max(min(round(value * denominator), LARGEST), -(LARGEST // 2)), denominator
    fraction = Fraction(value).limit_denominator(1_000_000)
    if not -(LARGEST // 2) <= fraction.numerator <= LARGEST:
        return round(value), 1
    return fraction.numerator, fraction.denominator


@dataclass
class IFD:
    """One image file directory to be written."""

    entries: dict[int, tuple[int, Any]] = field(default_factory=dict)
    sub: list["IFD"] = field(default_factory=list)
    exif: "IFD | None" = None
    gps: "IFD | None" = None
    chunks: Sequence[bytes] | None = None
    tiled: bool = False

    def set(self, tag: int, kind: int, value: Any) -> "IFD":
        """Adds or replaces an entry; returns self."""
        self.entries[tag] = (kind, value)
        return self


def _encode(kind: int, value: Any) -> tuple[int, bytes]:
    if kind == ASCII:
        data = value.encode() + b"\0"
        return len(data), data
    if isinstance(value, bytes):
        return len(value), value
    if kind in (RATIONAL, SRATIONAL):
        pairs = [value] if isinstance(value, tuple) and isinstance(value[0], int) else list(value)
        return len(pairs), b"".join(struct.pack("<ii" if kind == SRATIONAL else "<II", *p) for p in pairs)
    if kind == DOUBLE:
        numbers = np.atleast_1d(np.asarray(value, "<f8"))
        return numbers.size, numbers.tobytes()
    items = list(value) if isinstance(value, list | tuple | np.ndarray) else [value]
    return len(items), struct.pack(f"<{len(items)}{_CODE[kind]}", *(int(v) for v in items))


def write_structure(*chain: IFD) -> bytes:
    """The file (or EXIF block) of one or more top-level directories: all directories first, then the pixel data."""
    out = bytearray(b"II*\0\0\0\0\0")
    pending: list[tuple[int, Sequence[bytes]]] = []

    def align() -> None:
        if len(out) & 1:
            out.append(0)

    def put(ifd: IFD) -> tuple[int, int]:
        offsets_tag = 324 if ifd.tiled else 273
        if ifd.chunks is not None:
            ifd.set(offsets_tag, LONG, [0] * len(ifd.chunks))
            ifd.set(325 if ifd.tiled else 279, LONG, [len(c) for c in ifd.chunks])
        if ifd.sub:
            ifd.set(330, LONG, [put(child)[0] for child in ifd.sub])
        if ifd.exif:
            ifd.set(34665, LONG, put(ifd.exif)[0])
        if ifd.gps:
            ifd.set(34853, LONG, put(ifd.gps)[0])
        encoded = {tag: (ifd.entries[tag][0], *_encode(*ifd.entries[tag])) for tag in sorted(ifd.entries)}
        places = {}
        for tag, (_, _, data) in encoded.items():
            if len(data) > 4:
                align()
                places[tag] = len(out)
                out.extend(data)
        align()
        position = len(out)
        out.extend(struct.pack("<H", len(encoded)))
        for tag, (kind, n, data) in encoded.items():
            out.extend(struct.pack("<HHI", tag, kind, n))
            inline = places.get(tag)
            if inline is None:
                places[tag] = len(out)
            out.extend(data.ljust(4, b"\0") if inline is None else struct.pack("<I", inline))
        out.extend(b"\0\0\0\0")
        if ifd.chunks is not None:
            pending.append((places[offsets_tag], ifd.chunks))
        return position, len(out) - 4

    link = 4
    for ifd in chain:
        position, following = put(ifd)
        struct.pack_into("<I", out, link, position)
        link = following
    parts = [b""]
    end = len(out)
    for place, chunks in pending:
        for i, chunk in enumerate(chunks):
            padding = end & 1
            end += padding
            struct.pack_into("<I", out, place + 4 * i, end)
            parts.append(b"\0" * padding + chunk)
            end += len(chunk)
    return bytes(out) + b"".join(parts)


def rgb_image(image: NDArray[np.uint8] | NDArray[np.uint16], rows_per_strip: int = 64) -> IFD:
    """Directory for an RGB picture (h, w, 3), deflate with horizontal predictor."""
    height, width, _ = image.shape
    bits = image.dtype.itemsize * 8
    ifd = IFD()
    ifd.set(254, LONG, 0).set(256, LONG, width).set(257, LONG, height).set(258, SHORT, [bits] * 3)
    ifd.set(259, SHORT, 8).set(262, SHORT, 2).set(277, SHORT, 3).set(278, LONG, rows_per_strip).set(284, SHORT, 1)
    ifd.set(317, SHORT, 2).set(282, RATIONAL, (300, 1)).set(283, RATIONAL, (300, 1)).set(296, SHORT, 2)
    chunks = []
    for y in range(0, height, rows_per_strip):
        strip = image[y : y + rows_per_strip]
        difference = strip.copy()
        difference[:, 1:] -= strip[:, :-1]
        chunks.append(zlib.compress(difference.astype("<u2" if bits == 16 else "u1").tobytes(), 4))
    ifd.chunks = chunks
    return ifd
