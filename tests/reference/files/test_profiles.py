"""Profiles of other kinds than matrices: inks, greys, damaged ones (ICC.1:2022)."""

import io
import struct
from pathlib import Path

import colour
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image, ImageCms

from tests.reference.files.chart import D65, picture, save, worst_difference
from tests.reference.files.finished import GREY, SIXTEEN, as_codes, encoded, grey_seen, linear, seen, tiff
from zincplate.core.colour.colour_spaces import SPACES
from zincplate.formats.decode import decode, facts
from zincplate.formats.errors import FileError
from zincplate.formats.icc import profile_of


def table_profile(model: str) -> bytes:
    """A profile of tables in both directions is heavy to make: littlecms' own L*a*b* profile, and one of inks, made by
    formula."""
    return ink_profile() if model == "CMYK" else ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()


def odd_curve(gamma: float) -> bytes:
    """A profile whose curves are no decoding: they fall, or are nothing but one value."""
    good = profile_of("a98")
    place = good.index(b"para\0\0\0\0\0\0") + 12
    return good[:place] + struct.pack(">i", round(gamma * 65536)) + good[place + 4 :]


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


@pytest.mark.parametrize(
    "damage",
    [b"", b"nonsense" * 40, profile_of("p3")[:200], profile_of("p3").replace(b"para", b"zzzz"), odd_curve(-3.0), odd_curve(0.0)],
)
def test_a_damaged_profile_is_told_and_the_picture_opens(damage: bytes, tmp_path: Path) -> None:
    tags = [(34675, 7, None, damage or b"\0", True)]
    path = save(tmp_path / "a.tif", tiff(as_codes(encoded(), 16), photometric="rgb", extratags=tags))
    decoded = decode(path)
    assert worst_difference(decoded, SIXTEEN) < 0.02
    assert any("profile is damaged" in note for note in decoded.notes)
