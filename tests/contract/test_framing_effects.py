"""Every control of the framing step moves the picture the way its words say: where marked points go, and how large it is."""

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.contract.test_operations import rendered
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import CONTROLS, Recipe, RecipeError
from zincplate.render.render import Renderer
from zincplate.sources.file import Source

Picture = NDArray[np.float64]
WIDTH, HEIGHT = 360, 240
MARKS = {"left": (60, 120, 0), "right": (300, 120, 2), "top": (180, 70, 1)}
"""Middle x, middle y and channel of a soft spot on a dark ground."""


@lru_cache(maxsize=1)
def scene() -> Source:
    """Three spots of one colour each, on black."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    picture = np.zeros((HEIGHT, WIDTH, 3))
    for cx, cy, channel in MARKS.values():
        picture[..., channel] += np.exp(-((x - cx) ** 2 + (y - cy) ** 2) / (2 * 6.0**2))
    return rendered(np.rint(np.clip(picture, 0, 1) * 65535).astype(np.uint16))


def shown(**framing: Any) -> Picture:
    recipe = Recipe.neutral(False).with_values({"framing": framing})
    return Renderer(Decoder()).deliver(scene(), recipe, space="srgb", bits=16).astype(np.float64) / 65535


def place(picture: Picture, name: str) -> tuple[float, float]:
    """Where a spot is, from the middle of the picture, in pixels."""
    plane = picture[..., MARKS[name][2]] ** 2
    height, width = plane.shape
    x, y = (plane.sum(0) @ np.arange(width)) / plane.sum(), (plane.sum(1) @ np.arange(height)) / plane.sum()
    return float(x - (width - 1) / 2), float(y - (height - 1) / 2)


def x_of(name: str) -> Callable[[Picture], float]:
    return lambda p: place(p, name)[0]


def y_of(name: str) -> Callable[[Picture], float]:
    return lambda p: place(p, name)[1]


def apart(p: Picture) -> float:
    return place(p, "right")[0] - place(p, "left")[0]


def wide(p: Picture, name: str) -> float:
    """How wide a spot is: the magnification there."""
    plane = p[..., MARKS[name][2]] ** 2
    x = np.arange(plane.shape[1])
    share = plane.sum(0) / plane.sum()
    return float(np.sqrt((share * (x - share @ x) ** 2).sum()))


def light(p: Picture) -> float:
    return float(p.mean() * p.shape[0] * p.shape[1])


WIDE = {"crop_x": 0.5, "crop_y": 0.33, "crop_width": 1.3, "crop_height": 0.6}
MORE: dict[str, tuple[Any, Any, Callable[[Picture], float], dict[str, Any]]] = {
    "quarter_turn": ("0", "90", y_of("right"), {}),
    "mirror": (True, False, x_of("right"), {}),
    "angle": (-10, 10, y_of("right"), {}),
    "tilt": (-12, 12, lambda p: wide(p, "top") / wide(p, "left"), {}),
    "swing": (-12, 12, lambda p: wide(p, "right") / wide(p, "left"), {}),
    "rise": (-10, 10, y_of("top"), {"ratio": "1:1"}),
    "shift": (-10, 10, lambda p: -place(p, "top")[0], {"ratio": "1:1"}),
    "stretch": (-30, 30, lambda p: abs(place(p, "top")[1] - place(p, "left")[1]) / apart(p), {}),
    "bend": (-8, 8, lambda p: -100 * wide(p, "left") / apart(p), {}),
    "bend_edge": (-5, 5, lambda p: -100 * wide(p, "left") / apart(p), {}),
    "fringe_red": (-3, 3, x_of("left"), {}),
    "fringe_blue": (-3, 3, lambda p: -place(p, "right")[0], {}),
    "corner_light": (-2, 2, light, {}),
    "corner_onset": (1, 6, lambda p: -light(p), {"corner_light": 1.0}),
    "crop_x": (0.45, 0.55, lambda p: -place(p, "top")[0], {"crop_y": 0.33, "crop_width": 0.8, "crop_height": 0.5}),
    "crop_y": (0.30, 0.36, lambda p: -place(p, "top")[1], {"crop_x": 0.5, "crop_width": 0.8, "crop_height": 0.4}),
    "crop_width": (0.7, 0.9, lambda p: float(p.shape[1]), {"crop_x": 0.5, "crop_y": 0.33, "crop_height": 0.5}),
    "crop_height": (0.4, 0.6, lambda p: float(p.shape[0]), {"crop_x": 0.5, "crop_y": 0.33, "crop_width": 0.7}),
    "ratio": ("1:1", "2:1", lambda p: p.shape[1] / p.shape[0], {}),
    "reach_beyond": (False, True, lambda p: float(p.shape[1]), WIDE),
}  # fmt: skip
ELSEWHERE = {
    "drawn_lines": "render/test_framing_actions.py",
    "corners": "reference/test_framing_maps.py",
    "lens_profile": "reference/test_lens.py",
    "own_lens": "reference/files/test_dng_opcodes.py",
    "distortion": "reference/test_lens.py",
    "fringes": "reference/test_lens.py",
    "fall_off": "reference/test_lens.py",
    "bent_lines": "render/test_framing_actions.py",
    "beyond": "reference/test_framing_maps.py",
    "guides": "render/test_framing_actions.py",
}


def test_the_list_is_complete() -> None:
    assert {name for step, name in CONTROLS if step == "framing"} == set(MORE) | set(ELSEWHERE)


@pytest.mark.parametrize("name", MORE)
def test_more_goes_the_way_its_words_say(name: str) -> None:
    low, high, measure, more = MORE[name]
    first, second = shown(**more, **{name: low}), shown(**more, **{name: high})
    assert measure(second) > measure(first) + 1e-3, f"{measure(first):.4f} -> {measure(second):.4f}"


def test_turns_and_mirror_to_the_pixel() -> None:
    plain = shown()
    for turns, degrees in enumerate(("0", "90", "180", "270")):
        assert np.array_equal(shown(quarter_turn=degrees), np.rot90(plain, -turns)), "clockwise"
    assert np.array_equal(shown(mirror=True), plain[:, ::-1])
    assert np.array_equal(shown(mirror=True, quarter_turn="90"), np.rot90(plain, -1)[:, ::-1])


@pytest.mark.parametrize("side", ["crop_width", "crop_height"])
def test_a_crop_has_a_smallest_size(side: str) -> None:
    both = {"crop_width": 0.3, "crop_height": 0.3}
    Recipe.neutral(False).with_values({"framing": both | {side: 0.005}})
    with pytest.raises(RecipeError, match="half a percent"):
        Recipe.neutral(False).with_values({"framing": both | {side: 0.0049}})


@pytest.mark.parametrize("beyond", [0.0, 0.001, 0.02])
def test_a_drawn_crop_that_leaves_the_picture_is_drawn_in_to_it(beyond: float) -> None:
    # the right edge lies that share of the long edge beyond the picture's; a crop keeps its middle and its ratio
    half = 0.2
    values = {"crop_x": 1 + beyond - half, "crop_y": 1 / 3, "crop_width": 2 * half, "crop_height": 0.2}
    plan = scene().plan(Recipe.neutral(False).with_values({"framing": values}))
    framed = Renderer(Decoder()).framed(scene(), "crop", plan.frame)
    assert framed.left + framed.width <= WIDTH / 2 + 1e-3
    assert framed.width == pytest.approx(2 * (half - beyond) * WIDTH, abs=1.01)
    assert framed.shrunk == (beyond > 0)
