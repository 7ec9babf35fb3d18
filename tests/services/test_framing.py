"""Framing through the use cases: refused on saving, planned and delivered in its pixels, lens data that come and change."""

import io
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

from tests.conftest import small_dng
from tests.services.test_use_cases import put, run_jobs
from zincplate.cli.demo_data import LENSES
from zincplate.services import bring_in, deliver, framing, pictures, shoots, views
from zincplate.services.context import Context, UserError
from zincplate.services.framing import Action, Bent, Line
from zincplate.store.models import Delivered, Frame, HistoryEntry, Version

FULL = deliver.PRESETS[1]


@pytest.fixture
def version(context: Context, tmp_path: Path) -> Version:
    """One small raw frame."""
    path = tmp_path / "TW-0700.dng"
    path.write_bytes(small_dng())
    made = shoots.create("Framing")
    bring_in.start(context, made, [path])
    run_jobs(context)
    return Version.get(Version.frame == Frame.get(Frame.shoot == made))


def changed(context: Context, version: Version, values: dict[str, Any]) -> Version:
    put(context, version.id, Version.get_by_id(version.id).revision, {"framing": values})
    return Version.get_by_id(version.id)


def done(context: Context, version: Version, action: Action) -> dict[str, Any]:
    found: dict[str, Any] = views.framing_action(context, version.frame_id, version.recipe, action)["values"]["framing"]
    return found


def test_a_framing_that_cannot_be_shown_is_not_saved(context: Context, version: Version) -> None:
    before = HistoryEntry.select().count()
    with pytest.raises(UserError, match=r"TW-0700\.dng: .*folds"):
        changed(context, version, {"bend": -20, "bend_edge": -20})
    assert Version.get_by_id(version.id).recipe == version.recipe and HistoryEntry.select().count() == before


def test_plan_and_file_have_the_framed_size(context: Context, version: Version) -> None:
    version = changed(context, version, {"ratio": "4:5", "angle": 3.0})
    row = deliver.plan(context, [version.id], [FULL])[0]
    assert row["width"] / row["height"] == pytest.approx(0.8, abs=0.002) and row["height"] < 480
    deliver.start(context, [version.id], [FULL])
    run_jobs(context)
    written = Delivered.get(Delivered.version == version)
    assert (written.width, written.height) == (row["width"], row["height"])


def test_the_small_picture_has_the_shape_of_the_crop(context: Context, version: Version) -> None:
    changed(context, version, {"ratio": "1:2"})
    with Image.open(io.BytesIO(pictures.small_picture(context, Version.get_by_id(version.id))[0])) as small:
        assert small.height == pictures.THUMB_EDGE and small.width == pytest.approx(small.height / 2, abs=1)


def test_tools_work_in_plane_pixels(context: Context, version: Version) -> None:
    crop = done(context, version, Action(do="crop", rectangle=(-100, -50, 200, 100), ratio="2:1"))
    version = changed(context, version, crop)
    assert deliver.plan(context, [version.id], [FULL])[0]["width"] == 200
    line = Line(id="a", along="level", start=(-200, -10), end=(200, 10))
    values = done(context, version, Action(do="lines", lines=[line]))
    assert values["angle"] == pytest.approx(-2.86, abs=0.02)
    version = changed(context, version, values)
    again = done(context, version, Action(do="lines_again"))
    assert again["angle"] == pytest.approx(values["angle"], abs=0.01)
    assert done(context, version, Action(do="turn_right"))["quarter_turn"] == "90"
    assert done(context, version, Action(do="mirror"))["mirror"] is True
    with pytest.raises(UserError, match="rectangle"):
        done(context, version, Action(do="crop"))
    with pytest.raises(UserError, match="three points"):
        done(context, version, Action(do="bent_lines", bent_lines=[Bent(id="a", points=[(0, 150), (90, 150)])]))


def test_lens_data_that_come_while_a_frame_is_open_are_used(context: Context, version: Version) -> None:
    frame = version.frame
    source = views.opened(context, frame)
    # the test camera's lens is nobody's: its file names none
    assert framing.lens_choice(context, source)["certain"] is None
    named = next(p for p in framing.lens_search(context, "") if p["distortion"])
    version = changed(context, version, {"lens_profile": named["id"]})
    plain = source.plan(views.parsed(version.recipe)).frame
    before = context.renderer.framed(source, frame.content_hash, plain)
    assert before.profile == named["id"] and not before.direct
    context.home.lenses.mkdir(exist_ok=True)
    (context.home.lenses / LENSES.name).write_bytes(LENSES.read_bytes())
    assert [p["model"] for p in framing.lens_search(context, "pennick 60")] == ["Pennick 60 mm f/2.8 close-up"]
    after = context.renderer.framed(source, frame.content_hash, plain)
    assert after is not before and after.key == before.key
    (context.home.lenses / "broken.xml").write_text("<lensdatabase>", encoding="utf-8")
    assert any("broken.xml" in sentence for sentence in framing.lens_choice(context, source)["refused"])
    with pytest.raises(UserError, match="is not here"):
        changed(context, version, {"lens_profile": "Nobody / Nothing / 1"})


def test_a_neutral_recipe_never_reads_the_lens_data(context: Context, version: Version, monkeypatch: pytest.MonkeyPatch) -> None:
    """A tenth of a second of every process's first picture."""

    def read(*_: object) -> None:
        raise AssertionError("the lens data were read")

    monkeypatch.setattr(context.renderer.lenses, "_open", read)
    source = views.opened(context, version.frame)
    found = context.renderer.framed(source, "neutral", source.plan(views.parsed(version.recipe)).frame)
    assert found.direct
