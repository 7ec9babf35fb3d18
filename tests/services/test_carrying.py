"""Across a shoot: carry, undo for all, edit together, versions, presets, the list in columns, histories of differences."""

import json
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import small_dng
from tests.services.test_use_cases import make, put, run_jobs
from zincplate.ops.order import ORDER
from zincplate.recipe.difference import applied, between
from zincplate.recipe.document import Recipe
from zincplate.services import (
    bring_in,
    bulk,
    carry,
    frame_lists,
    history,
    overview,
    recipe_presets,
    shoots,
    version_list,
    versions,
)
from zincplate.services.carry import Carry, Target
from zincplate.services.context import Context, NotFound, UserError
from zincplate.store.models import Bulk, Frame, HistoryEntry, Version, now


@pytest.fixture
def six(context: Context, tmp_path: Path) -> list[Version]:
    """Six small raw frames, half a minute apart."""
    made = shoots.create("Carrying")
    paths = []
    for i in range(6):
        paths.append(tmp_path / f"TW-07{i:02d}.dng")
        paths[-1].write_bytes(small_dng(seed=30 + i, captured_at=f"2026-05-12T07:08:{9 + 5 * i:02d}.250"))
    bring_in.start(context, made, paths, develop_small=False)
    run_jobs(context)
    return list(Version.select().join(Frame).where(Frame.shoot == made).order_by(Frame.name))


def tone(version: Version) -> dict[str, Any]:
    found: dict[str, Any] = Version.get_by_id(version.id).recipe["tone"]
    return found


def targets(found: list[Version], **own: dict[str, Any]) -> list[Target]:
    return [Target(version=v.id, values=own.get(v.frame.name[:7].replace("-", ""), {})) for v in found]


def test_a_carry_is_one_step_that_leaves_alone_what_was_changed_since(context: Context, six: list[Version]) -> None:
    source, *rest = six
    put(context, source.id, 0, {"tone": {"exposure_ev": 0.7, "contrast": 12}, "balance": {"temperature_kelvin": 4800}})
    put(context, rest[0].id, 0, {"tone": {"exposure_ev": -2, "shadows": 30}})
    asked = Carry(
        source=source.id, operations=["exposure", "balance"], request_key="once",
        targets=targets(rest, TW0702={"tone": {"exposure_ev": 1.4}}),
    )  # fmt: skip
    done = carry.carry(context, asked)
    assert sorted(done["changed"]) == sorted(v.id for v in rest) and not done["refused"]
    assert carry.carry(context, asked)["bulk"] == done["bulk"]  # sent twice, done once
    assert [tone(v)["exposure_ev"] for v in rest] == [0.7, 1.4, 0.7, 0.7, 0.7]
    assert [tone(v)["contrast"] for v in six] == [12, 0, 0, 0, 0, 0] and tone(rest[0])["shadows"] == 30
    state = versions.state(Version.get_by_id(rest[0].id))
    assert state["history"][-1]["words"] == "Carried from TW-0700.dng: white balance, exposure" and state["adjusted"]
    # one of them is worked on; another undone by hand: the step back for all says so
    put(context, rest[1].id, 1, {"tone": {"white_point": 5}})
    make(context, rest[2].id, 1, do="undo")
    back = carry.undo(done["bulk"])
    assert back["left"] == ["TW-0702.dng"] and sorted(back["changed"]) == sorted(rest[i].id for i in (0, 3, 4))
    assert [tone(v)["exposure_ev"] for v in rest] == [-2, 1.4, 0, 0, 0]
    assert not Version.get_by_id(rest[3].id).adjusted and Version.get_by_id(rest[0].id).adjusted
    again = carry.redo(done["bulk"])
    assert sorted(again["changed"]) == sorted(rest[i].id for i in (0, 2, 3, 4)) and again["left"] == []
    assert [tone(v)["exposure_ev"] for v in rest] == [0.7, 1.4, 0.7, 0.7, 0.7]
    assert versions.catch_up(context.home) >= 4
    # made again by hand for one of them, the step is in force there: redoing it for all leaves nothing to name
    carry.undo(done["bulk"])
    make(context, rest[3].id, Version.get_by_id(rest[3].id).revision, do="redo")
    last = carry.redo(done["bulk"])
    assert last["left"] == [] and rest[3].id not in last["changed"] and rest[4].id in last["changed"]
    versions.catch_up(context.home)
    readable = json.loads(versions.readable_path(context.home, rest[4]).read_text())
    assert readable["recipe"]["tone"]["exposure_ev"] == 0.7


def test_carrying_the_same_again_changes_nothing_and_framing_is_checked(context: Context, six: list[Version]) -> None:
    source, one, *_ = six
    put(context, source.id, 0, {"framing": {"angle": 3.0}})
    asked = {"source": source.id, "operations": ["turn", "movements"], "targets": targets([one])}
    assert carry.carry(context, Carry(**asked))["changed"] == [one.id]
    again = carry.carry(context, Carry(**asked))
    assert again["bulk"] is None and again["unchanged"] == [one.id]
    assert Version.get_by_id(one.id).revision == 1 and Bulk.select().where(Bulk.words == again["words"]).count() == 1
    bad = Carry(targets=[Target(version=one.id, values={"framing": {"lens_profile": "Nobody / Gone 50mm"}})])
    refused = carry.carry(context, bad)
    assert refused["changed"] == [] and refused["refused"][0]["frame"] == one.frame.name
    gone = carry.carry(context, Carry(reset=True, targets=[Target(version=10**6)]))
    assert gone["refused"][0]["reason"].startswith("It is not there")
    with pytest.raises(UserError, match="no adjustment"):
        carry.carry(context, Carry(source=source.id, operations=["sparkle"], targets=targets([one])))
    # a rule between controls of one adjustment holds on every frame, also where only one of them is carried
    put(context, one.id, 1, {"tone": {"level_white": 100}})
    crossed = carry.carry(context, Carry(targets=[Target(version=one.id, values={"tone": {"level_black": 120}})]))
    assert crossed["changed"] == [] and "tone: input white" in crossed["refused"][0]["reason"]
    unknown = carry.carry(context, Carry(targets=[Target(version=one.id, values={"tone": {"sparkle": 1}})]))
    assert "no control" in unknown["refused"][0]["reason"]


def test_exposure_and_balance_carried_as_a_change(context: Context, six: list[Version]) -> None:
    source, one, two, *_ = six
    put(context, source.id, 0, {"tone": {"exposure_ev": 0.5}, "balance": {"temperature_kelvin": 5000}})
    put(context, one.id, 0, {"tone": {"exposure_ev": 1.0}, "balance": {"temperature_kelvin": 4000}})
    asked = Carry(
        source=source.id, operations=["exposure", "balance"], as_change=["exposure", "balance"], targets=targets([one, two])
    )
    carry.carry(context, asked)
    assert [tone(v)["exposure_ev"] for v in (one, two)] == [1.5, 0.5]
    kelvin = [Version.get_by_id(v.id).recipe["balance"]["temperature_kelvin"] for v in (one, two)]
    as_shot = bulk.as_shot_of(context, source.frame)
    assert as_shot is not None
    by_mired = 1e6 / 5000 - 1e6 / as_shot[0]
    assert kelvin[0] == pytest.approx(1e6 / (250 + by_mired), abs=1)
    assert kelvin[1] == pytest.approx(5000, abs=1)  # the same camera, the same light: the change ends where the source's did
    with pytest.raises(UserError, match="Only exposure"):
        carry.carry(context, Carry(source=source.id, operations=["curve"], as_change=["curve"], targets=targets([one])))


def test_reset_of_many_and_each_its_own_values(context: Context, six: list[Version]) -> None:
    for v in six[:3]:
        put(context, v.id, 0, {"tone": {"exposure_ev": 2}, "colour": {"vibrance": 20}})
    carry.carry(context, Carry(reset=True, operations=["exposure"], targets=targets(six[:2])))
    assert [
        (tone(v)["exposure_ev"], v.refresh().recipe["colour"]["vibrance"]) if False else tone(v)["exposure_ev"] for v in six[:3]
    ] == [0, 0, 2]
    done = carry.carry(context, Carry(reset=True, targets=targets(six[:3])))
    assert not any(Version.get_by_id(v.id).adjusted for v in six[:3])
    assert Version.get_by_id(six[0].id).recipe == Recipe.neutral(True).to_document()
    carry.undo(done["bulk"])
    assert [Version.get_by_id(v.id).recipe["colour"]["vibrance"] for v in six[:3]] == [20, 20, 20]
    own = [Target(version=v.id, values={"tone": {"exposure_ev": i / 10}}) for i, v in enumerate(six)]
    carry.carry(context, Carry(targets=own))
    assert [tone(v)["exposure_ev"] for v in six] == [0, 0.1, 0.2, 0.3, 0.4, 0.5]
    steps = carry.recent(six[0].frame.shoot_id)
    assert [(s["kind"], s["frames"], s["undone"]) for s in steps[:2]] == [("even", 5, False), ("reset", 3, True)]


def test_edited_together_is_one_step_for_all(context: Context, six: list[Version]) -> None:
    first, second, third, *_ = six
    put(context, second.id, 0, {"tone": {"exposure_ev": -1}})
    together = [first.id, second.id, third.id]
    for n in (1, 2, 3):  # one gesture
        put(context, first.id, n - 1, {"tone": {"exposure_ev": n / 10}}, gesture="g", together=together, as_change=True)
    assert [tone(v)["exposure_ev"] for v in (first, second, third)] == [0.3, -0.7, 0.3]
    assert [Version.get_by_id(v.id).position for v in (first, second, third)] == [1, 2, 1]
    assert Bulk.select().count() - Bulk.select().where(Bulk.kind != "together").count() >= 1
    put(context, first.id, 3, {"tone": {"contrast": 8}}, gesture="h", together=together)
    assert [tone(v)["contrast"] for v in (first, second, third)] == [8, 8, 8]
    make(context, first.id, 4, do="undo", together=together)
    assert [tone(v)["contrast"] for v in (first, second, third)] == [0, 0, 0]
    make(context, first.id, 5, do="undo", together=together)
    assert [tone(v)["exposure_ev"] for v in (first, second, third)] == [0, -1, 0]
    make(context, first.id, 6, do="redo", together=together)
    assert [tone(v)["exposure_ev"] for v in (first, second, third)] == [0.3, -0.7, 0.3]
    # a gesture of one frame alone and one of all are not one step
    put(context, third.id, Version.get_by_id(third.id).revision, {"tone": {"shadows": 5}}, gesture="k")
    put(context, first.id, 7, {"tone": {"shadows": 9}}, gesture="k", together=together)
    assert Version.get_by_id(third.id).position == 3
    make(context, first.id, 8, do="undo", together=together)
    assert [tone(v)["shadows"] for v in (first, second, third)] == [0, 0, 5]
    # no longer together: the step is this frame's alone
    make(context, first.id, 9, do="undo")
    assert [tone(v)["exposure_ev"] for v in (first, second, third)] == [0, -0.7, 0.3]
    put(context, first.id, 10, {}, switches={"tone": False}, together=together)
    assert all(Version.get_by_id(v.id).recipe["off"] == ["tone"] for v in (first, second, third))


def test_together_without_a_gesture_each_change_is_a_step_and_own_steps_are_ones_own(
    context: Context, six: list[Version]
) -> None:
    first, second, *_ = six
    together = [first.id, second.id]
    put(context, first.id, 0, {"tone": {"contrast": 3}}, together=together)
    put(context, first.id, 1, {"tone": {"contrast": 6}}, together=together)
    assert [Version.get_by_id(v.id).position for v in (first, second)] == [2, 2]
    put(context, first.id, 2, {"tone": {"shadows": 9}})  # before the frames were tied again
    make(context, first.id, 3, do="undo", together=together)
    assert tone(first)["shadows"] == 0 and [tone(v)["contrast"] for v in (first, second)] == [6, 6]
    make(context, first.id, 4, do="undo", together=together)
    assert [tone(v)["contrast"] for v in (first, second)] == [3, 3]


def test_a_change_together_that_changes_nothing_is_no_step(context: Context, six: list[Version]) -> None:
    put(context, six[0].id, 0, {"tone": {"contrast": 0}}, together=[six[0].id, six[1].id])
    assert carry.recent(six[0].frame.shoot_id) == [] and Version.get_by_id(six[1].id).revision == 0


def test_versions_of_a_frame(context: Context, six: list[Version]) -> None:
    first = six[0]
    put(context, first.id, 0, {"tone": {"exposure_ev": 1}})
    copy = version_list.create(context, first.frame_id, first.id, "  grey   one ")
    plain = version_list.create(context, first.frame_id, None)
    assert (copy["number"], copy["name"], copy["adjusted"]) == (2, "grey one", True)
    assert (plain["number"], plain["words"], plain["adjusted"]) == (3, [], False)
    assert copy["words"] == ["lighter by 1.00 EV"]
    state = versions.state(Version.get_by_id(copy["id"]))
    assert [h["words"] for h in state["history"]] == ["As it came in", "Copied from version 1"]
    put(context, copy["id"], 1, {"colour": {"black_and_white": True}, "balance": {"temperature_kelvin": 5200}})
    put(context, first.id, 1, {"balance": {"temperature_kelvin": 5600}})
    assert version_list.compared(first.id, copy["id"]) == ["cooler by 400 K", "Black and white off \u2192 on"]
    version_list.choose_cover(copy["id"])
    row = next(r for r in frame_lists.frames(first.frame.shoot_id) if r["id"] == first.frame_id)
    assert (row["version"], row["versions"], row["adjusted"]) == (copy["id"], 3, True)
    assert version_list.delete(context, copy["id"]) == {"cover": first.id}
    assert [v["number"] for v in version_list.of_frame(first.frame_id)] == [1, 3]
    with pytest.raises(NotFound):
        versions.get(copy["id"])
    with pytest.raises(NotFound):
        put(context, copy["id"], 2, {"tone": {"exposure_ev": 0}})
    back = version_list.restore(context, copy["id"])
    assert back["number"] == 2 and len(versions.state(versions.get(copy["id"]))["history"]) == 3
    version_list.rename(copy["id"], "")
    version_list.delete(context, plain["id"])
    version_list.delete(context, copy["id"])
    with pytest.raises(UserError, match="only version"):
        version_list.delete(context, first.id)
    assert version_list.create(context, first.frame_id, None)["number"] == 4  # numbers of deleted ones are not given again
    with pytest.raises(NotFound):
        version_list.create(context, six[1].frame_id, first.id)  # a version of another frame


def test_presets_are_files_that_can_be_passed_on(context: Context, six: list[Version]) -> None:
    first, second, *_ = six
    put(context, first.id, 0, {"tone": {"exposure_ev": 1.0, "contrast": 20}, "framing": {"angle": 2}})
    kept = recipe_presets.save(context, first.id, ["exposure", "contrast"], "Bright tiles", "Glaze", "for the table", False)
    assert (kept["id"], kept["operations"]) == ("Glaze/Bright tiles", ["exposure", "contrast"])
    with pytest.raises(UserError, match="already"):
        recipe_presets.save(context, first.id, ["exposure"], "Bright tiles", "Glaze", "", False)
    file = context.home.presets / "Glaze" / "Bright tiles.json"
    text = file.read_bytes()
    assert json.loads(text)["values"] == {"tone": {"exposure_ev": 1.0, "contrast": 20.0}}
    assert recipe_presets.values(context, "Glaze/Bright tiles", second.id, 0.6) == {
        "values": {"tone": {"exposure_ev": 0.6, "contrast": 12.0}},
        "words": ["Exposure 0.00 EV \u2192 +0.60 EV", "Contrast round middle grey 0 \u2192 +12"],
    }
    done = carry.carry(context, Carry(preset="Glaze/Bright tiles", strength=0.6, targets=targets([second])))
    assert done["words"] == "Preset Bright tiles at 60%" and tone(second)["exposure_ev"] == 0.6
    moved = recipe_presets.rename(context, "Glaze/Bright tiles", "Bright", "")
    assert moved["id"] == "Bright" and not file.exists()
    assert recipe_presets.delete(context, "Bright") == text.decode().replace("Bright tiles", "Bright").replace('"Glaze"', '""')
    assert recipe_presets.take_in(context, text, False)["id"] == "Glaze/Bright tiles"
    (context.home.presets / "broken.json").write_text("{")
    listed = recipe_presets.listed(context)
    assert listed["refused"] and "broken.json" in listed["refused"][0]
    own = [p for p in listed["presets"] if p["own"]]
    assert {"Flat copy work", "Night, cool", "Portrait, soft"} <= {p["name"] for p in own}
    for preset in own:
        assert carry.carry(context, Carry(preset=preset["id"], targets=targets([second])))["changed"] == [second.id]
    with pytest.raises(UserError, match="ships with"):
        recipe_presets.delete(context, own[0]["id"])
    for bad in (
        b"{}",
        b"[]",
        b'{"preset": 2}',
        b'{"preset": 1, "name": "x", "values": {"tone": {"sparkle": 1}}}',
        b'{"preset": 1, "name": "../x", "values": {"tone": {"contrast": 1}}}',
    ):
        with pytest.raises(UserError):
            recipe_presets.take_in(context, bad, False)


def test_a_list_in_columns_tells_what_changed_and_reads_no_recipe(context: Context, six: list[Version]) -> None:
    shoot = six[0].frame.shoot_id
    whole = frame_lists.columns(shoot)
    lists = whole["columns"]
    assert lists["name"] == [f"TW-07{i:02d}.dng" for i in range(6)] and {len(v) for v in lists.values()} == {6}
    # what was stamped now may be committed in a moment: it is told again
    assert (now() - datetime.fromisoformat(whole["stamp"])).total_seconds() > 4
    assert lists["camera"][0] == "Pennick Pennick Test 1" and lists["iso"][0] == 200 and lists["width"][0] == 720
    Frame.update(changed_at=datetime(2026, 1, 1)).where(Frame.shoot == shoot).execute()
    since = datetime(2026, 1, 2)
    assert frame_lists.columns(shoot, since)["columns"]["id"] == []
    put(context, six[2].id, 0, {"tone": {"contrast": 3}})
    shoots.mark_frames([six[4].frame_id], stars=4)
    shoots.remove([six[5].frame_id])
    news = frame_lists.columns(shoot, since)
    assert news["columns"]["id"] == [six[2].frame_id, six[4].frame_id] and news["removed"] == [six[5].frame_id]
    assert news["columns"]["adjusted"] == [True, False] and news["columns"]["stars"] == [0, 4]
    assert len(frame_lists.frames(shoot)) == 5 and overview.Overviews().all()[0]["frames"] == 5
    shoots.restore([six[5].frame_id])
    assert len(frame_lists.frames(shoot)) == 6


def test_a_removed_frame_that_is_brought_in_again_comes_back_with_what_was_done(
    context: Context, six: list[Version], tmp_path: Path
) -> None:
    put(context, six[0].id, 0, {"tone": {"contrast": 3}})
    shoots.remove([six[0].frame_id])
    bring_in.start(context, shoots.get(six[0].frame.shoot_id), [tmp_path / "TW-0700.dng"], develop_small=False)
    run_jobs(context)
    assert len(frame_lists.frames(six[0].frame.shoot_id)) == 6 and tone(six[0])["contrast"] == 3


def test_histories_hold_differences(context: Context, six: list[Version]) -> None:
    version = six[0]
    for n in range(1, 40):
        put(context, version.id, n - 1, {"tone": {"exposure_ev": n / 20, "contrast": n % 3}})
    rows = list(HistoryEntry.select().where(HistoryEntry.version == version).order_by(HistoryEntry.position))
    sizes = [len(json.dumps(r.difference or r.recipe)) for r in rows]
    # whole recipes stand only at the ends of a stretch
    assert len(rows) == 40 and [r.position for r in rows if r.recipe] == [0, history.WHOLE_EVERY]
    assert sorted(sizes)[-3] < 100 < 2000 < sizes[0]
    for position in (0, 1, 17, 31, 32, 33, 39):
        document = history.document_at(Version.get_by_id(version.id), position)
        expected = Recipe.neutral(True).with_values({"tone": {"exposure_ev": position / 20, "contrast": position % 3}})
        assert document == expected.to_document(), position
    state = make(context, version.id, 39, do="go", position=20)
    assert state["recipe"]["tone"]["exposure_ev"] == 1.0
    assert state["history"][21]["forth"]["values"] == {"tone": {"exposure_ev": 1.05, "contrast": 0}}


def test_differences_lead_exactly_from_one_document_to_another() -> None:
    first = {"recipe": 1, "versions": {"a": 1}, "tone": {"x": 1, "gone": 2, "same": [1]}, "off": [], "left": {"a": 1}}
    second = {"recipe": 2, "versions": {"a": 1, "b": 3}, "tone": {"x": True, "same": [1], "new": None}, "off": ["tone"], "odd": 5}
    for a, b in ((first, second), (second, first), (first, first), ({}, second), (second, {})):
        assert applied(a, between(a, b)) == b and json.dumps(applied(a, between(a, b)), sort_keys=True) == json.dumps(
            b, sort_keys=True
        )
    assert between(first, first) == {}


def test_items_of_lists_are_kept_one_by_one() -> None:
    """A stroke more is one stroke in the history; whatever becomes of items, the way from one document to the other is exact."""

    def stroke(name: str) -> dict[str, Any]:
        return {"id": name, "points": list(range(60)), "size": 0.1}

    def document(*passes: dict[str, Any]) -> dict[str, Any]:
        return {"recipe": 1, "passes": {"passes": list(passes)}, "off": []}

    def one(name: str, *strokes: dict[str, Any], **more: Any) -> dict[str, Any]:
        area = {"terms": [{"id": "t", "strokes": list(strokes)}], "cling": 0}
        return {"id": name, "strength": 100, "area": area, **more}

    many = [stroke(f"s{i}") for i in range(50)]
    long = document(one("a"), one("b", *many))
    more = document(one("a"), one("b", *many, stroke("last")))
    assert len(json.dumps(between(long, more))) < 450 < 10_000 < len(json.dumps(long))
    others = [
        long,
        more,
        document(),
        document(one("b", *many), one("a")),
        document(one("a", strength=100.0), one("b", *many[::-1])),
        document(one("a"), one("b", *many[3:])),
        document(one("b", new=[{"id": 1}])),
        document({"id": "b"}),
        {"recipe": 1, "off": []},
        document(one("a"), one("a")),
        document(one("a", area={"terms": 5})),
        document(one("c"), one("b", {"id": "s3", "x": True})),
    ]
    for a in others:
        for b in others:
            found = applied(a, between(a, b))
            assert json.dumps(found, sort_keys=True) == json.dumps(b, sort_keys=True)


def test_every_operation_can_be_carried_whole(context: Context, six: list[Version]) -> None:
    operations = [o.id for o in ORDER]
    put(
        context,
        six[0].id,
        0,
        {"tone": {"curve_rgb": [[0, 0], [0.4, 0.5], [1, 1]]}, "colour": {"red_hue": 10}, "finish": {"grain": 5}},
    )
    carry.carry(context, Carry(source=six[0].id, operations=operations, targets=targets(six[1:])))
    assert len({json.dumps(Version.get_by_id(v.id).recipe, sort_keys=True) for v in six}) == 1
