"""What every adjustment must keep, from its own schema: identity, finite values, order of tones, JSON round trip."""

import json
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.conftest import gradient
from zincplate.cli.bench import EVERYTHING
from zincplate.core.colour.colour_spaces import SPACES
from zincplate.core.kernels.light import to_16_bit, to_float
from zincplate.formats import icc
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import Decoded
from zincplate.formats.isolated import Decoder
from zincplate.ops.base import STEPS
from zincplate.ops.order import ORDER
from zincplate.plan.light import LightPlan
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.recipe.schema import recipe_schema
from zincplate.render.render import Renderer
from zincplate.render.suggest import Suggester
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source

GAUGES = [
    (o, name, info.json_schema_extra["x-ui"])
    for o in ORDER
    for name, info in o.parameters.model_fields.items()
    if info.json_schema_extra["x-ui"]["kind"] in ("gauge", "kelvin", "key", "hue", "angle")
]


def rendered(pixels: np.ndarray, space: str = "srgb", depth: np.ndarray | None = None) -> Source:
    """A source of a rendered picture."""
    height, width = pixels.shape[:2]
    return Source(Decoded("rendered", pixels, CaptureData(width=width, height=height), profile=icc.of_space(space), depth=depth))


def values(steps: tuple[str, ...] = ("balance", "tone", "colour", "definition", "finish")) -> st.SearchStrategy[Any]:
    """Any allowed setting of any control of these steps, a few at a time."""

    def one(ui: dict[str, Any]) -> st.SearchStrategy[Any]:
        return st.floats(ui["low"], ui["high"], allow_nan=False)

    points = st.lists(st.integers(1, 254), max_size=4, unique=True).flatmap(
        lambda xs: st.tuples(*(st.integers(0, 255) for _ in range(len(xs) + 2))).map(
            lambda ys: [[x / 255, y / 255] for x, y in zip([0, *sorted(xs), 255], sorted(ys), strict=True)]
        )
    )
    found: list[st.SearchStrategy[tuple[str, str, Any]]] = []
    for o in ORDER:
        for name, info in o.parameters.model_fields.items():
            ui = info.json_schema_extra["x-ui"]
            if o.step not in steps:
                continue
            value: st.SearchStrategy[Any]
            if ui["kind"] == "curve":
                value = points
            elif ui["kind"] == "choice":
                value = st.sampled_from([key for key, _ in ui["options"]])
            elif ui["kind"] == "switch":
                value = st.booleans()
            elif ui["kind"] == "own_keys":
                value = st.lists(
                    st.fixed_dictionaries(
                        {"name": st.just("clay"), "centre_lightness": st.floats(0, 1)}
                        | {n: st.floats(-0.4, 0.4) for n in ("centre_a", "centre_b")}
                        | {n: st.floats(-100, 100) for n in ("hue", "saturation", "lightness", "grey")}
                        | {"reach": st.floats(5, 100)}
                    ),
                    max_size=3,
                )
            elif "low" in ui:
                value = one(ui)
            else:
                continue  # what is drawn
            found.append(st.tuples(st.just(o.step), st.just(name), value))
    return st.lists(st.one_of(found), max_size=9).map(_together)


def _together(chosen: list[tuple[str, str, Any]]) -> dict[str, dict[str, Any]]:
    together: dict[str, dict[str, Any]] = {}
    for step, name, value in chosen:
        together.setdefault(step, {})[name] = value
    tone = together.get("tone", {})
    # ends that cross are refused, which has a test of its own
    if tone.get("level_white", 255) - tone.get("level_black", 0) < 1:
        tone.pop("level_white")
    if tone.get("output_white", 255) < tone.get("output_black", 0):
        tone.pop("output_white")
    return together


@pytest.mark.parametrize("operation", ORDER, ids=lambda o: o.id)
def test_neutral_changes_nothing(operation: Any) -> None:
    for raw in (True, False):
        plan = LightPlan(raw=raw, as_shot_xy=(0.33, 0.34), white_xy=(0.33, 0.34))
        assert operation.add_to(operation.neutral(), plan) == plan
    assert operation.step in STEPS and operation.version >= 1
    with pytest.raises(ValidationError, match="frozen"):  # recipes share them, and caches know them by their values
        setattr(operation.neutral(), next(iter(operation.parameters.model_fields)), None)


@pytest.mark.parametrize(("operation", "name", "ui"), GAUGES, ids=lambda x: x if isinstance(x, str) else "")
def test_every_control_says_what_it_is(operation: Any, name: str, ui: dict[str, Any]) -> None:
    assert ui["label"] and len(ui["help"]) > 20 and ui["low"] < ui["high"] and ui["step"] > 0
    for outside in (ui["low"] - 1e6, ui["high"] + 1e6, float("nan"), "words"):
        with pytest.raises(RecipeError):
            Recipe.neutral(True).with_values({operation.step: {name: outside}})


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(values())
def test_any_setting_is_finite_in_range_and_survives_json(chosen: dict[str, dict[str, Any]]) -> None:
    recipe = Recipe.neutral(False).with_values(chosen)
    again = Recipe.from_document(json.loads(json.dumps(recipe.to_document())))
    assert again == recipe
    pixels = gradient(8)
    before = pixels.copy()
    source = rendered(pixels)
    planes = source.window(0, 0, source.width, source.height)
    kept = planes.copy()
    out = np.empty_like(planes)
    to_float(planes, source.tables(recipe, "srgb"), out)
    assert np.isfinite(out).all() and out.min() >= 0 and out.max() <= 1
    renderer = Renderer(Decoder())
    finished = renderer.deliver(source, recipe, space="srgb", bits=16)
    assert finished.shape == pixels.shape
    assert (pixels == before).all() and (planes == kept).all()


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(values(("tone", "colour")))
def test_greys_keep_their_order_and_stay_grey(chosen: dict[str, dict[str, Any]]) -> None:
    tone = {k: v for k, v in chosen.get("tone", {}).items() if k not in ("curve_red", "curve_green", "curve_blue")}
    colour = {k: v for k, v in chosen.get("colour", {}).items() if not k.startswith(("toning", "own_keys"))}
    source = rendered(np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, 2).repeat(16, 0))
    planes = source.window(0, 0, 256, 16)
    out = np.empty_like(planes)
    to_float(planes, source.tables(Recipe.neutral(False).with_values({"tone": tone, "colour": colour}), "srgb"), out)
    assert (np.diff(out[:, 0], axis=1) >= -2e-5).all()
    assert np.ptp(out, axis=0).max() < 2e-4


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize("space", SPACES)
def test_neutral_recipe_gives_a_rendered_file_back(bits: int, space: str) -> None:
    pixels = gradient(bits)
    source = rendered(pixels, space)
    out = Renderer(Decoder()).deliver(source, Recipe.neutral(False), space=space, bits=bits)
    assert np.abs(out.astype(np.int64) - pixels).max() <= 1
    if bits == 8:
        assert (out != pixels).mean() < 0.01


def test_one_stop_is_a_factor_of_two() -> None:
    source = rendered((gradient(16) // 4).astype(np.uint16))
    planes = source.window(0, 0, source.width, source.height)
    linear = []
    for ev in (0.0, 1.0):
        out = np.empty_like(planes)
        recipe = Recipe.neutral(False).with_values({"tone": {"exposure_ev": ev}})
        to_float(planes, source.tables(recipe, "srgb", linear_output=True), out)
        linear.append(out)
    fair = linear[1] < 0.99
    assert np.abs(linear[1][fair] - 2 * linear[0][fair]).max() < 2e-6


def test_two_opposite_extreme_curves_leave_no_banding_on_16_bit_data() -> None:
    # common practice: white output to 22 of 255, then white input to 22 of 255
    ramp = np.linspace(0, 65535, 65536).astype(np.uint16).reshape(256, 256)
    source = rendered(np.repeat(ramp[..., None], 3, 2))
    recipe = Recipe.neutral(False).with_values(
        {"tone": {"curve_rgb": [[0, 0], [1, 22 / 255]], "curve_luminance": [[0, 0], [22 / 255, 1]]}}
    )
    planes = source.window(0, 0, 256, 256)
    out = np.empty((256, 256, 3), np.uint16)
    to_16_bit(planes, source.tables(recipe, "srgb"), out)
    assert np.abs(out[..., 1].astype(int) - ramp).max() <= 1
    levels = np.unique(out[..., 1])
    assert np.diff(levels).max() <= 2 and levels.size > 65000


@pytest.mark.parametrize("chosen", [{}, {"exposure_ev": 0.7, "contrast": 30, "curve_rgb": [[0, 0], [0.4, 0.5], [1, 1]]}])
def test_fit_and_full_size_agree(chosen: dict[str, Any], dng: Any, decoder: Decoder) -> None:
    renderer = Renderer(decoder)
    source = renderer.open(dng, "agree")
    recipe = Recipe.neutral(True).with_values({"tone": chosen})
    fit = renderer.view(source, "agree", recipe, ViewRequest(180, 120)).picture.astype(np.float64)
    full = renderer.deliver(source, recipe, space="srgb", bits=16).astype(np.float64) / 257
    tiles_full = full.reshape(8, 60, 6, 120, 3).mean((1, 3))
    tiles_fit = fit.reshape(8, 15, 6, 30, 3).mean((1, 3))
    # averaging before and after a curve differs a little at edges; whole tiles must agree within three levels on average
    assert np.abs(tiles_full - tiles_fit).mean() < 3


def test_window_and_delivery_are_the_same_pixels(dng: Any, decoder: Decoder) -> None:
    renderer = Renderer(decoder)
    source = renderer.open(dng, "same")
    recipe = Recipe.neutral(True).with_values({"tone": {"exposure_ev": 0.5}, "balance": {"temperature_kelvin": 5000}})
    window = renderer.view(source, "same", recipe, ViewRequest(source.width, source.height, 101, 53, 300, 200))
    eight = renderer.deliver(source, recipe, space="srgb", bits=8)
    sixteen = renderer.deliver(source, recipe, space="srgb", bits=16)
    assert np.abs(window.picture.astype(int) - eight[53:253, 101:401]).max() <= 1
    assert (window.picture != eight[53:253, 101:401]).mean() < 1e-3
    assert np.abs(sixteen / 257.0 - eight).max() <= 1.0


def test_schema_lists_what_recipes_hold() -> None:
    schema = recipe_schema()
    document = Recipe.neutral(True).to_document()
    assert set(schema["required"]) == set(document)
    for step, section in document.items():
        if isinstance(section, dict):
            assert list(schema["properties"][step]["properties"]) == list(section)


def test_a_step_that_is_off_changes_nothing() -> None:
    changed = Recipe.neutral(True).with_values({"tone": {"exposure_ev": 2}, "balance": {"tint": 10}})
    assert changed.with_switch("tone", False).effective() == Recipe.neutral(True).with_values({"balance": {"tint": 10}})
    with pytest.raises(RecipeError, match="no step"):
        changed.with_switch("grading", False)


@pytest.mark.parametrize("size", [(1, 1), (3, 2), (17, 5), (64, 1), (1, 90), (33, 40)])
@pytest.mark.parametrize("kind", ["any", "black", "white", "huge", "no number"])
def test_tiny_and_extreme_pictures_go_through_everything(size: tuple[int, int], kind: str) -> None:
    width, height = size
    rng = np.random.default_rng(1)
    pixels = {
        "any": rng.integers(0, 255, (height, width, 3)).astype(np.uint8),
        "black": np.zeros((height, width, 3), np.uint8),
        "white": np.full((height, width, 3), 65535, np.uint16),
        "huge": (rng.standard_normal((height, width, 3)) * 65504).astype(np.float32),
        # decoding lets none through; but tables are read unchecked, so nothing may be read beside them whatever comes in
        "no number": np.full((height, width, 3), np.nan, np.float32),
    }[kind]
    source, renderer = rendered(pixels), Renderer(Decoder())
    recipe = Recipe.neutral(False).with_values(EVERYTHING)
    assert renderer.deliver(source, recipe, space="srgb", bits=16).shape == pixels.shape
    request = ViewRequest(max(width // 2, 1), max(height // 2, 1), show="edges", gamut=True, raw_histogram=True)
    assert renderer.view(source, "tiny", recipe, request).picture.size
    if kind != "no number":
        suggester = Suggester(renderer, source, "tiny", Recipe.neutral(False))
        for proposal in renderer.on_render_thread(suggester.whole):
            assert Recipe.neutral(False).with_values(proposal.values)


place = st.floats(-0.2, 1.2)
framings = st.fixed_dictionaries(
    {},
    optional={
        "quarter_turn": st.sampled_from(["0", "90", "180", "270"]),
        "mirror": st.booleans(),
        "corners": st.lists(st.floats(-0.4, 0.4), min_size=8, max_size=8),
        "crop_x": place,
        "crop_y": place,
        "crop_width": st.one_of(st.just(0.0), st.floats(0.005, 1.5)),
        "crop_height": st.one_of(st.just(0.0), st.floats(0.005, 1.5)),
        "ratio": st.sampled_from(["original", "free", "1:1", "50:1", "1:49.9", "4:5"]),
        "reach_beyond": st.booleans(),
        "beyond": st.sampled_from(["edge", "mirror"]),
    }
    | {name: st.floats(ui["low"], ui["high"]) for o, name, ui in GAUGES if o.step == "framing"},
)


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(framings, st.sampled_from([(60, 40), (41, 63), (1, 7)]))
def test_any_framing_gives_a_picture_or_a_sentence(values: dict[str, Any], size: tuple[int, int]) -> None:
    """Whatever is set together, at the limits too: pixels of the size that was promised, or a refusal in words."""
    pixels = np.full((size[1], size[0], 3), 120, np.uint8)
    source, renderer = rendered(pixels), Renderer(Decoder())
    try:
        recipe = Recipe.neutral(False).with_values({"framing": values})
        framed = renderer.framed(source, "any", source.plan(recipe).frame)
    except RecipeError as error:
        assert len(str(error)) > 15
        return
    if framed.width * framed.height > 250_000:
        return
    picture = renderer.deliver(source, recipe, space="srgb", bits=8)
    assert picture.shape == (framed.height, framed.width, 3)
    if "corner_light" not in values:
        # an even picture stays even whatever moves
        assert np.abs(picture.astype(int) - 120).max() <= 1
    view = renderer.view(source, "any", recipe, ViewRequest(50, 50, box=True, around=True))
    assert view.picture.size and np.isfinite(view.framed.map.outline).all()
