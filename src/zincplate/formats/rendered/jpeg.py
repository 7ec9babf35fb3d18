"""JPEG (ITU-T T.81): grey, RGB and CMYK of 8 bits, grey and RGB of 12; truncated ones are refused with the share that is
there."""

import struct
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from zincplate.formats import icc, tags
from zincplate.formats.errors import FileError
from zincplate.formats.rendered.picture import Pixels, Rendered

_UNCALIBRATED = 65535
_GAIN_MAPS = (b"urn:iso:std:iso:ts:21496:-1", b"hdrgm:Version", b"HDRGainMap")


def read(path: Path, pixels: bool) -> Rendered:
    """The picture; raises ``FileError``."""
    segments, bits, frame = _segments(path)
    with opened(path, "JPEG", allow=bits > 8) as image:
        width, height, mode = (image.width, image.height, image.mode) if image is not None else (*frame[1:], "RGB")
        found = None
        if bits > 8:
            mode = {1: "L", 3: "RGB"}.get(frame[0], "")
            if not mode:
                raise FileError(path, f"It has {frame[0]} components of {bits} bits; grey and colour can be read.")
            found = _of_twelve_bits(path, bits) if pixels else None
        elif mode not in ("L", "RGB", "CMYK"):
            raise FileError(path, f"The picture is {mode}; grey, RGB and CMYK JPEG files can be read.")
        elif pixels and image is not None:
            found = loaded(path, image)
    exif = exif_of(segments.exif)
    return Rendered(
        "JPEG", width, height, bits, {"L": 1, "RGB": 3, "CMYK": 4}[mode],
        {"L": "grey", "RGB": "rgb", "CMYK": "cmyk"}[mode],  # type: ignore[arg-type]
        found, "", segments.profile, _by_interoperability(exif), exif, segments.xmp, segments.iptc, False, segments.notes,
    )  # fmt: skip


def _by_interoperability(exif: tags.Directory) -> icc.MatrixProfile | None:
    """The wide RGB of 1998, told by EXIF alone: uncalibrated, with the rule R03 (DCF 2.0, optional colour space)."""
    if exif.exif is None or exif.exif.integer(40961) not in (0, 2, _UNCALIBRATED):
        return None
    inner = exif.exif.interoperability
    said = inner.text(1) if inner is not None else ""
    return icc.of_space("a98") if said.startswith("R03") or exif.exif.integer(40961) == 2 else None


class _Segments:
    """What lies in the segments of a JPEG besides the picture."""

    def __init__(self) -> None:
        self.exif, self.xmp, self.iptc, self.profile = b"", b"", b"", b""
        self.notes: tuple[str, ...] = ()


def _segments(path: Path) -> tuple[_Segments, int, tuple[int, int, int]]:
    """Segments, bits of a sample, and (components, width, height) of the frame; raises ``FileError``."""
    found, parts, bits, frame = _Segments(), {}, 8, (0, 0, 0)
    with open(path, "rb") as file:
        file.seek(2)
        for _ in range(10_000):
            head = file.read(4)
            if len(head) < 4 or head[0] != 0xFF:
                break
            while head[1] == 0xFF:
                head = head[1:] + file.read(1)
            marker, size = head[1], struct.unpack(">H", head[2:4])[0]
            if marker in (0xDA, 0xD9) or size < 2:
                break
            data = file.read(size - 2)
            if marker == 0xE1 and data.startswith(b"Exif\0") and not found.exif:
                found.exif = data[6:]
            elif marker == 0xE1 and data.startswith(b"http://ns.adobe.com/xap/1.0/\0"):
                found.xmp = data[29:]
            elif marker == 0xED and data.startswith(b"Photoshop 3.0\0"):
                found.iptc = iptc_of(data[14:])
            elif marker == 0xE2 and data.startswith(b"ICC_PROFILE\0") and len(data) > 14:
                parts[data[12]] = data[14:]
            elif 0xC0 <= marker <= 0xCF and marker not in (0xC4, 0xC8, 0xCC) and len(data) > 5:
                bits, frame = data[0], (data[5], *struct.unpack(">HH", data[1:5])[::-1])
            if any(word in data for word in _GAIN_MAPS):
                found.notes = ("A gain map for brighter screens lies beside the picture; it is not used.",)
    found.profile = b"".join(parts[k] for k in sorted(parts))
    return found, bits, frame


def iptc_of(resources: bytes) -> bytes:
    """The IPTC block (resource 1028) of a list of image resources; empty when there is none."""
    place = 0
    while place + 12 <= len(resources) and resources[place : place + 4] == b"8BIM":
        number = struct.unpack_from(">H", resources, place + 4)[0]
        name = resources[place + 6] + 1
        start = place + 6 + name + (name & 1)
        if start + 4 > len(resources):
            break
        size = struct.unpack_from(">I", resources, start)[0]
        if number == 0x0404:
            return resources[start + 4 : start + 4 + size]
        place = start + 4 + size + (size & 1)
    return b""


def exif_of(data: bytes) -> tags.Directory:
    """EXIF as a directory; empty when there is none or it cannot be read."""
    data = data[6:] if data[:6] == b"Exif\0\0" else data
    try:
        return tags.read_directories(data)[0]
    except tags.TagError:
        return tags.Directory()


class opened:  # noqa: N801  (reads as a word where it is used)
    """A picture opened by Pillow; its complaints become sentences. ``allow`` gives None for what Pillow does not know."""

    def __init__(self, path: Path, *formats: str, allow: bool = False) -> None:
        self._path, self._formats, self._allow = path, formats, allow
        self._image: Image.Image | None = None

    def __enter__(self) -> Image.Image | None:
        try:
            self._image = Image.open(self._path, formats=self._formats)
        except (UnidentifiedImageError, SyntaxError, ValueError, OSError) as error:
            if self._allow:
                return None
            raise FileError(self._path, "The file is damaged: its header cannot be read.") from error
        except Image.DecompressionBombError as error:
            raise FileError(self._path, "The file claims more pixels than can be worked on.") from error
        return self._image

    def __exit__(self, *_: object) -> None:
        if self._image is not None:
            self._image.close()


def loaded(path: Path, image: Image.Image) -> Pixels:
    """(h, w, n) of a whole JPEG; raises ``FileError`` with the share that is there."""
    try:
        found = np.asarray(image)
    except (OSError, SyntaxError) as error:
        share = _share(path)
        raise FileError(path, f"The picture data end after about {share:.0%}. Copy it from the card again.") from error
    return found[..., None] if found.ndim == 2 else found


def _of_twelve_bits(path: Path, bits: int) -> Pixels:
    import imagecodecs

    data = path.read_bytes()
    if b"\xff\xd9" not in data[-4096:]:
        raise FileError(path, "The picture data are cut off. Copy it from the card again.")
    try:
        found = np.asarray(imagecodecs.jpeg8_decode(data))
    except Exception as error:  # the codec raises its own kinds
        raise FileError(path, "The picture data are damaged. Copy it from the card again.") from error
    top = 2.0**bits - 1
    found = np.rint(np.minimum(found, top) * (65535 / top)).astype(np.uint16)
    return found[..., None] if found.ndim == 2 else found


def _share(path: Path) -> float:
    """How many rows of a truncated JPEG can be decoded, as a share: the rest comes out flat grey."""
    from PIL import ImageFile

    ImageFile.LOAD_TRUNCATED_IMAGES = True
    try:
        with Image.open(path, formats=("JPEG",)) as image:
            rows: NDArray[np.int16] = np.asarray(image.convert("L")).astype(np.int16)
    except (OSError, SyntaxError):
        return 0.0
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = False
    same = (rows == rows[-1:]).all(1)
    filled = len(rows) - int(np.argmin(same[::-1])) if not same.all() else 0
    return filled / len(rows)
