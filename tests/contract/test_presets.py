"""Presets and relative values: what a strength does to each kind of control, what a carried change does, what is refused."""

from typing import Any

import pytest

from zincplate.recipe.document import Recipe, RecipeError
from zincplate.recipe.preset import OWN, Preset, operations_in, touched, values_of
from zincplate.recipe.relative import at_strength, moved

NEUTRAL = Recipe.neutral(True).to_document()


def test_numbers_scale_about_their_own_neutral_and_stay_in_range() -> None:
    half = at_strength({"definition": {"sharpen_radius_px": 3.0, "sharpen_amount": 80.0}, "tone": {"level_white": 155.0}}, 0.5)
    assert half == {"definition": {"sharpen_radius_px": 2.0, "sharpen_amount": 40.0}, "tone": {"level_white": 205.0}}
    assert at_strength({"tone": {"exposure_ev": 4.0, "shadows": -80.0}}, 1.5) == {"tone": {"exposure_ev": 5.0, "shadows": -100.0}}
    nothing = at_strength(values_of(Recipe.neutral(True).with_values({"tone": {"contrast": 30}}), ["contrast"]), 0)
    assert nothing == {"tone": {"contrast": 0.0}}


@pytest.mark.parametrize("strength", [0.0, 0.49, 0.5, 1.0, 1.5])
def test_choices_switches_and_lists_count_from_one_half_on(strength: float) -> None:
    keys = [{"id": "k", "name": "clay", "centre_lightness": 0.5, "centre_a": 0.1, "centre_b": 0.1}]
    values = {"tone": {"view": "soft"}, "definition": {"hot_pixels": True}, "colour": {"own_keys": keys}}
    found = at_strength(values, strength)
    assert (found == values) == (strength >= 0.5)
    if strength < 0.5:
        assert found == {"tone": {"view": "linear"}, "definition": {"hot_pixels": False}, "colour": {"own_keys": []}}


def test_passes_get_weaker_and_stronger() -> None:
    """Below whole by their own strength, beyond it by what they do; sizes, levels and areas stay."""
    controls = {
        "exposure_ev": 1.0,
        "shadows": -80.0,
        "forms_percent": 4.0,
        "level_white": 200.0,
        "curve": [[0, 0], [0.5, 0.6], [1, 1]],
    }
    made = {"id": "p", "name": "Lift", "strength": 80.0, "controls": controls, "area": {"grow_px": 7}}
    values = {"passes": {"passes": [made, {"id": "q", "name": "Rest", "strength": 0.0}]}}
    document = Recipe.neutral(True).with_values(values).to_document()["passes"]

    def at(strength: float) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = at_strength({"passes": {"passes": document["passes"]}}, strength)["passes"]["passes"]
        Recipe.neutral(True).with_values({"passes": {"passes": found}})
        return found

    assert at(0) == [] and at(1) == document["passes"]
    assert at(0.3) == [{**document["passes"][0], "strength": 24.0}, document["passes"][1]]
    strong, rest = at(1.5)
    assert strong["strength"] == 100 and rest == document["passes"][1]
    # 80 % of one and a half are 1.2
    wanted = {"exposure_ev": 1.2, "shadows": -96.0, "forms_percent": 4.0, "level_white": 200.0}
    assert {name: strong["controls"][name] for name in wanted} == wanted and strong["area"] == document["passes"][0]["area"]
    assert strong["controls"]["curve"] == [[0, 0], [0.5, 0.62], [1, 1]]
    # one that says nothing of its strength stands at 100 %
    plain = {"passes": {"passes": [{"id": "p", "name": "Lift", "controls": {"exposure_ev": 1.0}}]}}
    assert at_strength(plain, 0.4)["passes"]["passes"][0]["strength"] == 40.0
    extreme = [
        {**document["passes"][0], "strength": 100.0, "controls": {**document["passes"][0]["controls"], "exposure_ev": 4.0}}
    ]
    assert at_strength({"passes": {"passes": extreme}}, 1.5)["passes"]["passes"][0]["controls"]["exposure_ev"] == 4.0


def test_temperatures_go_in_mired_from_the_frames_own() -> None:
    values = {"balance": {"temperature_kelvin": 4000.0, "tint": 10.0}}
    half = at_strength(values, 0.5, (5000.0, 2.0))
    # 200 mired and 250: the middle is 225
    assert half["balance"]["temperature_kelvin"] == pytest.approx(1e6 / 225, abs=1) and half["balance"]["tint"] == 6.0
    assert at_strength(values, 1.0, (5000.0, 2.0)) == {"balance": {"temperature_kelvin": 4000, "tint": 10.0}}
    # where the frame's own is not known it counts from one half on
    assert at_strength(values, 0.5)["balance"]["temperature_kelvin"] == 4000.0
    assert at_strength(values, 0.4)["balance"]["temperature_kelvin"] is None


def test_curves_bend_about_the_straight_line() -> None:
    curve = [[0.1, 0.0], [0.5, 0.8], [0.9, 1.0]]
    assert at_strength({"tone": {"curve_rgb": curve}}, 0.5)["tone"]["curve_rgb"] == [[0.05, 0.0], [0.5, 0.65], [0.95, 1.0]]
    assert at_strength({"tone": {"curve_rgb": curve}}, 1.5)["tone"]["curve_rgb"] == [[0.15, 0.0], [0.5, 0.95], [0.85, 1.0]]
    assert at_strength({"tone": {"curve_rgb": curve}}, 0)["tone"]["curve_rgb"] == [[0.0, 0.0], [0.5, 0.5], [1.0, 1.0]]
    flat = at_strength({"tone": {"curve_rgb": [[0, 0.3], [1, 0.6]]}}, 0.5)["tone"]["curve_rgb"]
    assert flat == [[0.0, 0.15], [1.0, 0.8]]
    for strength in (0.3, 0.9, 1.3):
        for own in ([[0, 0.3], [1, 0.6]], [[0.4, 0], [0.41, 1]], [[0, 1], [1, 0]]):
            Recipe.neutral(True).with_values(at_strength({"tone": {"curve_luminance": own}}, strength))


@pytest.mark.parametrize("preset", OWN, ids=lambda p: p.name)
@pytest.mark.parametrize("strength", [0.0, 0.37, 1.0, 1.5])
def test_the_presets_that_ship_are_valid_at_every_strength_and_go_round(preset: Preset, strength: float) -> None:
    again = Preset.from_json(preset.to_json())
    assert again == preset and again.operations == preset.operations
    recipe = Recipe.neutral(True).with_values(preset.at(strength, (5200.0, 0.0)))
    if strength == 0:
        assert (
            recipe.with_values({"tone": {"view": "standard", "highlight_recovery": "rebuild"}}).parameters["contrast"]
            == (Recipe.neutral(True).parameters["contrast"])
        )
    if strength == 1:
        assert set(touched(recipe, True)) >= set(touched(Recipe.neutral(True).with_values(preset.values), True))


def test_a_preset_holds_whole_adjustments_named_by_their_numbers() -> None:
    empty = Preset.from_document({"preset": 1, "name": "Back", "versions": {"exposure": 1, "curve": 1}, "values": {}})
    assert empty.operations == ("exposure", "curve") and empty.values["tone"]["exposure_ev"] == 0.0
    part = Preset.from_document({"preset": 1, "name": "Part", "values": {"tone": {"shadows": 20}}})
    assert part.operations == ("regions",) and part.values == {"tone": {"shadows": 20.0, "highlights": 0.0}}
    recipe = Recipe.neutral(True).with_values({"tone": {"highlights": -50}})
    assert recipe.with_values(part.at(1)).value("tone", "highlights") == 0.0
    assert operations_in({"balance": {"tint": 3}}) == ("balance",)


@pytest.mark.parametrize(
    ("document", "words"),
    [
        ({"preset": 2, "name": "x", "values": {}}, "newer version"),
        ({"preset": 1, "name": "x", "versions": {"exposure": 99}, "values": {}}, '"exposure" was written by a newer'),
        ({"preset": 1, "name": "x", "versions": {"sparkle": 1}, "values": {}}, '"sparkle" was written by a newer'),
        ({"preset": 1, "name": "x", "values": {"tone": {"sparkle": 1}}}, "no control"),
        ({"preset": 1, "name": "x", "values": {"tone": {"exposure_ev": 99}}}, "exposure_ev"),
        ({"preset": 1, "name": "", "values": {"tone": {"exposure_ev": 1}}}, "needs a name"),
        ({"preset": 1, "name": ".x", "values": {"tone": {"exposure_ev": 1}}}, "no dot in front"),
        ({"preset": 1, "name": "x", "values": {}}, "at least one"),
        ({"preset": 1, "name": 5, "values": {}}, "to be a text"),
        ({"recipe": 1}, "not a preset"),
    ],
)  # fmt: skip
def test_what_is_no_preset_is_refused_with_a_sentence(document: dict[str, object], words: str) -> None:
    with pytest.raises(RecipeError, match=words):
        Preset.from_document(document)
    with pytest.raises(RecipeError, match="strength"):
        OWN[0].at(1.6)


def test_a_change_moves_numbers_and_sets_the_rest() -> None:
    before = Recipe.neutral(True).with_values({"tone": {"exposure_ev": 0.5, "contrast": 10}}).to_document()
    target = Recipe.neutral(True).with_values({"tone": {"exposure_ev": -1.0, "contrast": 95}}).to_document()
    values = {"tone": {"exposure_ev": 0.8, "contrast": 20.0, "view": "soft"}, "balance": {"tint": 6.0}}
    found = moved(values, before, target, (5000.0, 1.0), (5200.0, 2.0))
    assert found["tone"] == {"exposure_ev": -0.7, "contrast": 100.0, "view": "soft"}  # no further than the control goes
    assert found["balance"] == {"tint": 5.0}
    kelvin = moved({"balance": {"temperature_kelvin": 4000.0}}, NEUTRAL, NEUTRAL, (5000.0, 0.0), (5000.0, 0.0))
    assert kelvin["balance"]["temperature_kelvin"] == 4000
    unknown = moved({"balance": {"temperature_kelvin": 4000.0}}, NEUTRAL, NEUTRAL, None)
    assert unknown["balance"]["temperature_kelvin"] == 4000.0
