"""The same recipe gives the same picture: shown, delivered, in a fresh process, and whatever was asked for before it."""

from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.contract.test_operations import rendered, values
from tests.contract.test_passes import key, one_pass, renderer
from tests.contract.test_repairs import KINDS, NEUTRAL, scene, stroke, with_repairs
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source

FLAT = {"kind": "cover", "strokes": [stroke((100, 140), (320, 140), size=220)], "colour": [0.4, 0.4, 0.4], "grain": False}
"""Half of the picture painted over: noise measured on that would be next to none."""


def bright() -> Source:
    """Light up to a dozen times white, as OpenEXR and merged exposures hold it."""
    y, x = np.mgrid[:150, :210]
    lamp = 12 * np.exp(-(np.hypot(x - 150, y - 40) ** 2) / 300)
    light = 0.02 + 0.5 * x / 210 + 0.1 * ((x // 9 + y // 9) % 2) + lamp
    return rendered(np.stack([light, 0.8 * light, 0.6 * light], -1).astype(np.float32))


def eight_bit() -> Source:
    """A small grey scan."""
    rng = np.random.default_rng(3)
    return rendered(np.repeat(rng.normal(170, 9, (97, 131, 1)).clip(0, 255).astype(np.uint8), 3, 2))


MADE = {"grain": scene.__wrapped__, "bright": bright, "scan": eight_bit}


@pytest.mark.parametrize("turn", ["0", "90"])
def test_noise_is_told_by_what_was_recorded_whatever_is_repaired_or_turned(turn: str) -> None:
    calm = {"definition": {"luminance_noise": 60, "colour_noise": 60}, "framing": {"quarter_turn": turn}}
    recipe = with_repairs(FLAT, recipe=NEUTRAL.with_values(calm))
    fresh, known = scene.__wrapped__(), scene.__wrapped__()
    assert known.noise(1.0).deviation[0] > 0.005
    first = renderer().deliver(fresh, recipe, space="srgb", bits=16)
    assert np.array_equal(first, renderer().deliver(known, recipe, space="srgb", bits=16))
    assert fresh.noise(1.0) == known.noise(1.0)


def asked() -> st.SearchStrategy[dict[str, Any]]:
    """A few controls of any step, up to two passes, up to three repairs."""
    more = st.fixed_dictionaries(
        {},
        optional={
            "passes": st.lists(one_pass(), min_size=1, max_size=2).map(lambda p: {"passes": p}),
            "repair": st.lists(st.sampled_from([k for k in KINDS if k != "removal"]), min_size=1, max_size=3).map(
                lambda kinds: {"repairs": [KINDS[kind] for kind in kinds]}
            ),
        },
    )
    steps = ("framing", "balance", "tone", "colour", "definition", "finish")
    return st.tuples(values(steps), more).map(lambda both: {**both[0], **both[1]})


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.sampled_from(list(MADE)), asked())
def test_shown_delivered_and_delivered_by_another_process_it_is_the_same(kind: str, chosen: dict[str, Any]) -> None:
    # the slow noise reduction is left to deliveries, and says so; ends that cross and crops beside the picture are refused
    chosen.get("definition", {}).pop("noise_method", None)
    source = _kept(kind)
    try:
        recipe = Recipe.neutral(False).with_values(chosen)
        delivered = renderer().deliver(source, recipe, space="srgb", bits=8)
    except RecipeError:
        return
    height, width = delivered.shape[:2]
    shown = renderer().view(source, key(source), recipe, ViewRequest(width, height)).picture
    assert np.abs(shown.astype(int) - delivered).max() <= 2
    assert np.array_equal(delivered, _other().deliver(MADE[kind](), recipe, space="srgb", bits=8))


_SOURCES: dict[str, Source] = {}
_OTHERS: list[Renderer] = []


def _kept(kind: str) -> Source:
    if kind not in _SOURCES:
        _SOURCES[kind] = MADE[kind]()
    return _SOURCES[kind]


def _other() -> Renderer:
    if not _OTHERS:
        _OTHERS.append(Renderer(Decoder(), memory_bytes=256 << 20))
    return _OTHERS[0]
