"""Changes of a version: made once, told right, never decided by what follows them."""

import contextlib
import json
import shutil
import threading
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import small_dng
from tests.services.test_use_cases import make, put, run_jobs
from zincplate.formats.errors import FileError
from zincplate.recipe.document import Recipe
from zincplate.recipe.words import describe
from zincplate.render.view import ViewRequest
from zincplate.services import bring_in, changes, originals, pictures, shoots, versions, views
from zincplate.services.changes import Change
from zincplate.services.context import Context, UserError
from zincplate.store.database import database
from zincplate.store.models import AppliedChange, Frame, HistoryEntry, NamedState, Version


@pytest.fixture
def version(context: Context, tmp_path: Path) -> Version:
    """One small raw frame."""
    path = tmp_path / "TW-0700.dng"
    path.write_bytes(small_dng())
    made = shoots.create("Changes")
    bring_in.start(context, made, [path])
    run_jobs(context)
    return Version.get(Version.frame == Frame.get(Frame.shoot == made))


def words(state: dict[str, Any]) -> list[str]:
    return [h["words"] for h in state["history"][1:]]


def test_a_change_sent_twice_is_made_once_also_undo(context: Context, version: Version) -> None:
    put(context, version.id, 0, {"tone": {"exposure_ev": 0.5}}, id="a")
    put(context, version.id, 1, {"tone": {"contrast": 9}}, id="b")
    undone = make(context, version.id, 2, do="undo", id="c")
    again = make(context, version.id, 2, do="undo", id="c")
    assert undone == again and again["position"] == 1 and again["recipe"]["tone"]["contrast"] == 0
    with pytest.raises(changes.Stale):
        make(context, version.id, 2, do="undo", id="d")
    assert AppliedChange.select().where(AppliedChange.version == version).count() == 3


def test_what_a_refused_change_carried_is_not_remembered_as_made(context: Context, version: Version) -> None:
    with pytest.raises(UserError):
        put(context, version.id, 0, {"tone": {"exposure_ev": 99}}, id="a")
    assert put(context, version.id, 0, {"tone": {"exposure_ev": 1}}, id="a")["revision"] == 1


def test_a_gesture_is_one_entry_that_says_where_it_began(context: Context, version: Version) -> None:
    for n in range(1, 4):
        state = put(context, version.id, n - 1, {"tone": {"exposure_ev": n / 10}}, gesture="g1")
    assert words(state) == ["Exposure 0.00 EV \u2192 +0.30 EV"] and state["position"] == 1 and state["revision"] == 3
    state = put(context, version.id, 3, {"tone": {"exposure_ev": 0.4}}, gesture="g2")
    state = put(context, version.id, 4, {"tone": {"exposure_ev": 0.3}}, gesture="g2")  # back to where this one began
    assert words(state) == ["Exposure 0.00 EV \u2192 +0.30 EV"] and state["position"] == 1
    state = put(context, version.id, 5, {"tone": {"contrast": 5}}, gesture="g3")
    state = make(context, version.id, 6, do="undo")
    # after undo the same gesture begins anew instead of rewriting what is before it
    state = put(context, version.id, 7, {"tone": {"contrast": 6}}, gesture="g3")
    assert words(state) == ["Exposure 0.00 EV \u2192 +0.30 EV", "Contrast round middle grey 0 \u2192 +6"]


def test_undo_and_redo_end_where_the_history_ends(context: Context, version: Version) -> None:
    put(context, version.id, 0, {"tone": {"exposure_ev": 0.5}})
    with pytest.raises(UserError, match="redo"):
        make(context, version.id, 1, do="redo")
    make(context, version.id, 1, do="undo")
    with pytest.raises(UserError, match="undo"):
        make(context, version.id, 2, do="undo")
    assert make(context, version.id, 2, do="redo")["recipe"]["tone"]["exposure_ev"] == 0.5


def test_a_step_is_switched_without_its_values_being_sent(context: Context, version: Version) -> None:
    put(context, version.id, 0, {"tone": {"exposure_ev": 0.5}})
    state = make(context, version.id, 1, do="set", switches={"tone": False})
    assert state["recipe"]["off"] == ["tone"] and state["recipe"]["tone"]["exposure_ev"] == 0.5
    assert make(context, version.id, 2, do="set", switches={"tone": True})["recipe"]["off"] == []


def test_a_change_is_saved_while_the_original_is_away(context: Context, version: Version) -> None:
    before, shown = pictures.small_picture(context, version)
    assert shown and before[:2] == b"\xff\xd8"
    original = originals.original_path(context.home, version.frame)
    away = original.with_name("away")
    original.rename(away)
    context.renderer._sources.drop(lambda key: True)
    state = put(context, version.id, 0, {"tone": {"exposure_ev": 2}})
    assert state["revision"] == 1 and state["notes"] == []
    changed = Version.get_by_id(version.id)
    stand_in, current = pictures.small_picture(context, changed)
    assert stand_in == before and not current
    shutil.rmtree(context.home.cache / "thumbs")
    with pytest.raises(FileError, match="not there"):
        pictures.small_picture(context, changed)
    away.rename(original)
    jpeg, current = pictures.small_picture(context, changed)
    path = pictures.thumb_path(context.home, changed)
    assert current and jpeg != before and [p.name for p in path.parent.iterdir()] == [path.name]


def test_a_small_picture_is_whole_while_newer_ones_take_its_place(
    context: Context, version: Version, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A change that is saved while the picture is on its way takes the file away."""
    write, seen = pictures.write_file, []

    def written_and_gone(path: Path, content: bytes) -> None:
        write(path, content)
        path.unlink()
        seen.append(path)

    shutil.rmtree(context.home.cache / "thumbs")
    monkeypatch.setattr(pictures, "write_file", written_and_gone)
    jpeg, current = pictures.small_picture(context, version)
    assert seen and current and jpeg[:2] == b"\xff\xd8"


def test_a_readable_copy_that_cannot_be_written_is_told_and_written_next_time(context: Context, version: Version) -> None:
    folder = versions.readable_path(context.home, version).parent
    folder.write_text("a file stands where the folder should")
    state = put(context, version.id, 0, {"tone": {"exposure_ev": 2}})
    assert state["revision"] == 1 and "readable copy" in state["notes"][0]
    folder.unlink()
    assert put(context, version.id, 1, {"tone": {"exposure_ev": 1}})["notes"] == []
    readable = json.loads(versions.readable_path(context.home, version).read_text())
    assert readable["recipe"]["tone"]["exposure_ev"] == 1 and readable["revision"] == 2


def test_a_folder_that_cannot_be_written_is_told_once_and_tried_again_by_itself(context: Context, version: Version) -> None:
    folder = versions.readable_path(context.home, version).parent
    folder.write_text("a file stands where the folder should")
    assert len(put(context, version.id, 0, {"tone": {"exposure_ev": 2}})["notes"]) == 1
    assert put(context, version.id, 1, {"tone": {"exposure_ev": 3}})["notes"] == []
    assert versions.catch_up(context.home) == 0
    folder.unlink()
    assert versions.catch_up(context.home) == 1 and versions.catch_up(context.home) == 0
    readable = json.loads(versions.readable_path(context.home, version).read_text())
    assert readable["recipe"]["tone"]["exposure_ev"] == 3 and readable["revision"] == 2
    # told anew when it happens anew
    shutil.rmtree(folder)
    folder.write_text("again")
    assert len(put(context, version.id, 2, {"tone": {"exposure_ev": 1}})["notes"]) == 1
    folder.unlink()


def test_a_copy_that_a_killed_process_did_not_write_is_written_later(
    context: Context, version: Version, monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as killed:
        killed.setattr(changes, "write_readable", lambda *_: "")  # the process ends between the commit and the copy
        put(context, version.id, 0, {"tone": {"exposure_ev": 2}})
    assert not versions.readable_path(context.home, version).exists()
    assert versions.catch_up(context.home) == 1
    assert json.loads(versions.readable_path(context.home, version).read_text())["revision"] == 1


def test_of_two_who_write_the_copy_at_once_the_later_state_stays(context: Context, version: Version) -> None:
    put(context, version.id, 0, {"tone": {"exposure_ev": 2}})
    late = Version.get_by_id(version.id)
    put(context, version.id, 1, {"tone": {"exposure_ev": 3}})
    versions.write_readable(context.home, late)  # held up since the first change
    readable = json.loads(versions.readable_path(context.home, version).read_text())
    assert readable["revision"] == 2 and Version.get_by_id(version.id).readable_revision == 2


def test_frames_of_one_name_have_readable_recipes_of_their_own(context: Context, tmp_path: Path) -> None:
    paths = []
    for n in range(2):
        (tmp_path / str(n)).mkdir()
        paths.append(tmp_path / str(n) / "TW-0701.dng")
        paths[-1].write_bytes(small_dng(seed=n))
    made = shoots.create("Twins")
    bring_in.start(context, made, paths, reference=True)
    run_jobs(context)
    for n, frame in enumerate(Frame.select().where(Frame.shoot == made).order_by(Frame.id)):
        put(context, Version.get(Version.frame == frame).id, 0, {"tone": {"exposure_ev": n + 1}})
    found = {p.name: json.loads(p.read_text())["recipe"]["tone"]["exposure_ev"] for p in context.home.recipes.rglob("*.json")}
    assert found.pop("TW-0701.dng.1.json") == 1 and list(found.values()) == [2]
    # the longest name that a file may have leaves room for the ending
    Frame.update(file_name="\u00e4" * 100 + "." + "x" * 50).where(Frame.shoot == made).execute()
    for frame in Frame.select().where(Frame.shoot == made):
        version = Version.get(Version.frame == frame)
        put(context, version.id, version.revision, {"tone": {"contrast": 1}})
    assert len(list(context.home.recipes.rglob("*.json"))) == 4


def test_three_callers_at_once_wait_for_each_other(context: Context, version: Version) -> None:
    """Naming a state took its locks in another order than saving did, and the database ended one of the callers."""
    problems: list[BaseException] = []
    ready = threading.Barrier(3)

    def work(n: int) -> None:
        with database.connection_context():
            ready.wait()
            for i in range(12):
                try:
                    revision = Version.get_by_id(version.id).revision
                    if n == 0:
                        put(context, version.id, revision, {"tone": {"exposure_ev": (i + 1) / 100}})
                    else:
                        make(context, version.id, revision, do="keep", name=f"state {n}")
                except changes.Stale:
                    pass
                except BaseException as error:
                    problems.append(error)

    threads = [threading.Thread(target=work, args=(n,)) for n in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not problems
    assert NamedState.select().where(NamedState.version == version).count() <= 2
    state = versions.state(versions.get(version.id))
    assert state["revision"] == len(state["history"]) - 1 == state["position"]


def test_of_two_changes_of_one_state_at_once_one_is_told_that_it_is_late(
    context: Context, version: Version, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Both have read the row before either writes it, if the database lets them."""
    both, ends = threading.Barrier(2), list[str]()
    act = changes._ACTS["set"]

    def after_both_have_read(*given: Any) -> None:
        with contextlib.suppress(threading.BrokenBarrierError):  # the other one waits for the row
            both.wait(1.0)
        act(*given)

    monkeypatch.setitem(changes._ACTS, "set", after_both_have_read)
    revision = version.revision

    def work(name: str) -> None:
        with database.connection_context():
            try:
                put(context, version.id, revision, {"tone": {name: 3}})
                ends.append("made")
            except changes.Stale:
                ends.append("late")

    threads = [threading.Thread(target=work, args=(name,)) for name in ("contrast", "shadows")]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(ends) == ["late", "made"]
    assert versions.get(version.id).revision == revision + 1


def test_naming_keeps_what_was_seen_or_says_that_it_changed(context: Context, version: Version) -> None:
    put(context, version.id, 0, {"tone": {"exposure_ev": 0.5}})
    with pytest.raises(changes.Stale):
        make(context, version.id, 0, do="keep", name="as I see it")
    assert NamedState.select().count() == 0


def test_lens_data_that_are_gone_cost_one_frame_its_small_picture(context: Context, version: Version, tmp_path: Path) -> None:
    """A recipe that cannot be rendered stopped the whole job of small pictures."""
    other = tmp_path / "TW-0702.dng"
    other.write_bytes(small_dng(seed=5))
    shoot = version.frame.shoot
    bring_in.start(context, shoot, [other], develop_small=False)
    run_jobs(context)
    recipe = Recipe.from_document(version.recipe).with_values({"framing": {"lens_profile": "Nobody / Gone 50mm"}}).to_document()
    Version.update(recipe=recipe, recipe_hash="gone").where(Version.id == version.id).execute()
    HistoryEntry.update(recipe=recipe).where(HistoryEntry.version == version).execute()
    Frame.update(thumb_state="embedded").where(Frame.id == version.frame_id).execute()

    class Told:
        id = "job"

        def progress(self, share: float, note: str = "") -> None: ...

    ids = [v.id for v in Version.select().order_by(Version.id)]
    assert pictures.make_thumbs(context, Told(), ids) == {"made": 1, "failed": 1}


def test_a_newer_recipe_is_shown_saved_undone_and_named_unharmed(context: Context, version: Version) -> None:
    document = version.recipe
    document["recipe"] = 2
    document["versions"] |= {"view": 2, "passes": 3}
    document["tone"] |= {"depth": 20, "view": "slide"}
    document["passes"] = [{"kind": "brush"}]
    Version.update(recipe=document).where(Version.id == version.id).execute()
    HistoryEntry.update(recipe=document).where(HistoryEntry.version == version).execute()
    context.renderer.view(views.opened(context, version.frame), "k", views.parsed(document), ViewRequest(60, 40, 0, 0, 60, 40))
    state = put(context, version.id, 0, {"tone": {"contrast": 5}})
    assert state["recipe"] == {**document, "tone": {**document["tone"], "contrast": 5}} and "tone.depth" in state["remarks"][0]
    make(context, version.id, 1, do="keep", name="before")
    state = put(context, version.id, state["revision"], {"tone": {"view": "soft"}})
    assert state["recipe"]["tone"]["view"] == "soft" and state["recipe"]["passes"] == document["passes"]
    state = make(context, version.id, state["revision"], do="undo")
    state = make(context, version.id, state["revision"], do="undo")
    assert state["recipe"] == document
    state = make(context, version.id, state["revision"], do="return", state=state["states"][0]["id"])
    assert state["recipe"] == {**document, "tone": {**document["tone"], "contrast": 5}}
    written = json.loads(versions.readable_path(context.home, Version.get_by_id(version.id)).read_text())
    assert written["recipe"] == state["recipe"]


def test_words_when_one_key_is_changed_and_one_is_picked() -> None:
    key = {"centre_lightness": 0.5, "centre_a": 0.1, "centre_b": 0.05, "reach": 30, "hue": 0, "saturation": 0, "lightness": 0}
    clay = {**key, "id": "a", "name": "clay"}
    moss = {**key, "id": "b", "name": "moss"}
    before = Recipe.neutral(True).with_values({"colour": {"own_keys": [clay]}})
    after = Recipe.neutral(True).with_values({"colour": {"own_keys": [moss, {**clay, "saturation": 20}]}})
    assert describe(before, after) == "Key moss picked; Key clay, saturation 0 \u2192 +20"
    assert describe(after, before) == "Key moss removed; Key clay, saturation +20 \u2192 0"


def test_the_state_tells_what_undo_and_redo_will_show(context: Context, version: Version) -> None:
    put(context, version.id, 0, {"tone": {"exposure_ev": 0.5}}, gesture="g")
    make(context, version.id, 1, do="set", values={"tone": {"exposure_ev": 0.8}}, switches={"colour": False})
    state = make(context, version.id, 2, do="undo")
    first, second, third = state["history"]
    assert first["forth"] is None and first["back"] is None and second["gesture"] == "g"
    assert second["back"] == {"values": {"tone": {"exposure_ev": 0.0}}, "switches": {}}
    assert third["forth"] == {"values": {"tone": {"exposure_ev": 0.8}}, "switches": {"colour": False}}
    assert third["back"] == {"values": {"tone": {"exposure_ev": 0.5}}, "switches": {"colour": True}}
    for n in range(versions.KNOWN_STEPS + 5):
        state = put(context, version.id, 3 + n, {"tone": {"contrast": n + 1}})
    known = [h["position"] for h in state["history"] if h["forth"]]
    assert known == list(range(state["position"] - versions.KNOWN_STEPS, state["position"] + 1))


def test_a_page_that_knows_the_rest_is_told_what_is_near(context: Context, version: Version) -> None:
    for n in range(3 * versions.KNOWN_STEPS):
        put(context, version.id, n, {"tone": {"contrast": n + 1}})
    there = 3 * versions.KNOWN_STEPS
    for position in (there // 2, 2, there):
        before = versions.get(version.id).revision
        change = Change(id=f"to-{position}", revision=before, do="go", position=position, near=True)
        near = changes.make(context, version.id, change)
        whole = versions.state(versions.get(version.id))
        told = [h["position"] for h in near["history"]]
        low, high = max(position - versions.KNOWN_STEPS - 1, 0), min(position + versions.KNOWN_STEPS, there)
        assert told == list(range(low, high + 1)) and near["entries"] == len(whole["history"]) == there + 1
        assert near["history"] == whole["history"][low : high + 1]
        # sent twice, or made on another state: who asks does not know the rest
        assert len(changes.make(context, version.id, change)["history"]) == there + 1
        with pytest.raises(changes.Stale) as stale:
            changes.make(context, version.id, change.model_copy(update={"id": "late"}))
        assert len(stale.value.current["history"]) == there + 1
