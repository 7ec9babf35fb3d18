"""The card's files: read by LibRaw and by a second EXIF reader (exifread), with the facts that were set."""

import io
from pathlib import Path

import exifread
import numpy as np
import pytest
import rawpy
from PIL import Image

from zincplate.demo import sheet
from zincplate.demo.camera import Settings
from zincplate.demo.card import ALL_NAMES, frame_bytes, write_card
from zincplate.demo.frames import FRAMES, SNAPSHOTS, Frame, scene_of
from zincplate.demo.scenes import catalogue, decode_depth, decode_log, encode_depth, encode_log, load
from zincplate.demo.simple_camera import jpeg_bytes
from zincplate.formats.errors import FileError
from zincplate.formats.isolated import Decoder

DATA = Path(__file__).parents[2] / "src" / "zincplate" / "demo" / "data"


def frame_of(number: int) -> Frame:
    """A frame of the card."""
    return next(f for f in FRAMES if f.number == number)


def test_the_story_is_complete_and_in_order() -> None:
    assert len(set(ALL_NAMES)) == len(ALL_NAMES)
    assert 80 <= len(ALL_NAMES) <= 105
    assert [f.captured_at for f in FRAMES] == sorted(f.captured_at for f in FRAMES)
    assert len({f.camera.model for f in FRAMES}) == 4
    assert {f.camera.cfa for f in FRAMES} == {(0, 1, 1, 2), (1, 0, 2, 1), (1, 2, 0, 1), (2, 1, 1, 0)}
    assert {f.camera.bits for f in FRAMES} == {12, 14}
    assert sum(f.camera.width * f.camera.height >= 24e6 for f in FRAMES) >= 1
    bracket = [np.log2(frame_of(n).settings.exposure_time_s) for n in range(30, 35)]
    assert np.diff(bracket) == pytest.approx([2] * 4, abs=0.01)


def test_scenes_are_small_files_of_finite_radiance() -> None:
    sizes = [p.stat().st_size for p in DATA.iterdir()]
    assert max(sizes) <= 4_000_000 and sum(sizes) <= 80_000_000
    assert {f.scene for f in FRAMES} - {"even_field", "page_on_stand"} == set(catalogue())
    for name in catalogue():
        scene = load(name)
        assert np.isfinite(scene.linear_rec709).all() and scene.linear_rec709.min() >= 0
        assert scene.depth_m is not None and scene.depth_m.shape == scene.linear_rec709.shape[:2]


@pytest.mark.parametrize("number", [1, 30, 53, 80, 97])
def test_every_reader_finds_the_facts(number: int, tmp_path: Path, decoder: Decoder) -> None:
    frame = frame_of(number)
    path = tmp_path / frame.name
    path.write_bytes(frame_bytes(frame))
    camera, settings = frame.camera, frame.settings
    with path.open("rb") as file:
        tags = exifread.process_file(file, details=False)
    said = {k.split(" ", 1)[1]: str(v) for k, v in tags.items() if k.startswith(("Image", "EXIF"))}
    assert said["Model"] == camera.model and said["Make"] == camera.make
    assert said["LensModel"] == frame.lens.name and said["LensMake"] == frame.lens.make
    assert said["BodySerialNumber"] == camera.serial
    assert said["DateTimeOriginal"] == frame.captured_at[:19].replace("-", ":").replace("T", " ")
    assert eval_ratio(said["ExposureTime"]) == pytest.approx(settings.exposure_time_s, rel=1e-4)
    assert eval_ratio(said["FNumber"]) == pytest.approx(settings.f_number, rel=1e-4)
    assert int(said["ISOSpeedRatings"]) == settings.iso
    assert eval_ratio(said["FocalLength"]) == frame.focal_length_mm
    assert int(said["FocalLengthIn35mmFilm"]) == frame.focal_length_mm
    if settings.focus_distance_m:
        assert eval_ratio(said["SubjectDistance"]) == pytest.approx(settings.focus_distance_m, abs=1e-3)
    with rawpy.imread(str(path)) as raw:
        assert (raw.sizes.width, raw.sizes.height) == (camera.width, camera.height)
        assert (raw.sizes.left_margin, raw.sizes.top_margin) == (camera.masked_left, camera.masked_top)
        assert raw.camera_whitebalance[1] > 0 and raw.white_level == camera.white
        # LibRaw measures black on the masked border
        assert max(abs(v - camera.black) for v in raw.black_level_per_channel) <= 1
        assert {0: 1, 5: 8, 6: 6}[raw.sizes.flip] == settings.orientation
        assert "".join(chr(raw.color_desc[i]) for i in np.ravel(raw.raw_pattern)) == "".join("RGB"[c] for c in camera.cfa)
        theirs = raw.raw_image_visible.copy()
        thumb = Image.open(io.BytesIO(raw.extract_thumb().data))
    ours = decoder.decode(path)
    assert (ours.pixels == theirs).all()
    assert ours.capture.lens == frame.lens.name
    assert max(thumb.size) >= 1000


def eval_ratio(text: str) -> float:
    """'1/200' or '25' as a number."""
    over, _, under = text.partition("/")
    return float(over) / float(under or 1)


def test_the_damaged_file_is_refused_with_its_reason(tmp_path: Path, decoder: Decoder) -> None:
    frame = frame_of(94)
    path = tmp_path / frame.name
    path.write_bytes(frame_bytes(frame))
    with pytest.raises(FileError, match=r"TW-0094.*end after \d+"):
        decoder.decode(path)


def test_the_same_bytes_on_every_run_and_nothing_is_taken_twice(tmp_path: Path) -> None:
    assert frame_bytes(frame_of(41)) == frame_bytes(frame_of(41))
    names = write_card(tmp_path)
    assert next(names) == ALL_NAMES[0]
    first = tmp_path / "DCIM" / ALL_NAMES[0]
    assert first.read_bytes() == frame_bytes(FRAMES[0])
    stamp = first.stat().st_mtime_ns
    names.close()
    again = write_card(tmp_path)
    next(again)
    again.close()
    assert first.stat().st_mtime_ns == stamp
    assert not list((tmp_path / "DCIM").rglob("*.part"))


def test_the_simple_camera_gives_plain_jpegs() -> None:
    data = jpeg_bytes(SNAPSHOTS[0])
    image = Image.open(io.BytesIO(data))
    assert SNAPSHOTS[0].name.endswith(".JPG") and image.size == (2000, 1328)
    assert image.getexif()[272] == "Dabney Clip 2" and 42036 not in image.getexif().get_ifd(34665)
    mean = np.asarray(image.convert("L")).mean()
    assert 50 < mean < 190


def test_the_sheet_is_crooked_and_eight_bit() -> None:
    scan = sheet.scan()
    assert scan.dtype == np.uint8 and scan.shape[0] > scan.shape[1] > 1500
    page = scan[..., 1] > 140
    left = page[300:-300].argmax(1)  # the sheet's left edge leans by the angle it was laid at
    slope = np.polyfit(np.arange(left.size), left, 1)[0]
    assert np.degrees(np.arctan(slope)) == pytest.approx(-2.3, abs=0.15)


def test_codings_of_radiance_and_depth() -> None:
    rng = np.random.default_rng(1)
    values = np.exp2(rng.uniform(-12, 6, (64, 64, 3))).astype(np.float32)
    codes, scale = encode_log(values)
    assert np.abs(decode_log(codes, scale) / values - 1).max() < 2e-3
    depth = np.exp2(rng.uniform(-3, 9, (64, 64)))
    depth[:8] = 0
    codes, span = encode_depth(depth)
    back = decode_depth(codes, span)
    assert (back[:8] == 0).all()
    assert np.abs(back[8:] / depth[8:] - 1).max() < 1.2e-3


def test_a_setting_that_no_scene_has_is_said() -> None:
    with pytest.raises(KeyError):
        scene_of("engine_house")
    with pytest.raises(KeyError):
        load("kiln_hall").with_visitor("step_9")
    assert Settings(1, 8).turn == pytest.approx(np.eye(3))
