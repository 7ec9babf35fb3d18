"""Repairs on versions: what the bench asks for, words of the history, carrying and editing together."""

import base64
from typing import Any

import imagecodecs
import pytest

from tests.services.test_carrying import six, targets  # noqa: F401  a fixture
from tests.services.test_use_cases import put as put_values
from tests.services.test_use_cases import run_jobs
from zincplate.recipe.document import Recipe
from zincplate.recipe.repair_carry import carried_repairs
from zincplate.recipe.repair_words import repairs_in_short
from zincplate.recipe.words import describe
from zincplate.services import carry, carry_areas, mending
from zincplate.services.carry import Carry
from zincplate.services.context import Context, UserError
from zincplate.store.models import HistoryEntry, Job, Version

NEUTRAL = Recipe.neutral(True)
DAB = {"id": "s", "points": [8000, 6000], "size": 0.05}
SPOT = {"id": "a", "kind": "spot", "strokes": [DAB], "dx": 0.1, "dy": 0.05}
HOLE = {"id": "b", "kind": "removal", "strokes": [{**DAB, "points": [12000, 8000, 13000, 8000]}]}


def with_repairs(*repairs: dict[str, Any]) -> dict[str, Any]:
    return {"repair": {"repairs": list(repairs)}}


def put(context: Context, version: Version, values: dict[str, Any], **change: Any) -> None:
    put_values(context, version.id, Version.get_by_id(version.id).revision, values, **change)


def of(version: Version) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = Version.get_by_id(version.id).recipe["repair"]["repairs"]
    return found


BOTH = NEUTRAL.with_values(with_repairs(SPOT, HOLE))


@pytest.mark.parametrize(
    ("repairs", "words"),
    [
        ([SPOT], "Removal 2 struck out"),
        ([SPOT, HOLE, {**SPOT, "id": "c", "kind": "clone"}], "Cloned"),
        ([SPOT, {**HOLE, "on": False}], "Removal 2 switched off"),
        ([{**SPOT, "strength": 50}, HOLE], "Spot 1, strength 100 \u2192 50"),
        ([{**SPOT, "dx": 0.2}, HOLE], "Spot 1 taken from another place"),
        ([SPOT, {**HOLE, "seed": 1}], "Removal 2 filled another way"),
        ([{**SPOT, "strokes": [{**DAB, "points": [9000, 6000]}]}, HOLE], "Spot 1 moved"),
        ([SPOT, {**HOLE, "strokes": [*HOLE["strokes"], {**DAB, "id": "t"}]}], "Removal 2, a stroke painted"),
        ([SPOT, {**HOLE, "strokes": [*HOLE["strokes"], {**DAB, "id": "t", "erase": True}]}], "Removal 2, a stroke rubbed out"),
        ([HOLE, SPOT], "Order of repairs changed"),
        ([*({**SPOT, "id": f"n{i}"} for i in range(5)), SPOT, HOLE], "5 repairs made"),
    ],
)
def test_the_history_says_what_was_done(repairs: list[dict[str, Any]], words: str) -> None:
    assert describe(BOTH, NEUTRAL.with_values(with_repairs(*repairs))) == words


def test_a_list_in_short() -> None:
    patch = {"id": "p", "kind": "patch", "outline": [1000, 1000, 2000, 1000, 2000, 2000]}
    recipe = NEUTRAL.with_values(with_repairs(SPOT, {**SPOT, "id": "z"}, HOLE, patch, {**patch, "id": "q"}))
    assert repairs_in_short(recipe.value("repair", "repairs")) == "2 spots, 1 removal, 2 patches"
    assert repairs_in_short(()) == "none"


def test_what_the_bench_asks_for(context: Context, six: list[Version]) -> None:  # noqa: F811
    frame, recipe = six[0].frame_id, BOTH.to_document()
    ways = mending.sources(context, frame, recipe, "a")
    assert ways and all(set(w) == {"dx", "dy", "cost"} for w in ways)
    text = mending.fill(context, frame, recipe, "b")
    assert mending.fill(context, frame, recipe, "b") == text
    Recipe.from_document(recipe).with_values(with_repairs({**HOLE, "fill": text}))
    (picture,) = mending.pictures(context, frame, recipe, ["a"])
    assert imagecodecs.png_decode(base64.b64decode(picture["after"])).shape == (60, 60, 3)
    assert len(mending.colour(context, frame, recipe, 0.5, 0.3, 2)) == 3
    for wrong in (
        lambda: mending.sources(context, frame, recipe, "gone"),
        lambda: mending.colour(context, frame, recipe, 2, 2, 1),
    ):
        with pytest.raises(UserError):
            wrong()


def test_repairs_are_carried_when_asked_and_filled_anew(context: Context, six: list[Version]) -> None:  # noqa: F811
    source, first, second = six[0], six[1], six[2]
    fill = mending.fill(context, source.frame_id, BOTH.to_document(), "b")
    put(context, source, with_repairs(SPOT, {**HOLE, "fill": fill}))
    own = {**SPOT, "id": "own", "dx": 0.3}
    put(context, second, with_repairs(own))
    done = carry.carry(context, Carry(source=source.id, operations=["repairs"], joining="add", targets=targets([first, second])))
    assert sorted(done["changed"]) == sorted([first.id, second.id])
    assert [r["id"] for r in of(first)] == ["a", "b"] and [r["id"] for r in of(second)] == ["own", "a", "b"]
    assert of(source)[1]["fill"] == fill and of(first)[1]["fill"] == "" and of(second)[2]["fill"] == ""
    carry.carry(context, Carry(source=source.id, operations=["repairs"], targets=targets([second])))
    assert [r["id"] for r in of(second)] == ["a", "b"]
    assert carried_repairs([SPOT], [own, {**SPOT, "dx": 9}], "add") == [own, {**SPOT, "fill": ""}]


def test_edited_together_every_frame_keeps_its_repairs(context: Context, six: list[Version]) -> None:  # noqa: F811
    one, other = six[0], six[1]
    put(context, other, with_repairs({**SPOT, "id": "own"}))
    put(context, one, {**with_repairs(SPOT), "tone": {"exposure_ev": 0.5}}, together=[other.id])
    assert [r["id"] for r in of(one)] == ["a"] and [r["id"] for r in of(other)] == ["own"]
    assert Version.get_by_id(other.id).recipe["tone"]["exposure_ev"] == 0.5


def test_each_repair_is_one_small_step_of_the_history(context: Context, six: list[Version]) -> None:  # noqa: F811
    version = six[0]
    many = [{**SPOT, "id": f"r{i}", "strokes": [{**DAB, "points": [i * 90, 4000]}]} for i in range(120)]
    put(context, version, with_repairs(*many))
    put(context, version, with_repairs(*many, {**SPOT, "id": "last"}))
    entry = HistoryEntry.select().where(HistoryEntry.version == version.id).order_by(HistoryEntry.id.desc()).first()
    assert entry.words == "Spot mended" and len(str(entry.difference)) < 1500


def test_dust_is_carried_to_where_it_is_seen(context: Context, six: list[Version]) -> None:  # noqa: F811
    """A job; what it could not see it leaves out and says so, and all of it is one step."""
    source, first = six[0], six[1]
    put(context, source, with_repairs(SPOT, HOLE))
    job = carry_areas.start(
        context, Carry(source=source.id, operations=["repairs"], areas="found_again", joining="add", targets=targets([first]))
    )
    assert job.title == f"Carry repairs from {source.frame.name} to 1 frames"
    run_jobs(context)
    result = Job.get_by_id(job.id).result
    assert result["changed"] == [first.id] and "1 of 1 spots is not seen here" in " ".join(result["told"])
    assert [r["id"] for r in of(first)] == ["b"]
    put(context, source, with_repairs(HOLE))
    with pytest.raises(UserError, match="neither"):
        carry_areas.start(context, Carry(source=source.id, operations=["repairs"], areas="found_again", targets=targets([first])))
