"""Bounded reader of TIFF structures (TIFF 6.0, BigTIFF): TIFF, DNG and other TIFF-based raw files, and EXIF blocks.

Hostile files cannot make it loop or allocate: directories are visited once, at most 64 of them with 512 entries each, no value
is read beyond the end of the file, and all values together stay below :data:`_LARGEST_SUM` bytes.
"""

import struct
from dataclasses import dataclass, field
from typing import Any

Buffer = Any  # bytes, memoryview or mmap

_SIZE = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4, 16: 8, 17: 8, 18: 8}
_CODE = {1: "B", 3: "H", 4: "I", 6: "b", 8: "h", 9: "i", 11: "f", 12: "d", 13: "I", 16: "Q", 17: "q", 18: "Q"}
_SUB_DIRECTORIES = {330: "sub", 34665: "exif", 34853: "gps", 40965: "interoperability"}
_MAX_VALUES = 4_000_000
_LARGEST_SUM = 32_000_000
_OPAQUE = frozenset({700, 33723, 34377, 34675, 37500, 37510, 40091, 40092, 40093, 40094, 51008, 51009, 51022, 50740})
"""Tags kept as bytes whatever type they claim: XMP, IPTC, profile, notes of the maker, comments, opcode lists."""


class TagError(ValueError):
    """The structure is not TIFF or is damaged."""


@dataclass
class Directory:
    """One image file directory: values by tag number, always tuples (text: str, opaque data: bytes)."""

    values: dict[int, Any] = field(default_factory=dict)
    sub: list["Directory"] = field(default_factory=list)
    exif: "Directory | None" = None
    gps: "Directory | None" = None
    interoperability: "Directory | None" = None
    order: str = "<"
    """Byte order of the file, as ``struct`` writes it."""
    unread: list[int] = field(default_factory=list)
    """Tags whose values are not there, or too many."""

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

    def data(self, tag: int) -> bytes:
        """Opaque data of a tag; empty when missing."""
        value = self.values.get(tag)
        if isinstance(value, bytes):
            return value
        return bytes(value) if isinstance(value, tuple) and all(isinstance(v, int) and 0 <= v < 256 for v in value) else b""

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


class _Reader:
    """Layout of one structure, and what has been read of it."""

    def __init__(self, data: Buffer) -> None:
        self.data = data
        if len(data) < 8:
            raise TagError("too short for a TIFF header")
        order = {b"II": "<", b"MM": ">"}.get(bytes(data[0:2]))
        magic = struct.unpack_from(order + "H", data, 2)[0] if order else 0
        if order is None or magic not in (42, 43, 0x4F52, 0x5352, 85):
            raise TagError("no TIFF header")
        self.order, self.big = order, magic == 43
        if self.big and len(data) < 16:
            raise TagError("too short for a TIFF header")
        # lengths of: count of entries, one entry, offset
        self.counter, self.entry, self.pointer = ("Q", 20, "Q") if self.big else ("H", 12, "I")
        self.seen: set[int] = set()
        self.left = _LARGEST_SUM

    def one(self, code: str, place: int) -> int:
        return int(struct.unpack_from(self.order + code, self.data, place)[0])

    def value(self, tag: int, kind: int, count: int, place: int) -> Any:
        """A value that lies inside the data; None when it is of no kind that we know."""
        data, width = self.data, _SIZE[kind] * count
        if tag in _OPAQUE or kind == 7:
            return bytes(data[place : place + width])
        if kind == 2:
            return text_of(bytes(data[place : place + width]))
        if kind in (5, 10):
            pairs = struct.unpack_from(f"{self.order}{2 * count}{'I' if kind == 5 else 'i'}", data, place)
            return tuple(a / b if b else float("nan") for a, b in zip(pairs[::2], pairs[1::2], strict=True))
        return struct.unpack_from(f"{self.order}{count}{_CODE[kind]}", data, place)

    def directory(self, offset: int, depth: int) -> tuple[Directory | None, int]:
        """The directory at an offset and the offset of the next; None when there is none, or it was read already."""
        size = len(self.data)
        head = struct.calcsize(self.counter)
        if offset in self.seen or len(self.seen) >= 64 or depth > 3 or offset + head > size:
            return None, 0
        self.seen.add(offset)
        start = offset + head
        count = min(self.one(self.counter, offset), 512, (size - start) // self.entry)
        found = Directory(order=self.order)
        inline = struct.calcsize(self.pointer)
        for i in range(count):
            entry = start + self.entry * i
            tag, kind = struct.unpack_from(self.order + "HH", self.data, entry)
            n = self.one(self.pointer, entry + 4)
            width = _SIZE.get(kind, 0) * n
            place = entry + 4 + inline
            if width > inline:
                place = self.one(self.pointer, place)
            if not width or n > _MAX_VALUES or place + width > size or width > self.left:
                found.unread.append(tag)
                continue
            self.left -= width
            found.values[tag] = self.value(tag, kind, n, place)
            role = _SUB_DIRECTORIES.get(tag)
            if role and kind in (4, 13, 16, 18):
                for where in found.values[tag][:16]:
                    child, _ = self.directory(where, depth + 1)
                    if child is not None and role == "sub":
                        found.sub.append(child)
                    elif child is not None:
                        setattr(found, role, child)
        end = start + self.entry * count
        return found, self.one(self.pointer, end) if end + inline <= size else 0


def text_of(data: bytes) -> str:
    """Text up to the first zero: UTF-8, or Latin-1 where it cannot be that (EXIF asks for ASCII; both are common practice)."""
    data = data.split(b"\0")[0]
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("latin-1")


def read_directories(data: Buffer) -> list[Directory]:
    """All top-level directories of a TIFF structure, with sub-images, EXIF and GPS; raises :class:`TagError`."""
    reader = _Reader(data)
    result = []
    offset = reader.one(reader.pointer, 8 if reader.big else 4)
    while offset:
        directory, offset = reader.directory(offset, 0)
        if directory is None:
            break
        result.append(directory)
    if not result:
        raise TagError("it ends before its list of contents, so it was probably copied only in part")
    return result


def stored_fraction(image: Directory, file_size: int) -> float:
    """Share of the strips or tiles of an image that lie inside the file: 1.0 when complete."""
    offsets = image.numbers(324) or image.numbers(273)
    counts = image.numbers(325) or image.numbers(279)
    total = sum(counts)
    if not total or len(offsets) != len(counts):
        return 1.0
    present = sum(min(max(file_size - o, 0.0), c) for o, c in zip(offsets, counts, strict=True))
    return present / total
