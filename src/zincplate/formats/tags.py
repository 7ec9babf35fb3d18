"""Bounded reader of TIFF structures (TIFF 6.0): TIFF, DNG and other TIFF-based raw files, and EXIF blocks.

Hostile files cannot make it loop or allocate: directories are visited once, at most 64 of them with 512 entries each, and no
value is read beyond the end of the file.
"""

import struct
from dataclasses import dataclass, field
from typing import Any

Buffer = Any  # bytes, memoryview or mmap

_SIZE = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4}
_CODE = {1: "B", 3: "H", 4: "I", 6: "b", 8: "h", 9: "i", 11: "f", 12: "d", 13: "I"}
_SUB_DIRECTORIES = {330: "sub", 34665: "exif", 34853: "gps"}
_MAX_VALUES = 4_000_000


class TagError(ValueError):
    """The structure is not TIFF or is damaged."""


@dataclass
class Directory:
    """One image file directory: values by tag number, always tuples (text: str, opaque data: bytes)."""

    values: dict[int, Any] = field(default_factory=dict)
    sub: list["Directory"] = field(default_factory=list)
    exif: "Directory | None" = None
    gps: "Directory | None" = None

    def number(self, tag: int, default: float | None = None) -> float | None:
        """First number of a tag, rationals as float; default when missing or not finite."""
        value = self.values.get(tag)
        if isinstance(value, tuple) and value and isinstance(value[0], int | float):
            number = float(value[0])
            if number == number and abs(number) != float("inf"):
                return number
        return default

    def integer(self, tag: int, default: int = 0) -> int:
        """First number of a tag as int."""
        number = self.number(tag)
        return default if number is None else int(number)

    def numbers(self, tag: int) -> tuple[float, ...]:
        """All numbers of a tag; empty when missing."""
        value = self.values.get(tag)
        if isinstance(value, tuple) and all(isinstance(v, int | float) for v in value):
            return tuple(float(v) for v in value)
        if isinstance(value, bytes):
            return tuple(float(v) for v in value)
        return ()

    def text(self, tag: int) -> str:
        """Text of a tag without trailing zeros and spaces; empty when missing."""
        value = self.values.get(tag)
        return value.strip() if isinstance(value, str) else ""

    def all_images(self) -> list["Directory"]:
        """This directory and its sub-images."""
        return [self, *(d for s in self.sub for d in s.all_images())]


def read_directories(data: Buffer) -> list[Directory]:
    """All top-level directories of a TIFF structure, with sub-images, EXIF and GPS; raises :class:`TagError`."""
    if len(data) < 8:
        raise TagError("too short for a TIFF header")
    order = {b"II": "<", b"MM": ">"}.get(bytes(data[0:2]))
    if order is None or struct.unpack_from(order + "H", data, 2)[0] not in (42, 0x4F52, 0x5352, 85):
        raise TagError("no TIFF header")
    seen: set[int] = set()
    result = []
    offset = struct.unpack_from(order + "I", data, 4)[0]
    while offset and len(seen) < 64:
        directory, offset = _read(data, order, offset, seen, 0)
        if directory is None:
            break
        result.append(directory)
    if not result:
        raise TagError("it ends before its list of contents, so it was probably copied only in part")
    return result


def _read(data: Buffer, order: str, offset: int, seen: set[int], depth: int) -> tuple[Directory | None, int]:
    size = len(data)
    if offset in seen or depth > 3 or offset + 2 > size:
        return None, 0
    seen.add(offset)
    count = min(struct.unpack_from(order + "H", data, offset)[0], 512)
    if offset + 2 + 12 * count > size:
        count = max((size - offset - 2) // 12, 0)
    directory = Directory()
    for i in range(count):
        tag, kind, n = struct.unpack_from(order + "HHI", data, offset + 2 + 12 * i)
        width = _SIZE.get(kind, 0) * n
        if not width or n > _MAX_VALUES:
            continue
        place = offset + 10 + 12 * i
        if width > 4:
            place = struct.unpack_from(order + "I", data, place)[0]
        if place + width > size:
            continue
        if kind == 2:
            directory.values[tag] = bytes(data[place : place + width]).split(b"\0")[0].decode("utf-8", "replace")
        elif kind == 7:
            directory.values[tag] = bytes(data[place : place + width])
        elif kind in (5, 10):
            pairs = struct.unpack_from(f"{order}{2 * n}{'I' if kind == 5 else 'i'}", data, place)
            directory.values[tag] = tuple(a / b if b else float("nan") for a, b in zip(pairs[::2], pairs[1::2], strict=True))
        else:
            directory.values[tag] = struct.unpack_from(f"{order}{n}{_CODE[kind]}", data, place)
        role = _SUB_DIRECTORIES.get(tag)
        if role and kind in (4, 13):
            for where in directory.values[tag][:16]:
                child, _ = _read(data, order, where, seen, depth + 1)
                if child is not None and role == "sub":
                    directory.sub.append(child)
                elif child is not None:
                    setattr(directory, role, child)
    end = offset + 2 + 12 * count
    following = struct.unpack_from(order + "I", data, end)[0] if end + 4 <= size else 0
    return directory, following


def stored_fraction(image: Directory, file_size: int) -> float:
    """Share of the strips or tiles of an image that lie inside the file: 1.0 when complete."""
    offsets = image.numbers(324) or image.numbers(273)
    counts = image.numbers(325) or image.numbers(279)
    total = sum(counts)
    if not total or len(offsets) != len(counts):
        return 1.0
    present = sum(min(max(file_size - o, 0.0), c) for o, c in zip(offsets, counts, strict=True))
    return present / total
