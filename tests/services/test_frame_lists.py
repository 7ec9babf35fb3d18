"""Lists that are kept in memory say what the store says, whatever happened in between."""

import json
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest

from tests.services.test_carrying import six as six
from tests.services.test_use_cases import put
from zincplate.services import arranging, bulk, carry, changes, find, frame_lists, overview, sets, shoots, version_list, versions
from zincplate.services.carry import Carry, Target
from zincplate.services.context import Context, NotFound
from zincplate.services.describing import Description, describe
from zincplate.store.models import Delivered, Frame, Version, now


def test_a_kept_list_is_the_list(context: Context, six: list[Version], monkeypatch: pytest.MonkeyPatch) -> None:
    """Every kind of change that a list shows, one after the other; parts of two frames, so that most of a list is kept."""
    monkeypatch.setattr(frame_lists, "PART", 2)
    shoot, lists, all_shoots = six[0].frame.shoot_id, frame_lists.KeptLists(), overview.Overviews()
    ids = [v.frame_id for v in six]
    made = shoots.create("Between")  # a frame of another shoot whose number lies in the same part
    Frame.update(shoot=made).where(Frame.id == ids[3]).execute()

    def copy() -> None:
        version_list.create(context, ids[1], six[1].id, "second")

    def delivered() -> None:
        facts = {"content_hash": "0" * 64, "size_bytes": 1, "width": 1, "height": 1}
        Delivered.create(version=six[2], revision=1, recipe={}, preset={}, path="x.jpg", **facts)
        versions.touch(six[2])

    def carried() -> None:
        asked = Carry(source=six[0].id, operations=["exposure"], targets=[Target(version=v.id, values={}) for v in six[4:]])
        bulk.move(carry.carry(context, asked)["bulk"], undo=True)

    def at(frame: int, **values: Any) -> Callable[[], Any]:
        return lambda: Frame.update(changed_at=now(), **values).where(Frame.id == frame).execute()

    changes: list[Callable[[], Any]] = [
        lambda: None,
        lambda: put(context, six[0].id, 0, {"tone": {"exposure_ev": 0.5}}),
        lambda: shoots.mark_frames([ids[4]], mark="keep", stars=3, label="proof"),
        copy,
        delivered,
        carried,
        lambda: sets.make(ids[:2], "bracket"),
        lambda: sets.take_out(ids[:2]),
        lambda: arranging.put_into([ids[4]], "hall"),
        lambda: arranging.place(shoot, [ids[5]], ids[0]),
        lambda: arranging.rename([ids[1]], "Aa {number}"),
        lambda: describe([ids[5]], Description(title="Kiln hall")),
        lambda: shoots.remove([ids[2]]),
        lambda: shoots.restore([ids[2]]),
        at(ids[5], captured_at=datetime(2020, 1, 1)),
        at(ids[0], name="ZZ"),
        at(ids[0], captured_at=None),
        at(ids[3], shoot=shoot),
        # the clock was set back: what is stamped now is older than everything that is kept
        lambda: Frame.update(changed_at=datetime(2001, 1, 1), stars=5).where(Frame.id == ids[1]).execute(),
    ]
    for number, change in enumerate(changes):
        change()
        assert json.loads(lists.columns(shoot)) == frame_lists.columns(shoot)["columns"], number
        assert all_shoots.all() == overview.Overviews().all(), number
    assert json.loads(lists.columns(made.id))["id"] == []
    shoots.remove(ids)
    made.delete_instance()
    (told,) = all_shoots.all()
    assert told["id"] == shoot and told["frames"] == 0 and told["covers"] == []


def test_shoots_are_counted(context: Context, six: list[Version]) -> None:
    ids, counted = [v.frame_id for v in six], overview.Overviews()
    empty = shoots.create("Nothing yet")
    shoots.mark_frames(ids[:2], mark="keep")
    shoots.mark_frames(ids[2:3], mark="drop")
    put(context, six[0].id, 0, {"tone": {"exposure_ev": 0.5}})
    version_list.create(context, ids[0], six[0].id)  # two adjusted versions are one adjusted frame
    none, told = counted.all()
    assert none == {"id": empty.id, "name": "Nothing yet", "created_at": none["created_at"], "refused": 0, **overview.NOTHING}
    assert [told[k] for k in ("frames", "kept", "adjusted", "delivered", "refused")] == [6, 2, 1, 0, 0]
    assert (told["first_at"], told["last_at"]) == ("2026-05-12T07:08:09.250000", "2026-05-12T07:08:34.250000")
    # kept ones first, the dropped one not at all; pictures as the list has them
    lists = frame_lists.columns(six[0].frame.shoot_id)["columns"]
    order = [0, 1, 3, 4, 5]
    assert told["covers"] == [{"version": lists["version"][i], "thumb": lists["thumb"][i]} for i in order]
    shoots.remove(ids[:1])
    told = counted.all()[1]
    assert [told[k] for k in ("frames", "kept", "adjusted")] == [5, 1, 0] and told["size_bytes"] == sum(lists["size_bytes"][1:])


def test_only_parts_that_changed_are_read_anew(context: Context, six: list[Version], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(frame_lists, "PART", 2)
    shoot, lists = six[0].frame.shoot_id, frame_lists.KeptLists()
    lists.columns(shoot)
    read, plain = [], frame_lists._rows
    monkeypatch.setattr(frame_lists, "_rows", lambda mine, whole: read.append((whole, len(rows := plain(mine, whole)))) or rows)
    lists.columns(shoot)
    assert read == []
    shoots.mark_frames([six[2].frame_id], stars=2)
    lists.columns(shoot)
    assert len(read) == 1 and not read[0][0] and read[0][1] <= 2


def test_lists_of_a_few_shoots_are_kept(context: Context, six: list[Version]) -> None:
    lists = frame_lists.KeptLists()
    for number in range(9):
        lists.columns(shoots.create(f"Shoot {number}").id)
    assert len(lists._kept) == frame_lists.MOST_KEPT
    lists.columns(six[0].frame.shoot_id)
    assert six[0].frame.shoot_id in lists._kept


def test_a_clock_that_was_set_back_hides_no_change(context: Context, six: list[Version]) -> None:
    """A page or a search that asks with a stamp of the future is told everything."""
    shoot, ahead = six[0].frame.shoot_id, datetime(2999, 1, 1)
    shoots.remove([six[5].frame_id])
    told = frame_lists.columns(shoot, ahead)
    assert told["columns"]["id"] == [v.frame_id for v in six[:5]] and told["removed"] == [six[5].frame_id]
    assert told["stamp"] < "2999"
    catalogue = find.Catalogue()
    assert len(catalogue.rows()) == 5
    catalogue._stamp = ahead
    shoots.restore([six[5].frame_id])
    assert len(catalogue.rows()) == 6
    catalogue._stamp = ahead
    shoots.mark_frames([six[0].frame_id], stars=4)
    assert [row[4] for row in catalogue.rows() if row[0] == six[0].frame_id] == [4]


def test_a_list_of_no_shoot_is_refused(context: Context, tmp_path: Path) -> None:
    with pytest.raises(NotFound):
        frame_lists.columns(999_999)


def test_a_list_says_which_frames_have_passes_and_repairs(context: Context, six: list[Version]) -> None:
    """The store works it out, whoever writes: the bench, carrying, undoing; a step that is off is not counted."""
    shoot = six[0].frame.shoot_id

    def told() -> dict[str, tuple[list[int], list[int]]]:
        lists = frame_lists.columns(shoot)["columns"]
        return tuple([i for i, held in enumerate(lists[name]) if held] for name in ("passes", "repairs"))  # type: ignore[return-value]

    assert told() == ([], [])
    stroke = {"id": "s", "points": [2000, 2000, 4000, 3000], "size": 0.05}
    ring = {"id": "t", "kind": "ring", "x": 0.5, "y": 0.5, "radius_x": 0.2, "radius_y": 0.2}
    one = {"id": "p", "area": {"terms": [ring]}, "controls": {"exposure_ev": 1}}
    put(context, six[1].id, 0, {"passes": {"passes": [one]}})
    put(context, six[2].id, 0, {"repair": {"repairs": [{"id": "r", "kind": "spot", "strokes": [stroke], "dx": 0.1}]}})
    assert told() == ([1], [2])
    asked = Carry(source=six[1].id, operations=["passes"], targets=[Target(version=v.id, values={}) for v in six[3:5]])
    done = carry.carry(context, asked)
    assert told() == ([1, 3, 4], [2])
    bulk.move(done["bulk"], undo=True)
    assert told() == ([1], [2])
    off = changes.Change(id="", revision=1, do="set", values={}, switches={"passes": False})
    changes.make(context, six[1].id, off)
    assert told() == ([], [2])
    # what is shown is the cover
    second = version_list.create(context, six[2].frame_id, None, "plain")
    version_list.choose_cover(second["id"])
    assert told() == ([], [])
