"""TIFF (6.0, BigTIFF, the supplements): every kind of sample and colour that photographers' programs and scanners write."""

import mmap
from pathlib import Path
from typing import Any

import numpy as np

from zincplate.core.colour.adaptation import D50_XY, D65_XY, bradford
from zincplate.core.colour.colour_spaces import REC2020
from zincplate.formats import icc, tags
from zincplate.formats.errors import FileError
from zincplate.formats.icc import MatrixProfile
from zincplate.formats.rendered.jpeg import iptc_of
from zincplate.formats.rendered.picture import Model, Pixels, Rendered, linear_of, of_primaries, widened
from zincplate.formats.tags import Directory

WHITE_IS_ZERO, BLACK_IS_ZERO, RGB, PALETTE, MASK, CMYK, YCBCR, LAB, ICC_LAB = 0, 1, 2, 3, 4, 5, 6, 8, 9
_READ = (WHITE_IS_ZERO, BLACK_IS_ZERO, RGB, PALETTE, CMYK, YCBCR, LAB, ICC_LAB)
_COLOURS = {WHITE_IS_ZERO: 1, BLACK_IS_ZERO: 1, RGB: 3, PALETTE: 1, CMYK: 4, YCBCR: 3, LAB: 3, ICC_LAB: 3}
_FLOAT, _SIGNED, _JPEG, _OLD_JPEG = 3, 2, 7, 6


def directories(path: Path) -> list[Directory]:
    """All directories of a TIFF structure; raises ``FileError``."""
    with open(path, "rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:
        try:
            return tags.read_directories(data)
        except tags.TagError as error:
            raise FileError(path, f"The file is damaged: {error}.") from error


def main_page(pages: list[Directory]) -> int:
    """The first full page: not called reduced, nor a mask; else the largest."""
    full = [i for i, d in enumerate(pages) if not d.integer(254) & 5 and d.integer(255) not in (2,) and d.integer(256)]
    if full:
        # a small page before a much larger one is a thumbnail, whatever it is called
        first = full[0]
        area = [d.integer(256) * d.integer(257) for d in pages]
        largest = max(full, key=lambda i: area[i])
        return largest if area[largest] >= 16 * area[first] else first
    return max(range(len(pages)), key=lambda i: pages[i].integer(256) * pages[i].integer(257))


def read(path: Path, pixels: bool) -> Rendered:
    """The picture; raises ``FileError``."""
    pages = directories(path)
    index = main_page(pages)
    page = pages[index]
    share = tags.stored_fraction(page, path.stat().st_size)
    if share < 1:
        raise FileError(path, f"The picture data end after {share:.0%}. Copy it again.")
    kind = page.integer(262, BLACK_IS_ZERO)
    if kind not in _READ:
        raise FileError(path, f"Its colours are of a kind that cannot be read (photometric interpretation {kind}).")
    channels = page.integer(277, 1)
    bits = set(page.numbers(258)) or {1.0}
    if len(bits) > 1:
        raise FileError(path, "Its channels have different numbers of bits.")
    depth = int(bits.pop())
    sample_format = page.integer(339, 1)
    known = (16, 24, 32, 64) if sample_format == _FLOAT else (*range(1, 17), 32)
    if sample_format not in (1, 2, 3, 4) or depth not in known:
        raise FileError(path, f"Its samples have {depth} bits of format {sample_format}, which cannot be read.")
    colours = _COLOURS[kind]
    if channels < colours:
        raise FileError(path, f"It has {channels} channels where {colours} belong.")
    extra = page.numbers(338)
    alpha, notes = _alpha(channels - colours, extra)
    full = sum(1 for d in pages if not d.integer(254) & 1)
    if full > 1:
        notes.append(f"It holds {full} pages; number {index + 1} is shown.")
    model: Model = {CMYK: "cmyk", LAB: "lab", ICC_LAB: "lab"}.get(kind, "grey" if colours == 1 and kind != PALETTE else "rgb")  # type: ignore[assignment]
    data = page.data(34675)
    profile = None if model in ("cmyk", "lab") else _profile(page, depth, sample_format, bool(data), notes)
    found = None
    if pixels:
        found, more = _pixels(path, index, page, kind, depth, sample_format)
        notes += more
        colours = {"grey": 1, "cmyk": 4}.get(model, 3)
        found = found[..., [*range(colours), *([colours] if alpha else [])]]
    return Rendered(
        "TIFF", page.integer(256), page.integer(257), depth, channels, model, found, alpha, data, profile, _facts(pages, page),
        page.data(700), page.data(33723) or iptc_of(page.data(34377)), False, tuple(notes),
    )  # fmt: skip


def _facts(pages: list[Directory], page: Directory) -> Directory:
    """The page's own tags; EXIF may stand in the first directory only."""
    if page.exif is None and pages[0].exif is not None:
        page.exif, page.gps = pages[0].exif, pages[0].gps
        for tag in (271, 272, 274, 306, 315, 33432):
            if tag in pages[0].values:
                page.values.setdefault(tag, pages[0].values[tag])
    return page


def _alpha(extra: int, kinds: tuple[float, ...]) -> tuple[Any, list[str]]:
    if extra == 0:
        return "", []
    first = kinds[0] if kinds else 0
    alpha = {1: "associated", 2: "straight"}.get(int(first), "")
    left = extra - bool(alpha)
    return alpha, [f"It has {left} more channel{'s' if left > 1 else ''} than its colours; not used."] if left else []


def _profile(page: Directory, depth: int, sample_format: int, has_data: bool, notes: list[str]) -> MatrixProfile | None:
    """By chromaticities and transfer function (TIFF 6.0, section 20); floating point without anything is linear."""
    if has_data:
        return None
    white, primaries = page.numbers(318), page.numbers(319)
    curves = page.numbers(301)
    if len(primaries) == 6:
        wx, wy = white if len(white) == 2 else D65_XY
        rx, ry, gx, gy, bx, by = primaries
        curve = icc.of_space("srgb").curves[0]
        size = 2**depth if depth <= 16 else 0
        if size and len(curves) in (size, 3 * size):
            curve = np.interp(np.linspace(0, 1, 4096), np.linspace(0, 1, size), np.asarray(curves[:size]) / 65535)
        elif sample_format == _FLOAT:
            curve = np.linspace(0, 1, 4096)
        try:
            return of_primaries("its own primaries", ((rx, ry), (gx, gy), (bx, by)), (wx, wy), np.asarray(curve))
        except (ValueError, ZeroDivisionError):
            notes.append("Its chromaticities cannot be; sRGB is assumed.")
            return icc.of_space("srgb")
    if sample_format == _FLOAT:
        notes.append("The file names no colour space; linear sRGB is assumed for floating point.")
        return linear_of("srgb", "linear sRGB")
    return None


def _pixels(path: Path, index: int, page: Directory, kind: int, depth: int, sample_format: int) -> tuple[Pixels, list[str]]:
    """(h, w, n) with whole numbers over their whole range, inks and colours as their models have them."""
    import tifffile

    if (kind == YCBCR and page.integer(259) != _JPEG) or page.integer(259) == _OLD_JPEG:
        return _by_libtiff(path, index), []
    try:
        with tifffile.TiffFile(path) as file:
            if index >= len(file.pages):
                raise FileError(path, "The file holds no picture.")
            opened: Any = file.pages[index]
            values = np.asarray(opened.asarray())
            if getattr(opened, "planarconfig", 1) == 2 and values.ndim == 3 and values.shape[0] == page.integer(277, 1):
                values = np.moveaxis(values, 0, -1)
    except FileError:
        raise
    except Exception as error:  # tifffile and its codecs raise many kinds
        raise FileError(path, "The picture data are damaged, or coded in a way that cannot be read.") from error
    values = values[..., None] if values.ndim == 2 else values
    if values.ndim != 3 or values.shape[:2] != (page.integer(257), page.integer(256)):
        raise FileError(path, "Its pixels have another shape than its tags say.")
    notes: list[str] = []
    if kind in (LAB, ICC_LAB):
        return _lab(values, kind == ICC_LAB), notes
    if values.dtype.kind == "b":
        values, depth = values.astype(np.uint8), 1
    if values.dtype.kind == "f":
        values = values.astype(np.float32)
        return (1 - values if kind == WHITE_IS_ZERO else values), notes
    if values.dtype.kind not in "ui":
        raise FileError(path, f"Its pixels are {values.dtype}, which cannot be read.")
    if kind == PALETTE:
        return _palette(path, values[..., 0], page, depth), notes
    if sample_format == _SIGNED:
        # from 0 to the largest positive number; what is below black is black
        if values.size and int(values.min()) < 0:
            notes.append("Values below black were set to black.")
        values, depth = np.maximum(values, 0).astype(np.uint32), depth - 1
    values = widened(values, depth)
    if kind == WHITE_IS_ZERO:
        values = 1 - values if values.dtype.kind == "f" else np.iinfo(values.dtype).max - values
    return values, notes


def _by_libtiff(path: Path, index: int) -> Pixels:
    """Luminance and colour differences of 8 bits, subsampled or not, also in JPEG of the old way: libtiff's own conversion."""
    import imagecodecs

    try:
        found = np.asarray(imagecodecs.tiff_decode(path.read_bytes(), index=index, asrgb=True))
    except Exception as error:  # libtiff raises its own kinds
        raise FileError(path, "The picture data are damaged, or coded in a way that cannot be read.") from error
    return found[..., :3]


def _palette(path: Path, values: Pixels, page: Directory, depth: int) -> Pixels:
    table = page.numbers(320)
    size = 2**depth
    if len(table) != 3 * size:
        raise FileError(path, "It has a palette of another size than its pixels need.")
    colours = np.asarray(table, np.uint16).reshape(3, size).T
    return np.asarray(colours[values])


def _lab(values: Pixels, by_profile: bool) -> Pixels:
    """CIE L*a*b* of D50 (TIFF 6.0, section 23; ICC L*a*b* of Technical Note 4) -> linear Rec. 2020, float32."""
    lightness: Any
    a: Any
    b: Any
    if values.dtype.kind == "f":
        lightness, a, b = (values[..., i].astype(np.float64) for i in range(3))
    elif values.dtype.itemsize == 1:
        lightness = values[..., 0].astype(np.uint8) * (100 / 255)
        shift = np.int16(128) if by_profile else np.int16(0)
        whole = values[..., 1:3].astype(np.uint8) if by_profile else values[..., 1:3].astype(np.uint8).view(np.int8)
        a, b = (whole[..., i].astype(np.int16) - shift for i in range(2))
    else:
        whole16 = values[..., :3].astype(np.uint16)
        lightness = whole16[..., 0] * (100 / (65280 if by_profile else 65535))
        if by_profile:
            a, b = (whole16[..., i].astype(np.float64) / 256 - 128 for i in (1, 2))
        else:
            a, b = (np.ascontiguousarray(whole16[..., i]).view(np.int16) / 256 for i in (1, 2))
    fy = (lightness + 16) / 116
    f = np.stack([fy + a / 500, fy, fy - b / 200], -1)
    epsilon = 6 / 29
    relative = np.where(f > epsilon, f**3, 3 * epsilon**2 * (f - 4 / 29))
    white = np.array([D50_XY[0] / D50_XY[1], 1.0, (1 - sum(D50_XY)) / D50_XY[1]])
    matrix = REC2020.from_xyz @ bradford(D50_XY, D65_XY)
    return np.asarray((relative * white) @ matrix.T, np.float32)
