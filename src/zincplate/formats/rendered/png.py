"""PNG (ISO/IEC 15948, third edition): every depth, and its colour by cICP, iCCP, sRGB, gAMA and cHRM, in that order."""

import struct
import zlib
from pathlib import Path
from typing import Any

import numpy as np

from zincplate.formats import icc
from zincplate.formats.errors import FileError
from zincplate.formats.icc import MatrixProfile
from zincplate.formats.rendered.jpeg import exif_of
from zincplate.formats.rendered.picture import Model, Rendered, of_code_points, of_primaries

_LARGEST_CHUNK = 64 << 20
_SRGB_PRIMARIES = (0.3127, 0.3290, 0.64, 0.33, 0.30, 0.60, 0.15, 0.06)
_DAMAGED = "The picture data are damaged or cut off. Copy it again."


def read(path: Path, pixels: bool) -> Rendered:
    """The picture; raises ``FileError``."""
    chunks = _chunks(path)
    width, height, bits, kind = struct.unpack(">IIBB", chunks[b"IHDR"][:10])
    if kind not in (0, 2, 3, 4, 6) or bits not in (1, 2, 4, 8, 16):
        raise FileError(path, "The file is damaged: its header cannot be read.")
    channels = {0: 1, 2: 3, 3: 3, 4: 2, 6: 4}[kind] + (b"tRNS" in chunks)
    model: Model = "grey" if kind in (0, 4) else "rgb"
    profile, data, notes = _colour(chunks)
    if b"acTL" in chunks:
        notes = (*notes, "It moves: the picture that stands for all is shown.")
    xmp = _xmp(chunks.get(b"iTXt", b""))
    found = _pixels(path) if pixels else None
    alpha = kind in (4, 6) or (b"tRNS" in chunks)
    if found is not None:
        # tRNS is expanded by the codec or not: what counts is what came
        alpha = found.shape[2] in (2, 4)
        model = "grey" if found.shape[2] <= 2 else "rgb"
    return Rendered(
        "PNG", width, height, bits, channels, model, found, "straight" if alpha else "", data, profile,
        exif_of(chunks.get(b"eXIf", b"")), xmp, b"", False, notes,
    )  # fmt: skip


def _chunks(path: Path) -> dict[bytes, bytes]:
    """The first chunk of each kind but pixels; raises ``FileError`` when the file does not end as it must."""
    found: dict[bytes, bytes] = {}
    with open(path, "rb") as file:
        file.seek(8)
        while len(head := file.read(8)) == 8:
            size, name = struct.unpack(">I4s", head)
            if name == b"IEND":
                found[name] = b""
                break
            if name == b"IDAT" or size > _LARGEST_CHUNK or name in found:
                file.seek(size + 4, 1)
            else:
                data = file.read(size)
                sound = len(file.read(4)) == 4 and len(data) == size
                if not sound:
                    raise FileError(path, _DAMAGED)
                found[name] = data
    if b"IHDR" not in found or len(found[b"IHDR"]) < 13 or b"IEND" not in found:
        raise FileError(path, _DAMAGED)
    return found


def _colour(chunks: dict[bytes, bytes]) -> tuple[MatrixProfile | None, bytes, tuple[str, ...]]:
    """Space without a profile, profile, notes."""
    points = chunks.get(b"cICP", b"")
    if len(points) == 4:
        found = of_code_points(points[0], points[1])
        if found is not None and points[2] == 0 and points[3] == 1:
            return found, b"", ()
        return icc.of_space("srgb"), b"", ("Its code points for colour are not known; sRGB is assumed.",)
    if b"iCCP" in chunks:
        name, _, rest = chunks[b"iCCP"].partition(b"\0")
        try:
            return None, zlib.decompressobj().decompress(rest[1:], _LARGEST_CHUNK), ()
        except zlib.error:
            return None, name + b"damaged", ()
    if b"sRGB" in chunks:
        return icc.of_space("srgb"), b"", ()
    if b"gAMA" in chunks or b"cHRM" in chunks:
        return _by_gamma(chunks)
    return None, b"", ()


def _by_gamma(chunks: dict[bytes, bytes]) -> tuple[MatrixProfile | None, bytes, tuple[str, ...]]:
    gamma = struct.unpack(">I", chunks[b"gAMA"][:4])[0] / 100_000 if len(chunks.get(b"gAMA", b"")) >= 4 else 0.0
    chromaticities = _SRGB_PRIMARIES
    if len(chunks.get(b"cHRM", b"")) >= 32:
        chromaticities = tuple(v / 100_000 for v in struct.unpack(">8I", chunks[b"cHRM"][:32]))
    x = np.linspace(0, 1, 4096)
    if not 0.05 < gamma <= 5:
        curve, words = icc.of_space("srgb").curves[0], "sRGB curve"
    elif abs(gamma - 0.45455) < 2e-5 and b"cHRM" not in chunks:
        # what sRGB writes for readers that know no sRGB: taken as that (ISO/IEC 15948, 11.3.3.5)
        return icc.of_space("srgb"), b"", ()
    else:
        curve, words = x ** (1 / gamma), f"gamma {1 / gamma:.2f}"
    wx, wy, rx, ry, gx, gy, bx, by = chromaticities
    try:
        return of_primaries(f"its own primaries, {words}", ((rx, ry), (gx, gy), (bx, by)), (wx, wy), np.asarray(curve)), b"", ()
    except (ValueError, ZeroDivisionError, FloatingPointError):
        return icc.of_space("srgb"), b"", ("Its chromaticities cannot be; sRGB is assumed.",)


def _xmp(data: bytes) -> bytes:
    if not data.startswith(b"XML:com.adobe.xmp\0"):
        return b""
    packed = data[18:19] == b"\1"
    text = data[20:].split(b"\0", 2)[-1]
    try:
        return zlib.decompressobj().decompress(text, _LARGEST_CHUNK) if packed else text
    except zlib.error:
        return b""


def _pixels(path: Path) -> np.ndarray[Any, Any]:
    import imagecodecs

    try:
        found = np.asarray(imagecodecs.png_decode(path.read_bytes()))
    except Exception as error:  # the codec raises its own kinds
        raise FileError(path, _DAMAGED) from error
    return found[..., None] if found.ndim == 2 else found
