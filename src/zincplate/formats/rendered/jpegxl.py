"""JPEG XL (ISO/IEC 18181): pixels by libjxl, colour by the header of the codestream, facts by the boxes of the container."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from zincplate.core.colour.video_transfer import D65, PRIMARIES, TRANSFERS
from zincplate.formats import icc
from zincplate.formats.errors import FileError
from zincplate.formats.icc import MatrixProfile
from zincplate.formats.rendered.boxes import boxes, unpacked
from zincplate.formats.rendered.jpeg import exif_of
from zincplate.formats.rendered.modern import first_of, whole
from zincplate.formats.rendered.picture import Model, Rendered, of_primaries, widened

_DAMAGED = "The picture data are damaged or cut off. Copy it again."
_CONTAINER = b"\0\0\0\x0cJXL \r\n\x87\n"
_RATIOS = {1: (1, 1), 2: (12, 10), 3: (4, 3), 4: (3, 2), 5: (16, 9), 6: (5, 4), 7: (2, 1)}
_WHITES = {1: D65, 10: (1 / 3, 1 / 3), 11: (0.314, 0.351)}
_GREY, _XYB, _CUSTOM = 1, 2, 2


@dataclass
class Header:
    """What the first bytes of a codestream say (ISO/IEC 18181-1, annex D and E)."""

    width: int = 0
    height: int = 0
    orientation: int = 1
    bits: int = 8
    floating: bool = False
    alpha: str = ""
    extra: int = 0
    xyb: bool = True
    has_profile: bool = False
    grey: bool = False
    animated: bool = False
    white_xy: tuple[float, float] = D65
    primaries: tuple[tuple[float, float], tuple[float, float], tuple[float, float]] = PRIMARIES[1][0]
    transfer: int = 13
    gamma: float = 0.0


class _Bits:
    def __init__(self, data: bytes) -> None:
        self._value, self._place, self._end = int.from_bytes(data[:4096], "little"), 0, 8 * min(len(data), 4096)

    def u(self, count: int) -> int:
        if self._place + count > self._end:
            raise ValueError("header is cut off")
        found = (self._value >> self._place) & ((1 << count) - 1)
        self._place += count
        return found

    def flag(self) -> bool:
        return bool(self.u(1))

    def u32(self, *ways: tuple[int, int]) -> int:
        """One of four ways to write a number: (offset, bits)."""
        offset, count = ways[self.u(2)]
        return offset + self.u(count)

    def enum(self) -> int:
        return self.u32((0, 0), (1, 0), (2, 4), (18, 6))


def _size(bits: _Bits) -> tuple[int, int]:
    small = bits.flag()
    ways = ((1, 9), (1, 13), (1, 18), (1, 30))
    height = 8 * (bits.u(5) + 1) if small else bits.u32(*ways)
    ratio = bits.u(3)
    if ratio:
        a, b = _RATIOS[ratio]
        return height * a // b, height
    return 8 * (bits.u(5) + 1) if small else bits.u32(*ways), height


def _preview(bits: _Bits) -> None:
    eighths = bits.flag()
    ways = ((16, 0), (32, 0), (1, 5), (33, 9)) if eighths else ((1, 6), (65, 8), (321, 10), (1345, 12))
    bits.u32(*ways)
    if not bits.u(3):
        bits.u32(*ways)


def _depth(bits: _Bits) -> tuple[int, bool]:
    if bits.flag():
        found = bits.u32((32, 0), (16, 0), (24, 0), (1, 6))
        bits.u(4)
        return found, True
    return bits.u32((8, 0), (10, 0), (12, 0), (1, 6)), False


def _xy(bits: _Bits) -> tuple[float, float]:
    def one() -> float:
        packed = bits.u32((0, 19), (524288, 19), (1048576, 20), (2097152, 21))
        return (-(packed + 1) // 2 if packed & 1 else packed // 2) / 1e6

    return one(), one()


def _extra(bits: _Bits, header: Header) -> None:
    if bits.flag():  # straight alpha of eight bits
        header.alpha = header.alpha or "straight"
        return
    kind = bits.enum()
    _depth(bits)
    bits.u32((0, 0), (3, 0), (4, 0), (1, 3))
    for _ in range(bits.u32((0, 0), (0, 4), (16, 5), (48, 10))):
        bits.u(8)
    if kind == 0:
        header.alpha = "associated" if bits.flag() else "straight"
    elif kind == 2:
        bits.u(64)
    elif kind == 5:
        bits.u32((1, 0), (0, 2), (3, 4), (19, 8))


def _colour(bits: _Bits, header: Header) -> None:
    if bits.flag():
        return
    header.has_profile = bits.flag()
    space = bits.enum()
    header.grey = space == _GREY
    if header.has_profile:
        return
    if space != _XYB:
        white = bits.enum()
        header.white_xy = _xy(bits) if white == _CUSTOM else _WHITES[white]
        if space != _GREY:
            primaries = bits.enum()
            if primaries == _CUSTOM:
                header.primaries = (_xy(bits), _xy(bits), _xy(bits))
            else:
                header.primaries = PRIMARIES[primaries][0]
    if bits.flag():
        header.gamma = bits.u(24) / 1e7
    else:
        header.transfer = bits.enum()


def header_of(codestream: bytes) -> Header:
    """The header; raises ``ValueError`` or ``KeyError`` when it is damaged."""
    bits, header = _Bits(codestream), Header()
    if bits.u(16) != 0x0AFF:
        raise ValueError("no codestream")
    header.width, header.height = _size(bits)
    if bits.flag():
        return header
    if bits.flag():
        header.orientation = bits.u(3) + 1
        if bits.flag():
            _size(bits)
        if bits.flag():
            _preview(bits)
        header.animated = bits.flag()
        if header.animated:
            bits.u32((100, 0), (1000, 0), (1, 10), (1, 30))
            bits.u32((1, 0), (1001, 0), (1, 8), (1, 10))
            bits.u32((0, 0), (0, 3), (0, 16), (0, 32))
            bits.flag()
    header.bits, header.floating = _depth(bits)
    bits.flag()
    header.extra = bits.u32((0, 0), (1, 0), (2, 4), (1, 12))
    for _ in range(header.extra):
        _extra(bits, header)
    header.xyb = bits.flag()
    _colour(bits, header)
    return header


def _profile(header: Header) -> MatrixProfile | None:
    """The space that libjxl gives pixels in; None for a transfer that is not known."""
    if header.has_profile:
        return icc.of_space("srgb")  # only asked for XYB, which libjxl turns into sRGB
    x = np.linspace(0, 1, 65536 if header.transfer in (16, 18) else 4096)
    if header.gamma:
        curve = x ** (1 / header.gamma)
    elif header.transfer == 17:
        curve = x**2.6
    elif header.transfer in TRANSFERS:
        curve = np.asarray(TRANSFERS[header.transfer](x), np.float64)
    else:
        return None
    return of_primaries("its own primaries", header.primaries, header.white_xy, curve)


def read(path: Path, pixels: bool) -> Rendered:
    """The picture; raises ``FileError``."""
    import imagecodecs

    data = whole(path)
    found: dict[bytes, bytes] = {}
    codestream = data
    if data.startswith(_CONTAINER):
        codestream = b""
        for kind, start, end in boxes(data, 0, len(data)):
            if kind == b"jxlc":
                codestream = codestream or data[start : start + 4096]
            elif kind == b"jxlp":
                codestream += data[start + 4 : min(end, start + 4100)] if len(codestream) < 4096 else b""
            else:
                name, content = unpacked(kind, data[start:end] if kind in (b"Exif", b"xml ", b"brob") else b"")
                found.setdefault(name, content)
    try:
        header = header_of(codestream)
        profile = _profile(header)
    except (ValueError, KeyError, IndexError) as error:
        raise FileError(path, "The file is damaged: its header cannot be read.") from error
    notes: tuple[str, ...] = ()
    if header.has_profile and not header.xyb:
        raise FileError(path, "It keeps its colours by a profile of its own, which cannot be read from JPEG XL yet.")
    if header.has_profile:
        notes = ("Its own colour profile cannot be read; its decoder gave sRGB.",)
    if profile is None:
        profile, notes = icc.of_space("srgb"), ("Its transfer function is not known; sRGB is assumed.",)
    if header.animated:
        notes = (*notes, "It moves: the first picture is shown.")
    values, alpha = None, bool(header.alpha)
    if pixels:
        try:
            values = np.asarray(imagecodecs.jpegxl_decode(data, index=0))
        except Exception as error:  # the codec raises its own kinds
            raise FileError(path, _DAMAGED) from error
        values = first_of(values)
        alpha = alpha and values.shape[2] in (2, 4)
        header.height, header.width = values.shape[:2]
        if values.dtype.kind == "f":
            values = values.astype(np.float32)
        elif header.bits not in (8, 16):
            # libjxl gives the numbers as they were stored
            values = widened(values, header.bits)
    elif header.orientation >= 5:
        header.width, header.height = header.height, header.width
    exif_data = found.get(b"Exif", b"")
    exif = exif_of(exif_data[4 + int.from_bytes(exif_data[:4], "big") :] if len(exif_data) > 8 else b"")
    exif.values[274] = (1,)  # the codestream says how the picture is turned, and the decoder does it
    model: Model = "grey" if header.grey else "rgb"
    return Rendered(
        "JPEG XL", header.width, header.height, header.bits, (1 if header.grey else 3) + header.extra, model, values,
        ("associated" if header.alpha == "associated" else "straight") if alpha else "", b"", profile, exif,
        found.get(b"xml ", b""), b"", True, notes,
    )  # fmt: skip
