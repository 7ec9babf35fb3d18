"""Passes: nothing outside their areas, everything in the direction that it says, the same at every size, and true to their
subject."""

import json
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.contract.test_operations import rendered
from tests.core.test_blends import FORMULAS
from zincplate.core.areas.raster import to_text
from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SPACES, SRGB
from zincplate.core.tone.blends import NUMBERS
from zincplate.formats.isolated import Decoder
from zincplate.ops.base import ui_of
from zincplate.ops.passes.passes import BLENDS, Controls
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.finders import found_again, notes_of_areas
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source

WIDTH, HEIGHT = 360, 240
LEFT = [{"kind": "band", "x0": 0.49, "y0": 0.3, "x1": 0.51, "y1": 0.3}]
"""The left half, with an edge of seven pixels."""
NEUTRAL = Recipe.neutral(False)
DEPTH = np.tile(np.linspace(0, 1, 150, dtype=np.float32), (100, 1)) * np.linspace(1, 0.5, 100, dtype=np.float32)[:, None]
"""Farther to the right, and less so below."""


@lru_cache(maxsize=1)
def scene() -> Source:
    """The same on both halves: greys from dark to light, coloured patches, texture; softly bent so that nothing is flat."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    u = (x % (WIDTH // 2)) / (WIDTH // 2)
    level = 0.01 * 80 ** (y / HEIGHT) * (1 + 0.25 * np.sin(x / 4) + 0.2 * np.sin(y / 9))
    hue = 2 * np.pi * u
    lab = np.stack([np.cbrt(level), 0.05 * np.cos(hue), 0.05 * np.sin(hue)], -1)
    linear = np.clip(oklab.to_working(lab) @ SPACES["srgb"].from_working.T, 0, 1)
    return rendered(np.rint(SRGB.transfer.encode(linear) * 65535).astype(np.uint16), depth=DEPTH)


@lru_cache(maxsize=1)
def renderer() -> Renderer:
    """One for all: each has a thread of its own, and keeps what it has rendered."""
    return Renderer(Decoder(), memory_bytes=256 << 20)


_KEYS: list[Source] = []


def key(source: Source) -> str:
    """A name for a source's cached pictures."""
    if not any(known is source for known in _KEYS):
        _KEYS.append(source)
    return f"source {next(i for i, known in enumerate(_KEYS) if known is source)}"


def view(source: Source, recipe: Recipe, request: ViewRequest) -> np.ndarray:
    return renderer().view(source, key(source), recipe, request).picture


def with_passes(*passes: dict[str, Any], recipe: Recipe = NEUTRAL) -> Recipe:
    """A recipe with these passes, each with what it does not say at neutral."""
    return recipe.with_values({"passes": {"passes": [{"name": f"p{i}", **p} for i, p in enumerate(passes)]}})


def shown(recipe: Recipe, source: Source | None = None) -> np.ndarray:
    """Delivered 16-bit codes, 0..1."""
    return renderer().deliver(source or scene(), recipe, space="srgb", bits=16) / 65535


def lab_of(picture: np.ndarray) -> np.ndarray:
    return oklab.from_working(SRGB.transfer.decode(picture) @ SPACES["srgb"].to_working.T)


def test_a_stroke_may_keep_to_dark_middle_or_light_places() -> None:
    """Along one stroke from the dark to the light end of the scene: the three ranges part it between them."""
    stroke = {"points": [5000, 600, 5000, 12700], "size": 0.3, "hardness": 90}
    lightness = lab_of(shown(NEUTRAL))[:, 80:100, 0].mean(1)
    found = {
        tones: area({"terms": [{"kind": "brush", "strokes": [{**stroke, "tones": tones}]}]})[:, 80:100].mean(1)
        for tones in ("all", "shadows", "midtones", "highlights")
    }
    whole = found.pop("all")
    assert np.abs(sum(found.values()) - whole)[20:220].max() < 0.3
    means = [float((f * lightness).sum() / f.sum()) for f in found.values()]
    assert means[0] < 0.4 < means[1] < 0.7 < means[2]


def test_neutral_passes_and_switched_off_ones_change_nothing() -> None:
    strong = {"controls": {"exposure_ev": 2, "saturation": -100}, "blend": "multiply"}
    plain = shown(NEUTRAL)
    for recipe in (
        with_passes({}, {"area": {"terms": LEFT}}),
        with_passes({**strong, "on": False}),
        with_passes({**strong, "strength": 0}),
        with_passes(strong).with_switch("passes", False),
        with_passes({**strong, "area": {"inverted": True}}),
    ):
        assert np.array_equal(shown(recipe), plain)


def test_exposure_and_warmth_everywhere_are_those_of_the_picture() -> None:
    pixels = (np.random.default_rng(1).random((40, 60, 3)) * 20000 + 4000).astype(np.uint16)
    source = rendered(pixels)
    whole = shown(NEUTRAL.with_values({"tone": {"exposure_ev": 0.7}}), source)
    assert np.abs(shown(with_passes({"controls": {"exposure_ev": 0.7}}), source) - whole).max() < 2 / 65535
    # strengths of passes add up before the tone curve, whatever their order
    a, b = {"controls": {"exposure_ev": 0.5}}, {"controls": {"exposure_ev": 0.4}, "strength": 50}
    assert np.abs(shown(with_passes(a, b), source) - whole).max() < 2 / 65535
    assert np.array_equal(shown(with_passes(a, b), source), shown(with_passes(b, a), source))
    # in grey light a warmer pass looks like a warmer balance; what differs is that it is a gain of each channel
    grey = rendered(np.full((20, 20, 3), 22000, np.uint16))
    warm = shown(with_passes({"controls": {"warmer_mired": 40}}), grey)[0, 0]
    assert warm[0] > warm[1] > warm[2]
    luminance = SRGB.transfer.decode(warm) @ [0.2126, 0.7152, 0.0722]
    assert luminance == pytest.approx(float(SRGB.transfer.decode(22000 / 65535)), rel=2e-3)


@pytest.mark.parametrize("blend", BLENDS)
def test_blends_are_laid_on_what_lies_below(blend: str) -> None:
    assert set(FORMULAS) == set(NUMBERS) == set(BLENDS)
    below = with_passes({"controls": {"exposure_ev": -0.5}})
    backdrop = shown(below)
    laid = shown(
        with_passes({"controls": {"exposure_ev": -0.5}}, {"blend": blend, "controls": {"saturation": -100}, "strength": 60})
    )
    rec2020 = SRGB.transfer.encode(np.clip(SRGB.transfer.decode(backdrop) @ SPACES["srgb"].to_working.T, 0, 1))
    lab = oklab.from_working(SRGB.transfer.decode(rec2020))
    lab[..., 1:] = 0
    grey = SRGB.transfer.encode(np.clip(oklab.to_working(lab), 0, 1))
    rows = [(20, 30), (100, 100), (170, 60), (220, 150)]
    for y, x in rows:
        mixed = rec2020[y, x] + 0.6 * (FORMULAS[blend](rec2020[y, x], grey[y, x]) - rec2020[y, x])
        expected = SRGB.transfer.encode(np.clip(SRGB.transfer.decode(mixed) @ SPACES["srgb"].from_working.T, 0, 1))
        assert np.abs(laid[y, x] - expected).max() < 6e-4


def test_later_passes_see_what_earlier_ones_left() -> None:
    curve, levels = {"controls": {"curve": ((0, 0), (0.4, 0.7), (1, 1))}}, {"controls": {"level_black": 80}}
    assert np.abs(shown(with_passes(curve, levels)) - shown(with_passes(levels, curve))).max() > 0.02


FOUND = to_text(np.tile(np.linspace(0, 1, 90, dtype=np.float32), (60, 1)))
TERMS = {
    "band": {"x0": 0.3, "y0": 0.1, "x1": 0.6, "y1": 0.4},
    "ring": {"x": 0.6, "y": 0.3, "radius_x": 0.2, "radius_y": 0.1, "angle": 25, "softness": 40},
    "brush": {"strokes": [
        {"points": [4000, 3000, 9000, 8000, 15000, 5000], "size": 0.12},
        {"points": [12000, 9000], "size": 0.2, "build_up": True, "flow": 60},
        {"points": [7000, 6000, 8000, 6000], "size": 0.05, "erase": True},
        {"points": [3000, 10000, 9000, 10000], "size": 0.15, "near_edges": True},
    ]},
    "tone": {"low": 40, "high": 70},
    "depth": {"low": 30, "high": 60},
    "colour": {"lightness": 0.6, "a": 0.05, "b": 0.0, "reach": 40},
    "near": {"x": 0.4, "y": 0.4, "tolerance": 40, "reach": 40},
    "edges": {"threshold": 10, "width_px": 5},
    "found": {"what": "sky", "raster": FOUND},
}  # fmt: skip
"""One of every kind."""


def term(kind: str, **more: Any) -> dict[str, Any]:
    return {"kind": kind, **TERMS[kind], **more}


def area(plan: dict[str, Any], recipe: Recipe = NEUTRAL, source: Source | None = None, long_edge: int = WIDTH) -> np.ndarray:
    """An area over the whole finished picture, at full size or smaller."""
    source = source or scene()
    full = with_passes({"area": plan, "controls": {"exposure_ev": 1}}, recipe=recipe)
    request = ViewRequest(long_edge, long_edge, box=True, show="area_alone")
    return view(source, full, request)[..., 0] / 255


@pytest.mark.parametrize("kind", TERMS)
def test_every_kind_of_area_covers_a_part_and_its_opposite_the_rest(kind: str) -> None:
    plan = {"terms": [term(kind)]}
    found = area(plan)
    assert found.shape == (HEIGHT, WIDTH) and 0.005 < found.mean() < 0.9
    assert np.abs(area({**plan, "inverted": True}) + found - 1).max() < 0.01
    assert np.abs(area({"terms": [term(kind, inverted=True)]}) + found - 1).max() < 0.01
    half = area({"terms": [term(kind, strength=50)]})
    assert np.abs(half - found / 2).max() < 0.01


@pytest.mark.parametrize(
    "more",
    [{}, {"soften_px": 40}, {"grow_px": 15}, {"cling": 60}, {"grow_px": -2, "soften_px": 3}, {"close_px": 8, "smooth_px": 6}],
)
@pytest.mark.parametrize("kind", TERMS)
def test_an_area_is_the_same_at_every_size(kind: str, more: dict[str, float]) -> None:
    source = large()
    plan = {"terms": [term(kind)], **more}
    full = area(plan, source=source, long_edge=1800)
    assert full.shape == (1200, 1800)
    small = area(plan, source=source, long_edge=450)
    averaged = full.reshape(300, 4, 450, 4).mean((1, 3))
    assert np.abs(small - averaged).mean() < 0.012 and np.quantile(np.abs(small - averaged), 0.99) < 0.16
    # a window at 1:1 shows what the whole has there
    recipe = with_passes({"area": plan, "controls": {"exposure_ev": 1}})
    request = ViewRequest(1800, 1200, 700, 400, 500, 300, show="area_alone")
    window = view(source, recipe, request)[..., 0] / 255
    assert np.abs(window - full[400:700, 700:1200]).max() < 0.012


@lru_cache(maxsize=1)
def large() -> Source:
    """The scene five times as large."""
    y, x = np.mgrid[0:1200, 0:1800] / 5
    level = 0.02 * 30 ** (y / HEIGHT) * (1 + 0.3 * np.sin(x / 14) + 0.2 * np.sin(y / 19))
    hue = 2 * np.pi * ((x / 180) % 1)
    lab = np.stack([np.cbrt(level), 0.06 * np.cos(hue), 0.06 * np.sin(hue)], -1)
    linear = np.clip(oklab.to_working(lab) @ SPACES["srgb"].from_working.T, 0, 1)
    return rendered(np.rint(SRGB.transfer.encode(linear) * 65535).astype(np.uint16), depth=DEPTH)


def test_a_range_of_depth_is_where_the_map_says() -> None:
    places = cv2.resize(DEPTH, (WIDTH, HEIGHT), interpolation=cv2.INTER_LINEAR)
    for low, high in ((30, 60), (0, 25), (75, 100)):
        found = area({"terms": [{"kind": "depth", "low": low, "high": high, "softness": 4}]})
        inside = (places > low / 100 + 0.02) & (places < high / 100 - 0.02)
        beyond = (places < low / 100 - 0.06) | (places > high / 100 + 0.06)
        assert found[inside].min() > 0.9 and found[beyond].max() < 0.1
    # the mean of near and far is no depth: where they meet nothing in between is found
    leap = np.zeros((100, 150), np.float32)
    leap[:, 75:] = 1
    wide = cv2.resize(leap, (2100, 1400), interpolation=cv2.INTER_NEAREST)
    source = rendered(np.full((1400, 2100, 3), 90, np.uint8), depth=wide)
    assert area({"terms": [{"kind": "depth", "low": 40, "high": 60}]}, source=source, long_edge=900).max() < 0.01


def test_without_a_depth_map_a_range_of_depth_is_nowhere_and_that_is_told() -> None:
    source = rendered(np.full((60, 90, 3), 90, np.uint8))
    plan = {"terms": [{"kind": "depth", "high": 50}]}
    assert area(plan, source=source, long_edge=90).max() == 0
    asked = with_passes({"name": "near", "area": plan}, {"name": "all"}, {"name": "far", "on": False, "area": plan})
    told = notes_of_areas(source, asked)
    assert [note.split(":")[0] for note in told] == ["near"] and "no depth map" in told[0]
    assert notes_of_areas(scene(), asked) == [] and notes_of_areas(source, asked.with_switch("passes", False)) == []
    again, found = found_again(renderer(), source, key(source), asked)
    assert found == told and again == asked


FRAMINGS: list[dict[str, Any]] = [
    {"quarter_turn": "90"},
    {"quarter_turn": "270", "mirror": True},
    {"angle": 7.0},
    {"tilt": 8.0, "swing": -5.0},
    {"bend": 12.0},
    {"crop_x": 0.45, "crop_y": 0.36, "crop_width": 0.62, "crop_height": 0.4},
    {"quarter_turn": "180", "angle": -4.0, "tilt": 5.0, "stretch": 6.0}
    | {"crop_x": 0.5, "crop_y": 0.33, "crop_width": 0.5, "crop_height": 0.4},
]  # fmt: skip


@pytest.mark.parametrize("framing", FRAMINGS, ids=str)
@pytest.mark.parametrize("kind", ["ring", "brush", "found", "near", "depth"])
def test_an_area_stays_on_its_subject_through_any_framing(kind: str, framing: dict[str, Any]) -> None:
    """The edge of an area is where it was on the frame to half a pixel."""
    source, recipe = large(), NEUTRAL.with_values({"framing": framing})
    plain = area({"terms": [term(kind)]}, source=source, long_edge=1800)
    framed = renderer().framed(source, key(source), source.plan(recipe).frame)
    seen = area({"terms": [term(kind)]}, recipe, source, max(framed.width, framed.height))
    y, x = np.mgrid[8 : framed.height - 8 : 7, 8 : framed.width - 8 : 7]
    places = framed.to_frame(np.stack([x.ravel() + 0.5, y.ravel() + 0.5], 1)) * 1800
    inside = (places > 3).all(1) & (places < [1797, 1197]).all(1)
    here, there = seen[y.ravel()[inside], x.ravel()[inside]], places[inside] - 0.5
    column, row = there.astype(int).T
    fx, fy = (there - [0, 0]).T - [column, row]
    top = plain[row, column] * (1 - fx) + plain[row, column + 1] * fx
    bottom = plain[row + 1, column] * (1 - fx) + plain[row + 1, column + 1] * fx
    expected = top * (1 - fy) + bottom * fy
    slope = np.hypot(*np.gradient(plain))[row, column]
    # half a pixel of the slope there, and the steps of 8 bits
    assert (np.abs(here - expected) <= 0.5 * slope + 0.02).mean() > 0.995
    assert np.abs(here - expected).mean() < 0.006


def one_pass() -> st.SearchStrategy[dict[str, Any]]:
    """Any pass: every kind of term, every control."""
    controls = {}
    for name, info in Controls.model_fields.items():
        ui = ui_of(info)
        if ui["kind"] in ("gauge", "hue", "key"):
            controls[name] = st.floats(ui["low"], ui["high"], allow_nan=False)
        elif ui["kind"] == "switch":
            controls[name] = st.booleans()
    terms = st.builds(
        lambda kind, join, strength, inverted: term(kind, join=join, strength=strength, inverted=inverted),
        st.sampled_from(list(TERMS)), st.sampled_from(["add", "without", "only"]), st.floats(0, 100), st.booleans(),
    )  # fmt: skip
    areas = st.fixed_dictionaries(
        {"terms": st.lists(terms, max_size=3)},
        optional={
            "grow_px": st.floats(-30, 30),
            "soften_px": st.floats(0, 60),
            "cling": st.floats(0, 100),
            "close_px": st.floats(0, 40),
            "smooth_px": st.floats(0, 40),
        },
    )
    return st.fixed_dictionaries(
        {"area": areas, "controls": st.fixed_dictionaries({}, optional=controls), "blend": st.sampled_from(list(BLENDS))},
        optional={"strength": st.floats(0, 100), "on": st.booleans()},
    )


@settings(max_examples=40, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(one_pass(), min_size=1, max_size=4))
def test_any_passes_are_finite_and_survive_json(passes: list[dict[str, Any]]) -> None:
    recipe = with_passes(*passes)
    assert Recipe.from_document(json.loads(json.dumps(recipe.to_document()))) == recipe
    seen = view(scene(), recipe, ViewRequest(120, 80, box=True))
    assert seen.shape == (80, 120, 3)
    delivered = renderer().deliver(scene(), recipe, space="srgb", bits=8, long_edge=120)
    # the view reads reduced plates, a delivery develops first and reduces then
    assert np.abs(seen.astype(int) - delivered.astype(int)).mean() < 6


def test_a_view_of_full_size_has_the_codes_of_a_delivery() -> None:
    strong = {"area": {"terms": [term("ring"), term("brush")]}, "controls": {"exposure_ev": 1, "clarity": 50, "saturation": 40}}
    recipe = with_passes(strong, {"blend": "soft_light", "area": {"terms": [term("tone")]}})
    whole = renderer().deliver(scene(), recipe, space="srgb", bits=8)
    part = view(scene(), recipe, ViewRequest(WIDTH, HEIGHT, 100, 50, 160, 120))
    assert np.abs(part.astype(int) - whole[50:170, 100:260].astype(int)).max() <= 1


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ([{"name": ""}], "name"),
        ([{"name": "a", "blend": "dissolve"}], "blend"),
        ([{"name": "a", "area": {"terms": [{"kind": "square"}]}}], "square"),
        ([{"name": "a", "area": {"terms": [{"kind": "found", "what": "sky", "raster": "AAAA"}]}}], "damaged"),
        ([{"name": "a", "area": {"terms": [{"kind": "brush", "strokes": [{"points": [], "size": 0.1}]}]}}], "points"),
        ([{"name": "a", "controls": {"exposure_ev": float("nan")}}], "exposure_ev"),
        ([{"id": "x", "name": "a"}, {"id": "x", "name": "b"}], "same id"),
        ([{"name": "a"}] * 41, "40"),
    ],
)
def test_what_makes_no_sense_is_refused_by_name(values: list[dict[str, Any]], words: str) -> None:
    with pytest.raises(RecipeError, match=words):
        NEUTRAL.with_values({"passes": {"passes": values}})


def test_twenty_passes_are_small() -> None:
    """A recipe of twenty passes stays below 200 kB; a stroke of the hand has some forty points after it was simplified."""
    strokes = [{"points": [int(v) for v in np.linspace(0, 19999, 80)], "size": 0.05} for _ in range(6)]
    one = {"area": {"terms": [{"kind": "brush", "strokes": strokes}, term("found")]}, "controls": {"exposure_ev": 0.5}}
    assert len(json.dumps(with_passes(*[one] * 20).to_document())) < 200_000
