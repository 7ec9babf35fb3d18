"""Bringing in, marking, editing, picking a neutral, delivering: on a real database, jobs run by hand."""

import errno
import hashlib
import json
import os
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import tifffile

from tests.conftest import small_dng
from zincplate.formats import files
from zincplate.formats.errors import FileError
from zincplate.jobs import runner
from zincplate.recipe.document import Recipe
from zincplate.render.strips import Cancelled
from zincplate.render.view import ViewRequest
from zincplate.services import bring_in, changes, deliver, frame_lists, originals, overview, shoots, verify, versions, views, work
from zincplate.services.context import Context, NotFound, UserError
from zincplate.store.models import Frame, HistoryEntry, Job, Version


def run_jobs(context: Context) -> list[Job]:
    """Runs everything that waits, as a worker would, until nothing does. Jobs that a stack's own workers took first, also before
    this began, are waited for."""
    end = time.monotonic() + 120
    while True:
        waiting = list(Job.select().where(Job.state == "queued").order_by(Job.created_at))
        for job in waiting:
            runner.run(context, job.id)
        taken = [job for job in Job.select().where(Job.state == "running") if _lives(job.owner)]
        if not waiting and not taken:
            return list(Job.select().order_by(Job.created_at))
        assert time.monotonic() < end, [job.title for job in waiting + taken]
        if taken:
            time.sleep(0.02)


def _lives(owner: str) -> bool:
    """Whether a worker is at it: its number is that of a process. What tests claim by hand has no such name."""
    number = owner.split(":")[0]
    return number.isdigit() and Path(f"/proc/{number}").exists()


def make(context: Context, version: int, revision: int, **change: Any) -> dict[str, Any]:
    """One change of a version."""
    return changes.make(context, version, changes.Change(revision=revision, **change))


def put(context: Context, version: int, revision: int, values: dict[str, dict[str, Any]], **change: Any) -> dict[str, Any]:
    """Controls set by one change."""
    return make(context, version, revision, do="set", values=values, **change)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """Good, bad and doubled files as on a card."""
    card = tmp_path / "card"
    card.mkdir()
    for i in range(3):
        (card / f"TW-060{i}.dng").write_bytes(small_dng(seed=i, captured_at=f"2026-05-12T07:08:0{9 - i}.000"))
    (card / "TW-0603.dng").write_bytes((card / "TW-0600.dng").read_bytes())
    (card / "TW-0604.dng").write_bytes(small_dng(seed=9)[:20_000])
    (card / "TW-0605.dng").write_text("words" * 50)
    (card / "notes.txt").write_text("not a picture, not mentioned")
    return card


@pytest.fixture
def shoot(context: Context, folder: Path) -> Any:
    """A shoot brought in from that folder."""
    made = shoots.create("Kiln opening, Tuesday")
    bring_in.start(context, made, bring_in.files_in(folder))
    run_jobs(context)
    return made


def test_one_bad_file_does_not_stop_the_others(context: Context, shoot: Any) -> None:
    frames = frame_lists.frames(shoot.id)
    assert [f["name"] for f in frames] == ["TW-0602.dng", "TW-0601.dng", "TW-0600.dng"]  # by time taken
    reasons = {r["name"]: r["reason"] for r in shoots.refusals(shoot.id)}
    assert set(reasons) == {"TW-0603.dng", "TW-0604.dng", "TW-0605.dng"}
    assert "same picture as TW-0600.dng" in reasons["TW-0603.dng"]
    assert "end after" in reasons["TW-0604.dng"] and "starts like no raw" in reasons["TW-0605.dng"]
    assert all(f["thumb_state"] == "own" for f in frames)
    result = Job.get(Job.kind == "bring_in").result
    assert (result["added"], result["already"], result["refused"]) == (3, 0, 3)
    told = overview.Overviews().all()[0]
    assert (told["frames"], told["refused"], len(told["covers"])) == (3, 3, 3)


def test_the_same_card_again_adds_nothing_and_an_interrupted_job_goes_on(context: Context, shoot: Any, folder: Path) -> None:
    job = bring_in.start(context, shoot, bring_in.files_in(folder))
    run_jobs(context)
    assert work.get(job.id).result["already"] == 3 and Frame.select().count() == 3
    # a worker dies in the middle: its lease runs out and the job is taken again
    (folder / "TW-0607.dng").write_bytes(small_dng(seed=77))
    job = bring_in.start(context, shoot, bring_in.files_in(folder))
    assert work.claim(job.id, "dead:1") is not None and work.claim(job.id, "other:2") is None
    Job.update(lease_until=0).where(Job.id == job.id).execute()
    assert work.reap(context) == 1
    run_jobs(context)
    assert work.get(job.id).state == "done" and work.get(job.id).attempt == 2 and Frame.select().count() == 4


def test_originals_are_copied_read_only_and_verified(context: Context, shoot: Any) -> None:
    frame = Frame.get(Frame.name == "TW-0601.dng")
    path = originals.original_path(context.home, frame)
    assert hashlib.sha256(path.read_bytes()).hexdigest() == frame.content_hash
    assert not path.stat().st_mode & 0o222
    assert verify.verify(context.home, database=True).problems == []
    path.chmod(0o644)
    path.write_bytes(path.read_bytes()[:-1] + b"?")
    originals.original_path(context.home, Frame.get(Frame.name == "TW-0602.dng")).unlink()
    problems = verify.verify(context.home, database=True).problems
    assert len(problems) == 2 and "TW-0601.dng" in " ".join(problems) and "TW-0602.dng" in " ".join(problems)
    with pytest.raises(FileError, match="not there"):
        missing = Frame.get(Frame.name == "TW-0602.dng")
        context.renderer._sources.drop(lambda key: True)
        views.opened(context, missing)


def test_a_copy_that_is_not_what_was_looked_at_is_not_kept(context: Context, shoot: Any, tmp_path: Path) -> None:
    path = tmp_path / "TW-0699.dng"
    path.write_bytes(small_dng())
    before = sorted(context.home.originals.rglob("*"))
    hashed = originals.hash_of(path)
    path.write_bytes(path.read_bytes()[:-1] + b"?")
    with pytest.raises(FileError, match=r"TW-0699\.dng: It changed while it was copied"):
        originals.copy_in(context, shoot, path, "", hashed)
    assert sorted(context.home.originals.rglob("*")) == before


def test_files_may_be_left_where_they_are(context: Context, folder: Path) -> None:
    made = shoots.create("By reference")
    bring_in.start(context, made, bring_in.files_in(folder)[:1], reference=True)
    run_jobs(context)
    frame = Frame.get(Frame.shoot == made)
    assert Path(frame.path) == (folder / "TW-0600.dng").resolve() and not any(context.home.originals.iterdir())


def test_small_pictures_of_our_own_may_wait(context: Context, folder: Path) -> None:
    made = shoots.create("Card by card")
    bring_in.start(context, made, bring_in.files_in(folder)[:1], develop_small=False)
    run_jobs(context)
    assert Frame.get(Frame.shoot == made).thumb_state == "embedded"
    bring_in.start(context, made, bring_in.files_in(folder)[1:])
    run_jobs(context)
    assert {f.thumb_state for f in Frame.select().where(Frame.shoot == made)} == {"own"}


def test_folders_that_cannot_be_brought_in(context: Context, tmp_path: Path) -> None:
    (tmp_path / "empty").mkdir()
    for path, part in ((tmp_path / "empty", "no pictures"), (tmp_path / "gone", "no such folder")):
        with pytest.raises(UserError, match=part):
            bring_in.files_in(path)


def test_marks_are_set_on_many_frames_or_on_none(context: Context, shoot: Any) -> None:
    ids = [f["id"] for f in frame_lists.frames(shoot.id)]
    assert shoots.mark_frames(ids, mark="keep", stars=3) == 3
    with pytest.raises(NotFound):
        shoots.mark_frames([*ids, 10**6], mark="drop")
    with pytest.raises(UserError):
        shoots.mark_frames(ids, stars=6)
    assert {(f["mark"], f["stars"]) for f in frame_lists.frames(shoot.id)} == {("keep", 3)}


def test_editing_undo_redo_and_a_second_tab(context: Context, shoot: Any) -> None:
    version = frame_lists.frames(shoot.id)[0]["version"]
    first = put(context, version, 0, {"tone": {"exposure_ev": 0.35}})
    assert first["history"][-1]["words"] == "Exposure 0.00 EV \u2192 +0.35 EV" and first["adjusted"]
    second = put(context, version, 1, {"tone": {"exposure_ev": 0.6, "contrast": -12}})
    assert second["revision"] == 2 and "Contrast" in second["history"][-1]["words"]
    with pytest.raises(changes.Stale) as stale:
        put(context, version, 1, {"tone": {"contrast": 5}})
    assert stale.value.current["revision"] == 2 and stale.value.current["recipe"]["tone"]["contrast"] == -12
    undone = make(context, version, 2, do="go", position=1)
    assert undone["recipe"]["tone"]["exposure_ev"] == 0.35 and len(undone["history"]) == 3
    redone = make(context, version, 3, do="go", position=2)
    assert redone["recipe"] == second["recipe"]
    back = make(context, version, 4, do="go", position=0)
    assert not back["adjusted"]
    forked = put(context, version, 5, {"balance": {"temperature_kelvin": 4800}})
    assert [h["words"] for h in forked["history"]] == ["Brought in", "Temperature as shot \u2192 4800 K"]
    with pytest.raises(UserError, match="redo"):
        make(context, version, 6, do="go", position=9)
    with pytest.raises(UserError, match="exposure_ev"):
        put(context, version, 6, {"tone": {"exposure_ev": 11}})
    readable = json.loads(versions.readable_path(context.home, Version.get_by_id(version)).read_text())
    assert readable["recipe"] == forked["recipe"] and readable["original"]["name"] == "TW-0602.dng"
    assert verify.verify(context.home).recipes == 1


def test_picking_a_neutral(context: Context, shoot: Any) -> None:
    frame = Frame.get(Frame.name == "TW-0600.dng")
    source = views.opened(context, frame)
    found = views.pick_neutral(context, frame.id, Version.get(Version.frame == frame).recipe, 360, 60, 6)
    recipe = Recipe.from_document(Version.get(Version.frame == frame).recipe).with_values(
        {"tone": {"view": "linear"}, "balance": {k: found[k] for k in ("temperature_kelvin", "tint")}}
    )
    area = context.renderer.sample(source, frame.content_hash, recipe, 360, 60, 6, "srgb")
    assert np.hypot(*area["lab"][1:]) < 1.0
    with pytest.raises(UserError, match="outside"):
        views.pick_neutral(context, frame.id, recipe.to_document(), -500, 10, 2)


def test_a_clipped_area_is_no_neutral(context: Context, tmp_path: Path) -> None:
    path = tmp_path / "TW-0700.dng"
    path.write_bytes(small_dng(meter_ev=5))
    made = shoots.create("Too bright")
    bring_in.start(context, made, [path])
    run_jobs(context)
    clipped = Frame.get(Frame.shoot == made)
    with pytest.raises(UserError, match="clipped"):
        views.pick_neutral(context, clipped.id, Version.get(Version.frame == clipped).recipe, 360, 60, 6)


def test_delivery_ledger_and_free_names(context: Context, shoot: Any) -> None:
    version = frame_lists.frames(shoot.id)[0]["version"]
    presets = [deliver.PRESETS[2], deliver.PRESETS[0].model_copy(update={"long_edge": 300})]
    job = deliver.start(context, [version], presets)
    run_jobs(context)
    rows = deliver.ledger(shoot.id)
    assert [r["file"] for r in rows] == ["TW-0602-web.jpg", "TW-0602.tif"] and not any(r["stale"] for r in rows)
    assert (rows[0]["width"], rows[0]["height"]) == (300, 200)
    tiff = tifffile.imread(deliver.delivered_path(context, rows[1]["id"]))
    frame = Version.get_by_id(version).frame
    source = views.opened(context, frame)
    recipe = Recipe.from_document(Version.get_by_id(version).recipe)
    view = context.renderer.view(source, "x", recipe, ViewRequest(720, 480, 100, 100, 200, 200))
    assert np.abs(tiff[100:300, 100:300] / 257.0 - view.picture).max() <= 1
    # the same job again makes nothing twice; a new one takes a free name
    Job.update(state="queued").where(Job.id == job.id).execute()
    run_jobs(context)
    assert len(deliver.ledger(shoot.id)) == 2
    put(context, version, 0, {"tone": {"exposure_ev": 1}})
    assert all(r["stale"] for r in deliver.ledger(shoot.id))
    deliver.start(context, [version], presets[:1])
    run_jobs(context)
    newest = deliver.ledger(shoot.id)[0]
    assert newest["file"] == "TW-0602-2.tif" and not newest["stale"]


def test_a_full_disk_fails_the_job_with_a_sentence_and_leaves_nothing(
    context: Context, shoot: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    version = frame_lists.frames(shoot.id)[0]["version"]

    def full(descriptor: int) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(files.os, "fsync", full)
    job = deliver.start(context, [version], [deliver.PRESETS[1]])
    run_jobs(context)
    failed = work.get(job.id)
    assert failed.state == "failed" and "disk is full" in failed.note and "TW-0602.jpg" in failed.note
    assert not [p for p in context.home.deliveries.rglob("*") if p.is_file()] and deliver.ledger() == []


def test_a_job_can_be_cancelled_waiting_and_running(context: Context, shoot: Any) -> None:
    version = frame_lists.frames(shoot.id)[0]["version"]
    waiting = deliver.start(context, [version], [deliver.PRESETS[1]])
    assert work.cancel(waiting.id)["state"] == "cancelled"
    running = deliver.start(context, [version], [deliver.PRESETS[1]])
    work.claim(running.id, "me")
    work.cancel(running.id)
    handle = runner.Running(running.id, "me")
    with pytest.raises(Cancelled):
        handle.progress(0.5)
    handle.close()
    for preset in ({"file_format": "bmp"}, {"bits": 16}, {"space": "cmyk"}, {"quality": 0}, {"long_edge": 3}):
        with pytest.raises(UserError):
            deliver.start(context, [version], [deliver.PRESETS[1].model_copy(update=preset)])


def test_a_folder_without_rights_is_said(context: Context, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    # as root every folder can be read: the refusal is the operating system's own, given by hand
    def refuse(path: object) -> None:
        raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), str(path))

    monkeypatch.setattr(os, "scandir", refuse)
    with pytest.raises(UserError, match="no permission to look into it"):
        bring_in.files_in(tmp_path)


def test_suggestions_keys_and_named_states(context: Context, shoot: Any) -> None:
    frame = Frame.get(Frame.name == "TW-0600.dng")
    version = Version.get(Version.frame == frame)
    document = Version.get(Version.frame == frame).recipe
    for of in ("balance", "tone", "whole", "black_point", "white_point"):
        proposals = views.suggest(context, frame.id, document, of)
        for proposal in proposals:
            taken = Recipe.from_document(document).with_values(proposal["values"])
            assert taken != Recipe.from_document(document) or of.endswith("point")
            assert all(len(words) > 20 for words in proposal["reasons"].values())
    with pytest.raises(UserError, match="outside"):
        views.pick_key(context, frame.id, document, -500, 60, 3)
    without = Recipe.from_document(document).with_values({"tone": {"output_white": 0}}).to_document()
    with pytest.raises(UserError, match="grey"):
        views.pick_key(context, frame.id, without, 360, 60, 3)

    state = make(context, version.id, 0, do="keep", name="  as it came ")
    assert [s["name"] for s in state["states"]] == ["as it came"]
    changed = put(context, version.id, state["revision"], {"colour": {"saturation": 20}})
    again = make(context, version.id, 1, do="keep", name="as it came")
    assert len(again["states"]) == 1 and changed["recipe"]["colour"]["saturation"] == 20
    back = put(context, version.id, changed["revision"], {"colour": {"saturation": 0}})
    returned = make(context, version.id, back["revision"], do="return", state=again["states"][0]["id"])
    assert returned["recipe"]["colour"]["saturation"] == 20 and returned["history"][-1]["words"].startswith("Saturation 0")
    assert make(context, version.id, 3, do="forget", state=again["states"][0]["id"])["states"] == []
    with pytest.raises(NotFound, match="no such state"):
        make(context, version.id, returned["revision"], do="return", state=again["states"][0]["id"])
    with pytest.raises(UserError, match="name"):
        make(context, version.id, 3, do="keep", name="  ")


def test_a_recipe_of_an_older_program_is_completed_and_is_no_adjustment(context: Context, shoot: Any) -> None:
    version = Version.get(Version.frame == Frame.get(Frame.name == "TW-0600.dng"))
    older = {k: v for k, v in version.recipe.items() if k not in ("colour", "definition", "finish")}
    older = {**older, "versions": {k: v for k, v in older["versions"].items() if k in ("balance", "exposure")}}
    older["tone"] = {k: v for k, v in older["tone"].items() if k in ("exposure_ev", "contrast", "view", "highlight_recovery")}
    Version.update(recipe=older).where(Version.id == version.id).execute()
    HistoryEntry.update(recipe=older).where(HistoryEntry.version == version).execute()
    state = versions.state(versions.get(version.id))
    assert state["recipe"] == Recipe.neutral(True).to_document()
    changed = put(context, version.id, state["revision"], {"colour": {"saturation": 9}})
    assert changed["adjusted"]
    assert not put(context, version.id, changed["revision"], {"colour": {"saturation": 0}})["adjusted"]
