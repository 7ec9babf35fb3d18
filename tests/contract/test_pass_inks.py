"""Ink keys, weights of hues in grey and toning in a pass: over the whole picture they are those of the step of colour."""

from functools import lru_cache
from typing import Any

import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.contract.test_passes import LEFT, NEUTRAL, WIDTH, shown, with_passes
from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SPACES, SRGB
from zincplate.ops.inks import grey_fields, key_fields, toning_fields
from zincplate.recipe.document import Recipe
from zincplate.sources.file import Source

INKS = (*key_fields(), *grey_fields(), *toning_fields())
AGREES = 4e-4
"""To a tenth of an 8-bit code: passes hold finished light encoded, and decode it by a table of 4,096 steps."""


@lru_cache(maxsize=1)
def wheel() -> Source:
    """All hues from dark to light, well inside sRGB: passes work on what has not been drawn in yet."""
    y, x = np.mgrid[0:120, 0:WIDTH]
    hue, light = 2 * np.pi * (x % (WIDTH // 2)) / (WIDTH // 2), 0.4 + 0.22 * y / 120
    linear = oklab.to_working(np.stack([light, 0.06 * np.cos(hue), 0.06 * np.sin(hue)], -1)) @ SPACES["srgb"].from_working.T
    return rendered(np.rint(SRGB.transfer.encode(linear) * 65535).astype(np.uint16))


def needed(name: str) -> dict[str, Any]:
    """What else must be set for a control to show."""
    if name.endswith("_grey"):
        return {"black_and_white": True}
    if name == "toning_balance":
        return {"toning_shadows": 70.0}
    return {name.removesuffix("_hue"): 80.0} if name.startswith("toning") and name.endswith("_hue") else {}


def seen(recipe: Recipe) -> np.ndarray:
    return shown(recipe, wheel())


def colour(values: dict[str, Any]) -> Recipe:
    return NEUTRAL.with_values({"colour": values})


@pytest.mark.parametrize("value", [70.0, -60.0])
@pytest.mark.parametrize("name", INKS)
def test_everywhere_an_ink_is_the_one_of_the_step_of_colour(name: str, value: float) -> None:
    if name.startswith("toning") and name != "toning_balance":
        value = 130 + value if name.endswith("_hue") else abs(value)
    values = {**needed(name), name: value}
    whole, without = seen(colour(values)), seen(colour(needed(name)))
    assert np.abs(whole - without).max() > 0.01
    assert np.abs(seen(with_passes({"controls": values})) - whole).max() < AGREES


def test_inks_act_together_as_they_do_in_the_step_of_colour() -> None:
    keys = {"red_hue": 60.0, "green_saturation": -70.0, "blue_lightness": 50.0, "cyan_saturation": 80.0}
    toning = {"toning_shadows": 60.0, "toning_shadows_hue": 250.0, "toning_highlights": 50.0, "toning_balance": 30.0}
    grey = {"black_and_white": True, "red_grey": 60.0, "blue_grey": -80.0}
    for values in (keys | toning, grey | toning, {**grey, "red_grey": 0.0, "blue_grey": 0.0}):
        assert np.abs(seen(with_passes({"controls": values})) - seen(colour(values))).max() < AGREES


def test_weights_in_grey_rest_while_there_is_colour_and_hues_while_nothing_is_toned() -> None:
    resting = {"red_grey": 90.0, "toning_shadows_hue": 10.0, "toning_balance": 80.0}
    assert np.array_equal(seen(with_passes({"controls": resting})), seen(NEUTRAL))
    assert not any(p.acts for p in (one.planned() for one in with_passes({"controls": resting}).value("passes", "passes")))


def test_inks_leave_what_the_area_does_not_cover() -> None:
    values = {"blue_saturation": -100.0, "red_lightness": 60.0, "toning_midtones": 60.0}
    found, plain, whole = seen(with_passes({"area": {"terms": LEFT}, "controls": values})), seen(NEUTRAL), seen(colour(values))
    half = WIDTH // 2
    assert np.abs(found[:, : half - 8] - whole[:, : half - 8]).max() < AGREES
    assert np.abs(found[:, 256:] - plain[:, 256:]).max() <= 1.01 / 65535


def test_keys_come_before_the_other_colours_of_a_pass_and_toning_after_them() -> None:
    """Blue is still blue for its key when the pass turns all hues, and a toned picture without colour keeps its toning."""
    both = seen(with_passes({"controls": {"blue_saturation": -100.0, "hue_degrees": 90.0}}))
    after = seen(with_passes({"controls": {"blue_saturation": -100.0}}, {"controls": {"hue_degrees": 90.0}}))
    assert np.abs(both - after).max() < 2e-3
    toned = seen(with_passes({"controls": {"saturation": -100.0, "toning_midtones": 80.0}}))
    assert np.abs(toned[..., 0] - toned[..., 2]).max() > 0.05
