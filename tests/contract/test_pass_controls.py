"""Every control of a pass: its direction, its area, agreement of sizes, and what it must leave alone."""

import threading
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.contract.test_pass_inks import INKS
from tests.contract.test_passes import HEIGHT, LEFT, NEUTRAL, WIDTH, key, lab_of, large, renderer, scene, shown, view, with_passes
from zincplate.core.colour.colour_spaces import SRGB
from zincplate.ops.base import ui_of
from zincplate.ops.passes.passes import Controls
from zincplate.pipeline import pass_forms
from zincplate.pipeline.lit import Lit
from zincplate.pipeline.passes import laid_over, lit
from zincplate.pipeline.windows import Window
from zincplate.recipe.document import Recipe
from zincplate.render.view import ViewRequest
from zincplate.tables.light_plan import finishing_tables


def chroma(picture: np.ndarray) -> float:
    return float(np.hypot(*np.moveaxis(lab_of(picture), -1, 0)[1:]).mean())


def spread(picture: np.ndarray) -> float:
    return float(lab_of(picture)[..., 0].std())


def hue_turn(picture: np.ndarray) -> float:
    lab, plain = lab_of(picture), lab_of(shown(NEUTRAL)[: picture.shape[0], : picture.shape[1]])
    turn = np.arctan2(lab[..., 2], lab[..., 1]) - np.arctan2(plain[..., 2], plain[..., 1])
    return float(np.angle(np.exp(1j * turn).mean()))


def mean(picture: np.ndarray) -> float:
    return float(picture.mean())


def veil(picture: np.ndarray) -> float:
    return -float(np.quantile(picture, 0.05))


def fine(picture: np.ndarray) -> float:
    """Deviation of what is finer than two pixels."""
    light = lab_of(picture)[..., 0].astype(np.float32)
    return float((light - cv2.GaussianBlur(light, (0, 0), 1.5)).std())


def forms(picture: np.ndarray, fine_px: float = 1.2, coarse_px: float = 6) -> float:
    """Deviation of what lies between two sizes."""
    light = lab_of(picture)[..., 0].astype(np.float32)
    return float((cv2.GaussianBlur(light, (0, 0), fine_px) - cv2.GaussianBlur(light, (0, 0), coarse_px)).std())


DIRECTIONS: dict[str, tuple[float, float, Any, dict[str, Any]]] = {
    "exposure_ev": (-1, 1, mean, {}),
    "warmer_mired": (-60, 60, lambda p: float((p[..., 0] - p[..., 2]).mean()), {}),
    "magenta": (-80, 80, lambda p: float((p[..., 0] + p[..., 2] - 2 * p[..., 1]).mean()), {}),
    "contrast": (-80, 80, spread, {}),
    "shadows": (-80, 80, lambda p: float(p[:100].mean()), {}),
    "highlights": (-80, 80, lambda p: float(p[200:].mean()), {}),
    "clarity": (-80, 80, lambda p: float(np.diff(lab_of(p)[60:160, :, 0], axis=1).std()), {}),
    "haze": (-80, 80, veil, {}),
    "noise": (0, 100, lambda p: -50 * fine(p[60:180]), {}),
    "sharper": (-90, 90, lambda p: 50 * fine(p[60:180]), {}),
    "even_light": (-80, 80, lambda p: -forms(p[60:180]), {}),
    "shine": (0, 100, lambda p: -float(np.quantile(p[60:180], 0.98)), {"forms_percent": 4}),
    "shine_tone": ((0.4,) * 3, (0.03,) * 3, lambda p: -float(np.quantile(p[60:180], 0.9)), {"shine": 100}),
    "forms_percent": (0.6, 8, lambda p: -forms(p[60:180], 4, 14), {"even_light": 100}),
    "glow": (0, 100, lambda p: float(p[185:212].mean()), {}),
    "glow_percent": (1, 12, lambda p: float(p[20:80].mean()), {"glow": 100}),
    "even_colour": (0, 100, lambda p: -float(lab_of(p)[60:180, 20:150, 1:].std((0, 1)).sum()), {"forms_percent": 4}),
    "saturation": (-80, 80, chroma, {}),
    "vibrance": (-80, 80, chroma, {}),
    "hue_degrees": (-60, 60, hue_turn, {}),
    "tint_strength": (0, 80, lambda p: float(lab_of(p)[60:180, :, 1].mean()), {"tint_hue": 0}),
    "tint_hue": (0, 90, lambda p: float(lab_of(p)[60:180, :, 2].mean()), {"tint_strength": 80}),
    "black_and_white": (False, True, lambda p: -chroma(p), {}),
    "level_black": (0, 90, lambda p: -mean(p), {}),
    "level_middle": (0.6, 1.8, mean, {}),
    "level_white": (255, 180, mean, {}),
    "curve": (((0, 0), (0.5, 0.35), (1, 1)), ((0, 0), (0.5, 0.65), (1, 1)), mean, {}),
}


def test_every_control_has_a_direction_and_says_what_it_is() -> None:
    assert set(DIRECTIONS) | set(INKS) == set(Controls.model_fields)
    for info in Controls.model_fields.values():
        ui = ui_of(info)
        assert ui["label"] and len(ui["help"]) > 10


@pytest.mark.parametrize("name", DIRECTIONS)
def test_a_control_acts_in_its_area_in_its_direction_and_nowhere_else(name: str) -> None:
    low, high, measure, more = DIRECTIONS[name]
    plain = shown(NEUTRAL)
    first, second = (shown(with_passes({"area": {"terms": LEFT}, "controls": {**more, name: v}})) for v in (low, high))
    half = np.s_[:, : WIDTH // 2 - 8]
    assert measure(second[half]) > measure(first[half]) + 0.002, (measure(first[half]), measure(second[half]))
    for found in (first, second):
        # what a pass does not cover stays as it is: exactly so in parts of rows that it does not reach; beside covered places
        # colours at the very end of the delivery space may move by a step of 8 bits
        assert np.array_equal(found[:, 256:], plain[:, 256:])
        beside = np.abs(found[:, WIDTH // 2 + 8 : 256] - plain[:, WIDTH // 2 + 8 : 256])
        assert beside.max() < 0.006 and np.quantile(beside, 0.9) < 3 / 65535
        assert np.isfinite(found).all()


@pytest.mark.parametrize("colour", [{}, {"saturation": 40.0}], ids=["plain", "coloured"])
@pytest.mark.parametrize(("own", "space"), [("romm", "srgb"), ("romm", "romm"), ("srgb", "srgb"), ("srgb", "rec2020")])
def test_what_no_pass_reaches_does_not_depend_on_how_far_passes_reach(own: str, space: str, colour: dict[str, float]) -> None:
    """Also where colours lie outside Rec.2020, on which finished light is kept."""
    pixels = (np.random.default_rng(7).random((40, 400, 3)) ** 2 * 65535).astype(np.uint16)
    source = rendered(pixels, own)
    ring = [{"kind": "ring", "x": 0.1, "y": 0.05, "radius_x": 0.02, "radius_y": 0.02}]
    recipe = with_passes({"area": {"terms": ring}, "controls": {"saturation": 50}}).with_values({"colour": colour})
    plan, name, stages = source.plan(recipe), key(source), renderer().stages
    framed, window = renderer().framed(source, name, plan.frame), Window(400, 40, 0, 0, 400, 40)
    planes = stages.local(framed, name, plan, window)
    found = lit(stages.areas, framed, name, recipe, plan, planes, window, space)
    wide = source.tables(recipe, "rec2020", linear_output=True)
    light, _ = laid_over(stages.areas, framed, name, plan, planes, wide, window, True)
    everywhere = Lit(light, finishing_tables(space, plan.soft_gamut)).to_float()
    assert np.abs(found.to_float() - everywhere).max() < 2e-5
    assert (found.over is not None) == (not colour and own == "romm" and space == "srgb")


FORMS = [
    {"even_light": 80, "even_colour": 60, "forms_percent": 3},
    {"even_light": -80, "forms_percent": 12},
    {"shine": 100, "forms_percent": 1},
    {"shine": 80, "shine_tone": (0.05, 0.04, 0.03)},
    {"glow": 100, "exposure_ev": 1},
    {"noise": 100},
    {"sharper": 100},
    {"sharper": -100},
]


@pytest.mark.parametrize("controls", FORMS, ids=str)
def test_what_looks_at_forms_is_the_same_in_a_window_as_in_the_whole(controls: dict[str, float]) -> None:
    recipe = with_passes({"area": {"terms": LEFT}, "controls": controls})
    whole = renderer().deliver(large(), recipe, space="srgb", bits=8)
    window = view(large(), recipe, ViewRequest(1800, 1200, 500, 300, 400, 260))
    apart = np.abs(window.astype(int) - whole[300:560, 500:900].astype(int))
    assert apart.max() <= 1 and (apart > 0).mean() < 0.01


@pytest.mark.parametrize("controls", FORMS[:6], ids=str)
def test_what_looks_at_forms_agrees_at_half_the_size(controls: dict[str, float]) -> None:
    recipe = with_passes({"controls": controls})
    whole = renderer().deliver(large(), recipe, space="srgb", bits=16) / 65535
    half = view(large(), recipe, ViewRequest(900, 600)) / 255
    averaged = whole.reshape(600, 2, 900, 2, 3).mean((1, 3))
    assert np.abs(half - averaged).mean() < 0.006


def test_softening_everywhere_is_a_blur_and_sharpening_its_opposite() -> None:
    """Unsharp masking by its definition: what is added is a multiple of the difference to the blurred luma."""
    plain = shown(NEUTRAL)
    luma = (plain @ [0.2126, 0.7152, 0.0722]).astype(np.float32)
    apart = luma - cv2.GaussianBlur(luma, (9, 9), 1.0, borderType=cv2.BORDER_REFLECT_101)
    for amount, share in ((100, 1.5), (-100, -0.9), (-50, -0.45)):
        found = shown(with_passes({"controls": {"sharper": amount}})) - plain
        inside = np.abs(found - found.mean(-1, keepdims=True)).max(-1) < 1e-4  # nothing clipped there
        inside[:6] = inside[-6:] = inside[:, :6] = inside[:, -6:] = False
        assert inside.mean() > 0.5
        assert np.abs(found.mean(-1) - share * apart)[inside].max() < 3e-4


def test_softening_takes_sharpening_of_the_whole_away() -> None:
    sharp = NEUTRAL.with_values({"definition": {"sharpen_amount": 150, "sharpen_threshold": 2}})
    half_soft = shown(with_passes({"area": {"terms": LEFT}, "controls": {"sharper": -100}}, recipe=sharp))
    alone = shown(with_passes({"area": {"terms": LEFT}, "controls": {"sharper": -100}}))
    assert np.abs(half_soft[:, : WIDTH // 2 - 10] - alone[:, : WIDTH // 2 - 10]).max() < 1e-4
    assert np.array_equal(half_soft[:, WIDTH // 2 + 10 :], shown(sharp)[:, WIDTH // 2 + 10 :])


def test_a_size_alone_does_nothing() -> None:
    assert np.array_equal(shown(with_passes({"controls": {"forms_percent": 9, "glow_percent": 9}})), shown(NEUTRAL))


def test_passes_of_one_size_add_and_of_two_sizes_follow_each_other() -> None:
    once = shown(with_passes({"controls": {"even_light": 60}}))
    twice = shown(with_passes({"controls": {"even_light": 30}}, {"controls": {"even_light": 30}}))
    assert np.abs(once - twice).max() < 2e-4
    others = shown(with_passes({"controls": {"even_light": 60}}, {"controls": {"even_light": -60, "forms_percent": 15}}))
    assert np.abs(others - once).mean() > 0.002


def test_small_forms_are_evened_before_large_ones(monkeypatch: pytest.MonkeyPatch) -> None:
    asked: dict[int, list[float]] = {}
    long_edge = pass_forms.long_edge_of

    def noted(size: float) -> int:
        asked.setdefault(threading.get_ident(), []).append(size)
        return long_edge(size)

    monkeypatch.setattr(pass_forms, "long_edge_of", noted)
    monkeypatch.setattr(pass_forms.Forms, "beforehand", lambda *_: [])  # of the parts only
    sizes = (12.0, 2.5, 0.5, 2.5)
    tones = (None, None, None, (0.1, 0.1, 0.1))
    shown(
        with_passes(
            *({"controls": {"shine": 30, "forms_percent": s, "shine_tone": t}} for s, t in zip(sizes, tones, strict=True))
        )
    )
    # several parts of the picture are in work at once
    assert asked and all(sizes[:4] == [0.5, 2.5, 2.5, 12.0] for sizes in asked.values())


def test_shine_goes_to_a_picked_tone_however_large_it_is_and_what_is_darker_stays() -> None:
    """Under another exposure and balance as well: the tone is one of the frame's own."""
    levels = np.repeat(np.array([0.02, 0.1, 0.5, 0.9]), 75)
    linear = np.repeat(levels[None, :], 200, 0)[..., None] * (1.0, 0.9, 0.8)
    flat = rendered(np.rint(SRGB.transfer.encode(linear) * 65535).astype(np.uint16))
    place = {"x": 112, "y": 100}
    for recipe in (
        NEUTRAL,
        NEUTRAL.with_values({"tone": {"exposure_ev": -1}, "balance": {"temperature_kelvin": 5200.0, "tint": 10.0}}),
    ):
        picked = renderer().plate_at(flat, key(flat), recipe, place["x"], place["y"], 4)
        one = {"controls": {"shine": 100, "shine_tone": tuple(round(v, 6) for v in picked), "forms_percent": 0.4}}
        before, after = (SRGB.transfer.decode(shown(r, flat))[100, 37::75] for r in (recipe, with_passes(one, recipe=recipe)))
        assert np.abs(after[:2] - before[:2]).max() < 2e-4
        gone = np.log2(after[2:] / before[1])
        assert (gone >= 0).all() and (gone < 0.3).all(), gone
        assert np.ptp(gone, axis=1).max() < 0.02  # the picked colour, not that of the lamp


def test_nothing_brighter_than_a_picked_tone_becomes_darker_than_what_was_less_bright() -> None:
    ramp = np.repeat(np.geomspace(0.02, 0.95, 600)[None, :], 120, 0)[..., None] * (1.0, 1.0, 1.0)
    source = rendered(np.rint(SRGB.transfer.encode(ramp) * 65535).astype(np.uint16))
    after = shown(with_passes({"controls": {"shine": 100, "shine_tone": (0.1, 0.1, 0.1)}}), source)[60, 2:-2].mean(-1)
    assert np.diff(after).min() > -2e-4
    half = int(np.searchsorted(ramp[60, 2:-2, 0], 0.1))
    assert SRGB.transfer.decode(after)[half + 40 :].max() < 0.1 * 2**0.35


def test_each_pass_looks_at_its_own_size() -> None:
    """Two sizes in two halves: each half is what its pass alone makes of it."""
    right = [{**LEFT[0], "x0": 0.51, "x1": 0.49}]
    one = {"area": {"terms": LEFT}, "controls": {"even_light": 80, "forms_percent": 2}}
    other = {"area": {"terms": right}, "controls": {"even_light": 80, "forms_percent": 12}}
    both, first, second = (shown(with_passes(*p)) for p in ([one, other], [one], [other]))
    assert np.abs(both[:, : WIDTH // 2 - 12] - first[:, : WIDTH // 2 - 12]).max() < 2e-4
    assert np.abs(both[:, WIDTH // 2 + 12 :] - second[:, WIDTH // 2 + 12 :]).max() < 2e-4
    assert np.abs(second[:, WIDTH // 2 + 12 :] - first[:, : WIDTH // 2 - 12]).mean() > 0.003


def test_noise_by_place_on_a_raw_file_is_the_same_in_a_window_and_goes_where_it_is_asked_for(dng: Path) -> None:
    """And a view that was kept without it is not shown with it, whatever else acts."""
    source = renderer().open(dng, "noisy")
    tone = Recipe.neutral(True).with_values({"tone": {"exposure_ev": 1.0, "shadows": 30}})
    calm = with_passes({"area": {"terms": LEFT}, "controls": {"noise": 100}}, recipe=tone)
    request = ViewRequest(source.width, source.height, 100, 100, 300, 200)
    before = renderer().view(source, "noisy", tone, request).picture.astype(int)
    window = renderer().view(source, "noisy", calm, request).picture.astype(int)
    whole = renderer().deliver(source, calm, space="srgb", bits=8).astype(int)
    assert np.abs(window - whole[100:300, 100:400]).max() <= 1
    # the left half is calmer, the right one as it was
    assert np.array_equal(window[:, 270:], before[:, 270:])
    assert np.abs(np.diff(window[:, :230], axis=1)).mean() < 0.93 * np.abs(np.diff(before[:, :230], axis=1)).mean()
    # the same where the whole is calmed a little already, so that both look at the same surroundings
    little = tone.with_values({"definition": {"luminance_noise": 10}})
    more = with_passes({"area": {"terms": LEFT}, "controls": {"noise": 100}}, recipe=little)
    first, second = (renderer().view(source, "noisy", r, request).picture.astype(int) for r in (little, more))
    assert np.abs(second - first)[:, :230].mean() > 0.1 and np.array_equal(second[:, 270:], first[:, 270:])


def test_an_outline_lies_on_the_edge_and_nowhere_else() -> None:
    terms = [{"kind": "ring", "x": 0.5, "y": 0.33, "radius_x": 0.2, "radius_y": 0.2, "softness": 0}]
    recipe = with_passes({"area": {"terms": terms}, "controls": {"exposure_ev": 0.5}})
    plain, outlined, alone = (
        view(scene(), recipe, ViewRequest(WIDTH, HEIGHT, box=True, show=show)).astype(int)
        for show in ("picture", "area_outline", "area_alone")
    )
    edge = np.abs(np.gradient(alone[..., 0] / 255.0)).max(0) > 0.2
    changed = (outlined != plain).any(-1)
    assert changed.sum() > 200
    rows, columns = np.nonzero(edge)
    for y, x in np.argwhere(changed)[::7]:
        assert np.hypot(rows - y, columns - x).min() < 4
    light = (outlined == [250, 204, 110]).all(-1)
    assert light[edge].mean() > 0.3 and not light[~changed].any()


def test_more_than_everything_is_everything() -> None:
    once = shown(with_passes({"controls": {"even_colour": 100, "noise": 100}}))
    twice = shown(with_passes(*[{"controls": {"even_colour": 100, "noise": 100}}] * 2))
    assert np.abs(once - twice).max() < 2e-4


@pytest.mark.parametrize(("controls", "told"), [({"even_colour": 40}, True), ({"exposure_ev": 0.5}, False)])
def test_a_recipe_of_the_first_version_says_what_has_changed(controls: dict[str, float], told: bool) -> None:
    document = with_passes({"controls": controls}).to_document()
    assert not Recipe.from_document(document).notes
    document["versions"]["passes"] = 1
    found = Recipe.from_document(document)
    assert any("finer blotches" in note for note in found.notes) == told
    assert found.value("passes", "passes")[0].controls.model_dump() == Controls(**controls).model_dump()
    assert not Recipe.from_document(found.to_document()).notes
    # the sentence is told once and makes no other recipe: saving the same again is no change
    assert Recipe.from_document(found.to_document()) == found
