"""Every control does what its words say, in the direction they say: one measure each on a picture of known parts.

The list is complete by its own check: a control without a direction here has to name the test that has one.
"""

import math
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.contract.test_operations import rendered
from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SPACES, SRGB
from zincplate.formats.isolated import Decoder
from zincplate.ops.base import COLOURS
from zincplate.recipe.document import CONTROLS, Recipe
from zincplate.render.render import Renderer
from zincplate.sources.file import Source

Picture = NDArray[np.float64]
WIDTH, HEIGHT = 288, 192
HUES = {"red": 29, "yellow": 100, "green": 145, "cyan": 195, "blue": 260, "magenta": 330}
"""Oklab hue angles of the patches, in degrees (about those of the sRGB primaries and their complements)."""
PARTS = {
    "dark": np.s_[8:40, 8:72], "middle": np.s_[48:104, 8:72], "light": np.s_[112:144, 8:72], "lightest": np.s_[152:180, 8:72],
    "texture": np.s_[8:88, 200:280], "flat": np.s_[104:184, 200:280],
    **{name: np.s_[10 + 30 * k : 34 + 30 * k, 84:184] for k, name in enumerate(COLOURS)},
}  # fmt: skip
WEAK = np.s_[10:34, 150:184]
"""A weak red beside the strong one."""


@lru_cache(maxsize=1)
def scene() -> Source:
    """Greys from dark to light, six hues, a fine and a coarse texture, and a flat with noise of light and of colour."""
    linear = np.full((HEIGHT, WIDTH, 3), 0.18)
    for name, level in (("dark", 0.01), ("middle", 0.18), ("light", 0.55), ("lightest", 0.9)):
        linear[PARTS[name]] = level
    for name, degrees in HUES.items():
        linear[PARTS[name]] = _coloured(0.62, 0.1, degrees)
    linear[WEAK] = _coloured(0.62, 0.03, HUES["red"])
    y, x = np.mgrid[0:80, 0:80]
    linear[PARTS["texture"]] *= (1 + 0.25 * np.sin(x / 1.3) + 0.3 * np.sin(y / 6.0))[..., None]
    noise = np.random.default_rng(5)
    linear[PARTS["flat"]] *= 1 + 0.06 * noise.normal(size=(80, 80, 1)) + 0.05 * noise.normal(size=(80, 80, 3))
    codes = np.rint(SRGB.transfer.encode(np.clip(linear, 0, 1)) * 65535).astype(np.uint16)
    return rendered(codes)


def _coloured(lightness: float, chroma: float, degrees: float) -> NDArray[np.float64]:
    """Linear sRGB of an Oklab colour."""
    lab = np.array([lightness, chroma * math.cos(math.radians(degrees)), chroma * math.sin(math.radians(degrees))])
    return np.asarray(SPACES["srgb"].from_working @ oklab.to_working(lab), np.float64)


def shown(values: dict[str, dict[str, Any]], off: tuple[str, ...] = ()) -> Picture:
    """The picture under a recipe, encoded sRGB 0..1."""
    recipe = Recipe.neutral(False).with_values(values)
    for step in off:
        recipe = recipe.with_switch(step, False)
    return Renderer(Decoder()).deliver(scene(), recipe, space="srgb", bits=16).astype(np.float64) / 65535


def mean(part: str) -> Callable[[Picture], float]:
    return lambda p: float(p[PARTS[part]].mean())


def lab(p: Picture, part: str) -> NDArray[np.float64]:
    linear = SRGB.transfer.decode(p[PARTS[part]].reshape(-1, 3).mean(0))
    return np.asarray(oklab.from_working(SPACES["srgb"].to_working @ linear), np.float64)


def chroma(part: str) -> Callable[[Picture], float]:
    return lambda p: float(np.hypot(*lab(p, part)[1:]))


def lightness(part: str) -> Callable[[Picture], float]:
    return lambda p: float(lab(p, part)[0])


def hue(part: str) -> Callable[[Picture], float]:
    """Degrees from where the patch stands in the scene."""

    def measure(p: Picture) -> float:
        _, a, b = lab(p, part)
        return (math.degrees(math.atan2(b, a)) - HUES[part] + 180) % 360 - 180

    return measure


def less(measure: Callable[[Picture], float]) -> Callable[[Picture], float]:
    return lambda p: -measure(p)


def detail(part: str) -> Callable[[Picture], float]:
    """Differences of neighbours."""
    return lambda p: float(np.abs(np.diff(p[PARTS[part]].mean(2), axis=1)).mean())


def colour_noise(p: Picture) -> float:
    flat = p[PARTS["flat"]]
    return float((flat[..., 0] - flat[..., 1]).std())


def light_noise(p: Picture) -> float:
    return float(p[PARTS["flat"]].mean(2).std())


def corner(p: Picture) -> float:
    return float(np.mean([p[:3, :3], p[-3:, :3], p[:3, -3:], p[-3:, -3:]]))


def ring(p: Picture) -> float:
    """About two thirds of the way out, against the middle: of the same grey, right and left of the patches."""
    return float(p[90:102, 188:196].mean() + p[90:102, 74:82].mean() + p[2:6, 100:180].mean())


def grain_length(p: Picture) -> float:
    """Likeness of neighbours in what was laid over the middle grey."""
    part = p[PARTS["middle"]].mean(2)
    part = part - part.mean()
    return float((part[:, :-1] * part[:, 1:]).mean() / (part**2).mean())


def above_grey(channel: int) -> Callable[[Picture], float]:
    return lambda p: float(p[PARTS["middle"]].mean((0, 1))[channel] - p[PARTS["middle"]].mean())


def warm(part: str, against: str = "") -> Callable[[Picture], float]:
    """How yellow a part is, and that another one is not."""
    return lambda p: float(lab(p, part)[2] - (abs(lab(p, against)[2]) if against else 0))


VIGNETTE = {"finish": {"edge_light_ev": -2.0}}
SHARP = {"definition": {"sharpen_amount": 150.0}}
GREY = {"colour": {"black_and_white": True}}
TWO_TONES = {
    "colour": {"toning_shadows": 80, "toning_shadows_hue": 250, "toning_highlights": 80, "toning_highlights_hue": 80}
}  # fmt: skip
LIFTED, HELD = [[0, 0.0], [0.5, 0.7], [1, 1]], [[0, 0.0], [0.5, 0.3], [1, 1]]
SPLIT: dict[str, tuple[Any, Any, Callable[[Picture], float], dict[str, dict[str, Any]]]] = {
    "balance.temperature_kelvin": (4000, 9000, lambda p: float(np.subtract(*p[PARTS["middle"]].mean((0, 1))[[0, 2]])), {}),
    "balance.tint": (-60, 60, lambda p: float(p[PARTS["middle"]].mean((0, 1)) @ [0.5, -1, 0.5]), {}),
    "tone.exposure_ev": (-1, 1, mean("middle"), {}),
    "tone.shadows": (-60, 60, lambda p: mean("dark")(p) - 3 * abs(mean("light")(p) - 0.765), {}),
    "tone.highlights": (-60, 60, lambda p: mean("lightest")(p) - 3 * abs(mean("dark")(p) - 0.0998), {}),
    "tone.black_point": (-60, 60, mean("dark"), {}),
    "tone.white_point": (-60, 60, mean("light"), {}),
    "tone.contrast": (-60, 60, lambda p: mean("light")(p) - mean("dark")(p), {}),
    "tone.level_black": (0, 20, less(mean("middle")), {}),
    "tone.level_middle": (0.6, 1.6, mean("middle"), {}),
    "tone.level_white": (200, 255, less(mean("middle")), {}),
    "tone.output_black": (0, 40, mean("dark"), {}),
    "tone.output_white": (200, 255, mean("lightest"), {}),
    "tone.view": ("linear", "standard", lambda p: -abs(float(p.mean())), {}),
    "tone.curve_luminance": (HELD, LIFTED, mean("middle"), {}),
    "tone.curve_rgb": (HELD, LIFTED, mean("middle"), {}),
    **{
        f"tone.curve_{name}": (HELD, LIFTED, above_grey(k), {})
        for k, name in enumerate(("red", "green", "blue"))
    },
    "colour.saturation": (-50, 50, chroma("green"), {}),
    "colour.vibrance": (
        -80, 80, lambda p: float(np.ptp(p[WEAK].mean((0, 1)))) / max(chroma("green")(p), 1e-6), {},
    ),
    "colour.black_and_white": (True, False, chroma("green"), {}),
    "colour.toning_shadows": (0, 80, warm("dark", "lightest"), {"colour": {"toning_shadows_hue": 90}}),
    "colour.toning_midtones": (0, 80, warm("middle"), {"colour": {"toning_midtones_hue": 90}}),
    "colour.toning_highlights": (0, 80, warm("light", "dark"), {"colour": {"toning_highlights_hue": 90}}),
    "colour.toning_shadows_hue": (270, 90, warm("dark"), {"colour": {"toning_shadows": 80}}),
    "colour.toning_midtones_hue": (270, 90, warm("middle"), {"colour": {"toning_midtones": 80}}),
    "colour.toning_highlights_hue": (270, 90, warm("light"), {"colour": {"toning_highlights": 80}}),
    "colour.toning_balance": (-80, 80, warm("middle"), TWO_TONES),
    **{f"colour.{name}_primary_purity": (-60, 60, chroma(name), {}) for name in ("red", "green", "blue")},
    **{f"colour.{name}_primary_turn": (-60, 60, hue(name), {}) for name in ("red", "green", "blue")},
    **{f"colour.{name}_hue": (-60, 60, hue(name), {}) for name in COLOURS},
    **{f"colour.{name}_saturation": (-60, 60, chroma(name), {}) for name in COLOURS},
    **{f"colour.{name}_lightness": (-60, 60, lightness(name), {}) for name in COLOURS},
    **{f"colour.{name}_grey": (-60, 60, lightness(name), GREY) for name in COLOURS},
    "definition.haze": (-60, 60, lambda p: mean("light")(p) - mean("dark")(p), {}),
    "definition.clarity": (-80, 80, lambda p: float(p[PARTS["texture"]].mean((1, 2)).std()), {}),
    "definition.luminance_noise": (0, 80, less(light_noise), {}),
    "definition.colour_noise": (0, 80, less(colour_noise), {}),
    "definition.sharpen_amount": (0, 200, detail("texture"), {}),
    "definition.sharpen_radius_px": (0.4, 2.0, detail("texture"), SHARP),
    "definition.sharpen_threshold": (0, 30, less(light_noise), SHARP),
    "definition.sharpen_edges": (0, 100, less(light_noise), SHARP),
    "finish.edge_light_ev": (-1, 1, corner, {}),
    "finish.edge_reach": (10, 90, less(ring), VIGNETTE),
    "finish.edge_softness": (10, 90, lambda p: float(p[:6, 30:60].mean() + p[-6:, 30:60].mean()), VIGNETTE),
    "finish.edge_roundness": (-90, 90, lambda p: float(p[:4, 130:160].mean() - p[80:110, :4].mean()), VIGNETTE),
    "finish.edge_spare_highlights": (0, 100, mean("lightest"), {"finish": {"edge_light_ev": -2.0, "edge_reach": 90}}),
    "finish.grain": (0, 60, lambda p: float(p[PARTS["middle"]].std()), {}),
    "finish.grain_size_px": (1, 6, grain_length, {"finish": {"grain": 60}}),
    "finish.border_percent": (0, 10, lambda p: float(p[:8, :8].mean()), {}),
    "finish.border_tone": (0, 100, lambda p: float(p[:8, :8].mean()), {"finish": {"border_percent": 10}}),
}  # fmt: skip
ELSEWHERE = {
    "tone.highlight_recovery": "reference/test_highlights_and_light.py",
    "definition.noise_method": "reference/test_noise.py",
    "definition.hot_pixels": "reference/test_noise.py",
    "colour.own_keys": "reference/test_colour_controls.py",
    "passes.passes": "contract/test_passes.py",
    "repair.repairs": "contract/test_repairs.py",
}
"""Controls of camera data, and choices between methods, with the tests that have their direction."""


def with_control(name: str, value: Any, more: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
    step, control = name.split(".")
    together = {s: dict(v) for s, v in more.items()}
    together.setdefault(step, {})[control] = value
    return together


def test_the_list_is_complete() -> None:
    named = {f"{step}.{name}" for step, name in CONTROLS if step != "framing"}
    assert named == set(SPLIT) | set(ELSEWHERE)


@pytest.mark.parametrize("name", SPLIT)
def test_more_is_more(name: str) -> None:
    low, high, measure, more = SPLIT[name]
    first, second = shown(with_control(name, low, more)), shown(with_control(name, high, more))
    assert np.isfinite(first).all() and first.shape == second.shape == (HEIGHT, WIDTH, 3)
    assert measure(second) > measure(first) + 0.002, f"{measure(first):.4f} -> {measure(second):.4f}"


@pytest.mark.parametrize("name", [n for n in SPLIT if n not in ("tone.view",)])
def test_a_step_that_is_off_on_load_shows_none_of_it(name: str) -> None:
    low, _, _, more = SPLIT[name]
    step = name.split(".")[0]
    document = Recipe.neutral(False).with_values(with_control(name, low, more)).to_document()
    document["off"] = [step]
    recipe = Recipe.from_document(document)
    assert recipe.off == {step}
    assert scene().plan(recipe) == scene().plan(Recipe.neutral(False))


@pytest.mark.parametrize("name", COLOURS)
def test_a_key_leaves_the_opposite_hue_alone(name: str) -> None:
    opposite = COLOURS[(COLOURS.index(name) + 3) % 6]
    plain = shown({})
    for control in ("hue", "saturation", "lightness"):
        moved = shown({"colour": {f"{name}_{control}": 70.0}})
        assert np.abs(moved[PARTS[opposite]] - plain[PARTS[opposite]]).max() < 2e-3
        assert np.abs(moved[PARTS["middle"]] - plain[PARTS["middle"]]).max() < 2e-3, "greys do not move"
