"""What the tools of the framing step set: turns, mirror, lines, bends, crops; and places of the frame there and back."""

import math
from typing import Any

import cv2
import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.reference.test_framing_maps import EVERYTHING_ON, field
from zincplate.core.geometry.projective import FramingError
from zincplate.core.geometry.straighten import bend_of_lines
from zincplate.formats.isolated import Decoder
from zincplate.pipeline import framing_actions as actions
from zincplate.pipeline.framing import Framed
from zincplate.recipe.document import Recipe
from zincplate.recipe.words import describe
from zincplate.render.render import Renderer
from zincplate.sources.file import Source

CROPPED = {"crop_x": 0.55, "crop_y": 0.3, "crop_width": 0.4, "crop_height": 0.3}
GUIDED = {"guides": [{"across": "upright", "percent": 30}, {"across": "level", "percent": 20}], "ratio": "4:3"}


@pytest.fixture(scope="module")
def source() -> Source:
    """A picture on which every place looks different."""
    return rendered(field())


def recipe_of(values: dict[str, Any]) -> Recipe:
    return Recipe.neutral(False).with_values({"framing": values})


def framed_of(source: Source, recipe: Recipe) -> Framed:
    return Renderer(Decoder()).framed(source, "actions", source.plan(recipe).frame)


def shown(source: Source, recipe: Recipe) -> np.ndarray:
    return Renderer(Decoder()).deliver(source, recipe, space="srgb", bits=8)


def alike(a: np.ndarray, b: np.ndarray) -> float:
    """Mean difference of two pictures that may differ by a pixel in size."""
    h, w = min(a.shape[0], b.shape[0]) - 2, min(a.shape[1], b.shape[1]) - 2
    cut = lambda p: p[(p.shape[0] - h) // 2 :][:h, (p.shape[1] - w) // 2 :][:, :w]  # noqa: E731
    return float(np.abs(cut(a).astype(int) - cut(b)).mean())


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("clockwise", [False, True])
def test_a_quarter_turn_turns_the_finished_picture(source: Source, clockwise: bool, mirrored: bool) -> None:
    values = EVERYTHING_ON | CROPPED | GUIDED | {"rise": 3.0, "shift": -2.0, "stretch": 10.0, "mirror": mirrored}
    before = recipe_of(values)
    after = before.with_values(actions.turn_quarter(before, clockwise))
    expected = np.rot90(shown(source, before), -1 if clockwise else 1)
    assert alike(shown(source, after), expected) < 2.5
    guides = {(g.across, g.percent) for g in after.value("framing", "guides")}
    assert guides == ({("level", 30), ("upright", 80)} if clockwise else {("level", 70), ("upright", 20)})
    assert after.value("framing", "ratio") == "3:4"


@pytest.mark.parametrize("quarter", ["0", "90"])
def test_mirroring_mirrors_the_finished_picture(source: Source, quarter: str) -> None:
    before = recipe_of(EVERYTHING_ON | CROPPED | {"shift": 2.0, "quarter_turn": quarter})
    after = before.with_values(actions.mirror(before))
    assert alike(shown(source, after), shown(source, before)[:, ::-1]) < 2.5


def test_four_turns_and_two_mirrors_bring_everything_back() -> None:
    start = recipe_of(EVERYTHING_ON | CROPPED | GUIDED | {"rise": 3.0})
    now = start
    for _ in range(4):
        now = now.with_values(actions.turn_quarter(now, True))
    now = now.with_values(actions.mirror(now))
    now = now.with_values(actions.mirror(now))
    for name in ("angle", "tilt", "swing", "rise", "shift", "stretch", "corners", "crop_width", "quarter_turn", "ratio"):
        assert now.value("framing", name) == pytest.approx(start.value("framing", name), abs=0.021), name


def test_places_go_to_the_frame_and_back_with_everything_on(source: Source) -> None:
    for more in ({}, {"quarter_turn": "90"}, {"mirror": True}, {"quarter_turn": "270", "mirror": True}):
        framed = framed_of(source, recipe_of(EVERYTHING_ON | CROPPED | more))
        rng = np.random.default_rng(4)
        places = rng.random((500, 2)) * [framed.width, framed.height]
        back = framed.from_frame(framed.to_frame(places))
        assert np.abs(back - places).max() < 0.01


def test_a_mark_in_the_frame_is_found_where_the_map_says(source: Source) -> None:
    pixels = np.full((400, 600, 3), 30, np.uint8)
    cv2.circle(pixels, (430, 120), 5, (250, 250, 250), -1, cv2.LINE_AA)
    marked = rendered(pixels)
    for more in ({}, {"quarter_turn": "90"}, {"mirror": True}):
        recipe = recipe_of(EVERYTHING_ON | {"corner_light": 0.0, "fringe_red": 0.0} | more)
        framed = framed_of(marked, recipe)
        expected = framed.from_frame(np.array([[430.5 / 600, 120.5 / 600]]))[0]
        light = shown(marked, recipe)[..., 1].astype(float) - 30
        light[light < 20] = 0
        y, x = np.mgrid[0 : light.shape[0], 0 : light.shape[1]] + 0.5
        found = np.array([(light * x).sum(), (light * y).sum()]) / light.sum()
        assert found == pytest.approx(expected, abs=0.1)


@pytest.mark.parametrize(
    ("along", "ends"),
    [
        ("level", ((0.2, 0.3), (0.8, 0.36))),
        ("level", ((0.8, 0.36), (0.2, 0.3))),
        ("plumb", ((0.3, 0.1), (0.34, 0.6))),
        ("plumb", ((0.7, 0.6), (0.72, 0.1))),
    ],
)
@pytest.mark.parametrize(
    "values", [{}, {"tilt": 8.0, "swing": -5.0}, {"stretch": 20.0, "tilt": 4.0}, {"swing": 3.0, "angle": 2.0}]
)
def test_one_line_becomes_true_as_it_is_seen(
    source: Source, values: dict[str, float], along: Any, ends: tuple[tuple[float, float], tuple[float, float]]
) -> None:
    recipe = recipe_of(values)
    made, _ = actions.lines(recipe, framed_of(source, recipe), [("a", along, *ends)])
    after = framed_of(source, recipe.with_values(made))
    first, second = after.from_frame(np.array(ends))
    assert abs(second - first)[1 if along == "level" else 0] < 0.15


def test_drawn_lines_become_true_through_a_bent_lens(source: Source) -> None:
    recipe = recipe_of({"bend": -4.0})
    framed = framed_of(source, recipe)
    drawn: list[Any] = [
        ("a", "plumb", (0.2, 0.1), (0.24, 0.6)),
        ("b", "plumb", (0.85, 0.1), (0.8, 0.6)),
        ("c", "level", (0.2, 0.1), (0.8, 0.12)),
    ]
    made, turns = actions.lines(recipe, framed, drawn)
    assert turns.left_degrees < 0.01 and len(made["framing"]["drawn_lines"]) == 3
    after = framed_of(source, recipe.with_values(made))
    for _, kind, a, b in drawn:
        ends = after.from_frame(np.array([a, b]))
        assert abs((ends[1] - ends[0])[0 if kind == "plumb" else 1]) < 0.2
    assert actions.lines(recipe, framed, [])[0] == {"framing": {"drawn_lines": []}}


def test_a_bent_edge_sets_the_bend_and_turns_a_profile_off(source: Source) -> None:
    framed = framed_of(source, recipe_of({}))
    line = [(x, 0.08 + 0.03 * (2 * x - 1) ** 2) for x in (0.05, 0.3, 0.5, 0.7, 0.95)]
    made = actions.bent(framed, [("a", line)])["framing"]
    assert made["bend"] != 0 and made["bend_edge"] == 0
    # in percent of what the method finds of the lines' own places
    size = np.array([source.width, source.height], np.float64)
    k1, _ = bend_of_lines((np.array(line) * size.max() - size / 2,), math.hypot(*size) / 2)
    assert made["bend"] == round(100 * k1, 2) and abs(made["bend"]) > 3
    after = framed_of(source, recipe_of(made))
    y = after.from_frame(np.array(line))[:, 1]
    x = after.from_frame(np.array(line))[:, 0]
    assert np.abs(y - np.polyval(np.polyfit(x, y, 1), x)).max() < 2.5
    assert actions.bent(framed, []) == {"framing": {"bent_lines": [], "bend": 0.0, "bend_edge": 0.0}}


def test_a_crop_drawn_on_the_plane_comes_back_where_it_was_drawn(source: Source) -> None:
    for values in ({}, {"angle": 5.0, "rise": 4.0}, {"quarter_turn": "90", "tilt": 5.0}):
        recipe = recipe_of(values)
        framed = framed_of(source, recipe)
        made = actions.crop(framed, -80.0, -60.0, 150.0, 100.0, "3:2")
        after = framed_of(source, recipe.with_values(made))
        assert (after.left, after.top) == pytest.approx((-80, -60), abs=0.6)
        assert (after.width, after.height) == (150, 100)
    with pytest.raises(FramingError, match="too small"):
        actions.crop(framed_of(source, recipe_of({})), 0, 0, 1, 1, "free")


def test_the_history_says_what_was_framed() -> None:
    neutral = recipe_of({})
    for values, words in (
        ({"angle": 2.2}, "Angle 0.00 \N{DEGREE SIGN} \u2192 +2.20 \N{DEGREE SIGN}"),
        (CROPPED | {"ratio": "4:5"}, "Crop 4:5 drawn"),
        ({"lens_profile": "auto"}, "Lens profile none \u2192 by the file"),
        ({"corners": [0.1, 0, 0, 0, 0, 0, 0, 0]}, "Corners as they are \u2192 pulled"),
        ({"guides": [{"across": "level", "percent": 50}]}, "Guides none \u2192 1 guide"),
        ({"mirror": True}, "Mirror off \u2192 on"),
    ):
        assert describe(neutral, neutral.with_values({"framing": values})) == words
    drawn = neutral.with_values({"framing": CROPPED})
    assert describe(drawn, drawn.with_values({"framing": {"crop_x": 0.5}})) == "Crop moved"
    assert describe(drawn, drawn.with_values({"framing": {"crop_width": 0.3}})) == "Crop changed"
    assert describe(drawn, neutral) == "Crop taken away"
