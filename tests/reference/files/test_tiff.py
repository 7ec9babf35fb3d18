"""Kinds of TIFF files, written by tifffile, by Pillow and libtiff, or tag by tag from the same 24 patches (TIFF 6.0)."""

import io
from pathlib import Path
from typing import Any

import colour
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image

from tests.reference.files import writer as w
from tests.reference.files.chart import D65, HEIGHT, WHITE, WIDTH, patches_xyz, picture, save, worst_difference
from tests.reference.files.finished import (
    EIGHT,
    GREY,
    SIXTEEN,
    Float64,
    Made,
    as_codes,
    encoded,
    expected,
    grey_rounded,
    linear,
    own_tiff,
    seen,
    tiff,
    tiff_of_pillow,
)
from zincplate.core.colour.colour_spaces import SPACES
from zincplate.formats.decode import decode, facts
from zincplate.formats.errors import FileError
from zincplate.formats.icc import profile_of


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


def dark_lab() -> tuple[bytes, Float64]:
    """Colours where L*a*b* is a straight line (CIE 15, 8.2.1), and their XYZ."""
    step = np.arange(24)
    values = np.stack([0.3 * step + 0.5, step % 5 - 2.0, step % 7 - 3.0], -1)
    codes = np.concatenate([np.rint(values[:, :1] * 655.35), np.mod(np.rint(values[:, 1:] * 256), 65536)], 1)
    tags = {258: (w.SHORT, [16] * 3), 262: (w.SHORT, 8), 277: (w.SHORT, 3)}
    d50 = colour.Lab_to_XYZ(values, (0.34567, 0.3585)) / WHITE
    white = colour.xy_to_XYZ((0.34567, 0.3585))
    d65 = colour.chromatic_adaptation(d50, white, colour.xy_to_XYZ(D65), method="Von Kries", transform="Bradford")
    return own_tiff([w.stored(picture(codes).astype(np.uint16))], tags), np.asarray(d65)


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


def test_dark_colours_of_lab(tmp_path: Path) -> None:
    data, wanted = dark_lab()
    assert worst_difference(decode(save(tmp_path / "a.tif", data)), wanted) < 0.05


def test_nothing_is_said_to_be_left_out_where_all_is_used(tmp_path: Path) -> None:
    for name in ("associated", "straight"):
        assert not any("more channel" in note for note in decode(save(tmp_path / "a.tif", TIFFS[name][0]())).notes)


def test_what_a_tiff_leaves_out_is_told(tmp_path: Path) -> None:
    for name, words in (("associated", "divided"), ("straight", "transparent"), ("more-channels", "1 more channel"),
                        ("thumbnail-first", "no colour space")):  # fmt: skip
        assert any(words in note for note in decode(save(tmp_path / "a.tif", TIFFS[name][0]())).notes)


@pytest.mark.parametrize("bits", [17, 20, 24, 64])
def test_whole_numbers_that_nobody_agrees_on_are_refused(bits: int, tmp_path: Path) -> None:
    tags = {258: (w.SHORT, [bits] * 3), 262: (w.SHORT, 2), 277: (w.SHORT, 3)}
    path = save(tmp_path / "a.tif", own_tiff([bytes(HEIGHT * WIDTH * 3 * bits // 8)], tags))
    for read in (decode, facts):
        with pytest.raises(FileError, match=f"{bits} bits"):
            read(path)


@pytest.mark.parametrize("compression", ["group3", "group4", "tiff_ccitt"])
def test_black_and_white_of_fax_machines(compression: str, tmp_path: Path) -> None:
    black_and_white = Image.fromarray(picture(SPACES["srgb"].transfer.encode(GREY))[..., 0] > 0.5)
    out = io.BytesIO()
    black_and_white.save(out, "TIFF", compression=compression)
    assert worst_difference(decode(save(tmp_path / "a.tif", out.getvalue())), grey_rounded(1)) < 0.02
