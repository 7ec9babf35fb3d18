"""Recipes of older and of newer programs: read, shown, saved and read again without harm."""

import copy
import json
from dataclasses import replace
from typing import Any

import pytest

from zincplate.core.colour.temperature import locus_uv, xy_to_uv
from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.ops.order import ORDER
from zincplate.recipe import document as form
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.tables.light_plan import plan_of


def neutral() -> dict[str, Any]:
    return Recipe.neutral(True).to_document()


def newer() -> dict[str, Any]:
    """What a newer program might write: another number, a step, controls and a choice that are unknown here."""
    document = neutral()
    document["recipe"] = 3
    document["versions"] |= {"exposure": 4, "passes": 9}
    document["tone"] |= {"depth": 20, "exposure_ev": 0.7}
    document["passes"] = [{"kind": "brush", "strokes": "9f3a"}]
    document["off"] = ["passes"]
    return document


def again(document: dict[str, Any]) -> dict[str, Any]:
    """Through one reading and writing, and JSON."""
    written: dict[str, Any] = Recipe.from_document(json.loads(json.dumps(document))).to_document()
    return written


def test_a_newer_recipe_goes_round_twice_unharmed() -> None:
    document = newer()
    assert again(document) == document
    assert again(again(document)) == document


def test_what_is_changed_here_leaves_the_rest_of_a_newer_recipe() -> None:
    changed = Recipe.from_document(newer()).with_values({"tone": {"contrast": 12}}).with_switch("colour", False).to_document()
    expected = newer()
    expected["tone"]["contrast"] = 12
    expected["off"] = ["colour", "passes"]
    assert changed == expected == again(changed)


def test_a_value_that_is_not_understood_is_kept_until_it_is_set_here() -> None:
    document = newer()
    document["versions"]["view"] = 2
    document["tone"]["view"] = "slide"
    recipe = Recipe.from_document(document)
    assert recipe.value("tone", "view") == Recipe.from_document({"recipe": 1}).value("tone", "view")
    assert again(recipe.to_document())["tone"]["view"] == "slide"
    assert "tone.view" in recipe.notes[0]
    here = recipe.with_values({"tone": {"view": "soft"}})
    assert again(here.to_document())["tone"]["view"] == "soft"
    assert "tone.view" not in here.notes[0] and "tone.depth" in here.notes[0]


def test_only_the_operation_that_is_newer_may_say_what_is_not_understood() -> None:
    document = neutral()
    document["versions"]["exposure"] = 2
    document["tone"]["contrast"] = 5000
    with pytest.raises(RecipeError, match="contrast"):
        Recipe.from_document(document)


def test_notes_name_what_does_not_show() -> None:
    (note,) = Recipe.from_document(newer()).notes
    assert note == "This recipe was written by a newer version of Zincplate: tone.depth, passes is kept but does not show here."
    document = neutral()
    document["versions"]["grain"] = 2
    assert Recipe.from_document(document).notes == (
        "This recipe was written by a newer version of Zincplate and may look different there.",
    )
    assert Recipe.neutral(True).notes == () == Recipe.from_document(neutral()).notes


def test_without_newer_numbers_the_unknown_is_refused() -> None:
    document = newer()
    document["recipe"], document["versions"], document["off"] = 1, neutral()["versions"], []
    with pytest.raises(RecipeError, match=r"depth|passes"):
        Recipe.from_document(document)


@pytest.mark.parametrize("number", [None, "1", 0, -1, True, 1.0, 10**9])
def test_numbers_that_are_none_are_refused(number: Any) -> None:
    with pytest.raises(RecipeError, match="not a recipe"):
        Recipe.from_document({**neutral(), "recipe": number})
    with pytest.raises(RecipeError, match="versions"):
        Recipe.from_document({**neutral(), "versions": {"exposure": number}})


# An operation as it might be in two years: its gauge was doubled in its second version, renamed in its third.


class _Third(Parameters):
    warmth: float = gauge("Warmth", neutral=0, low=-200, high=200, step=1, help="")


def _doubled(values: dict[str, Any]) -> tuple[dict[str, Any], str]:
    return {"glow": 2 * values["glow"]}, "" if abs(values["glow"]) <= 100 else "Glow is held at 200."


def _renamed(values: dict[str, Any]) -> tuple[dict[str, Any], str]:
    return {"warmth": max(min(values["glow"], 200), -200)}, ""


@pytest.fixture
def later(monkeypatch: pytest.MonkeyPatch) -> Operation[Any]:
    operation: Operation[Any] = Operation(
        "glow", "finish", "Glow", 3, _Third, lambda _p, plan: plan, upgrades=(_doubled, _renamed), retired=frozenset({"glow"})
    )
    monkeypatch.setattr(form, "ORDER", (*ORDER, operation))
    monkeypatch.setattr(form, "CONTROLS", {**form.CONTROLS, ("finish", "warmth"): "glow"})
    return operation


@pytest.mark.parametrize(
    ("version", "name", "value", "expected"), [(1, "glow", 30, 60), (2, "glow", 30, 30), (3, "warmth", 30, 30)]
)
def test_every_older_form_shows_as_it_did(later: Operation[Any], version: int, name: str, value: float, expected: float) -> None:
    document = neutral()
    document["versions"]["glow"] = version
    document["finish"][name] = value
    recipe = Recipe.from_document(document)
    assert recipe.value("finish", "warmth") == expected and not recipe.notes
    written = recipe.to_document()
    assert written["versions"]["glow"] == 3 and written["finish"]["warmth"] == expected and "glow" not in written["finish"]
    assert Recipe.from_document(written) == recipe


def test_what_cannot_show_as_it_did_is_said(later: Operation[Any]) -> None:
    document = neutral()
    document["versions"]["glow"], document["finish"]["glow"] = 1, 150
    recipe = Recipe.from_document(document)
    assert recipe.value("finish", "warmth") == 200 and recipe.notes == ("Glow is held at 200.",)
    assert not Recipe.from_document(recipe.to_document()).notes, "said until it is saved in today's form"


def test_a_retired_control_is_unknown_in_todays_form(later: Operation[Any]) -> None:
    document = neutral()
    document["versions"]["glow"], document["finish"]["glow"] = 3, 10
    with pytest.raises(RecipeError, match="glow"):
        Recipe.from_document(document)


def test_every_version_but_the_first_has_an_upgrade() -> None:
    for operation in ORDER:
        assert len(operation.upgrades) == operation.version - 1
    with pytest.raises(RuntimeError, match="upgrades"):
        replace(ORDER[0], version=ORDER[0].version + 1)


# The first real ones.


def first_form() -> dict[str, Any]:
    """A recipe as the first version of the program wrote it."""
    document = copy.deepcopy(neutral())
    document["versions"]["lens"] = 1
    document["framing"]["bent_lines"] = [[[0.1, 0.1], [0.5, 0.12], [0.9, 0.1]]]
    key = {"name": "clay", "centre_lightness": 0.6, "centre_a": 0.1, "centre_b": 0.05, "reach": 30.0}
    document["colour"]["own_keys"] = [{**key, "hue": h, "saturation": 0.0, "lightness": 0.0, "grey": 0.0} for h in (4.0, -3.0)]
    document["framing"]["guides"] = [{"across": "level", "percent": 40.0}]
    document["framing"]["drawn_lines"] = [{"along": "plumb", "x0": 0.1, "y0": 0.1, "x1": 0.1, "y1": 0.5}]
    return document


def test_a_recipe_of_the_first_form_goes_round_twice() -> None:
    recipe = Recipe.from_document(first_form())
    written = recipe.to_document()
    assert [k["id"] for k in written["colour"]["own_keys"]] == ["1", "2"]
    assert written["framing"]["bent_lines"] == [{"id": "1", "points": [[0.1, 0.1], [0.5, 0.12], [0.9, 0.1]]}]
    assert written["framing"]["guides"][0]["id"] == written["framing"]["drawn_lines"][0]["id"] == "1"
    assert Recipe.from_document(first_form()) == recipe == Recipe.from_document(json.loads(json.dumps(written)))
    assert again(written) == written


def test_fringes_of_the_first_form_are_said_to_be_better_now() -> None:
    document = first_form()
    assert Recipe.from_document(document).notes == ()
    document["framing"]["fringe_red"] = 0.2
    assert "undone more fully" in Recipe.from_document(document).notes[0]
    document["versions"]["lens"] = 2
    document["framing"]["bent_lines"] = []
    assert Recipe.from_document(document).notes == ()


def test_tint_of_the_first_form_shows_as_it_did() -> None:
    document = first_form()
    document["versions"]["balance"] = 1
    document["balance"] = {"temperature_kelvin": 5000.0, "tint": 30.0}
    recipe = Recipe.from_document(document)
    assert recipe.value("balance", "tint") == -30 and recipe.notes == ()
    # in the first form tint was the distance below the locus, in 1/3000 of CIE 1960 u, v (across it, so a little less in v)
    white = plan_of(recipe, True, (0.3127, 0.329)).white_xy
    assert -1.0 < (xy_to_uv(white)[1] - locus_uv(5000)[1]) * 100 < -0.7
    document["balance"]["tint"] = None
    assert Recipe.from_document(document).value("balance", "tint") is None


def test_ids_are_kept_told_apart_and_given_where_they_are_missing() -> None:
    guide = {"across": "level", "percent": 10}
    recipe = Recipe.neutral(True).with_values(
        {"framing": {"guides": [guide, {**guide, "id": "1"}, {**guide, "id": "x-7"}, guide]}}
    )
    assert [g.id for g in recipe.value("framing", "guides")] == ["2", "1", "x-7", "3"]
    for wrong in ([{**guide, "id": "a"}, {**guide, "id": "a"}], [{**guide, "id": "a b"}], [{**guide, "id": 5}], "guides", [7]):
        with pytest.raises(RecipeError, match="guides"):
            Recipe.neutral(True).with_values({"framing": {"guides": wrong}})


def test_many_parts_are_counted_and_a_part_of_a_step_is_named_in_full() -> None:
    document = neutral()
    document["recipe"] = 2
    document["tone"] |= {f"new_{k}": k for k in range(4)}
    assert (
        Recipe.from_document(document).notes[0].count("tone.new_") == 4 and "more" not in Recipe.from_document(document).notes[0]
    )
    document["tone"] |= {"new_4": 4, "new_5": 5}
    assert "tone.new_3 and 2 more is kept" in Recipe.from_document(document).notes[0]


@pytest.mark.parametrize("newer_number", [1, 2])
@pytest.mark.parametrize("section", [[1], 7, None, "words"])
def test_a_known_step_that_is_no_object(newer_number: int, section: Any) -> None:
    document = {**neutral(), "recipe": newer_number, "finish": section}
    if newer_number == 1:
        with pytest.raises(RecipeError, match="finish"):
            Recipe.from_document(document)
        return
    recipe = Recipe.from_document(document)
    assert recipe.value("finish", "grain") == 0 and "finish" in recipe.notes[0]
    assert again(document)["finish"] == section


def test_steps_are_switched_off_and_on_again() -> None:
    recipe = Recipe.neutral(True).with_switch("tone", False).with_switch("colour", False)
    assert recipe.off == {"tone", "colour"} and recipe.with_switch("tone", True).off == {"colour"}
    for wrong in ({"off": "tone"}, {"off": [3]}, {"off": ["nothing"]}):
        with pytest.raises(RecipeError, match="off"):
            Recipe.from_document({**neutral(), **wrong})
    assert Recipe.from_document({**newer(), "off": ["nothing"]}).off == {"nothing"}
    with pytest.raises(RecipeError, match="off"):
        Recipe.from_document({**newer(), "off": [3]})
    assert recipe.framing() == Recipe.neutral(True).framing() != recipe.with_switch("framing", False).framing()
    assert recipe.framing() != recipe.with_values({"framing": {"angle": 1.0}}).framing()
    assert recipe.framing() == recipe.with_values({"tone": {"contrast": 1.0}}).framing()


@pytest.mark.parametrize(
    ("step", "operation", "values", "told"),
    [
        ("definition", "noise", {"luminance_noise": 30}, True),
        ("definition", "noise", {"colour_noise": 30}, True),
        ("definition", "noise", {"hot_pixels": True, "clarity": 10}, False),
        ("passes", "passes", {"passes": [{"controls": {"noise": 40}}]}, True),
        ("passes", "passes", {"passes": [{"controls": {"exposure_ev": 0.3}}]}, False),
    ],
)
def test_noise_that_is_measured_otherwise_is_told(step: str, operation: str, values: dict[str, Any], told: bool) -> None:
    document = Recipe.neutral(True).with_values({step: values}).to_document()
    assert not Recipe.from_document(document).notes
    document["versions"][operation] -= 1
    found = Recipe.from_document(document)
    assert any("told apart from texture" in note for note in found.notes) == told
    assert again(found.to_document()) == found.to_document() and not Recipe.from_document(found.to_document()).notes
