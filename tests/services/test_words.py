"""Changes in words, as the history shows them."""

import pytest

from zincplate.recipe.document import Recipe
from zincplate.recipe.words import ARROW, describe
from zincplate.services.shoots import folder_name

NEUTRAL = Recipe.neutral(True)


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"tone": {"exposure_ev": 0.35}}, "Exposure 0.00 EV \u2192 +0.35 EV"),
        ({"tone": {"black_point": -9}}, "Black point 0 \u2192 \u22129"),
        ({"balance": {"temperature_kelvin": 5240}}, "Temperature as shot \u2192 5240 K"),
        ({"tone": {"view": "linear"}}, "Rendering like a print \u2192 linear"),
        ({"tone": {"curve_rgb": [[0, 0], [0.5, 0.6], [1, 1]]}}, "Curve, RGB straight \u2192 3 points"),
        (
            {"tone": {"exposure_ev": 1, "contrast": 5}},
            "Exposure 0.00 EV \u2192 +1.00 EV; Contrast round middle grey 0 \u2192 +5",
        ),
        (
            {"tone": {"exposure_ev": 1, "contrast": 5, "black_point": 2, "white_point": 3}},
            "Exposure 0.00 EV \u2192 +1.00 EV and 3 more",
        ),
    ],
)
def test_describe(changes: dict, words: str) -> None:
    assert describe(NEUTRAL, NEUTRAL.with_values(changes)) == words


def test_switching_a_step_is_said() -> None:
    assert describe(NEUTRAL, NEUTRAL.with_switch("tone", False)) == "Tone switched off"
    assert describe(NEUTRAL.with_switch("tone", False), NEUTRAL) == "Tone switched on"


@pytest.mark.parametrize(
    ("name", "folder"),
    [
        ("Harrow Lane, first light", "harrow-lane-first-light"),
        ("../../etc", "etc"),
        ("\u7a91\u304d", "shoot"),
        ("Fl\u00f6te 2", "flote-2"),
    ],
)
def test_folder_names_are_plain(name: str, folder: str) -> None:
    assert folder_name(name) == folder


def test_picked_keys_and_switches_in_words() -> None:
    old = Recipe.neutral(True)
    key = {"name": "brick", "centre_lightness": 0.5, "centre_a": 0.1, "centre_b": 0.05}
    one = old.with_values({"colour": {"own_keys": [key]}})
    assert describe(old, one) == "Key brick picked" and describe(one, old) == "Key brick removed"
    stronger = one.with_values({"colour": {"own_keys": [{**key, "saturation": 30}]}})
    assert describe(one, stronger) == f"Key brick, saturation 0 {ARROW} +30"
    grey = old.with_values({"colour": {"black_and_white": True}})
    assert describe(old, grey) == f"Black and white off {ARROW} on"
    assert "like a print" in describe(old, old.with_values({"tone": {"view": "soft"}}))
