"""The same recipe gives the same picture, whatever was shown, measured or delivered before it."""

import numpy as np
import pytest

from tests.contract.test_passes import key, renderer
from tests.contract.test_repairs import NEUTRAL, scene, stroke, with_repairs
from zincplate.render.view import ViewRequest

FLAT = {"kind": "cover", "strokes": [stroke((100, 140), (320, 140), size=220)], "colour": [0.4, 0.4, 0.4], "grain": False}
"""Half of the picture painted over: noise measured on that would be next to none."""


@pytest.mark.parametrize("turn", ["0", "90"])
def test_noise_is_told_by_what_was_recorded_whatever_is_repaired_or_turned(turn: str) -> None:
    calm = {"definition": {"luminance_noise": 60, "colour_noise": 60}, "framing": {"quarter_turn": turn}}
    recipe = with_repairs(FLAT, recipe=NEUTRAL.with_values(calm))
    fresh, known = scene.__wrapped__(), scene.__wrapped__()
    assert known.noise(1.0).deviation[0] > 0.005
    first = renderer().deliver(fresh, recipe, space="srgb", bits=16)
    assert np.array_equal(first, renderer().deliver(known, recipe, space="srgb", bits=16))
    assert fresh.noise(1.0) == known.noise(1.0)


def test_a_view_before_a_delivery_changes_nothing() -> None:
    passes = {
        "passes": [{"controls": {"noise": 80, "clarity": 40, "saturation": 30}, "area": {"terms": [{"kind": "tone", "low": 40}]}}]
    }
    recipe = with_repairs(FLAT, recipe=NEUTRAL.with_values({"passes": passes, "tone": {"shadows": 30}}))
    alone = renderer().deliver(scene.__wrapped__(), recipe, space="srgb", bits=16)
    shown = scene.__wrapped__()
    renderer().view(shown, key(shown), NEUTRAL, ViewRequest(210, 140))
    renderer().view(shown, key(shown), recipe, ViewRequest(shown.width, shown.height, 40, 30, 200, 150, quick=True))
    assert np.array_equal(alone, renderer().deliver(shown, recipe, space="srgb", bits=16))
