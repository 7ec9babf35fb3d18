"""The same recipe gives the same picture: shown, delivered, in a fresh process, and whatever was asked for before it."""

import sys
import threading
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numba
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.contract.test_operations import rendered, values
from tests.contract.test_passes import key, one_pass, renderer
from tests.contract.test_repairs import KINDS, NEUTRAL, H, W, scene, stroke, with_repairs
from zincplate.formats.isolated import Decoder
from zincplate.formats.turns import Superseded, Turn, Urgency
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render import strips
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


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.sampled_from(list(MADE)), asked(), st.lists(st.sampled_from([k for k in KINDS if k != "removal"]), min_size=1, max_size=4)
)
def test_two_threads_deliver_what_one_does(kind: str, chosen: dict[str, Any], kinds: list[str]) -> None:
    """In many parts, with threads that take turns as often as they can. Half a list of repairs was read while it was written."""
    chosen.get("definition", {}).pop("noise_method", None)
    chosen["repair"] = {"repairs": [KINDS[kind] for kind in kinds]}

    def delivered(threads: int, turns_s: float) -> np.ndarray:
        numba.set_num_threads(threads)
        sys.setswitchinterval(turns_s)
        # a renderer that knows nothing yet
        return Renderer(Decoder(), memory_bytes=256 << 20).deliver(MADE[kind](), recipe, space="srgb", bits=16)

    all_threads, turns_s = numba.get_num_threads(), sys.getswitchinterval()
    with pytest.MonkeyPatch.context() as patch:
        for name, size in (("TILE_WIDTH", 64), ("TILE_HEIGHT", 48), ("STRIP_ROWS", 16)):
            patch.setattr(strips, name, size)
        try:
            recipe = Recipe.neutral(False).with_values(chosen)
            one = delivered(1, turns_s)
            assert all(np.array_equal(one, delivered(all_threads, 1e-6)) for _ in range(2))
        except RecipeError:
            return
        finally:
            numba.set_num_threads(all_threads)
            sys.setswitchinterval(turns_s)


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


def test_the_slow_noise_reduction_is_shown_as_it_is_delivered_where_it_is_asked_for() -> None:
    source = _kept("grain")
    calm = {"luminance_noise": 60, "colour_noise": 60}
    quick, best = (NEUTRAL.with_values({"definition": {**calm, "noise_method": way}}) for way in ("quick", "best"))
    delivered = renderer().deliver(source, best, space="srgb", bits=8)[60:210, 100:300].astype(int)
    window = ViewRequest(W, H, 100, 60, 200, 150)
    slow = renderer().view(source, key(source), best, replace(window, best=True)).picture
    assert np.abs(slow - delivered).max() <= 2
    # without being asked for it, and where the recipe does not ask for it, a view goes the quick way
    plain = renderer().view(source, key(source), quick, window).picture
    assert np.abs(plain - delivered).max() > 4
    for recipe, request in ((best, window), (quick, replace(window, best=True))):
        assert np.array_equal(renderer().view(source, key(source), recipe, request).picture, plain)


def test_the_slow_way_ends_when_its_answer_is_not_wanted_any_more_and_hands_do_not_wait_for_it() -> None:
    source, other = scene.__wrapped__(), Renderer(Decoder(), memory_bytes=256 << 20)
    best = NEUTRAL.with_values({"definition": {"luminance_noise": 60, "noise_method": "best"}})
    asked = threading.Event()
    go_on = threading.Event()

    def wanted() -> bool:
        asked.set()
        go_on.wait(30)
        return False

    window = ViewRequest(W, H, 0, 0, 200, 150, best=True)
    with ThreadPoolExecutor(1) as pool:
        slow = pool.submit(other.view, source, "grain", best, window, "srgb", Turn(Urgency.REST, wanted))
        assert asked.wait(30)
        # while it waits in the middle, what a hand moves is drawn
        assert other.view(source, "grain", NEUTRAL, ViewRequest(210, 140)).picture.shape == (140, 210, 3)
        go_on.set()
        with pytest.raises(Superseded):
            slow.result(30)
