"""WebP, AVIF, HEIF, JPEG XL, OpenEXR and FITS: the patches as other programs write them, each in its own space."""

import io
import struct
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
import OpenEXR
import pillow_heif
import pytest
from astropy.io import fits
from PIL import Image

from tests.reference.files import writer as w
from tests.reference.files.chart import HEIGHT, WIDTH, picture, save, worst_difference
from tests.reference.files.finished import (
    EIGHT,
    GREY,
    Float64,
    Made,
    as_codes,
    encoded,
    expected,
    grey_rounded,
    grey_seen,
    linear,
    pq,
    seen,
)
from zincplate.core.colour.colour_spaces import SPACES
from zincplate.formats.decode import decode, facts
from zincplate.formats.icc import profile_of


def by_pillow(codes: Any, kind: str, **how: Any) -> bytes:
    """Written by Pillow's plugins."""
    out = io.BytesIO()
    Image.fromarray(codes).save(out, kind, **how)
    return out.getvalue()


def avif(codes: Any, bits: int, primaries: int = 1, transfer: int = 13) -> bytes:
    """Lossless but for the conversion: matrix 0 keeps RGB."""
    return bytes(
        imagecodecs.avif_encode(
            codes, level=100, bitspersample=bits, primaries=primaries, transfer=transfer, matrix=0, pixelformat="444"
        )
    )


def heif(codes: Any, **how: Any) -> bytes:
    """Written by libheif and x265."""
    out = io.BytesIO()
    if codes.dtype == np.uint16:
        data = codes.tobytes()  # kept until it is written
        made = pillow_heif.from_bytes("RGB;16", (WIDTH, HEIGHT), data)
    else:
        image = Image.fromarray(codes)
        image.info.update({k: how.pop(k) for k in ("icc_profile",) if k in how})
        made = pillow_heif.from_pillow(image)
    made.save(out, quality=100, chroma=444, **how)
    return out.getvalue()


def jpeg_xl(codes: Any, **how: Any) -> bytes:
    """Lossless, by libjxl."""
    return bytes(imagecodecs.jpegxl_encode(codes, lossless=True, **how))


def exr(values: Any, names: str = "RGB", **header: Any) -> bytes:
    """Written by the OpenEXR library."""
    import tempfile

    channels = {name: np.ascontiguousarray(values[..., i]) for i, name in enumerate(names)}
    with tempfile.TemporaryDirectory() as folder:
        path = f"{folder}/a.exr"
        with OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **header}, channels) as file:
            file.write(path)
        return Path(path).read_bytes()


def fit(values: Any, **header: Any) -> bytes:
    """Written by astropy."""
    unit = fits.PrimaryHDU(values)
    for name, value in header.items():
        unit.header[name] = value
    out = io.BytesIO()
    unit.writeto(out)
    return out.getvalue()


def sites(pattern: str) -> Any:
    """Linear sRGB as a mosaic of 16 bits."""
    values = np.rint(picture(linear()) * 65535).astype(np.uint16)
    y, x = np.indices((HEIGHT, WIDTH))
    index = np.array(["RGB".index(c) for c in pattern])[(y % 2) * 2 + x % 2]
    return np.take_along_axis(values, index[..., None], 2)[..., 0]


LINEAR = seen(linear())
CHROMATICITIES = tuple(float(v) for p in (*SPACES["rec2020"].primaries, SPACES["rec2020"].white_xy) for v in p)
HALF = picture(linear()).astype(np.float16)
KINDS: dict[str, tuple[Made, str, Float64, float]] = {
    "webp": (lambda: by_pillow(as_codes(encoded()), "WEBP", lossless=True), "WebP", EIGHT, 0.02),
    "webp-lossy": (lambda: by_pillow(as_codes(encoded()), "WEBP", quality=98), "WebP", EIGHT, 4.0),
    "webp-p3": (
        lambda: by_pillow(as_codes(encoded("p3")), "WEBP", lossless=True, icc_profile=profile_of("p3")),
        "WebP", expected("p3"), 0.02,
    ),
    "avif-8": (lambda: avif(as_codes(encoded()), 8), "AVIF", EIGHT, 1.0),
    "avif-10": (lambda: avif(as_codes(encoded(), 10), 10), "AVIF", expected(bits=10), 0.4),
    "avif-12": (lambda: avif(as_codes(encoded(), 12), 12), "AVIF", expected(bits=12), 0.2),
    "avif-p3": (lambda: avif(as_codes(encoded("p3"), 10), 10, primaries=12), "AVIF", expected("p3", 10), 0.4),
    "avif-pq": (
        lambda: avif(as_codes(pq(linear("rec2020")), 12), 12, primaries=9, transfer=16),
        "AVIF", seen(linear("rec2020"), "rec2020"), 0.8,
    ),
    "avif-profile": (
        lambda: by_pillow(as_codes(encoded("p3")), "AVIF", quality=100, subsampling="4:4:4", icc_profile=profile_of("p3")),
        "AVIF", expected("p3"), 3.0,
    ),
    "heif-8": (lambda: heif(as_codes(encoded())), "HEIF", EIGHT, 1.6),
    "heif-10": (lambda: heif(as_codes(encoded(), 16)), "HEIF", expected(bits=10), 1.2),
    "heif-p3": (lambda: heif(as_codes(encoded("p3")), icc_profile=profile_of("p3")), "HEIF", expected("p3"), 1.6),
    "jpeg-xl-8": (lambda: jpeg_xl(as_codes(encoded())), "JPEG XL", EIGHT, 0.02),
    "jpeg-xl-16": (lambda: jpeg_xl(as_codes(linear(), 16)), "JPEG XL", seen(np.rint(linear() * 65535) / 65535), 0.02),
    # this encoder calls sixteen bits linear, and the header says so
    "jpeg-xl-grey": (
        lambda: jpeg_xl(as_codes(SPACES["srgb"].transfer.encode(GREY))[..., 0]), "JPEG XL", grey_rounded(8), 0.02,
    ),
    "jpeg-xl-lossy": (lambda: bytes(imagecodecs.jpegxl_encode(as_codes(encoded()), level=98)), "JPEG XL", EIGHT, 2.5),
    "exr-half": (lambda: exr(HALF), "OpenEXR", seen(np.float64(linear().astype(np.float16))), 0.01),
    "exr-single": (lambda: exr(picture(linear()).astype(np.float32)), "OpenEXR", LINEAR, 0.01),
    "exr-bright": (lambda: exr((picture(linear()) * 16).astype(np.float32)), "OpenEXR", seen(linear() * 16), 0.01),
    "exr-grey": (lambda: exr(picture(GREY).astype(np.float32), "Y"), "OpenEXR", grey_seen(GREY), 0.01),
    "exr-rec2020": (
        lambda: exr(picture(linear("rec2020")).astype(np.float32), chromaticities=CHROMATICITIES), "OpenEXR",
        seen(linear("rec2020"), "rec2020"), 0.02,
    ),
    "exr-alpha": (
        lambda: exr(np.concatenate([picture(linear()) * 0.5, np.full((HEIGHT, WIDTH, 1), 0.5)], -1).astype(np.float32), "RGBA"),
        "OpenEXR", LINEAR, 0.01,
    ),
    "fits-single": (
        lambda: fit(np.moveaxis(picture(linear()).astype(np.float32), -1, 0)[:, ::-1]), "FITS", LINEAR, 0.01,
    ),
    "fits-top-down": (
        lambda: fit(np.moveaxis(picture(linear()).astype(np.float32), -1, 0), ROWORDER="TOP-DOWN"), "FITS", LINEAR, 0.01,
    ),
    "fits-16": (
        lambda: fit(np.moveaxis(as_codes(linear(), 16), -1, 0)[:, ::-1].copy()),
        "FITS", seen(np.rint(linear() * 65535) / 65535), 0.02,
    ),
    "fits-grey": (lambda: fit(picture(GREY)[::-1, :, 0].astype(np.float32)), "FITS", grey_seen(GREY), 0.01),
    "fits-counts": (
        lambda: fit(np.moveaxis(picture(linear()).astype(np.float32) * 60000, -1, 0)[:, ::-1], DATAMAX=60000.0),
        "FITS", LINEAR, 0.01,
    ),
    "fits-mosaic": (
        lambda: fit(sites("RGGB"), BAYERPAT="RGGB", ROWORDER="TOP-DOWN"), "FITS", LINEAR, 0.4,
    ),
    "fits-mosaic-bottom-up": (lambda: fit(sites("GBRG")[::-1].copy(), BAYERPAT="RGGB"), "FITS", LINEAR, 0.4),
}  # fmt: skip


@pytest.mark.parametrize("name", KINDS)
def test_the_patches_come_out_right(name: str, tmp_path: Path) -> None:
    made, kind, wanted, bound = KINDS[name]
    path = save(tmp_path / "without-suffix", made())
    assert worst_difference(decode(path), wanted) < bound
    capture, _ = facts(path)
    assert (capture.width, capture.height, capture.file_type) == (WIDTH, HEIGHT, kind)


def test_associated_cover_is_divided_out_and_told(tmp_path: Path) -> None:
    assert any("divided" in note for note in decode(save(tmp_path / "a.exr", KINDS["exr-alpha"][0]())).notes)


EXIF = w.structure(w.Directory({272: (w.ASCII, "Pennick Test 7"), 274: (w.SHORT, 6)}))


@pytest.mark.parametrize("kind", ["WEBP", "AVIF"])
def test_turned_pictures(kind: str, tmp_path: Path) -> None:
    data = by_pillow(as_codes(encoded()), kind, quality=90, exif=b"Exif\0\0" + EXIF)
    capture, _ = facts(save(tmp_path / "a", data))
    assert (capture.camera_model, capture.width, capture.height) == ("Pennick Test 7", HEIGHT, WIDTH)
    assert decode(tmp_path / "a").capture.orientation == 6


def test_a_turned_heif(tmp_path: Path) -> None:
    data = heif(as_codes(encoded()), exif=EXIF)
    path = save(tmp_path / "a.heic", data)
    capture, decoded = facts(path)[0], decode(path)
    assert capture.camera_model == "Pennick Test 7"
    height, width = decoded.pixels.shape[:2]
    # whatever the writer made of it, boxes decide, and size and pixels agree
    assert (capture.width, capture.height) == (width, height) and capture.orientation == 1


def brotli_box(name: bytes, content: bytes) -> bytes:
    """A compressed box of JPEG XL."""
    data = name + bytes(imagecodecs.brotli_encode(content))
    return struct.pack(">I4s", len(data) + 8, b"brob") + data


@pytest.mark.parametrize("packed", [False, True])
def test_facts_of_jpeg_xl(packed: bool, tmp_path: Path) -> None:
    content = struct.pack(">I", 0) + EXIF
    box = brotli_box(b"Exif", content) if packed else struct.pack(">I4s", len(content) + 8, b"Exif") + content
    data = bytes(imagecodecs.jpegxl_encode(as_codes(encoded(), 16), lossless=True, usecontainer=True)) + box
    capture, _ = facts(save(tmp_path / "a.jxl", data))
    assert (capture.camera_model, capture.orientation, capture.width) == ("Pennick Test 7", 1, WIDTH)


def test_moving_pictures_show_their_first(tmp_path: Path) -> None:
    first, second = Image.fromarray(as_codes(encoded())), Image.new("RGB", (WIDTH, HEIGHT))
    out = io.BytesIO()
    first.save(out, "WEBP", save_all=True, append_images=[second], lossless=True, duration=100)
    decoded = decode(save(tmp_path / "a.webp", out.getvalue()))
    assert worst_difference(decoded, EIGHT) < 0.02 and any("It moves" in note for note in decoded.notes)


@pytest.mark.parametrize(("values", "white"), [(np.uint8, 255), (np.uint16, 65535), (np.int16, 32767), (np.int32, 2**31 - 1)])
def test_whole_numbers_of_fits_are_white_at_their_end(values: type[np.generic], white: int, tmp_path: Path) -> None:
    # FITS 4.0, 4.4.2.5: unsigned ones of more than 8 bits are signed ones with an offset
    codes = np.full((HEIGHT, WIDTH), white // 4, values)
    codes[: HEIGHT // 2] = white
    pixels = decode(save(tmp_path / "a.fits", fit(codes))).pixels
    seen = np.sort(np.unique(np.round(pixels.astype(np.float64), 3)))
    assert seen[-1] / seen[0] == pytest.approx(4, rel=0.02) and seen[-1] == pytest.approx(1, abs=1e-3)
