"""Facts of frames: kept, told, found; files of every kind side by side; the place in a delivery or not."""

import json
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

from tests.conftest import gradient, small_dng
from tests.formats.test_metadata import EVERYTHING
from tests.reference.files.test_dng_pixels import KINDS as DNGS
from tests.reference.files.test_modern import KINDS as MODERN
from tests.services.test_use_cases import put, run_jobs
from zincplate.formats.capture import CaptureData
from zincplate.formats.decode import facts
from zincplate.formats.encode import encode
from zincplate.services import bring_in, deliver, frame_lists, shoots, views
from zincplate.services.context import Context, NotFound
from zincplate.store import database as store
from zincplate.store.models import Frame, Version


@pytest.fixture
def shoot(context: Context, tmp_path: Path) -> Any:
    """A described JPEG, a raw, and files of six other kinds."""
    folder = tmp_path / "box"
    folder.mkdir()
    (folder / "TW-0700.jpg").write_bytes(encode(gradient(8), "jpeg", "srgb", EVERYTHING))
    (folder / "TW-0701.dng").write_bytes(small_dng())
    (folder / "TW-0702.dng").write_bytes(DNGS["six-by-six"][0].write())
    for number, kind in enumerate(("webp", "avif-10", "heif-10", "jpeg-xl-8", "exr-half", "fits-16")):
        (folder / f"TW-071{number}.{kind.split('-')[0]}").write_bytes(MODERN[kind][0]())
    made = shoots.create("Every kind")
    bring_in.start(context, made, bring_in.files_in(folder))
    run_jobs(context)
    return made


def frame(name: str) -> Frame:
    """By name."""
    found: Frame = Frame.get(Frame.name == name)
    return found


def test_every_kind_comes_in_and_is_seen(context: Context, shoot: Any) -> None:
    assert shoots.refusals(shoot.id) == []
    listed = frame_lists.frames(shoot.id)
    assert len(listed) == 9
    assert {f["file_type"] for f in listed} == {"JPEG", "DNG", "WebP", "AVIF", "HEIF", "JPEG XL", "OpenEXR", "FITS"}
    # lists hold what lists show; the rest is told one frame at a time
    assert "caption" not in listed[0]
    for row in listed:
        path = context.home.originals / frame(row["name"]).path
        source = context.renderer.open(path, row["content_hash"])
        assert (source.width, source.height) == (row["width"], row["height"])


def test_facts_in_words_with_notes(context: Context, shoot: Any) -> None:
    told = views.facts_of(context, frame("TW-0700.jpg").id)
    rows = {f["name"]: f["text"] for group in told["groups"] for f in group["facts"]}
    assert rows["Title"] == "Öfen am Abend" and rows["Sensitivity"] == "ISO 102400" and told["notes"] == []
    assert any("6 x 6" in note for note in views.facts_of(context, frame("TW-0702.dng").id)["notes"])
    assert any("linear light" in note for note in views.facts_of(context, frame("TW-0715.fits").id)["notes"])
    with pytest.raises(NotFound):
        views.facts_of(context, 10**6)


def test_rating_and_label_of_a_file_are_those_of_the_frame(shoot: Any) -> None:
    assert (frame("TW-0700.jpg").stars, frame("TW-0700.jpg").label) == (4, "proof")
    assert frame("TW-0701.dng").stars == 0


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("ofen", {"TW-0700.jpg"}), ("KILN moss", {"TW-0700.jpg"}),
        ("göteborg", {"TW-0700.jpg"}), ("harrow jorgensen", {"TW-0700.jpg"}),
        ("tw-070", {"TW-0700.jpg", "TW-0701.dng", "TW-0702.dng"}), ("test 1", {"TW-0701.dng"}),
        ("kiln nowhere", set()), ("100%", set()), ("_", set()), ("openexr", {"TW-0714.exr"}),
    ],
)  # fmt: skip
def test_frames_are_found_by_what_is_written(text: str, names: set[str], shoot: Any) -> None:
    found = {Frame.get_by_id(i).name for i in shoots.find(shoot.id, text)}
    assert found == names


def test_older_rows_get_their_words(shoot: Any) -> None:
    from importlib import import_module

    wanted = frame("TW-0700.jpg").words
    Frame.update(words="").where(Frame.name == "TW-0700.jpg").execute()
    import_module("zincplate.store.migrations.0005_words").up(None, store.database)
    assert sorted(frame("TW-0700.jpg").words.splitlines()) == sorted(wanted.splitlines())


def test_facts_of_an_older_row_are_read(context: Context, shoot: Any) -> None:
    row = frame("TW-0701.dng")
    old = {k: v for k, v in row.capture.items() if k in ("file_type", "width", "height", "bits", "raw", "orientation")}
    Frame.update(capture=old).where(Frame.id == row.id).execute()
    path = context.home.originals / row.path
    away = path.with_name("away")
    path.rename(away)
    assert frame_lists.frames(shoot.id) and views.facts_of(context, row.id)["groups"]
    assert Frame.get_by_id(row.id).capture == old
    version = Version.get(Version.frame == row.id)
    assert deliver.plan(context, [version.id], [deliver.PRESETS[1]])[0]["width"] == 720
    # what an older program did not know is read when it is asked for, and kept
    away.rename(path)
    rows = {f["name"]: f["text"] for g in views.facts_of(context, row.id)["groups"] for f in g["facts"]}
    assert rows["Author"] == "Harrow Lane Tileworks" and Frame.get_by_id(row.id).capture["artist"] == rows["Author"]
    assert row.id in shoots.find(shoot.id, "made up")


def test_the_place_is_told_in_a_delivery_or_left_out(context: Context, shoot: Any) -> None:
    version = Version.get(Version.frame == frame("TW-0700.jpg").id)
    put(context, version.id, 0, {"tone": {"exposure_ev": 0.2}})
    ways = [deliver.Preset(name="with", suffix="-a"), deliver.Preset(name="without", suffix="-b", location=False)]
    deliver.start(context, [version.id], ways)
    (job,) = [j for j in run_jobs(context) if j.kind == "deliver"]
    assert job.state == "done", job.error
    told, out = (context.home.deliveries / shoot.folder / f"TW-0700{s}.jpg" for s in ("-a", "-b"))
    assert facts(told)[0].latitude == pytest.approx(EVERYTHING.latitude) and facts(out)[0].latitude is None
    assert facts(out)[0].title == EVERYTHING.title and facts(out)[0].city == ""
    with Image.open(told) as image:
        changed = image.getexif()[306]
        # the time of the last adjustment, not that of the file, and apart from the time of capture
        assert changed > "2026:11:01" and image.getexif().get_ifd(0x8769)[36867] == "2026:05:12 07:08:09"


def test_facts_are_kept_as_they_were_read(shoot: Any) -> None:
    stored = json.loads(json.dumps(frame("TW-0700.jpg").capture))
    assert CaptureData.of(stored).keywords == EVERYTHING.keywords
