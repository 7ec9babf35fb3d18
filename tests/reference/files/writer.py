"""A writer of TIFF structures for tests: either byte order, classic or BigTIFF, any tags, any nesting; nothing is checked.

Independent of the application's own writer on purpose. Field types and layout: TIFF 6.0, section 2, and the BigTIFF design.
"""

import struct
import zlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

BYTE, ASCII, SHORT, LONG, RATIONAL, UNDEFINED, SSHORT, SLONG, SRATIONAL, FLOAT, DOUBLE, LONG8 = (
    1,
    2,
    3,
    4,
    5,
    7,
    8,
    9,
    10,
    11,
    12,
    16,
)
_CODES = {1: "B", 3: "H", 4: "I", 6: "b", 8: "h", 9: "i", 11: "f", 12: "d", 13: "I", 16: "Q"}


@dataclass
class Directory:
    """Tags with type and value; sub-images, EXIF and GPS; pieces of pixel data."""

    tags: dict[int, tuple[int, Any]] = field(default_factory=dict)
    pieces: Sequence[bytes] = ()
    tiled: bool = False
    sub: Sequence["Directory"] = ()
    exif: "Directory | None" = None
    gps: "Directory | None" = None


def _encoded(kind: int, value: Any, order: str) -> tuple[int, bytes]:
    if kind == ASCII and isinstance(value, str):
        value = value.encode() + b"\0"
    if isinstance(value, bytes):
        return len(value), value
    values = list(value) if isinstance(value, list | tuple | np.ndarray) else [value]
    if kind in (RATIONAL, SRATIONAL):
        pairs = [Fraction(v).limit_denominator(1_000_000) if not isinstance(v, tuple) else v for v in values]
        flat = [n for p in pairs for n in ((p.numerator, p.denominator) if isinstance(p, Fraction) else p)]
        return len(values), struct.pack(f"{order}{len(flat)}{'I' if kind == RATIONAL else 'i'}", *flat)
    return len(values), struct.pack(f"{order}{len(values)}{_CODES[kind]}", *values)


def structure(*chain: Directory, order: str = "<", big: bool = False) -> bytes:
    """The bytes of a file whose top-level directories are ``chain``."""
    mark = b"II" if order == "<" else b"MM"
    counter, pointer, inline = ("Q", "Q", 8) if big else ("H", "I", 4)
    out = bytearray(mark + (struct.pack(order + "HHHQ", 43, 8, 0, 0) if big else struct.pack(order + "HI", 42, 0)))

    def append(data: bytes) -> int:
        out.extend(b"\0" * (len(out) % 2))
        out.extend(data)
        return len(out) - len(data)

    def put(directory: Directory) -> tuple[int, int]:
        tags = dict(directory.tags)
        offset_kind = LONG8 if big else LONG
        if directory.pieces:
            places = [append(piece) for piece in directory.pieces]
            tags[324 if directory.tiled else 273] = (offset_kind, places)
            tags[325 if directory.tiled else 279] = (offset_kind, [len(piece) for piece in directory.pieces])
        if directory.sub:
            tags[330] = (offset_kind, [put(d)[0] for d in directory.sub])
        if directory.exif is not None:
            tags[34665] = (offset_kind, [put(directory.exif)[0]])
        if directory.gps is not None:
            tags[34853] = (offset_kind, [put(directory.gps)[0]])
        entries = b""
        for tag in sorted(tags):
            kind, value = tags[tag]
            count, data = _encoded(kind, value, order)
            stored = data.ljust(inline, b"\0") if len(data) <= inline else struct.pack(order + pointer, append(data))
            entries += struct.pack(order + "HH" + pointer, tag, kind, count) + stored
        body = struct.pack(order + counter, len(tags)) + entries + struct.pack(order + pointer, 0)
        place = append(body)
        return place, place + len(body) - inline

    link = 8 if big else 4
    for directory in chain:
        place, following = put(directory)
        struct.pack_into(order + pointer, out, link, place)
        link = following
    return bytes(out)


Encoder = Callable[[NDArray[Any]], bytes]


def stored(block: NDArray[Any], order: str = "<") -> bytes:
    """Numbers as they are, in a byte order."""
    return block.astype(block.dtype.newbyteorder(order)).tobytes()


def packed(block: NDArray[Any], bits: int) -> bytes:
    """Whole numbers of ``bits`` bits, highest bit first, rows beginning with a byte."""
    rows = np.ascontiguousarray(block).reshape(block.shape[0], -1).astype(np.uint64)
    digits = ((rows[..., None] >> np.arange(bits - 1, -1, -1, dtype=np.uint64)) & np.uint64(1)).astype(np.uint8)
    return np.packbits(digits.reshape(block.shape[0], -1), axis=1).tobytes()


def differences(block: NDArray[Any], step: int = 1) -> NDArray[Any]:
    """Horizontal differences (TIFF 6.0, section 14), columns ``step`` apart."""
    out = block.copy()
    out[:, step:] = block[:, step:] - block[:, :-step]
    return out


def float_differences(block: NDArray[Any], step: int = 1) -> bytes:
    """Floating-point predictor (Adobe Photoshop TIFF Technical Note 3): bytes of a row by significance, then differences."""
    rows, size = block.shape[0], block.dtype.itemsize
    samples = block.reshape(rows, -1)
    count = samples.shape[1]
    planes = samples.astype(samples.dtype.newbyteorder(">")).view(np.uint8).reshape(rows, count, size)
    lines = np.ascontiguousarray(np.moveaxis(planes, 2, 1)).reshape(rows, -1)
    per_pixel = (1 if block.ndim == 2 else block.shape[2]) * step
    out = lines.copy()
    out[:, per_pixel:] = lines[:, per_pixel:] - lines[:, :-per_pixel]
    return out.tobytes()


def float24(block: NDArray[Any], order: str) -> bytes:
    """1 bit of sign, 7 of exponent, 16 of fraction (DNG 1.7.1)."""
    bits = block.astype(np.float32).view(np.uint32)
    exponent = ((bits >> 23) & 255).astype(np.int64) - 64
    code = ((bits >> 31) << 23) | (np.clip(exponent, 0, 127).astype(np.uint32) << 16) | ((bits >> 7) & 0xFFFF)
    code = np.where((exponent <= 0) | (block == 0), 0, code).astype(np.uint32)
    parts = np.stack([code >> 16, code >> 8, code], -1).astype(np.uint8)
    return (parts if order == ">" else parts[..., ::-1]).tobytes()


def lossless_jpeg(block: NDArray[Any], bits: int, components: int = 1, predictor: int = 1) -> bytes:
    """Lossless JPEG; a mosaic's columns folded into components when more than one."""
    rows = block.shape[0]
    folded = np.ascontiguousarray(block).reshape(rows, -1, components) if components > 1 else np.ascontiguousarray(block)
    kind = np.uint8 if bits <= 8 else np.uint16
    return bytes(imagecodecs.jpeg8_encode(folded.astype(kind), lossless=True, predictor=predictor, bitspersample=bits))


def cut(samples: NDArray[Any], encode: Encoder, height: int, width: int | None = None) -> list[bytes]:
    """Strips of ``height`` rows, or tiles padded to their full size."""
    pieces = []
    for y in range(0, samples.shape[0], height):
        for x in range(0, samples.shape[1], width or samples.shape[1]):
            part = samples[y : y + height, x : x + (width or samples.shape[1])]
            if width is not None:
                pad = [(0, height - part.shape[0]), (0, width - part.shape[1])] + [(0, 0)] * (part.ndim - 2)
                part = np.pad(part, pad, mode="edge")
            pieces.append(encode(np.ascontiguousarray(part)))
    return pieces


def deflated(encode: Encoder) -> Encoder:
    """The same, deflated."""
    return lambda block: zlib.compress(encode(block))
