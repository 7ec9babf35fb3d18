"""How DNG files store their pixels: every kind gives the same 24 patches (DNG 1.7.1, chapters 2 to 5)."""

from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import rawpy

from tests.reference.files import writer as w
from tests.reference.files.chart import HEIGHT, WHITE, WIDTH, save, worst_difference
from tests.reference.files.dng_kinds import HALF, LINEAR, MATRIX, RGGB, WHITE_XYZ, Kind, camera_values, jpeg_xl
from zincplate.formats.decode import decode, facts
from zincplate.formats.errors import FileError
from zincplate.sources.file import Source

BAYER = Kind()
SIX = np.array(
    [[1, 2, 1, 1, 0, 1], [0, 1, 0, 2, 1, 2], [1, 2, 1, 1, 0, 1], [1, 0, 1, 1, 2, 1], [2, 1, 2, 0, 1, 0], [1, 0, 1, 1, 2, 1]]
)
FOUR = np.array([[0.82, -0.24, -0.06], [-0.42, 1.21, 0.22], [-0.07, 0.18, 0.61], [-0.3, 1.0, 0.4]])
EXACT, ROUNDED, WORKED_OUT = 0.003, 0.03, 0.2
"""Bounds on dE00: floating point, 16-bit sites, sites of other patterns (whose edges reach into the patches)."""


def bits_of(n: int) -> Kind:
    """Whole numbers of n bits."""
    return BAYER.but(bits=n, black=2.0**n / 32, white=float(int(2**n * 0.95)))


def folded(block: np.ndarray) -> np.ndarray:
    """Colours of a row beside each other."""
    return np.ascontiguousarray(block.reshape(block.shape[0], -1))


def woven(codes: np.ndarray, rows: int, columns: int) -> np.ndarray:
    """Rows and columns stored field after field."""
    codes = np.concatenate([codes[i::rows] for i in range(rows)])
    return np.concatenate([codes[:, i::columns] for i in range(columns)], 1)


KINDS: dict[str, tuple[Kind, float]] = {
    "plain": (BAYER, ROUNDED),
    "big-endian": (BAYER.but(order=">"), ROUNDED),
    "big-tiff": (BAYER.but(big=True), ROUNDED),
    "big-tiff-big-endian": (BAYER.but(big=True, order=">"), ROUNDED),
    "strips": (BAYER.but(rows_per_strip=7), ROUNDED),
    "tiles": (BAYER.but(tile=(48, 32)), ROUNDED),
    "tile-larger-than-picture": (BAYER.but(tile=(96, 128)), ROUNDED),
    "32-bit": (BAYER.but(bits=32, white=2e9, black=1e6), ROUNDED),
    "deflate": (BAYER.but(compression=8, encode=w.deflated(w.stored)), ROUNDED),
    "old-deflate": (BAYER.but(compression=32946, encode=w.deflated(w.stored)), ROUNDED),
    "deflate-predictor": (BAYER.but(compression=8, predictor=2, encode=w.deflated(lambda b: w.stored(w.differences(b)))),
    ROUNDED), "deflate-predictor-x2": (
        BAYER.but(compression=8, predictor=34892, encode=w.deflated(lambda b: w.stored(w.differences(b, 2)))), ROUNDED,
    ),
    "deflate-predictor-x4": (
        BAYER.but(compression=8, predictor=34893, encode=w.deflated(lambda b: w.stored(w.differences(b, 4)))), ROUNDED,
    ),
    "lzw": (BAYER.but(compression=5, encode=lambda b: bytes(imagecodecs.lzw_encode(b.tobytes()))), ROUNDED),
    "packbits": (BAYER.but(compression=32773, encode=lambda b: bytes(imagecodecs.packbits_encode(b.tobytes()))), ROUNDED),
    "jpeg-xl": (BAYER.but(compression=52546, tile=(32, 48), encode=jpeg_xl), ROUNDED),
    "jpeg-xl-woven": (
        BAYER.but(
            compression=52546, encode=jpeg_xl, change=lambda c: woven(c, 2, 2), tags={50975: (w.SHORT, 2), 52547: (w.SHORT, 2)},
        ),
        ROUNDED,
    ),
    "rows-woven": (BAYER.but(change=lambda c: woven(c, 2, 1), tags={50975: (w.SHORT, 2)}), ROUNDED),
    "linear": (LINEAR, ROUNDED),
    "linear-big-endian": (LINEAR.but(order=">"), ROUNDED),
    "linear-in-planes": (LINEAR.but(planar=True), ROUNDED),
    "linear-tiles": (LINEAR.but(tile=(16, 48)), ROUNDED),
    "linear-deflate-predictor": (
        LINEAR.but(compression=8, predictor=2, encode=w.deflated(lambda b: w.stored(w.differences(folded(b), 3)))), ROUNDED,
    ),
    "linear-lossless-jpeg": (LINEAR.but(compression=7, encode=lambda b: w.lossless_jpeg(folded(b), 16, 3)), ROUNDED),
    "linear-jpeg-xl": (LINEAR.but(compression=52546, encode=jpeg_xl), ROUNDED),
    "half": (HALF, EXACT),
    "half-big-endian": (
        HALF.but(predictor=1, compression=8, order=">", encode=w.deflated(lambda b: w.stored(b, ">"))), EXACT,
    ),
    "half-predictor-x2": (HALF.but(predictor=34894, encode=w.deflated(lambda b: w.float_differences(b, 2))), EXACT),
    "half-predictor-x4": (HALF.but(predictor=34895, encode=w.deflated(lambda b: w.float_differences(b, 4))), EXACT),
    "half-tiles": (HALF.but(tile=(32, 64)), EXACT),
    "half-mosaic": (HALF.but(pattern=RGGB), EXACT),
    "single": (HALF.but(bits=32), EXACT),
    "single-plain": (HALF.but(bits=32, predictor=1, compression=1, encode=w.stored), EXACT),
    "single-mosaic": (HALF.but(bits=32, pattern=RGGB), EXACT),
    "float-24": (HALF.but(bits=24, predictor=1, compression=1, encode=lambda b: w.float24(b, "<")), EXACT),
    "float-24-big-endian": (HALF.but(bits=24, predictor=1, compression=1, order=">", encode=lambda b: w.float24(b, ">")), EXACT),
    "six-by-six": (BAYER.but(pattern=SIX), WORKED_OUT),
    "six-by-six-turned": (BAYER.but(pattern=np.roll(SIX, (1, 2), (0, 1))), WORKED_OUT),
    "fours-of-one-colour": (BAYER.but(pattern=np.repeat(np.repeat(RGGB, 2, 0), 2, 1)), WORKED_OUT),
    "greens-beside": (BAYER.but(pattern=np.array([[1, 1], [0, 2]])), WORKED_OUT),
    "pattern-repeated": (BAYER.but(pattern=np.tile(RGGB, (2, 2))), ROUNDED),
    "four-colours": (BAYER.but(pattern=np.array([[0, 1], [3, 2]]), matrix=FOUR), WORKED_OUT),
    "four-colours-linear": (LINEAR.but(matrix=FOUR), ROUNDED),
    "masked-border": (BAYER.but(border=(3, 5, 2, 7)), ROUNDED),
    "masked-border-six-by-six": (BAYER.but(pattern=SIX, border=(3, 5, 2, 7)), WORKED_OUT),
}  # fmt: skip
for _n in (8, 10, 12, 14):
    KINDS[f"{_n}-bit"] = (bits_of(_n).but(encode=None if _n == 8 else lambda b, n=_n: w.packed(b, n)), ROUNDED)
    for _folded in (1, 2):
        KINDS[f"{_n}-bit-lossless-jpeg-{_folded}"] = (
            bits_of(_n).but(compression=7, encode=lambda b, n=_n, c=_folded: w.lossless_jpeg(b, n, c)), ROUNDED,
        )  # fmt: skip
for _predictor in range(1, 8):
    KINDS[f"lossless-jpeg-predictor-{_predictor}"] = (
        BAYER.but(compression=7, rows_per_strip=24, encode=lambda b, p=_predictor: w.lossless_jpeg(b, 16, 1, p)), ROUNDED,
    )  # fmt: skip
for _folded in (1, 2, 4):
    KINDS[f"lossless-jpeg-tiles-{_folded}"] = (
        BAYER.but(compression=7, tile=(32, 32), encode=lambda b, c=_folded: w.lossless_jpeg(b, 16, c)), ROUNDED,
    )  # fmt: skip
for _place in range(4):
    KINDS[f"order-{_place}"] = (BAYER.but(pattern=np.roll(RGGB, divmod(_place, 2), (0, 1))), ROUNDED)


@pytest.mark.parametrize("name", KINDS)
def test_the_patches_come_out_right(name: str, tmp_path: Path) -> None:
    kind, bound = KINDS[name]
    path = save(tmp_path / f"{name}.dng", kind.write())
    decoded = decode(path)
    assert worst_difference(decoded, kind.expected_xyz()) < bound
    capture, _ = facts(path)
    assert (capture.width, capture.height, capture.raw, capture.file_type) == (WIDTH, HEIGHT, True, "DNG")
    assert decoded.pixels.shape[:2] == (HEIGHT, WIDTH)


@pytest.mark.parametrize("name", ["plain", "12-bit", "12-bit-lossless-jpeg-2", "lossless-jpeg-tiles-2", "strips"])
def test_libraw_reads_the_same_sites(name: str, tmp_path: Path) -> None:
    path = save(tmp_path / f"{name}.dng", KINDS[name][0].write())
    with rawpy.imread(str(path)) as raw:
        theirs = raw.raw_image_visible.copy()
    assert (decode(path).pixels == theirs).all()


def test_values_above_white_are_kept(tmp_path: Path) -> None:
    kind = HALF.but(values=lambda v: v * 8)
    decoded = decode(save(tmp_path / "bright.dng", kind.write()))
    assert worst_difference(decoded, kind.expected_xyz() * 8) < 0.1
    assert decoded.pixels.max() > 5
    # where light ends is where the values do, and for whole numbers at their white level
    assert Source(decode(tmp_path / "bright.dng")).white_limits.min() > 5
    whole = Source(decode(save(tmp_path / "whole.dng", LINEAR.write())))
    assert whole.white_limits == pytest.approx(0.998 / np.asarray(whole.as_shot_neutral), rel=1e-5)


def lossy(quality: int) -> Kind:
    """8-bit JPEG of square roots, with the table that makes them linear again."""
    table = np.rint((np.arange(256) / 255) ** 2 * 65535).astype(np.uint16)
    encode = lambda b: bytes(imagecodecs.jpeg8_encode(b, quality, subsampling="444"))  # noqa: E731
    return LINEAR.but(
        bits=8, black=0.0, white=255.0, compression=34892, encode=encode, values=np.sqrt,
        tags={50712: (w.SHORT, [int(v) for v in table]), 50717: (w.LONG, [65535] * 3), 50714: (w.SHORT, [0, 0, 0]), 258:
        (w.SHORT, [8] * 3)},
    )  # fmt: skip


def test_lossy_jpeg_goes_through_its_table(tmp_path: Path) -> None:
    decoded = decode(save(tmp_path / "lossy.dng", lossy(100).write()))
    codes = np.rint(np.sqrt(camera_values()) * 255) / 255
    expected = codes**2 * (MATRIX @ WHITE_XYZ).max() / WHITE @ np.linalg.inv(MATRIX).T
    assert worst_difference(decoded, expected) < 4.0  # the colours of JPEG are coded in eight bits once more
    assert decoded.pixels.dtype == np.float32


@pytest.mark.parametrize(
    ("name", "kind", "words"),
    [
        ("cut", BAYER, "ends before"),
        ("odd-bits", BAYER.but(tags={339: (w.SHORT, 5)}), ""),
        ("staggered", BAYER.but(tags={50711: (w.SHORT, 4)}), "staggered"),
        ("no-pattern", BAYER.but(tags={33422: (w.BYTE, [0, 1, 1])}), "which colours"),
        ("five-colours", BAYER.but(tags={33422: (w.BYTE, [0, 1, 1, 5])}), "do not agree"),
        ("area", BAYER.but(tags={50829: (w.LONG, [0, 0, 9999, 10])}), "active area"),
        ("white-below-black", BAYER.but(tags={50717: (w.LONG, 100)}), "white level is not above"),
        ("levels", BAYER.but(tags={50714: (w.SHORT, [1, 2, 3])}), "black levels"),
        ("pieces", BAYER.but(tags={278: (w.LONG, 3)}), "number of pieces"),
        ("matrix", BAYER.but(tags={50721: (w.SRATIONAL, [1.0] * 12)}), "12 numbers for 3"),
        ("no-colour", BAYER.but(tags={50721: None, 272: (w.ASCII, "Nothing"), 50708: (w.ASCII, "Nothing")}), "knows the colour"),
        ("broken-tile", BAYER.but(compression=7, encode=lambda b: w.lossless_jpeg(b, 16)[:-40]), "damaged"),
        ("broken-deflate", BAYER.but(compression=8, encode=lambda b: w.deflated(w.stored)(b)[:-40]), "damaged"),
        ("short-strip", BAYER.but(encode=lambda b: w.stored(b)[:-2]), "damaged"),
        ("unknown-compression", BAYER.but(compression=7777), ""),
    ],
)  # fmt: skip
def test_what_contradicts_itself_is_refused_with_a_sentence(name: str, kind: Kind, words: str, tmp_path: Path) -> None:
    data = kind.write()
    path = save(tmp_path / f"{name}.dng", data[: len(data) // 2] if name == "cut" else data)
    with pytest.raises(FileError) as found:
        decode(path)
    assert words in found.value.reason and found.value.reason.endswith(".") and "Error" not in found.value.reason
