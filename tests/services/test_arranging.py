"""Names, folders, the order by hand, and frames that were taken out."""

from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import small_dng
from tests.services.test_use_cases import put, run_jobs
from zincplate.services import (
    arranging,
    bring_in,
    describing,
    frame_lists,
    pictures,
    shoots,
    verify,
    version_list,
    versions,
    watching,
)
from zincplate.services.arranging import Arranged
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.watching import Watched, Watcher
from zincplate.store.models import Frame, HistoryEntry, Refusal, Shoot, Version


@pytest.fixture
def card(tmp_path: Path) -> Path:
    """Five files in two subfolders, one name twice."""
    root = tmp_path / "card"
    for i, name in enumerate(("TW-0601.dng", "kiln/TW-0602.dng", "kiln/TW-0603.dng", "kiln/door/TW-0602.dng", "TW-0605.dng")):
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_bytes(small_dng(seed=i, captured_at=f"2026-05-12T07:08:0{i}.000"))
    return root


def brought(context: Context, card: Path, *, kept: bool = False) -> tuple[Shoot, list[int]]:
    made = shoots.create("Kiln door")
    bring_in.start(context, made, bring_in.files_in(card), develop_small=False, folders_from=str(card) if kept else "")
    run_jobs(context)
    return made, [f["id"] for f in frame_lists.frames(made.id)]


def again(before: list[dict[str, Any]]) -> list[Arranged]:
    return [Arranged.model_validate(row) for row in before]


def called(shoot: Shoot) -> list[str]:
    return [f["name"] for f in frame_lists.frames(shoot.id)]


def by_hand(shoot: Shoot) -> list[int]:
    return [i for i, _ in arranging.in_hand_order(shoot.id)]


def test_subfolders_become_folders_of_the_shoot_when_asked(context: Context, card: Path) -> None:
    shoot, _ = brought(context, card, kept=True)
    rows = [(f["name"], f["folder"]) for f in frame_lists.frames(shoot.id)]
    assert rows == [
        ("TW-0601.dng", ""),
        ("TW-0602.dng", "kiln"),
        ("TW-0603.dng", "kiln"),
        ("TW-0602.dng", "kiln/door"),
        ("TW-0605.dng", ""),
    ]
    assert (context.home.originals / shoot.folder / "kiln" / "door" / "TW-0602.dng").is_file()
    assert verify.verify(context.home, database=True).problems == []
    one = shoots.create("One file")  # named instead of a folder
    file = card / "kiln" / "TW-0603.dng"
    bring_in.start(context, one, bring_in.files_in(file), develop_small=False, folders_from=str(file))
    run_jobs(context)
    assert [(f["name"], f["folder"]) for f in frame_lists.frames(one.id)] == [("TW-0603.dng", "")]
    plain, _ = brought(context, card)
    assert {f["folder"] for f in frame_lists.frames(plain.id)} == {""}


def test_of_a_watched_folder_twins_in_two_subfolders_both_come(context: Context, card: Path) -> None:
    shoot = shoots.create("Watched")
    twin = card / "kiln" / "door" / "TW-0603.dng"
    first = card / "kiln" / "TW-0603.dng"
    pair = [first.read_bytes(), small_dng(seed=77, captured_at="2026-05-12T07:09:00.000")]
    for path, content in zip((first, twin), pair, strict=True):
        path.write_bytes(content.ljust(max(map(len, pair)), b"\0"))
    watching.watch(context.home, Watched(shoot=shoot.id, folder=str(card), keep_folders=True))
    twin_away = card.parent / "away"
    twin.rename(twin_away)
    watcher = Watcher()
    assert (watcher.look(context), watcher.look(context)) == (0, 5)
    run_jobs(context)
    twin_away.rename(twin)
    started_anew = Watcher()
    assert (started_anew.look(context), started_anew.look(context)) == (0, 1)
    run_jobs(context)
    assert len(frame_lists.frames(shoot.id)) == 6 and not Refusal.select().exists()


def test_frames_are_called_by_a_pattern_and_their_files_keep_their_names(context: Context, card: Path) -> None:
    shoot, ids = brought(context, card)
    version = Version.get(Version.frame == ids[1])
    put(context, version.id, 0, {"tone": {"exposure_ev": 1}})
    readable = versions.readable_path(context.home, version)
    assert arranging.names(ids[:2], "{date} {number} {name}", 9) == ["2026-05-12 09 TW-0601.dng", "2026-05-12 10 TW-0602.dng"]
    before = arranging.rename(ids, "Kiln door {number}", 98)
    assert called(shoot) == [f"Kiln door {n:03d}.dng" for n in range(98, 103)]
    assert shoots.find(shoot.id, "door 099") == [ids[1]] and shoots.find(shoot.id, "0601") == [ids[0]]
    describing.describe([ids[0]], describing.Description(title="The door"))
    assert shoots.find(shoot.id, "0601") == [ids[0]] and shoots.find(shoot.id, "098") == [ids[0]]
    assert versions.readable_path(context.home, Version.get_by_id(version.id)) == readable and readable.is_file()
    assert verify.verify(context.home, database=True).problems == []
    bring_in.start(context, shoot, bring_in.files_in(card))  # known by content, under whatever name
    run_jobs(context)
    assert len(called(shoot)) == 5 and not Refusal.select().exists()
    assert arranging.put_back(again(before)) == 5
    assert called(shoot) == ["TW-0601.dng", "TW-0602.dng", "TW-0603.dng", "TW-0602.dng", "TW-0605.dng"]
    assert shoots.find(shoot.id, "098") == []


@pytest.mark.parametrize(
    ("pattern", "reason"),
    [
        ("Door", "one name"),
        ("   ", "Give a name"),
        ("{colour} {number}", "no {colour}"),
        ("a/{number}", "no /"),
        (".{number}", "begin with a dot"),
        ("{number}" + "x" * 199, "at most 200"),
    ],
)
def test_names_that_cannot_be(context: Context, card: Path, pattern: str, reason: str) -> None:
    shoot, ids = brought(context, card)
    before = called(shoot)
    with pytest.raises(UserError, match=reason):
        arranging.rename(ids, pattern)
    assert called(shoot) == before


def test_one_frame_may_have_any_name_and_a_frame_that_is_gone_none(context: Context, card: Path) -> None:
    shoot, ids = brought(context, card)
    arranging.rename(ids[:1], "Türe 窯 1.2")
    assert called(shoot)[0] == "Türe 窯 1.2.dng"
    shoots.remove(ids[1:2])
    with pytest.raises(NotFound):
        arranging.rename(ids[:2], "{number}")


def test_frames_are_put_into_folders(context: Context, card: Path) -> None:
    shoot, ids = brought(context, card, kept=True)
    before = arranging.put_into(ids[:2], " doors / left ")
    assert [f["folder"] for f in frame_lists.frames(shoot.id)] == ["doors/left", "doors/left", "kiln", "kiln/door", ""]
    arranging.put_back(again(before))
    assert [f["folder"] for f in frame_lists.frames(shoot.id)] == ["", "kiln", "kiln", "kiln/door", ""]
    for bad in ("../up", "a\\b", "x" * 401):
        with pytest.raises(UserError):
            arranging.put_into(ids, bad)


def test_the_order_by_hand(context: Context, card: Path) -> None:
    shoot, (a, b, c, d, e) = brought(context, card)
    assert by_hand(shoot) == [a, b, c, d, e]
    before = arranging.place(shoot.id, [e, c], a)
    assert by_hand(shoot) == [e, c, a, b, d] and len(before) == 5
    assert len(arranging.place(shoot.id, [a], None)) == 1  # only what moves is written
    assert by_hand(shoot) == [e, c, b, d, a]
    arranging.place(shoot.id, [a, d], e)
    assert by_hand(shoot) == [a, d, e, c, b]
    arranging.put_back(again(arranging.place(shoot.id, [b], d)))
    assert by_hand(shoot) == [a, d, e, c, b]
    arranging.put_back(again(before))
    assert by_hand(shoot) == [a, b, c, d, e]
    with pytest.raises(UserError):
        arranging.place(shoot.id, [a, b], a)
    for there, before_it in ((shoot.id, 99_999), (shoot.id + 1, a)):
        with pytest.raises(NotFound):
            arranging.place(there, [a], before_it)


def test_there_is_always_room_between_two(context: Context, card: Path) -> None:
    """Forty moves into one gap halve it below what is told apart; then all get new places."""
    shoot, (a, b, c, d, e) = brought(context, card)
    expected = [a, b, c, d, e]
    for k in range(60):
        moved = (b, c)[k % 2]
        arranging.place(shoot.id, [moved], d)
        expected.remove(moved)
        expected.insert(expected.index(d), moved)
        assert by_hand(shoot) == expected
    places = [p for _, p in arranging.in_hand_order(shoot.id) if p is not None]
    assert len(places) == 5 and min(q - p for p, q in pairwise(places)) > arranging.CLOSEST


def test_what_came_later_stands_behind_and_can_be_placed(context: Context, card: Path) -> None:
    shoot, ids = brought(context, card)
    arranging.place(shoot.id, [ids[4]], ids[0])
    late = card / "late.dng"
    late.write_bytes(small_dng(seed=50, captured_at="2026-05-12T06:00:00.000"))
    bring_in.start(context, shoot, [late], develop_small=False)
    run_jobs(context)
    new = Frame.get(Frame.name == "late.dng").id
    assert by_hand(shoot) == [ids[4], *ids[:4], new]
    arranging.place(shoot.id, [ids[0]], None)
    assert by_hand(shoot) == [ids[4], *ids[1:4], new, ids[0]]


def test_what_was_taken_out_is_listed_and_deleted_only_when_asked(context: Context, card: Path) -> None:
    shoot, ids = brought(context, card)
    version = Version.get(Version.frame == ids[0])
    put(context, version.id, 0, {"tone": {"exposure_ev": 1}})
    pictures.small_picture(context, Version.get_by_id(version.id))
    readable = versions.readable_path(context.home, version)
    kept = [context.home.originals / Frame.get_by_id(i).path for i in ids]
    shoots.remove(ids[:3])
    assert {row["id"] for row in arranging.taken_out(shoot.id)} == set(ids[:3])
    assert arranging.erase(context, ids[3:], originals=True)["frames"] == 0  # still in the shoot
    assert arranging.erase(context, ids[:1], originals=False) == {"frames": 1, "files": 0, "freed_bytes": 0}
    assert kept[0].is_file() and not readable.exists() and not HistoryEntry.select().where(HistoryEntry.version == version.id)
    assert not list(pictures.thumb_path(context.home, version).parent.glob(f"{version.id}-*"))
    size = kept[1].stat().st_size
    assert arranging.erase(context, ids[1:2], originals=True) == {"frames": 1, "files": 1, "freed_bytes": size}
    assert not kept[1].exists() and kept[2].exists()
    assert verify.verify(context.home, database=True).problems == []
    shoots.restore(ids[2:3])
    assert len(called(shoot)) == 3
    bring_in.start(context, shoot, [card / "kiln" / "TW-0602.dng"])  # comes in as new
    run_jobs(context)
    assert len(called(shoot)) == 4 and verify.verify(context.home, database=True).problems == []


def test_a_file_that_is_only_referred_to_is_never_deleted(context: Context, card: Path) -> None:
    shoot = shoots.create("Referred")
    bring_in.start(context, shoot, bring_in.files_in(card), develop_small=False, reference=True)
    run_jobs(context)
    ids = [f["id"] for f in frame_lists.frames(shoot.id)]
    shoots.remove(ids)
    assert arranging.erase(context, ids, originals=True) == {"frames": 5, "files": 0, "freed_bytes": 0}
    assert len(bring_in.files_in(card)) == 5


def test_a_deleted_version_is_no_fault_of_the_library(context: Context, card: Path) -> None:
    _, ids = brought(context, card)
    first = Version.get(Version.frame == ids[0])
    put(context, first.id, 0, {"tone": {"exposure_ev": 1}})
    version_list.create(context, ids[0], None)
    version_list.delete(context, first.id)
    assert verify.verify(context.home, database=True).problems == []
