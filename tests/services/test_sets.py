"""Sets of a shoot: what is proposed, and what the user decides."""

from pathlib import Path

import pytest

from tests.conftest import small_dng
from tests.services.test_use_cases import run_jobs
from zincplate.services import bring_in, frame_lists, pictures, sets, shoots
from zincplate.services.context import Context, NotFound, UserError
from zincplate.store.models import Frame, FrameSet, Job, Version


@pytest.fixture
def shoot(context: Context, tmp_path: Path) -> int:
    """A bracket of three, a burst of three, and one by itself."""
    made = shoots.create("Sets")
    paths = []
    for i, (second, meter_ev) in enumerate(((0, -1.7), (4, 0.3), (8, 2.3), (200, 0.3), (200.4, 0.3), (200.8, 0.3), (900, 0.3))):
        paths.append(tmp_path / f"TW-07{i:02d}.dng")
        taken = f"2026-05-12T07:{10 + int(second) // 60:02d}:{second % 60:06.3f}"
        paths[-1].write_bytes(small_dng(seed=80 + i, meter_ev=meter_ev, captured_at=taken))
    bring_in.start(context, made, paths)
    run_jobs(context)
    return int(made.id)


def found(shoot: int) -> list[tuple[str, str, list[str]]]:
    rows = frame_lists.frames(shoot)
    names = {s["id"]: [r["name"][6:7] for r in rows if r["set"] == s["id"]] for s in sets.of_shoot(shoot)}
    return [(s["kind"], s["state"], names[s["id"]]) for s in sets.of_shoot(shoot)]


def again(context: Context, shoot: int) -> None:
    sets.start(context, shoot)
    run_jobs(context)


PROPOSED = [("bracket", "proposed", ["0", "1", "2"]), ("burst", "proposed", ["3", "4", "5"])]


def test_sets_are_proposed_after_bringing_in_and_again_without_doubling(context: Context, shoot: int) -> None:
    assert found(shoot) == PROPOSED
    before = [s["id"] for s in sets.of_shoot(shoot)], Frame.select(Frame.changed_at).order_by(Frame.id).tuples()[:]
    again(context, shoot)
    # the same sets, and nothing for a page to ask for
    assert before == ([s["id"] for s in sets.of_shoot(shoot)], Frame.select(Frame.changed_at).order_by(Frame.id).tuples()[:])
    assert found(shoot) == PROPOSED and FrameSet.select().where(FrameSet.shoot == shoot).count() == 2


def test_a_proposal_that_waits_is_not_asked_for_twice(context: Context, shoot: int) -> None:
    first, second = sets.start(context, shoot), sets.start(context, shoot)
    other = sets.start(context, int(shoots.create("Elsewhere").id))
    assert first["id"] == second["id"] != other["id"]
    run_jobs(context)
    assert sets.start(context, shoot)["id"] != first["id"]  # that one is done
    run_jobs(context)


def test_sets_that_are_proposed_no_more_go(context: Context, shoot: int) -> None:
    """The bracket's last frame is taken out of the shoot: two exposures are left; the burst stays as it is."""
    ids, burst = [f["id"] for f in frame_lists.frames(shoot)], sets.of_shoot(shoot)[1]["id"]
    shoots.remove(ids[1:3])
    again(context, shoot)
    assert found(shoot) == [PROPOSED[1]] and [s["id"] for s in sets.of_shoot(shoot)] == [burst]


def test_small_pictures_of_known_frames_propose_nothing(context: Context, shoot: int) -> None:
    before = Job.select().where(Job.kind == "sets").count()
    ids = [v.id for v in Version.select()]
    pictures.SMALL_PICTURES.submit(context, "Small pictures", pictures.Versions(version_ids=ids))
    run_jobs(context)
    assert Job.select().where(Job.kind == "sets").count() == before


def test_what_was_decided_stays(context: Context, shoot: int) -> None:
    ids = [f["id"] for f in frame_lists.frames(shoot)]
    bracket = sets.of_shoot(shoot)[0]["id"]
    sets.keep([bracket])
    sets.take_out(ids[3:4])
    # two of the burst are left: still a set, until another one leaves
    assert found(shoot) == [("bracket", "kept", ["0", "1", "2"]), ("burst", "proposed", ["4", "5"])]
    sets.take_out(ids[4:5])
    assert found(shoot) == [("bracket", "kept", ["0", "1", "2"])]
    again(context, shoot)
    assert found(shoot) == [("bracket", "kept", ["0", "1", "2"])]  # one frame of the burst is left to propose: none
    made = sets.make(ids[5:7], "sweep", "  two   ")
    assert found(shoot)[1] == ("sweep", "kept", ["5", "6"]) and sets.of_shoot(shoot)[1]["name"] == "two"
    sets.change(made["set"], "focus", None)
    assert sets.of_shoot(shoot)[1]["kind"] == "focus"
    again(context, shoot)
    assert [f[0] for f in found(shoot)] == ["bracket", "focus"]
    # frames that join another set leave theirs; one with a single frame left is gone
    sets.make([ids[0], ids[5]], "other")
    assert found(shoot) == [("bracket", "kept", ["1", "2"]), ("other", "kept", ["0", "5"])]


def test_sets_that_make_no_sense_are_refused(context: Context, shoot: int) -> None:
    ids = [f["id"] for f in frame_lists.frames(shoot)]
    other = shoots.create("Elsewhere")
    for frames, kind, words in (
        (ids[:1], "bracket", "two frames"),
        (ids[:2], "heap", "no kind"),
        ([ids[0], 10**6], "bracket", "still there"),
    ):
        with pytest.raises(UserError, match=words):
            sets.make(frames, kind)
    with pytest.raises(NotFound):
        sets.change(10**6, "bracket", None)
    with pytest.raises(NotFound):
        sets.start(context, 10**6)
    again(context, other.id)
    assert sets.of_shoot(other.id) == []
    shoots.remove(ids[:3])
    again(context, shoot)
    assert [f[0] for f in found(shoot)] == ["burst"]
    assert Frame.select().where(Frame.id.in_(ids[:3]), Frame.set_id.is_null(False)).count() == 0
