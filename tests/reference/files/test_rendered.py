"""Kinds of finished pictures, each written by somebody else's encoder (or by its standard's rules) from the same 24 patches."""

import io
import struct
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import colour
import imagecodecs
import numpy as np
import pytest
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageCms

from tests.reference.files import writer as w
from tests.reference.files.chart import D65, HEIGHT, WHITE, WIDTH, patches_xyz, picture, save, worst_difference
from zincplate.core.colour_spaces import REC2020, SPACES
from zincplate.formats.decode import decode, facts
from zincplate.formats.errors import FileError
from zincplate.formats.icc import profile_of

Float64 = NDArray[np.float64]


def linear(space: str = "srgb") -> Float64:
    """(24, 3) linear values of the patches in a space, WHITE for white; some lie outside sRGB a little."""
    rgb = patches_xyz() @ REC2020.from_xyz.T @ SPACES[space].from_working.T * WHITE
    return np.asarray(np.clip(rgb, 0, 1))


def encoded(space: str = "srgb") -> Float64:
    """The same by the space's own curve."""
    return np.asarray(SPACES[space].transfer.encode(linear(space)))


def as_codes(values: Float64, bits: int = 8) -> NDArray[Any]:
    """(24, n) -> (h, w, n) whole numbers."""
    kind = np.uint8 if bits <= 8 else np.uint16 if bits <= 16 else np.uint32
    return np.rint(picture(values) * (2.0**bits - 1)).astype(kind)


def seen(linear_rgb: Float64, space: str = "srgb") -> Float64:
    """(24, 3) XYZ that linear values of a space are, white 1."""
    return np.asarray(linear_rgb / WHITE @ SPACES[space].to_working.T @ REC2020.to_xyz.T)


def expected(space: str = "srgb", bits: int = 8) -> Float64:
    """XYZ of the patches as rounded to codes."""
    codes = np.rint(encoded(space) * (2.0**bits - 1)) / (2.0**bits - 1)
    return seen(SPACES[space].transfer.decode(codes), space)


GREY = np.clip(patches_xyz()[:, 1:2] * WHITE, 0, 1)


def grey_seen(linear_grey: Float64) -> Float64:
    """XYZ of neutral light."""
    return np.asarray(linear_grey / WHITE * np.array([D65[0] / D65[1], 1.0, (1 - sum(D65)) / D65[1]]))


# ---- TIFF -----------------------------------------------------------------------------------------------------------------


def tiff(codes: NDArray[Any], **how: Any) -> bytes:
    """Written by tifffile."""
    out = io.BytesIO()
    with tifffile.TiffWriter(out, bigtiff=how.pop("bigtiff", False), byteorder=how.pop("byteorder", "<")) as file:
        file.write(codes, **how)
    return out.getvalue()


def tiff_of_pillow(**how: Any) -> bytes:
    """Written by Pillow and libtiff."""
    out = io.BytesIO()
    Image.fromarray(as_codes(encoded())).save(out, "TIFF", **how)
    return out.getvalue()


def own_tiff(pieces: list[bytes], tags: dict[int, tuple[int, Any]], order: str = "<") -> bytes:
    """Written tag by tag."""
    base = {256: (w.LONG, WIDTH), 257: (w.LONG, HEIGHT), 259: (w.SHORT, 1), 278: (w.LONG, HEIGHT), 284: (w.SHORT, 1)}
    return w.structure(w.Directory({**base, **tags}, pieces=pieces), order=order)


def packed_rgb(bits: int) -> bytes:
    """RGB of an odd number of bits, packed."""
    codes = as_codes(encoded(), bits).astype(np.uint16)
    tags = {258: (w.SHORT, [bits] * 3), 262: (w.SHORT, 2), 277: (w.SHORT, 3)}
    return own_tiff([w.packed(codes, bits)], tags)


def packed_grey(bits: int, inverted: bool = False) -> bytes:
    """Grey of a few bits."""
    top = 2**bits - 1
    codes = np.rint(picture(SPACES["srgb"].transfer.encode(GREY))[..., 0] * top).astype(np.uint16)
    codes = top - codes if inverted else codes
    return own_tiff([w.packed(codes, bits)], {258: (w.SHORT, bits), 262: (w.SHORT, 0 if inverted else 1), 277: (w.SHORT, 1)})


def grey_rounded(bits: int) -> Float64:
    """XYZ of the greys at so many bits."""
    top = 2.0**bits - 1
    return grey_seen(SPACES["srgb"].transfer.decode(np.rint(SPACES["srgb"].transfer.encode(GREY) * top) / top))


def palette() -> bytes:
    """Each patch an entry of a palette of sixteen bits."""
    index = np.arange(24).reshape(24, 1)
    table = np.zeros((256, 3), np.uint16)
    table[:24] = np.rint(encoded() * 65535)
    tags = {258: (w.SHORT, 8), 262: (w.SHORT, 3), 277: (w.SHORT, 1), 320: (w.SHORT, [int(v) for v in table.T.ravel()])}
    return own_tiff([picture(index.astype(np.float64)).astype(np.uint8).tobytes()], tags)


def lab_codes() -> Float64:
    """(24, 3) L*a*b* under D50."""
    white = colour.xy_to_XYZ((0.34567, 0.3585))
    d50 = colour.chromatic_adaptation(patches_xyz(), colour.xy_to_XYZ(D65), white, method="Von Kries", transform="Bradford")
    return np.asarray(colour.XYZ_to_Lab(d50 * WHITE, (0.34567, 0.3585)))


def lab(bits: int, by_profile: bool) -> bytes:
    """CIE L*a*b* or that of ICC profiles."""
    values = lab_codes()
    if bits == 8:
        lightness = np.rint(values[:, :1] * 2.55)
        ab = np.rint(values[:, 1:]) + (128 if by_profile else 0)
        codes = picture(np.concatenate([lightness, np.mod(ab, 256)], 1)).astype(np.uint8)
    else:
        lightness = np.rint(values[:, :1] * (652.80 if by_profile else 655.35))
        ab = np.rint(values[:, 1:] * 256) + (32768 if by_profile else 0)
        codes = picture(np.concatenate([lightness, np.mod(ab, 65536)], 1)).astype(np.uint16)
    return own_tiff([w.stored(codes)], {258: (w.SHORT, [bits] * 3), 262: (w.SHORT, 9 if by_profile else 8), 277: (w.SHORT, 3)})


def ycbcr(subsampled: bool) -> bytes:
    """Luminance and colour differences without JPEG (ITU-R BT.601), written as TIFF 6.0, section 21, has it."""
    rgb = as_codes(encoded()).astype(np.float64)
    y = rgb @ [0.299, 0.587, 0.114]
    cb, cr = (rgb[..., 2] - y) / 1.772 + 128, (rgb[..., 0] - y) / 1.402 + 128
    planes = [np.rint(p).astype(np.uint8) for p in (y, cb, cr)]
    if subsampled:
        units = []
        for row in range(0, HEIGHT, 2):
            for column in range(0, WIDTH, 2):
                units.append(planes[0][row : row + 2, column : column + 2].tobytes())
                units.append(bytes([planes[1][row, column], planes[2][row, column]]))
        data = b"".join(units)
    else:
        data = np.stack(planes, -1).tobytes()
    step = 2 if subsampled else 1
    tags = {258: (w.SHORT, [8] * 3), 262: (w.SHORT, 6), 277: (w.SHORT, 3), 530: (w.SHORT, [step, step]),
            532: (w.RATIONAL, [0, 255, 128, 255, 128, 255])}  # fmt: skip
    return own_tiff([data], tags)


def with_alpha(kind: int, bits: int = 16) -> bytes:
    """RGB with a cover of a half over the right half: associated (1) or straight (2)."""
    top = 2**bits - 1
    rgb = picture(encoded())
    cover = np.ones((HEIGHT, WIDTH, 1))
    cover[:, WIDTH // 2 :] = 0.5
    rgb = rgb * cover if kind == 1 else rgb
    codes = np.rint(np.concatenate([rgb, cover], -1) * top).astype(np.uint16)
    tags = {258: (w.SHORT, [bits] * 4), 262: (w.SHORT, 2), 277: (w.SHORT, 4), 338: (w.SHORT, kind)}
    return own_tiff([w.stored(codes)], tags)


def thumbnail_first() -> bytes:
    """A small page before the picture, called reduced or not."""
    small = w.Directory(
        {254: (w.LONG, 1), 256: (w.LONG, 8), 257: (w.LONG, 8), 258: (w.SHORT, 8), 259: (w.SHORT, 1), 262: (w.SHORT, 1),
         277: (w.SHORT, 1), 278: (w.LONG, 8)}, pieces=[bytes(64)],
    )  # fmt: skip
    codes = as_codes(encoded(), 16)
    full = w.Directory(
        {256: (w.LONG, WIDTH), 257: (w.LONG, HEIGHT), 258: (w.SHORT, [16] * 3), 259: (w.SHORT, 1), 262: (w.SHORT, 2),
         277: (w.SHORT, 3), 278: (w.LONG, HEIGHT)}, pieces=[w.stored(codes)],
    )  # fmt: skip
    return w.structure(small, full)


def by_chromaticities() -> bytes:
    """Primaries of Rec. 2020 and a transfer function of gamma 2, by tags."""
    values = np.sqrt(linear("rec2020"))
    codes = as_codes(values, 8)
    table = np.rint((np.arange(256) / 255) ** 2 * 65535).astype(int)
    tags = {258: (w.SHORT, [8] * 3), 262: (w.SHORT, 2), 277: (w.SHORT, 3), 318: (w.RATIONAL, [*D65]),
            319: (w.RATIONAL, [0.708, 0.292, 0.170, 0.797, 0.131, 0.046]), 301: (w.SHORT, [int(v) for v in table])}  # fmt: skip
    return own_tiff([codes.tobytes()], tags)


def floats(kind: Any, times: float = 1.0) -> NDArray[Any]:
    """Linear sRGB as floating point."""
    return (picture(linear()) * times).astype(kind)


ICC = [(34675, 7, None, profile_of("srgb"), True)]
EIGHT, SIXTEEN = expected(), expected(bits=16)
Made = Callable[[], bytes]
TIFFS: dict[str, tuple[Made, Float64, float]] = {
    "8": (lambda: tiff(as_codes(encoded()), photometric="rgb"), EIGHT, 0.02),
    "16": (lambda: tiff(as_codes(encoded(), 16), photometric="rgb"), SIXTEEN, 0.02),
    "16-big-endian": (lambda: tiff(as_codes(encoded(), 16), photometric="rgb", byteorder=">"), SIXTEEN, 0.02),
    "big": (lambda: tiff(as_codes(encoded(), 16), photometric="rgb", bigtiff=True), SIXTEEN, 0.02),
    "planes": (
        lambda: tiff(np.moveaxis(as_codes(encoded(), 16), -1, 0), photometric="rgb", planarconfig="separate"), SIXTEEN, 0.02,
    ),
    "tiles": (lambda: tiff(as_codes(encoded(), 16), photometric="rgb", tile=(32, 32)), SIXTEEN, 0.02),
    "32": (lambda: tiff(as_codes(encoded(), 32), photometric="rgb"), SIXTEEN, 0.02),
    "signed-16": (lambda: tiff(as_codes(encoded(), 15).astype(np.int16), photometric="rgb"), expected(bits=15), 0.02),
    "signed-8": (lambda: tiff(as_codes(encoded(), 7).astype(np.int8), photometric="rgb"), expected(bits=7), 0.1),
    "half": (lambda: tiff(floats(np.float16), photometric="rgb"), seen(linear()), 0.1),
    "single": (lambda: tiff(floats(np.float32), photometric="rgb"), seen(linear()), 0.01),
    "double": (lambda: tiff(floats(np.float64), photometric="rgb"), seen(linear()), 0.01),
    "single-bright": (lambda: tiff(floats(np.float32, 8), photometric="rgb"), seen(linear() * 8), 0.01),
    "single-profiled": (
        lambda: tiff(picture(encoded()).astype(np.float32), photometric="rgb", extratags=ICC), seen(linear()), 0.02,
    ),
    "palette": (palette, SIXTEEN, 0.02),
    "grey": (lambda: tiff(as_codes(SPACES["srgb"].transfer.encode(GREY), 16)[..., 0], photometric="minisblack"),
             grey_rounded(16), 0.02),
    "white-is-zero": (lambda: tiff(65535 - as_codes(SPACES["srgb"].transfer.encode(GREY), 16)[..., 0], photometric="miniswhite"),
                      grey_rounded(16), 0.02),
    "lab-8": (lambda: lab(8, False), patches_xyz(), 1.2),
    "lab-16": (lambda: lab(16, False), patches_xyz(), 0.1),
    "icc-lab-8": (lambda: lab(8, True), patches_xyz(), 1.2),
    "icc-lab-16": (lambda: lab(16, True), patches_xyz(), 0.1),
    "ycbcr": (lambda: ycbcr(False), EIGHT, 1.6),
    "ycbcr-subsampled": (lambda: ycbcr(True), EIGHT, 1.6),
    "jpeg-inside": (
        lambda: tiff(as_codes(encoded()), photometric="rgb", compression="jpeg", compressionargs={"level": 98}), EIGHT, 1.6,
    ),
    "jpeg-inside-ycbcr": (lambda: tiff_of_pillow(compression="jpeg", quality=98), EIGHT, 1.8),
    "associated": (lambda: with_alpha(1), SIXTEEN, 0.05),
    "straight": (lambda: with_alpha(2), SIXTEEN, 0.02),
    "thumbnail-first": (thumbnail_first, SIXTEEN, 0.02),
    "chromaticities": (
        by_chromaticities, seen((np.rint(np.sqrt(linear("rec2020")) * 255) / 255) ** 2, "rec2020"), 0.05,
    ),
    "more-channels": (
        lambda: tiff(np.concatenate([as_codes(encoded(), 16), as_codes(GREY, 16)], -1), photometric="rgb",
                     extrasamples=["unspecified"]), SIXTEEN, 0.02,
    ),
}  # fmt: skip
for _n in (10, 12, 14):
    TIFFS[f"packed-{_n}"] = (lambda n=_n: packed_rgb(n), expected(bits=_n), 0.05)
for _n in (1, 2, 4, 12):
    TIFFS[f"grey-{_n}"] = (lambda n=_n: packed_grey(n), grey_rounded(_n), 0.05)
    TIFFS[f"grey-{_n}-inverted"] = (lambda n=_n: packed_grey(n, True), grey_rounded(_n), 0.05)
for _name in ("lzw", "deflate", "packbits", "zstd", "lerc", "webp", "jpegxl", "jpeg2000", "png", "lzma"):
    _how: dict[str, Any] = {"compression": _name}
    if _name in ("webp", "jpegxl", "jpeg2000"):
        _how["compressionargs"] = (
            {"lossless": True} if _name == "webp" else {"lossless": True} if _name == "jpegxl" else {"reversible": True}
        )
    TIFFS[_name] = (lambda h=_how: tiff(as_codes(encoded()), photometric="rgb", **h), EIGHT, 0.02)
for _predictor in ("lzw", "deflate", "zstd"):
    TIFFS[f"{_predictor}-predictor"] = (
        lambda c=_predictor: tiff(as_codes(encoded(), 16), photometric="rgb", compression=c, predictor=True), SIXTEEN, 0.02,
    )  # fmt: skip
    TIFFS[f"{_predictor}-float-predictor"] = (
        lambda c=_predictor: tiff(floats(np.float32), photometric="rgb", compression=c, predictor=True), seen(linear()), 0.01,
    )  # fmt: skip
for _key in SPACES:
    TIFFS[f"profile-{_key}"] = (
        lambda k=_key: tiff(as_codes(encoded(k), 16), photometric="rgb", extratags=[(34675, 7, None, profile_of(k), True)]),
        expected(_key, 16), 0.02,
    )  # fmt: skip


@pytest.mark.parametrize("name", TIFFS)
def test_tiff(name: str, tmp_path: Path) -> None:
    made, wanted, bound = TIFFS[name]
    path = save(tmp_path / "a.tif", made())
    assert worst_difference(decode(path), wanted) < bound
    capture, _ = facts(path)
    assert (capture.width, capture.height, capture.file_type, capture.raw) == (WIDTH, HEIGHT, "TIFF", False)


def test_what_a_tiff_leaves_out_is_told(tmp_path: Path) -> None:
    for name, words in (("associated", "divided"), ("straight", "transparent"), ("more-channels", "1 more channel"),
                        ("thumbnail-first", "no colour space")):  # fmt: skip
        assert any(words in note for note in decode(save(tmp_path / "a.tif", TIFFS[name][0]())).notes)


# ---- profiles -------------------------------------------------------------------------------------------------------------


def table_profile(model: str) -> bytes:
    """A profile of tables in both directions is heavy to make: littlecms' own L*a*b* profile, and one of inks, made by
    formula."""
    return ink_profile() if model == "CMYK" else ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()


def ink_profile(grid: int = 9) -> bytes:
    """Inks to L*a*b* by a table (ICC.1:2010, lut16Type): light left over by each ink, black over all."""
    steps = np.arange(grid) / (grid - 1)
    c, m, y, k = np.meshgrid(steps, steps, steps, steps, indexing="ij")
    rgb = np.stack([(1 - v) * (1 - k) for v in (c, m, y)], -1) ** 2.2
    xyz = rgb @ SPACES["srgb"].to_xyz.T
    d50 = colour.chromatic_adaptation(
        xyz, colour.xy_to_XYZ(D65), np.array([0.9642, 1.0, 0.8249]), method="Von Kries", transform="Bradford"
    )
    values = colour.XYZ_to_Lab(d50, colour.XYZ_to_xy(np.array([0.9642, 1.0, 0.8249])))
    table = np.stack([values[..., 0] * 652.8, (values[..., 1] + 128) * 256, (values[..., 2] + 128) * 256], -1)
    line = np.array([0, 65535], ">u2").tobytes()
    identity = b"".join(struct.pack(">i", 65536 if i % 4 == 0 else 0) for i in range(9))
    body = b"mft2\0\0\0\0" + bytes([4, 3, grid, 0]) + identity + struct.pack(">HH", 2, 2) + line * 4
    body += np.rint(np.clip(table, 0, 65535)).astype(">u2").tobytes() + line * 3
    tags = [(b"A2B0", body), (b"A2B1", body), (b"wtpt", b"XYZ \0\0\0\0" + struct.pack(">3i", 63190, 65536, 54061)),
            (b"desc", b"desc\0\0\0\0" + struct.pack(">I", 5) + b"inks\0" + bytes(78)),
            (b"cprt", b"text\0\0\0\0none\0")]  # fmt: skip
    start, listed, data = 132 + 12 * len(tags), b"", b""
    for name, content in tags:
        content += bytes(-len(content) % 4)
        listed += name + struct.pack(">II", start + len(data), len(content))
        data += content
    head = struct.pack(
        ">I4sI4s4s4s6H4s", start + len(data), b"none", 0x02400000, b"prtr", b"CMYK", b"Lab ", 2026, 1, 1, 0, 0, 0, b"acsp"
    )
    head = head.ljust(68, b"\0") + struct.pack(">3i", 63190, 65536, 54061)
    return head.ljust(128, b"\0") + struct.pack(">I", len(tags)) + listed + data


def inks() -> NDArray[np.uint8]:
    """Inks that give the patches by the formula of :func:`ink_profile`."""
    left = np.clip(linear(), 0, 1) ** (1 / 2.2)
    k = 1 - left.max(1, keepdims=True)
    cmy = 1 - left / np.maximum(1 - k, 1e-6)
    return np.rint(picture(np.concatenate([cmy, k], 1)) * 255).astype(np.uint8)


def test_inks_through_their_profile(tmp_path: Path) -> None:
    tags = [(34675, 7, None, ink_profile(), True)]
    path = save(tmp_path / "a.tif", tiff(inks(), photometric="separated", extratags=tags))
    decoded = decode(path)
    assert worst_difference(decoded, seen(linear())) < 3.0  # eight bits, nine steps of each ink between
    assert any("inks" in note for note in decoded.notes) and facts(path)[0].channels == 4
    out = io.BytesIO()
    Image.fromarray(inks(), "CMYK").save(out, "JPEG", quality=98, icc_profile=ink_profile(5), subsampling=0)
    assert worst_difference(decode(save(tmp_path / "a.jpg", out.getvalue())), seen(linear())) < 6.0


def test_inks_without_a_profile_are_refused(tmp_path: Path) -> None:
    path = save(tmp_path / "a.tif", tiff(inks(), photometric="separated"))
    for read in (decode, facts):
        with pytest.raises(FileError, match="inks"):
            read(path)


def grey_profile(gamma: float) -> bytes:
    """A grey profile of one curve."""
    tags = [(b"kTRC", b"curv\0\0\0\0" + struct.pack(">IH", 1, round(gamma * 256)) + b"\0\0"),
            (b"wtpt", b"XYZ \0\0\0\0" + struct.pack(">3i", 63190, 65536, 54061))]  # fmt: skip
    start, listed, data = 132 + 12 * len(tags), b"", b""
    for name, content in tags:
        listed += name + struct.pack(">II", start + len(data), len(content))
        data += content + bytes(-len(content) % 4)
    head = struct.pack(
        ">I4sI4s4s4s6H4s", start + len(data), b"none", 0x02400000, b"mntr", b"GRAY", b"XYZ ", 2026, 1, 1, 0, 0, 0, b"acsp"
    )
    return head.ljust(68, b"\0").ljust(128, b"\0") + struct.pack(">I", len(tags)) + listed + data


def test_grey_through_its_profile(tmp_path: Path) -> None:
    codes = np.rint(picture(GREY ** (1 / 1.8))[..., 0] * 65535).astype(np.uint16)
    tags = [(34675, 7, None, grey_profile(1.8), True)]
    path = save(tmp_path / "a.tif", tiff(codes, photometric="minisblack", extratags=tags))
    assert worst_difference(decode(path), grey_seen(GREY)) < 0.05


@pytest.mark.parametrize("damage", [b"", b"nonsense" * 40, profile_of("p3")[:200], profile_of("p3").replace(b"para", b"zzzz")])
def test_a_damaged_profile_is_told_and_the_picture_opens(damage: bytes, tmp_path: Path) -> None:
    tags = [(34675, 7, None, damage or b"\0", True)]
    path = save(tmp_path / "a.tif", tiff(as_codes(encoded(), 16), photometric="rgb", extratags=tags))
    decoded = decode(path)
    assert worst_difference(decoded, SIXTEEN) < 0.02
    assert any("profile is damaged" in note for note in decoded.notes)


# ---- JPEG -----------------------------------------------------------------------------------------------------------------


def jpeg(codes: NDArray[Any], **how: Any) -> bytes:
    """Written by Pillow."""
    out = io.BytesIO()
    Image.fromarray(codes).save(out, "JPEG", **{"quality": 98, "subsampling": 0, **how})
    return out.getvalue()


def exif_of(interoperability: str, space: int) -> bytes:
    """EXIF with a colour space and the rule it follows."""
    inner = w.Directory({1: (w.ASCII, interoperability), 2: (w.UNDEFINED, b"0100")})
    exif = w.Directory({40961: (w.SHORT, space)})
    exif.gps = None
    data = w.structure(w.Directory({}, exif=_with_interoperability(exif, inner)))
    return b"Exif\0\0" + data


def _with_interoperability(exif: w.Directory, inner: w.Directory) -> w.Directory:
    # the writer knows sub-images, EXIF and GPS: the pointer is set by hand after all
    exif.sub = [inner]
    return exif


def test_the_wide_rgb_of_1998_told_by_exif_alone(tmp_path: Path) -> None:
    data = exif_of("R03", 65535)
    data = data.replace(struct.pack("<HHI", 330, 4, 1), struct.pack("<HHI", 40965, 4, 1))
    path = save(tmp_path / "a.jpg", jpeg(as_codes(encoded("a98")), exif=data))
    assert worst_difference(decode(path), expected("a98")) < 1.6
    assert facts(path)[0].colour_space.startswith("Adobe RGB (1998)")
    plain = save(tmp_path / "b.jpg", jpeg(as_codes(encoded()), exif=data.replace(b"R03", b"R98")))
    assert worst_difference(decode(plain), EIGHT) < 1.2


JPEGS: dict[str, tuple[Made, Float64, float]] = {
    "plain": (lambda: jpeg(as_codes(encoded())), EIGHT, 1.2),
    "progressive": (lambda: jpeg(as_codes(encoded()), progressive=True), EIGHT, 1.2),
    "subsampled": (lambda: jpeg(as_codes(encoded()), subsampling=2), EIGHT, 1.6),
    "grey": (lambda: jpeg(as_codes(SPACES["srgb"].transfer.encode(GREY))[..., 0]), grey_rounded(8), 0.8),
    "rgb-inside": (lambda: jpeg(as_codes(encoded()), keep_rgb=True), EIGHT, 1.2),
    "p3": (lambda: jpeg(as_codes(encoded("p3")), icc_profile=profile_of("p3")), expected("p3"), 1.2),
    "12-bit": (
        lambda: bytes(imagecodecs.jpeg8_encode(as_codes(encoded(), 12), 99, bitspersample=12, subsampling="444")),
        expected(bits=12), 0.4,
    ),
    "12-bit-grey": (
        lambda: bytes(imagecodecs.jpeg8_encode(as_codes(SPACES["srgb"].transfer.encode(GREY), 12)[..., 0], 99, bitspersample=12)),
        grey_rounded(12), 0.4,
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", JPEGS)
def test_jpeg(name: str, tmp_path: Path) -> None:
    made, wanted, bound = JPEGS[name]
    path = save(tmp_path / "a.jpg", made())
    assert worst_difference(decode(path), wanted) < bound
    capture, _ = facts(path)
    assert (capture.width, capture.height, capture.file_type) == (WIDTH, HEIGHT, "JPEG")


def test_a_gain_map_is_told(tmp_path: Path) -> None:
    data = jpeg(as_codes(encoded()))
    segment = b"urn:iso:std:iso:ts:21496:-1\0" + bytes(8)
    data = data[:2] + b"\xff\xe2" + struct.pack(">H", len(segment) + 2) + segment + data[2:]
    assert any("gain map" in note for note in decode(save(tmp_path / "a.jpg", data)).notes)


# ---- PNG ------------------------------------------------------------------------------------------------------------------


def png(
    codes: NDArray[Any], *chunks: tuple[bytes, bytes], after: tuple[tuple[bytes, bytes], ...] = (), bits: int = 0, kind: int = -1
) -> bytes:
    """Written chunk by chunk (ISO/IEC 15948)."""
    bits = bits or codes.dtype.itemsize * 8
    channels = 1 if codes.ndim == 2 else codes.shape[2]
    kind = kind if kind >= 0 else {1: 0, 2: 4, 3: 2, 4: 6}[channels]
    rows = w.packed(codes, bits) if bits < 8 else codes.astype(f">u{bits // 8}").tobytes()
    step = len(rows) // HEIGHT
    lines = b"".join(b"\0" + rows[i * step : (i + 1) * step] for i in range(HEIGHT))

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    parts = [
        (b"IHDR", struct.pack(">IIBBBBB", WIDTH, HEIGHT, bits, kind, 0, 0, 0)),
        *chunks,
        (b"IDAT", zlib.compress(lines)),
        *after,
    ]
    return b"\x89PNG\r\n\x1a\n" + b"".join(chunk(*p) for p in [*parts, (b"IEND", b"")])


def chromaticities(space: str) -> tuple[bytes, bytes]:
    """cHRM of a space."""
    s = SPACES[space]
    values = [*s.white_xy, *s.primaries[0], *s.primaries[1], *s.primaries[2]]
    return b"cHRM", struct.pack(">8I", *(round(v * 100_000) for v in values))


def pq(values: Float64) -> Float64:
    """Inverse of ST 2084, from reference whites of 203 cd/m2."""
    return np.asarray(colour.models.eotf_inverse_ST2084(values * 203))


def palette_png() -> bytes:
    """Patches by index."""
    table = np.rint(encoded() * 255).astype(np.uint8)
    index = picture(np.arange(24.0).reshape(24, 1))[..., 0].astype(np.uint8)
    return png(index, (b"PLTE", table.tobytes()), kind=3)


G22 = np.rint((linear() ** (1 / 2.2)) * 65535) / 65535
PNGS: dict[str, tuple[Made, Float64, float]] = {
    "8": (lambda: png(as_codes(encoded())), EIGHT, 0.02),
    "16": (lambda: png(as_codes(encoded(), 16)), SIXTEEN, 0.02),
    "palette": (palette_png, EIGHT, 0.02),
    "grey-16": (lambda: png(as_codes(SPACES["srgb"].transfer.encode(GREY), 16)[..., 0]), grey_rounded(16), 0.02),
    "srgb": (lambda: png(as_codes(encoded(), 16), (b"sRGB", b"\1")), SIXTEEN, 0.02),
    "gamma": (lambda: png(as_codes(G22, 16), (b"gAMA", struct.pack(">I", 45454)), chromaticities("srgb")), seen(linear()), 0.05),
    "gamma-1.8-romm": (
        lambda: png(as_codes(linear("romm") ** (1 / 1.8), 16), (b"gAMA", struct.pack(">I", 55556)), chromaticities("romm")),
        seen(linear("romm"), "romm"), 0.05,
    ),
    "linear": (
        lambda: png(as_codes(linear(), 16), (b"gAMA", struct.pack(">I", 100_000))), seen(np.rint(linear() * 65535) / 65535), 0.02,
    ),
    "code-points-p3": (lambda: png(as_codes(encoded("p3"), 16), (b"cICP", bytes([12, 13, 0, 1]))), expected("p3", 16), 0.02),
    "code-points-pq": (
        lambda: png(as_codes(pq(linear("rec2020")), 16), (b"cICP", bytes([9, 16, 0, 1]))),
        seen(linear("rec2020"), "rec2020"), 0.05,
    ),
    "code-points-before-profile": (
        lambda: png(as_codes(encoded("p3"), 16), (b"cICP", bytes([12, 13, 0, 1])),
                    (b"iCCP", b"x\0\0" + zlib.compress(profile_of("srgb")))), expected("p3", 16), 0.02,
    ),
    "profile": (lambda: png(as_codes(encoded("romm"), 16), (b"iCCP", b"x\0\0" + zlib.compress(profile_of("romm")))),
                expected("romm", 16), 0.02),
    "alpha": (
        lambda: png(np.concatenate([as_codes(encoded(), 16), np.full((HEIGHT, WIDTH, 1), 30000, np.uint16)], -1)), SIXTEEN, 0.02,
    ),
}  # fmt: skip
for _n in (1, 2, 4):
    PNGS[f"grey-{_n}"] = (
        lambda n=_n: png(np.rint(picture(SPACES["srgb"].transfer.encode(GREY))[..., 0] * (2**n - 1)).astype(np.uint8), bits=n),
        grey_rounded(_n), 0.05,
    )  # fmt: skip


@pytest.mark.parametrize("name", PNGS)
def test_png(name: str, tmp_path: Path) -> None:
    made, wanted, bound = PNGS[name]
    path = save(tmp_path / "a.png", made())
    assert worst_difference(decode(path), wanted) < bound
    capture, _ = facts(path)
    assert (capture.width, capture.height, capture.file_type) == (WIDTH, HEIGHT, "PNG")


def test_hlg_has_its_reference_white_at_one(tmp_path: Path) -> None:
    codes = np.full((HEIGHT, WIDTH, 3), round(0.75 * 65535), np.uint16)
    decoded = decode(save(tmp_path / "a.png", png(codes, (b"cICP", bytes([9, 18, 0, 1])))))
    assert decoded.profile is not None
    assert abs(decoded.profile.decode_table(65536)[0, codes[0, 0, 0]] - 1) < 1e-3


@pytest.mark.parametrize("bits", [17, 20, 24, 64])
def test_whole_numbers_that_nobody_agrees_on_are_refused(bits: int, tmp_path: Path) -> None:
    tags = {258: (w.SHORT, [bits] * 3), 262: (w.SHORT, 2), 277: (w.SHORT, 3)}
    path = save(tmp_path / "a.tif", own_tiff([bytes(HEIGHT * WIDTH * 3 * bits // 8)], tags))
    for read in (decode, facts):
        with pytest.raises(FileError, match=f"{bits} bits"):
            read(path)


def test_a_moving_png_is_told(tmp_path: Path) -> None:
    out = io.BytesIO()
    still = Image.fromarray(as_codes(encoded()))
    still.save(out, "PNG", save_all=True, append_images=[Image.new("RGB", (WIDTH, HEIGHT))])
    decoded = decode(save(tmp_path / "a.png", out.getvalue()))
    assert worst_difference(decoded, EIGHT) < 0.02 and any("It moves" in note for note in decoded.notes)


@pytest.mark.parametrize("compression", ["group3", "group4", "tiff_ccitt"])
def test_black_and_white_of_fax_machines(compression: str, tmp_path: Path) -> None:
    black_and_white = Image.fromarray(picture(SPACES["srgb"].transfer.encode(GREY))[..., 0] > 0.5)
    out = io.BytesIO()
    black_and_white.save(out, "TIFF", compression=compression)
    assert worst_difference(decode(save(tmp_path / "a.tif", out.getvalue())), grey_rounded(1)) < 0.02


def test_exif_after_the_picture(tmp_path: Path) -> None:
    exif = w.structure(w.Directory({272: (w.ASCII, "Pennick Test 7"), 274: (w.SHORT, 6)}))
    path = save(tmp_path / "a.png", png(as_codes(encoded()), after=((b"eXIf", exif),)))
    capture, _ = facts(path)
    assert (capture.camera_model, capture.width, capture.height) == ("Pennick Test 7", HEIGHT, WIDTH)
