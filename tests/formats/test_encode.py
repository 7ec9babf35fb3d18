"""Writing files: whole or not at all, with the facts in them; structures that second readers accept."""

import io
import os
import struct
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from tests.conftest import gradient
from zincplate.formats import files, tags
from zincplate.formats.capture import CaptureData, facts_of
from zincplate.formats.delivered.jpeg import jpeg_bytes
from zincplate.formats.delivered.kind import exif_block
from zincplate.formats.delivered.tiff import tiff_bytes
from zincplate.formats.encode import encode, write_whole
from zincplate.formats.errors import FileError
from zincplate.formats.exif_writer import add_capture_entries
from zincplate.formats.icc import profile_of
from zincplate.formats.tiff_writer import ASCII, IFD, LONG, SHORT, rational, write_structure

CAPTURE = CaptureData(
    camera_make="Pennick", camera_model="Field 6", lens="24-70 mm f/4", exposure_time_s=1 / 250, f_number=5.6, iso=400,
    focal_length_mm=35, captured_at="2026-05-12T07:08:09.250",
)  # fmt: skip


def test_a_file_is_there_whole_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "a.tif"
    write_whole(path, b"first")
    with pytest.raises(FileError, match="nothing was overwritten"):
        write_whole(path, b"second")
    assert path.read_bytes() == b"first"
    write_whole(path, b"second", overwrite=True)
    assert path.read_bytes() == b"second"

    def broken(source: object, target: object) -> None:
        raise OSError(5, os.strerror(5))

    monkeypatch.setattr("zincplate.formats.files.os.replace", broken)
    with pytest.raises(FileError, match="could not be written"):
        write_whole(path, b"third", overwrite=True)
    assert path.read_bytes() == b"second" and os.listdir(tmp_path) == ["a.tif"]


def test_capture_data_survive_every_format(tmp_path: Path) -> None:
    wanted = {k: v for k, v in CAPTURE.as_dict().items() if v and k != "orientation"}
    assert {k: v for k, v in facts_of(tags.read_directories(exif_block(CAPTURE))[0]).items() if k in wanted} == pytest.approx(
        wanted
    )
    with Image.open(io.BytesIO(jpeg_bytes(gradient(8), "p3", CAPTURE, 92))) as image:
        exif = image.getexif()
        inner = exif.get_ifd(0x8769)
        assert (exif[271], exif[272], inner[42036]) == ("Pennick", "Field 6", "24-70 mm f/4")
        assert float(inner[33434]) == pytest.approx(1 / 250) and float(inner[33437]) == 5.6
        assert image.info["icc_profile"] == profile_of("p3")
    path = tmp_path / "a.tif"
    path.write_bytes(tiff_bytes(gradient(16), "rec2020", CAPTURE))
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        assert page.tags["ExifTag"].value["DateTimeOriginal"] == "2026:05:12 07:08:09"
        assert page.tags["Orientation"].value == 1 and page.tags["DateTime"].value == "2026:05:12 07:08:09"


def test_subsampling_follows_quality() -> None:
    for quality, layers in ((95, (1, 1)), (80, (2, 2))):
        with Image.open(io.BytesIO(jpeg_bytes(gradient(8), "srgb", CAPTURE, quality))) as image:
            assert image.layer[0][1:3] == layers  # type: ignore[attr-defined]
    with pytest.raises(ValueError, match="8 bit"):
        encode(gradient(16), "jpeg", "srgb", CAPTURE)


def test_structures_come_back_from_two_readers() -> None:
    inner = IFD().set(256, LONG, 7)
    inner.chunks = [b"abc", b"defgh"]
    outer = IFD().set(256, LONG, 16).set(258, SHORT, [8, 8, 8]).set(305, ASCII, "Zincplate").set(257, LONG, 1)
    outer.sub = [inner]
    outer.chunks = [bytes(range(16))]
    second = add_capture_entries(IFD().set(256, LONG, 3), CAPTURE, "", orientation=6)
    data = write_structure(outer, second)
    first, other = tags.read_directories(data)
    assert (first.integer(256), first.numbers(258), first.text(305)) == (16, (8, 8, 8), "Zincplate")
    start = int(first.sub[0].numbers(273)[1])
    assert data[start : start + 5] == b"defgh" and tags.stored_fraction(first.sub[0], len(data)) == 1
    assert tags.stored_fraction(first, len(data) - 30) < 1 or tags.stored_fraction(first.sub[0], len(data) - 4) < 1
    assert facts_of(other)["orientation"] == 6
    with tifffile.TiffFile(io.BytesIO(data)) as file:
        assert file.pages[0].tags["Software"].value == "Zincplate"


def test_rationals() -> None:
    assert rational(1 / 3) == (1, 3) and rational(0.004) == (1, 250) and rational(-0.5, 10_000) == (-5000, 10_000)


@pytest.mark.parametrize(
    "data",
    [b"", b"II", b"XX*\0aaaa", b"II*\0\xff\xff\xff\x7f", b"II*\0" + struct.pack("<I", 8) + struct.pack("<H", 60_000)],
)
def test_no_structure_is_an_error_or_empty(data: bytes) -> None:
    try:
        assert not tags.read_directories(data)[0].values
    except tags.TagError:
        return


def test_numbers_that_are_none() -> None:
    entries = struct.pack("<H", 2) + struct.pack("<HHII", 33434, 5, 1, 38) + struct.pack("<HHII", 271, 2, 900, 38) + b"\0\0\0\0"
    data = b"II*\0" + struct.pack("<I", 8) + entries + struct.pack("<II", 1, 0)
    directory = tags.read_directories(data)[0]
    assert directory.number(33434) is None and directory.text(271) == "" and directory.numbers(999) == ()
    assert np.isnan(directory.numbers(33434)[0])


def test_what_killed_processes_had_begun_is_swept_away(tmp_path: Path) -> None:
    inner = tmp_path / "shoot"
    inner.mkdir()
    mine = files.temporary_beside(inner / "a.json")
    mine.write_text("being written")
    gone = inner / f".a.json.{2**22 + 5}-00ff00ff00ff00ff.part"  # no process has this number
    gone.write_text("half")
    old, young = inner / ".b.json.1a2b3c4d5e6f7a8b.part", inner / ".TW-c.json.1a2b3c4d5e6f7a8b.part"
    for path in (old, young):
        path.write_text("by an older program")
    os.utime(old, (0, 0))
    (inner / "d.part").write_text("somebody's own")
    assert files.sweep_parts(tmp_path) == 2
    assert sorted(p.name for p in inner.iterdir()) == sorted([mine.name, young.name, "d.part"])
