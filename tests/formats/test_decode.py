"""Reading files: facts, all orientations, and every kind of damage with its sentence."""

import os
import struct
from pathlib import Path

import numpy as np
import pytest
import rawpy
import tifffile
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from tests.conftest import gradient, small_dng
from zincplate.demo.camera import Settings, metered
from zincplate.demo.scenes import drawn_field
from zincplate.formats import tags
from zincplate.formats.capture import CaptureData
from zincplate.formats.decode import decode, facts
from zincplate.formats.delivered.png import png_bytes
from zincplate.formats.delivered.tiff import tiff_bytes
from zincplate.formats.errors import FileError
from zincplate.formats.icc import profile_of
from zincplate.formats.isolated import Decoder
from zincplate.sources.file import Source


def test_facts_of_a_raw_file(dng: Path, decoder: Decoder) -> None:
    capture, preview = decoder.facts(dng)
    assert (capture.file_type, capture.raw, capture.width, capture.height, capture.bits) == ("DNG", True, 720, 480, 14)
    assert (capture.camera_model, capture.lens) == ("Pennick Test 1", "Pennick 50 mm")
    assert (capture.f_number, capture.iso, capture.focal_length_mm) == (8.0, 200, 50.0)
    settings = metered(drawn_field(720, 480), Settings(1 / 125, 8, 200), 0.3)
    assert capture.exposure_time_s == pytest.approx(settings.exposure_time_s, rel=1e-4)
    assert capture.captured_at == "2026-05-12T07:08:09.250"
    assert preview is not None and preview.whole[:3] == b"\xff\xd8\xff"


def test_own_tiles_and_libraw_give_the_same_sites(dng: Path) -> None:
    with rawpy.imread(str(dng)) as raw:
        theirs = raw.raw_image_visible.copy()
        levels = (raw.black_level_per_channel[0], raw.white_level)
    own = decode(dng)
    assert (own.pixels == theirs).all()
    assert (own.black[0], own.white) == levels


def test_second_readers_accept_our_raw_files(dng: Path) -> None:
    with tifffile.TiffFile(dng) as file:
        page = file.pages[0]
        assert page.tags["Model"].value == "Pennick Test 1"
        assert page.tags["ExifTag"].value["LensModel"] == "Pennick 50 mm"
        assert bytes(page.tags["DNGVersion"].value) == bytes((1, 4, 0, 0))


@pytest.mark.parametrize("orientation", range(1, 9))
def test_a_turned_camera_gives_an_upright_picture(orientation: int, tmp_path: Path) -> None:
    path = tmp_path / "turned.dng"
    path.write_bytes(small_dng(orientation=orientation))
    source = Source(decode(path))
    plain = tmp_path / "plain.dng"
    plain.write_bytes(small_dng())
    straight = Source(decode(plain)).window(0, 0, 720, 480)
    from zincplate.core.geometry.orientation import upright

    assert (source.width, source.height) == ((480, 720) if orientation >= 5 else (720, 480))
    whole = source.window(0, 0, source.width, source.height)
    assert np.abs(whole - upright(straight, orientation, 1)).max() < 1e-5
    part = source.window(31, 45, 60, 80)
    assert np.abs(part - whole[:, 45:125, 31:91]).max() < 1e-5
    plate = source.reduced(6)
    area = whole[:, 60:66, 120:126].mean((1, 2))
    x, y = (120 - plate.origin_x) // 6, (60 - plate.origin_y) // 6
    assert np.abs(plate.planes[:, y, x] - area).max() < 0.2


@pytest.mark.parametrize("space", ["srgb", "romm"])
@pytest.mark.parametrize("bits", [8, 16])
def test_tiff_and_png_come_back_as_written(space: str, bits: int, tmp_path: Path, decoder: Decoder) -> None:
    pixels = gradient(bits)
    capture = CaptureData(camera_model="Pennick Test 1", captured_at="2026-05-12T07:08:09.250", exposure_time_s=0.008, iso=100)
    for name, data in (("a.tif", tiff_bytes(pixels, space, capture)), ("a.png", png_bytes(pixels, space, capture))):
        path = tmp_path / name
        path.write_bytes(data)
        found = decoder.decode(path)
        assert (found.pixels == pixels).all() and found.pixels.dtype == pixels.dtype
        assert found.profile is not None and found.profile.space_key == space
        assert found.capture.camera_model == "Pennick Test 1" and found.capture.bits == bits
    # second readers
    assert (tifffile.imread(tmp_path / "a.tif") == pixels).all()
    with Image.open(tmp_path / "a.png") as image:
        assert image.info["icc_profile"] == profile_of(space)
        assert image.getexif()[272] == "Pennick Test 1"


def jpeg(path: Path, size: tuple[int, int] = (400, 300)) -> Path:
    """A JPEG with detail everywhere."""
    pixels = np.random.default_rng(1).integers(0, 255, (size[1], size[0], 3)).astype(np.uint8)
    Image.fromarray(pixels).save(path, quality=92)
    return path


def broken(tmp_path: Path) -> dict[str, tuple[Path, str]]:
    """Awkward files and a part of the sentence that each must give."""
    whole = small_dng()
    (tmp_path / "cut.dng").write_bytes(whole[: int(len(whole) * 0.61)])
    (tmp_path / "empty.dng").write_bytes(b"")
    (tmp_path / "words.dng").write_text("these are words, not a picture\n" * 40)
    photo = jpeg(tmp_path / "photo.jpg")
    data = photo.read_bytes()
    (tmp_path / "cut.jpg").write_bytes(data[: len(data) // 2])
    (tmp_path / "head.jpg").write_bytes(data[:40])
    png = png_bytes(gradient(16), "srgb", CaptureData())
    (tmp_path / "cut.png").write_bytes(png[: len(png) // 2])
    tif = tiff_bytes(gradient(16, 300, 300), "srgb", CaptureData())
    (tmp_path / "cut.tif").write_bytes(tif[: len(tif) // 2])
    entries = [(256, 4, 1, 100_000), (257, 4, 1, 100_000), (258, 3, 1, 8), (259, 3, 1, 1), (262, 3, 1, 1), (273, 4, 1, 8)]
    entries += [(277, 3, 1, 1), (278, 4, 1, 100_000), (279, 4, 1, 4)]
    body = struct.pack("<H", len(entries)) + b"".join(struct.pack("<HHII", *e) for e in entries) + b"\0\0\0\0"
    (tmp_path / "bomb.tif").write_bytes(b"II*\0" + struct.pack("<I", 8) + body)
    loop = b"II*\0" + struct.pack("<I", 8) + struct.pack("<H", 1) + struct.pack("<HHII", 256, 4, 1, 5) + struct.pack("<I", 8)
    (tmp_path / "loop.tif").write_bytes(loop)
    Image.fromarray(np.zeros((20, 20, 4), np.uint8), "CMYK").save(tmp_path / "ink.jpg")
    (tmp_path / "folder.dng").mkdir()
    return {
        "cut.dng": (tmp_path / "cut.dng", "end after"),
        "empty.dng": (tmp_path / "empty.dng", "empty (0 bytes)"),
        "words.dng": (tmp_path / "words.dng", "starts like no raw"),
        "cut.jpg": (tmp_path / "cut.jpg", "end after about"),
        "head.jpg": (tmp_path / "head.jpg", "damaged"),
        "cut.png": (tmp_path / "cut.png", "cut off"),
        "cut.tif": (tmp_path / "cut.tif", "end after"),
        "bomb.tif": (tmp_path / "bomb.tif", "100,000 x 100,000"),
        "loop.tif": (tmp_path / "loop.tif", "no picture size"),
        "ink.jpg": (tmp_path / "ink.jpg", "CMYK"),
        "folder.dng": (tmp_path / "folder.dng", "a folder"),
        "gone.dng": (tmp_path / "gone.dng", "not there"),
    }


def test_every_damage_has_its_sentence_and_the_decoder_lives_on(tmp_path: Path, dng: Path, decoder: Decoder) -> None:
    decoder.facts(dng)
    child = decoder.process_ids
    for name, (path, part) in broken(tmp_path).items():
        with pytest.raises(FileError, match=r".") as caught:
            decoder.decode(path)
        assert str(caught.value).startswith(f"{name}: ") and part in str(caught.value), str(caught.value)
        with pytest.raises(FileError, match=r"."):  # found out when it is brought in already, not when it is opened
            decoder.facts(path)
    assert decoder.process_ids == child and decoder.decode(dng).kind == "mosaic"


def test_how_much_of_a_cut_file_is_there(tmp_path: Path) -> None:
    files = broken(tmp_path)
    with pytest.raises(FileError, match=r"after about (4\d|5\d)%"):
        decode(files["cut.jpg"][0])
    with pytest.raises(FileError, match=r"after [345]\d%"):
        facts(files["cut.dng"][0])


@pytest.mark.skipif(os.geteuid() == 0, reason="root may read everything")
def test_a_file_without_rights(dng: Path, tmp_path: Path) -> None:
    path = tmp_path / "closed.dng"
    path.write_bytes(dng.read_bytes())
    path.chmod(0)
    with pytest.raises(FileError, match="no permission"):
        decode(path)


def test_a_decoder_that_crashes_or_stalls_is_replaced(dng: Path, tmp_path: Path) -> None:
    own = Decoder(memory_limit=900 << 20, timeout_s=20)
    assert own.decode(dng).kind == "mosaic"
    before = own.process_ids
    os.kill(before[0], 9)
    os.waitid(os.P_PID, before[0], os.WEXITED | os.WNOWAIT)
    assert own.decode(dng).kind == "mosaic" and own.process_ids != before
    fifo = tmp_path / "stall.dng"
    os.mkfifo(fifo)
    impatient = Decoder(timeout_s=1.0)
    with pytest.raises(FileError, match="longer than"):
        impatient.decode(fifo)
    own.close()
    impatient.close()


@settings(max_examples=150, deadline=None)
@given(st.data())
def test_mutated_structures_never_hang_or_crash(data: st.DataObject) -> None:
    whole = bytearray(small_header())
    for _ in range(data.draw(st.integers(1, 12))):
        whole[data.draw(st.integers(0, len(whole) - 1))] = data.draw(st.integers(0, 255))
    try:
        for directory in tags.read_directories(bytes(whole)):
            tags.stored_fraction(directory, len(whole))
            directory.all_images()
    except tags.TagError:
        return


_HEADER: list[bytes] = []


def small_header() -> bytes:
    """The directories of a raw file (they stand first)."""
    if not _HEADER:
        _HEADER.append(small_dng()[:1500])
    return _HEADER[0]
