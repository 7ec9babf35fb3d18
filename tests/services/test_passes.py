"""Passes on versions: words of the history, carrying them three ways, editing together, places and looks for the bench."""

import base64
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
import pytest
import skimage.data

from tests.services.test_carrying import six, targets  # noqa: F401  a fixture
from tests.services.test_use_cases import make, put, run_jobs
from zincplate.core.areas.raster import to_text
from zincplate.recipe.document import Recipe
from zincplate.recipe.words import describe
from zincplate.services import areas, bring_in, carry, carry_areas, shoots
from zincplate.services.carry import Carry
from zincplate.services.context import Context, UserError
from zincplate.store.models import Frame, HistoryEntry, Job, Version

RING = {"id": "r", "kind": "ring", "x": 0.5, "y": 0.3, "radius_x": 0.2, "radius_y": 0.1}
BRUSH = {"id": "b", "kind": "brush", "strokes": [{"id": "s", "points": [2000, 2000, 9000, 4000], "size": 0.1}]}
SKY = {"id": "f", "kind": "found", "what": "sky", "sure": 90, "raster": to_text(np.ones((4, 6), np.float32))}


def one(called: str, *terms: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {
        "id": called.replace(" ", "-"),
        "name": called,
        "area": {"terms": list(terms)},
        "controls": {"exposure_ev": 0.5},
        **more,
    }


def with_passes(*passes: dict[str, Any]) -> dict[str, Any]:
    return {"passes": {"passes": list(passes)}}


def names(version: Version) -> list[str]:
    return [p["name"] for p in Version.get_by_id(version.id).recipe["passes"]["passes"]]


NEUTRAL = Recipe.neutral(True)
VAULT = NEUTRAL.with_values(with_passes(one("vault", RING, BRUSH)))


@pytest.mark.parametrize(
    ("passes", "words"),
    [
        ([], "Pass vault removed"),
        ([one("vault", RING, BRUSH, on=False)], "Pass vault switched off"),
        ([one("vault", RING, BRUSH, strength=40)], "Pass vault, strength 100 \u2192 40"),
        ([one("vault", RING, BRUSH, blend="soft_light")], "Pass vault, blend soft light"),
        ([one("vault", RING, BRUSH, name="hall")], "Pass vault named hall"),
        ([one("vault", RING, BRUSH, group="inside")], "Pass vault put into inside"),
        ([one("vault", RING, BRUSH, controls={"exposure_ev": 1.25})], "Pass vault, exposure +0.50 EV \u2192 +1.25 EV"),
        (
            [one("vault", RING, BRUSH, controls={"exposure_ev": 0.5, "shine_tone": [0.1, 0.1, 0.1]})],
            "Pass vault, tone for shine picked",
        ),
        ([one("vault", RING)], "Pass vault, brush struck out"),
        ([one("vault", RING, BRUSH, {**SKY, "join": "without"})], "Pass vault, without sky"),
        ([one("vault", {**RING, "x": 0.4}, BRUSH)], "Pass vault, ring changed"),
        ([one("vault", {**RING, "join": "only"}, BRUSH)], "Pass vault, only where ring"),
        ([one("vault", RING, {**BRUSH, "strokes": []})], "Pass vault, a stroke taken back"),
        ([one("vault", RING, BRUSH), one("Pass 2")], "Pass 2 added"),
    ],
)
def test_what_was_done_to_passes_is_said(passes: list[dict[str, Any]], words: str) -> None:
    assert describe(VAULT, NEUTRAL.with_values(with_passes(*passes))) == words


def test_another_order_and_strokes_are_said() -> None:
    two = NEUTRAL.with_values(with_passes(one("a"), one("b")))
    assert describe(two, NEUTRAL.with_values(with_passes(one("b"), one("a")))) == "Passes put in another order"
    more = {**BRUSH, "strokes": [*BRUSH["strokes"], {"id": "t", "points": [1, 2], "size": 0.1, "erase": True}]}
    assert describe(VAULT, NEUTRAL.with_values(with_passes(one("vault", RING, more)))) == "Pass vault, a stroke rubbed out"
    assert describe(NEUTRAL, NEUTRAL.with_switch("passes", False)) == "Passes switched off"


def test_passes_are_carried_as_they_are_beside_or_instead_of_others(context: Context, six: list[Version]) -> None:  # noqa: F811
    source, *rest = six
    put(context, source.id, 0, with_passes(one("ring", RING), one("painted", BRUSH)))
    put(context, rest[0].id, 0, with_passes(one("own"), one("ring", RING, strength=10)))
    ask = {"source": source.id, "operations": ["passes"]}
    carry.carry(context, Carry(**ask, joining="add", targets=targets(rest[:2])))
    assert names(rest[0]) == ["own", "ring", "painted"] and names(rest[1]) == ["ring", "painted"]
    # the same pass carried again is replaced, not doubled
    assert Version.get_by_id(rest[0].id).recipe["passes"]["passes"][1]["strength"] == 100
    done = carry.carry(context, Carry(**ask, targets=targets(rest[:1]), areas="leave_bound"))
    assert names(rest[0]) == ["ring"] and done["changed"] == [rest[0].id]
    carry.undo(done["bulk"])
    assert names(rest[0]) == ["own", "ring", "painted"]


def test_found_areas_are_found_again_in_a_job_that_may_run_twice(context: Context, six: list[Version]) -> None:  # noqa: F811
    source, *rest = six
    put(context, source.id, 0, with_passes(one("heaven", SKY), one("ring", RING)))
    ask = Carry(
        source=source.id, operations=["passes"], areas="found_again", joining="add", targets=targets(rest[:2]), request_key="k"
    )
    job = carry_areas.start(context, ask)
    run_jobs(context)
    ended = Job.get_by_id(job.id)
    assert ended.state == "done" and sorted(ended.result["changed"]) == sorted(v.id for v in rest[:2])
    for version in rest[:2]:
        term = Version.get_by_id(version.id).recipe["passes"]["passes"][0]["area"]["terms"][0]
        # what was given as the sky of the source is all of it; here it was looked for
        assert names(version) == ["heaven", "ring"] and term["raster"] != SKY["raster"]
    assert HistoryEntry.select().where(HistoryEntry.version == rest[0]).count() == 2
    assert carry.carry(context, ask)["bulk"] == ended.result["bulk"]
    for wrong in ({"operations": ["exposure"]}, {"source": rest[3].id}):
        with pytest.raises(UserError):
            carry_areas.start(context, ask.model_copy(update={**wrong, "request_key": ""}))


def test_edited_together_only_what_changed_goes_along(context: Context, six: list[Version]) -> None:  # noqa: F811
    first, second, third, *_ = six
    put(context, first.id, 0, with_passes(one("mine")))
    put(context, second.id, 0, with_passes(one("theirs", RING)))
    both = [first.id, second.id, third.id]
    make(context, first.id, 1, do="set", values=with_passes(one("mine"), one("new", SKY)), together=both)
    assert names(first) == ["mine", "new"] and names(second) == ["theirs", "new"] and names(third) == ["new"]
    own = {**SKY, "raster": to_text(np.zeros((4, 6), np.float32))}
    put(context, third.id, 1, with_passes(one("new", own)))
    make(context, first.id, 2, do="set", values=with_passes(one("new", SKY, strength=30)), together=both)
    assert names(first) == ["new"] and names(second) == ["theirs", "new"]
    changed = Version.get_by_id(third.id).recipe["passes"]["passes"][0]
    # weaker there too, and what was found there stays found there
    assert changed["strength"] == 30 and changed["area"]["terms"][0]["raster"] == own["raster"]


def test_places_go_to_the_frame_and_back(context: Context, six: list[Version]) -> None:  # noqa: F811
    frame = six[0].frame
    recipe = Recipe.neutral(True).with_values({"framing": {"angle": 5.0, "tilt": 6.0, "quarter_turn": "90"}}).to_document()
    points = [(10.0, 20.0), (200.5, 300.25), (90.0, 33.0)]
    there = areas.places(context, frame.id, recipe, points, "frame")
    back = areas.places(context, frame.id, recipe, [tuple(p) for p in there["points"]], "picture")
    assert np.abs(np.array(back["points"]) - points).max() < 0.02
    assert all(300 < s < 1500 for s in there["scale"])
    plain = areas.places(context, frame.id, Recipe.neutral(True).to_document(), [(0, 0), (720, 480)], "frame")
    assert plain["points"] == [[0, 0], [1, pytest.approx(2 / 3, abs=1e-5)]] and plain["scale"] == pytest.approx([720, 720])
    hidden = areas.places(context, frame.id, recipe, [(float("inf"), 0.0)], "frame")
    assert hidden["points"] == [None] and hidden["scale"] == [None]


def test_looks_and_small_pictures_of_areas(context: Context, six: list[Version], tmp_path: Path) -> None:  # noqa: F811
    frame = six[0].frame
    neutral = Recipe.neutral(True)
    seen = areas.look(context, frame.id, neutral.to_document(), 360, 240)
    assert seen["x"] == pytest.approx(0.5, abs=2e-3) and 0 < seen["lightness"] < 1
    # a colour is that of the frame as it came in: no control moves it, framing moves the place
    other = neutral.with_values({"tone": {"exposure_ev": 2}, "framing": {"mirror": True}}).to_document()
    assert areas.look(context, frame.id, other, 359, 240)["lightness"] == pytest.approx(seen["lightness"], abs=2e-3)
    # what passes receive follows what comes before them, and no pass
    lowered = neutral.with_values({"tone": {"highlights": -80}, **with_passes(one("light", controls={"exposure_ev": 2}))})
    plates = [np.array(areas.look(context, frame.id, r.to_document(), 360, 240)["plate"]) for r in (neutral, lowered)]
    assert (plates[1] > 0.3 * plates[0]).all() and (plates[1] < 0.97 * plates[0]).all()
    assert seen["depth"] is None, "a camera's file has no depth map"
    recipe = neutral.with_values(with_passes(one("all"), one("ring", RING), one("off", RING, on=False, strength=50)))
    told = areas.tiny(context, frame.id, recipe.to_document())
    assert [t["id"] for t in told] == ["all", "ring", "off"]
    # an ellipse that runs out over half its radius covers (by smoothstep) 0.575 of its area
    ellipse = np.pi * 0.2 * 0.1 / (2 / 3)
    assert told[0]["cover"] == 1 and told[1]["cover"] == pytest.approx(0.575 * ellipse, rel=0.03)
    assert told[2]["cover"] == pytest.approx(told[1]["cover"] / 2, rel=0.02)
    picture = imagecodecs.png_decode(base64.b64decode(told[1]["picture"]))
    assert picture.shape == (88, 132) and picture[40, 66] > 200 and picture[80, 5] == 0
    for what, words in (("person", "No person"), ("faces", "No face"), ("skin", "nobody's skin")):
        with pytest.raises(UserError, match=words):
            areas.find(context, frame.id, what)


def test_a_face_and_its_skin_are_found_on_a_frame(context: Context, tmp_path: Path) -> None:
    """scikit-image's astronaut as a photograph; blotches are as large as her face makes them (NASA, public domain)."""
    (tmp_path / "astronaut.png").write_bytes(imagecodecs.png_encode(skimage.data.astronaut()))
    shoot = shoots.create("People")
    bring_in.start(context, shoot, [tmp_path / "astronaut.png"], develop_small=False)
    run_jobs(context)
    frame = Frame.get(Frame.shoot == shoot.id)
    found = {what: areas.find(context, frame.id, what) for what in ("faces", "skin", "person", "subject")}
    assert found["faces"]["sure"] > 95 and found["skin"]["sure"] > 95 and found["person"]["sure"] > 70
    assert found["skin"]["blotch_percent"] == pytest.approx(12 * 93 / 512, abs=0.15)
    assert found["faces"]["blotch_percent"] is None and found["subject"]["raster"] == found["person"]["raster"]
    assert 0.02 < found["faces"]["cover"] < found["skin"]["cover"] < 0.06 < found["person"]["cover"]
    assert len(found["skin"]["raster"]) < 20_000
