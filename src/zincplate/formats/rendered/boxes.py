"""Boxes of ISO base media files (ISO/IEC 14496-12, 23008-12) as pictures use them: AVIF, HEIF, JPEG XL. Bounded, never
trusted."""

import struct
import zlib
from dataclasses import dataclass

_MOST_BOXES = 4096
_CONTAINERS = {b"meta": 4, b"iprp": 0, b"ipco": 0}


@dataclass
class PictureBoxes:
    """Properties of the primary picture."""

    code_points: tuple[int, int] | None = None
    """ColourPrimaries and TransferCharacteristics of its colour box."""
    profile: bytes = b""
    turns: int = 0
    """Quarter turns against the clock (irot)."""
    mirror: int | None = None
    """0: upside down (about a horizontal axis), 1: left for right (imir)."""
    bits: int = 8
    exif: bytes = b""
    xmp: bytes = b""

    @property
    def orientation(self) -> int:
        """What is to be done to the stored pixels, as EXIF numbers it: turned first, then mirrored."""
        turned = {0: 1, 1: 8, 2: 3, 3: 6}[self.turns]
        if self.mirror is None:
            return turned
        # mirrored after the turn: about the vertical axis (1) or the horizontal one (0)
        left_right = {1: 2, 8: 7, 3: 4, 6: 5}
        upside = {1: 4, 8: 5, 3: 2, 6: 7}
        return (left_right if self.mirror == 1 else upside)[turned]


def boxes(data: bytes, start: int, end: int) -> list[tuple[bytes, int, int]]:
    """(kind, first byte of the content, end) of the boxes in a range."""
    found: list[tuple[bytes, int, int]] = []
    while start + 8 <= end and len(found) < _MOST_BOXES:
        size, kind = struct.unpack_from(">I4s", data, start)
        head = 8
        if size == 1 and start + 16 <= end:
            size, head = struct.unpack_from(">Q", data, start + 8)[0], 16
        elif size == 0:
            size = end - start
        if size < head or start + size > end:
            break
        found.append((kind, start + head, start + size))
        start += size
    return found


def picture_boxes(data: bytes) -> PictureBoxes:
    """What the boxes of a file say of its primary picture; what is not there or damaged is left at its default."""
    result = PictureBoxes()
    try:
        for kind, start, end in boxes(data, 0, len(data)):
            if kind == b"meta":
                _meta(data, start + 4, end, result)
    except (struct.error, IndexError, KeyError):
        pass
    return result


def _meta(data: bytes, start: int, end: int, result: PictureBoxes) -> None:
    inside = {kind: (a, b) for kind, a, b in boxes(data, start, end)}
    primary = _primary(data, inside)
    items = _items(data, inside)
    places = _places(data, inside)
    _properties(data, inside, primary, result)
    for item, (kind, content) in items.items():
        if kind == b"Exif" or (kind == b"mime" and b"rdf+xml" in content):
            block = b"".join(data[a : a + n] for a, n in places.get(item, []))
            if kind == b"mime":
                result.xmp = block
            elif len(block) > 4:
                skip = struct.unpack_from(">I", block)[0] + 4
                result.exif = block[skip:]


def _primary(data: bytes, inside: dict[bytes, tuple[int, int]]) -> int:
    if b"pitm" not in inside:
        return 0
    a, _ = inside[b"pitm"]
    return int(struct.unpack_from(">H" if data[a] == 0 else ">I", data, a + 4)[0])


def _items(data: bytes, inside: dict[bytes, tuple[int, int]]) -> dict[int, tuple[bytes, bytes]]:
    found: dict[int, tuple[bytes, bytes]] = {}
    if b"iinf" not in inside:
        return found
    a, b = inside[b"iinf"]
    first = a + (6 if data[a] == 0 else 8)
    for kind, start, end in boxes(data, first, b):
        if kind == b"infe" and data[start] >= 2:
            wide = data[start] >= 3
            number = struct.unpack_from(">I" if wide else ">H", data, start + 4)[0]
            name = start + (10 if wide else 8)
            found[number] = (data[name : name + 4], data[name + 4 : end])
    return found


def _places(data: bytes, inside: dict[bytes, tuple[int, int]]) -> dict[int, list[tuple[int, int]]]:
    """Where the bytes of each item lie in the file (iloc); in the box of item data (idat) too."""
    found: dict[int, list[tuple[int, int]]] = {}
    if b"iloc" not in inside:
        return found
    a, end = inside[b"iloc"]
    version = data[a]
    offset_size, length_size = data[a + 4] >> 4, data[a + 4] & 15
    base_size, index_size = data[a + 5] >> 4, (data[a + 5] & 15 if version else 0)
    place = a + 6
    wide = version == 2
    count = struct.unpack_from(">I" if wide else ">H", data, place)[0]
    place += 4 if wide else 2

    def number(size: int) -> int:
        nonlocal place
        value = int.from_bytes(data[place : place + size], "big")
        place += size
        return value

    for _ in range(min(count, _MOST_BOXES)):
        item = number(4 if wide else 2)
        method = number(2) & 15 if version else 0
        number(2)
        base = number(base_size)
        if method == 1 and b"idat" in inside:
            base += inside[b"idat"][0]
        for _ in range(min(number(2), 64)):
            number(index_size)
            offset, length = number(offset_size), number(length_size)
            found.setdefault(item, []).append((base + offset, length))
        if place > end:
            break
    return found


def _properties(data: bytes, inside: dict[bytes, tuple[int, int]], primary: int, result: PictureBoxes) -> None:
    if b"iprp" not in inside:
        return
    parts = {kind: (a, b) for kind, a, b in boxes(data, *inside[b"iprp"])}
    listed = boxes(data, *parts[b"ipco"])
    a, _ = parts[b"ipma"]
    version, wide = data[a], data[a + 3] & 1
    count = struct.unpack_from(">I", data, a + 4)[0]
    place = a + 8
    for _ in range(min(count, _MOST_BOXES)):
        item = struct.unpack_from(">H" if version < 1 else ">I", data, place)[0]
        place += 2 if version < 1 else 4
        number = data[place]
        place += 1
        for _ in range(number):
            index = struct.unpack_from(">H", data, place)[0] & 0x7FFF if wide else data[place] & 0x7F
            place += 2 if wide else 1
            if item == primary and 0 < index <= len(listed):
                _property(data, *listed[index - 1], result)


def _property(data: bytes, kind: bytes, start: int, end: int, result: PictureBoxes) -> None:
    if kind == b"colr":
        colour = data[start : start + 4]
        if colour in (b"prof", b"rICC"):
            result.profile = data[start + 4 : end]
        elif colour == b"nclx":
            primaries, transfer = struct.unpack_from(">HH", data, start + 4)
            result.code_points = (primaries, transfer)
    elif kind == b"irot":
        result.turns = data[start] & 3
    elif kind == b"imir":
        result.mirror = data[start] & 1
    elif kind == b"pixi" and end - start > 5:
        result.bits = max(result.bits, *data[start + 5 : end])
    elif kind == b"av1C" and end - start > 2:
        # AV1 in ISO base media files, 2.3: high_bitdepth and twelve_bit
        high, twelve = data[start + 2] >> 6 & 1, data[start + 2] >> 5 & 1
        result.bits = max(result.bits, 12 if twelve else 10 if high else 8)


def unpacked(kind: bytes, content: bytes) -> tuple[bytes, bytes]:
    """A box of JPEG XL that may be compressed by Brotli (``brob``): its true kind and content."""
    if kind != b"brob" or len(content) < 4:
        return kind, content
    import imagecodecs

    try:
        return content[:4], bytes(imagecodecs.brotli_decode(content[4:]))
    except (ValueError, RuntimeError, zlib.error):
        return content[:4], b""
