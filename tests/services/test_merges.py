"""A bracket of a shoot becomes a master that is a frame of it: found again, made again, told stale, developed and delivered."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.conftest import CAMERA, small_dng
from tests.services.test_use_cases import put, run_jobs
from zincplate.formats import parked as parking
from zincplate.formats.dng.master import made_from
from zincplate.merges.focus.options import FocusOptions
from zincplate.merges.options import BracketOptions
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.services import bring_in, deliver, describing, frame_lists, merges, originals, sets, shoots, verify
from zincplate.services.context import Context, NotFound, UserError
from zincplate.store.models import Delivered, Frame, FrameSet, HistoryEntry, Job, Version

STEPS = (-2.0, 0.0, 2.0)


@pytest.fixture
def bracket(context: Context, tmp_path: Path) -> list[int]:
    made = shoots.create("Bracket")
    for i, ev in enumerate(STEPS):
        data = small_dng(seed=30 + i, meter_ev=ev, captured_at=f"2026-05-12T09:00:{4 * i:02d}")
        (tmp_path / f"TW-081{i}.dng").write_bytes(data)
    bring_in.start(context, made, bring_in.files_in(tmp_path), develop_small=False)
    run_jobs(context)
    return [f["id"] for f in frame_lists.frames(made.id)]


def result(context: Context, job: Job) -> dict[str, Any]:
    run_jobs(context)
    done = Job.get_by_id(job.id)
    assert done.state == "done", done.note
    return dict(done.result)


def merged(context: Context, frames: list[int], **how: Any) -> Frame:
    found = result(context, merges.start(context, frames, how.pop("options", BracketOptions()), how.pop("look", "plain"), **how))
    return Frame.get_by_id(found["frame"])


def test_looking_first(context: Context, bracket: list[int]) -> None:
    found = result(context, merges.ask(context, bracket, BracketOptions(reference=1)))
    assert [row["exposure_ev"] for row in found["frames"]] == pytest.approx(STEPS, abs=0.02)
    assert [row["takes_part"] for row in found["frames"]] == [True] * 3 and found["left_out"] == []
    assert merges.preview_file(context.home, found["preview"]).read_bytes()[:2] == b"\xff\xd8"
    assert found["range_ev"][1] > found["range_ev"][0] + 3
    assert found["before"] == "", "nothing moved: it would be the same"
    assert Frame.select().count() == 3


def test_a_master_is_a_frame_beside_its_sources(context: Context, bracket: list[int]) -> None:
    Frame.update(mark="keep", label="print", stars=3).where(Frame.id == bracket[1]).execute()
    describing.describe([bracket[1]], describing.Description(title="The hall", add_keywords=["kiln"]))
    master = merged(context, bracket, options=BracketOptions(reference=1), look="Range, natural")
    assert (master.name, master.made, master.raw) == ("TW-0810-0812-bracket.dng", "bracket", True)
    assert (master.mark, master.label, master.stars) == ("keep", "print", 3)
    assert describing.summary([master.id])["title"] == "The hall" and shoots.find(master.shoot_id, "hall kiln bracket") == [
        master.id
    ]
    assert master.captured_at == Frame.get_by_id(bracket[1]).captured_at
    members = Frame.select().where(Frame.set_id == master.set_id)
    assert {f.id for f in members} == {*bracket, master.id} and FrameSet.get_by_id(master.set_id).state == "kept"
    version = Version.get_by_id(master.cover_id)
    assert (
        version.recipe["tone"]["highlights"] == -80 and HistoryEntry.select().where(HistoryEntry.version == version).count() == 2
    )
    told = made_from(originals.original_path(context.home, master))
    assert told is not None and [s["name"] for s in told["sources"]] == ["TW-0810.dng", "TW-0811.dng", "TW-0812.dng"]
    assert verify.verify(context.home, database=True).problems == []
    assert not list((context.home.cache / "merges").glob("*/*"))
    # it is developed and delivered like a raw
    put(context, version.id, version.revision, {"balance": {"temperature_kelvin": 4000.0}, "tone": {"exposure_ev": -1.0}})
    deliver.start(context, [version.id], [deliver.Preset(name="TIFF", file_format="tiff", bits=16)])
    run_jobs(context)
    assert Delivered.get().width == master.width
    # proposals leave it alone
    sets.start(context, master.shoot_id)
    run_jobs(context)
    assert Frame.get_by_id(master.id).set_id == master.set_id


def test_made_again_it_stays_the_same_frame(context: Context, bracket: list[int]) -> None:
    master = merged(context, bracket)
    version = Version.get_by_id(master.cover_id)
    put(context, version.id, version.revision, {"tone": {"exposure_ev": 1.0}})
    again = merged(context, bracket[:2], replaces=master.id)
    assert again.id == master.id and again.content_hash != master.content_hash and Frame.select().count() == 4
    assert Version.get_by_id(version.id).recipe["tone"]["exposure_ev"] == 1.0
    assert [s["frame"] for s in merges.made_of(context, again.id)["sources"]] == bracket[:2]
    assert not (context.home.originals / master.path).exists()
    assert verify.verify(context.home, database=True).problems == []
    with pytest.raises(UserError, match="Only a master"):
        merges.start(context, bracket, BracketOptions(), "plain", replaces=bracket[0])


def test_a_master_knows_when_it_is_stale(context: Context, bracket: list[int]) -> None:
    master = merged(context, bracket)
    assert merges.made_of(context, master.id)["stale"] == []
    shoots.remove(bracket[:1])
    Frame.update(content_hash="0" * 64).where(Frame.id == bracket[1]).execute()
    found = merges.made_of(context, master.id)
    assert found["stale"] == ["TW-0810.dng is not in the shoot any more.", "TW-0811.dng was changed since."]
    assert found["sources"][0]["frame"] is None
    with pytest.raises(UserError, match="not made of other frames"):
        merges.made_of(context, bracket[2])


def test_what_cannot_be_merged_is_told_and_leaves_nothing(context: Context, bracket: list[int], tmp_path: Path) -> None:
    with pytest.raises(NotFound):
        merges.start(context, [*bracket, 999], BracketOptions(), "plain")
    with pytest.raises(UserError, match="no look"):
        merges.start(context, bracket, BracketOptions(), "sunny")
    (tmp_path / "other.dng").write_bytes(small_dng(seed=7, camera=replace(CAMERA, width=600)))
    shoot = Frame.get_by_id(bracket[0]).shoot
    bring_in.start(context, shoot, [tmp_path / "other.dng"], develop_small=False)
    run_jobs(context)
    other = Frame.get(Frame.name == "other.dng")
    job = merges.start(context, [*bracket, other.id], BracketOptions(), "plain")
    run_jobs(context)
    failed = Job.get_by_id(job.id)
    assert failed.state == "failed" and "other.dng" in failed.note and "another size" in failed.note
    original = originals.original_path(context.home, Frame.get_by_id(bracket[0]))
    original.chmod(0o644)
    original.unlink()  # a source that is deleted in between
    context.renderer._sources.drop(lambda key: True)
    job = merges.start(context, bracket, BracketOptions(), "plain")
    run_jobs(context)
    assert Job.get_by_id(job.id).state == "failed" and "TW-0810.dng" in Job.get_by_id(job.id).note
    assert Frame.select().where(Frame.made != "").count() == 0 and not list((context.home.cache / "merges").glob("*/*"))


def test_a_merge_that_was_cut_off_after_its_frame_makes_no_second(
    context: Context, bracket: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as cut:

        def gone(*_: Any) -> None:
            raise RuntimeError("the worker was killed")

        cut.setattr(merges, "_join", gone)
        job = merges.start(context, bracket, BracketOptions(), "plain")
        from zincplate.jobs import runner

        runner.run(context, job.id)
    run_jobs(context)
    assert Job.get_by_id(job.id).state == "done"
    assert Frame.select().where(Frame.name.contains("bracket")).count() == 1
    assert Frame.get(Frame.name.contains("bracket")).made == "bracket"


def test_a_panorama_is_a_master_like_a_bracket(context: Context, tmp_path: Path) -> None:
    from tests.reference.test_panorama import taken

    for i, yaw in enumerate((-14, 8)):
        taken(tmp_path, f"TW-092{i}", yaw)
    shoot = shoots.create("View")
    bring_in.start(context, shoot, bring_in.files_in(tmp_path), develop_small=False)
    run_jobs(context)
    ids = [f["id"] for f in frame_lists.frames(shoot.id)]
    options = PanoramaOptions(projection="flat")
    found = result(context, merges.ask(context, ids, options))
    assert found["kind"] == "panorama" and found["seams"] and found["points"] and found["depth"] == ""
    before, after = (merges.preview_file(context.home, found[key]).read_bytes() for key in ("before", "preview"))
    assert before[:2] == b"\xff\xd8" and before != after
    assert all(0 <= x <= 1 and 0 <= y <= 1 and apart < 1 for x, y, apart in found["points"])
    # what was judged is kept in a file, and another look that lays it out otherwise does not judge again
    kept = list((context.home.cache / "merges").glob("*.judged"))
    assert len(kept) == 1
    merges._KEPT._found = None
    again = result(context, merges.ask(context, ids, options.model_copy(update={"projection": "cylinder"})))
    assert again["projection"] == "cylinder" and again["preview"] != found["preview"]
    assert list((context.home.cache / "merges").glob("*.judged")) == kept
    kept[0].write_bytes(b"cut off")
    merges._KEPT._found = None
    master = merged(context, ids, options=options)
    assert (master.name, master.made) == ("TW-0920-0921-panorama.dng", "panorama")
    assert FrameSet.get_by_id(master.set_id).kind == "sweep"
    assert merges.made_of(context, master.id)["options"]["kind"] == "panorama"


def test_options_of_jobs_from_before_there_were_kinds_are_a_bracket_s() -> None:
    old = merges.Merge.model_validate({"shoot_id": 1, "frames": [1, 2], "options": {"ghosts": 20}})
    assert old.options == BracketOptions(ghosts=20)
    new = merges.Merge.model_validate({"shoot_id": 1, "frames": [1, 2], "options": {"kind": "focus"}})
    assert new.options == FocusOptions()


def test_frames_that_lie_on_disk_while_they_are_merged_give_the_same_master(
    context: Context, bracket: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    first = context.decoder.decode(originals.original_path(context.home, merged(context, bracket))).pixels
    parks = []
    for place in (merges, parking):
        monkeypatch.setattr(place, "MOST_IN_MEMORY", 1000)
    monkeypatch.setattr(parking, "parked", lambda *of, parked=parking.parked: parks.append(of) or parked(*of))
    second = context.decoder.decode(originals.original_path(context.home, merged(context, bracket))).pixels
    assert len(parks) == 3 and {folder for _, folder in parks} == {context.home.cache}
    assert np.array_equal(first, second)
    assert not [p for p in context.home.cache.iterdir() if p.is_file()]


def test_stopped_in_the_middle_and_a_full_disk_leave_nothing(
    context: Context, bracket: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    from zincplate.services import work

    job = merges.start(context, bracket, BracketOptions(), "plain")
    adding_up = merges.merged

    def stopped(*arguments: Any, **named: Any) -> Any:
        work.cancel(job.id)
        return adding_up(*arguments, **named)

    with monkeypatch.context() as patch:
        patch.setattr(merges, "merged", stopped)
        run_jobs(context)
    assert Job.get_by_id(job.id).state == "cancelled"
    assert Frame.select().where(Frame.made != "").count() == 0 and not list((context.home.cache / "merges").glob("*"))

    def full(path: Path, data: bytes, **_: Any) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.with_suffix(".part").write_bytes(data[:1000])
        raise OSError(28, "No space left on device")

    job = merges.start(context, bracket, BracketOptions(), "plain")
    with monkeypatch.context() as patch:
        patch.setattr(merges, "write_file", full)
        run_jobs(context)
    failed = Job.get_by_id(job.id)
    assert failed.state == "failed" and "The disk is full" in failed.note
    assert Frame.select().where(Frame.made != "").count() == 0 and not list((context.home.cache / "merges").glob("*"))
    assert merged(context, bracket).made == "bracket", "and afterwards it can be made"
