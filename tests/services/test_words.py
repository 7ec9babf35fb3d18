"""Changes in words, as the history shows them."""

import pytest

from zincplate.engine.recipe import Recipe
from zincplate.services.shoots import folder_name
from zincplate.services.words import describe

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
