"""Kinds of JPEG and PNG files from the same 24 patches (ITU-T T.81, ISO/IEC 15948)."""

import io
import struct
import zlib
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image

from tests.reference.files import writer as w
from tests.reference.files.chart import HEIGHT, WIDTH, picture, save, worst_difference
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
    pq,
    seen,
)
from zincplate.core.colour.colour_spaces import SPACES
from zincplate.formats.decode import decode, facts
from zincplate.formats.icc import profile_of


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


def test_a_moving_png_is_told(tmp_path: Path) -> None:
    out = io.BytesIO()
    still = Image.fromarray(as_codes(encoded()))
    still.save(out, "PNG", save_all=True, append_images=[Image.new("RGB", (WIDTH, HEIGHT))])
    decoded = decode(save(tmp_path / "a.png", out.getvalue()))
    assert worst_difference(decoded, EIGHT) < 0.02 and any("It moves" in note for note in decoded.notes)


def test_exif_after_the_picture(tmp_path: Path) -> None:
    exif = w.structure(w.Directory({272: (w.ASCII, "Pennick Test 7"), 274: (w.SHORT, 6)}))
    path = save(tmp_path / "a.png", png(as_codes(encoded()), after=((b"eXIf", exif),)))
    capture, _ = facts(path)
    assert (capture.camera_model, capture.width, capture.height) == ("Pennick Test 7", HEIGHT, WIDTH)
