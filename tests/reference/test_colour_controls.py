"""Colour work in Oklab: the space itself, hue that stays, keys that add up, greys that stay grey, and the gamut."""

import numpy as np
import pytest
from colour.appearance import XYZ_to_CAM16

from tests.contract.test_operations import rendered
from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import REC2020, SPACES, SRGB
from zincplate.core.colour.gamut import HUES, LIGHTNESSES, chroma_limits
from zincplate.core.colour.lab import delta_e_2000, xyz_to_lab
from zincplate.core.kernels.light import to_float
from zincplate.recipe.document import Recipe
from zincplate.tables.colour_plan import KEY_HUES, hue_shifts, key_weights, shifted_primaries


def developed(linear_srgb: np.ndarray, controls: dict[str, object], space: str = "srgb") -> np.ndarray:
    """Linear colours (n, 3) of sRGB through the kernel with colour controls -> linear colours of a space."""
    encoded = SRGB.transfer.encode(linear_srgb)[None].astype(np.float32)
    source = rendered(np.repeat(encoded, 2, 0))
    planes = source.window(0, 0, source.width, 2)
    out = np.empty_like(planes)
    recipe = Recipe.neutral(False).with_values({"colour": controls})
    to_float(planes, source.tables(recipe, space, linear_output=True), out)
    return out[:, 0].T.astype(np.float64)


def lab_of(linear_srgb: np.ndarray) -> np.ndarray:
    return oklab.from_working(linear_srgb @ SRGB.to_working.T)


def test_oklab_of_the_paper() -> None:
    # Ottosson 2020, table of XYZ (D65) and Oklab values
    xyz = np.array([[0.950, 1.000, 1.089], [1, 0, 0], [0, 1, 0], [0, 0, 1]])
    expected = np.array([[1, 0, 0], [0.450, 1.236, -0.019], [0.922, -0.671, 0.263], [0.153, -1.415, -0.449]])
    assert np.abs(oklab.from_working(xyz @ REC2020.from_xyz.T) - expected).max() < 2e-3
    lab = oklab.from_working(np.random.default_rng(1).uniform(0, 1, (100, 3)))
    assert np.abs(oklab.from_working(oklab.to_working(lab)) - lab).max() < 1e-9
    hue = np.linspace(0, 360, 721)[:-1]
    assert np.abs((oklab.hue_of_diamond(oklab.diamond(hue)) - hue + 180) % 360 - 180).max() < 1e-9


def test_weights_of_the_keys_are_one_together_and_hues_keep_their_order() -> None:
    hue = np.linspace(0, 360, 3601)
    weights = key_weights(hue)
    assert weights.sum(-1) == pytest.approx(1) and (weights >= 0).all()
    assert key_weights(KEY_HUES) == pytest.approx(np.eye(6), abs=1e-9)
    for values in ((1, -1, 1, -1, 1, -1), (-1, 1, -1, 1, -1, 1), (1, 1, 1, 1, 1, 1)):
        turned = hue + weights @ hue_shifts(values)
        assert (np.diff(turned) > 0).all()


@pytest.mark.parametrize(
    "controls",
    [
        {"vibrance": 100},
        {"saturation": -60},
        {"saturation": 70},
        {f"{c}_saturation": 80 for c in ("red", "yellow", "green", "cyan", "blue", "magenta")},
        {f"{c}_lightness": -60 for c in ("red", "blue")},
        {"red_hue": 100, "green_hue": -100, "blue_hue": 60},
        {"red_primary_turn": 100, "blue_primary_purity": -100},
        {"own_keys": [{"name": "clay", "centre_lightness": 0.5, "centre_a": 0.1, "centre_b": 0.05, "saturation": 100}]},
    ],
)
def test_greys_stay_grey(controls: dict[str, object]) -> None:
    greys = np.repeat(np.linspace(0, 1, 64)[:, None], 3, 1)
    out = developed(greys, controls)
    assert np.abs(out - greys).max() < 3e-5
    assert np.ptp(out, axis=1).max() < 2e-5


def moderate_colours(n: int = 400) -> np.ndarray:
    """Colours of sRGB that have room to become stronger by half."""
    rng = np.random.default_rng(2)
    lab = np.stack([rng.uniform(0.35, 0.8, n), *(0.05 * f(rng.uniform(0, 2 * np.pi, n)) for f in (np.cos, np.sin))], -1)
    return oklab.to_working(lab) @ SRGB.from_working.T


@pytest.mark.parametrize("controls", [{"saturation": 45}, {"saturation": -50}, {"vibrance": 90}])
def test_hue_stays_in_a_model_of_appearance(controls: dict[str, object]) -> None:
    # second reader: CAM16 (Li et al. 2017) by colour-science, average surround
    before = moderate_colours()
    lab = lab_of(before)
    before = before[(before > 0.02).all(1) & (np.hypot(lab[:, 1], lab[:, 2]) > 0.03)]
    after = developed(before, controls)
    hues = []
    for linear in (before, after):
        xyz = linear @ SRGB.to_xyz.T * 100
        seen = XYZ_to_CAM16(xyz, np.array([95.047, 100, 108.883]), 64, 20)
        hues.append(np.asarray(seen.h))
    turned = (hues[1] - hues[0] + 180) % 360 - 180
    # a turn of 5 degrees at this chroma is about one CIEDE2000
    assert np.abs(turned).mean() < 2.5 and np.percentile(np.abs(turned), 95) < 7


def test_stronger_is_stronger_and_vibrance_spares_the_strong_and_skin() -> None:
    colours = moderate_colours()
    colours = colours[((colours > 0.04) & (colours < 0.8)).all(1)]
    chroma = np.hypot(*lab_of(colours)[:, 1:].T)
    for name in ("saturation", "vibrance"):
        up, down = (np.hypot(*lab_of(developed(colours, {name: v}))[:, 1:].T) for v in (40, -40))
        assert (up > chroma).all() and (down < chroma).all()

    def gain(lab: list[float]) -> float:
        colour = oklab.to_working(np.array([lab])) @ SRGB.from_working.T
        return float(np.hypot(*lab_of(developed(colour, {"vibrance": 80}))[0, 1:]) / np.hypot(lab[1], lab[2]))

    sky, skin = [0.6, -0.03, -0.05], [0.7, 0.04, 0.045]
    assert gain(sky) > 1.3 and gain(skin) < 1 + 0.55 * (gain(sky) - 1)
    strong = [0.6, -0.06, -0.12]
    assert gain(strong) < 1 + 0.6 * (gain(sky) - 1)


def test_a_picked_key_acts_inside_its_reach_only() -> None:
    centre = lab_of(np.array([[0.35, 0.12, 0.08]]))[0]
    key = {"name": "brick", "centre_lightness": centre[0], "centre_a": centre[1], "centre_b": centre[2], "reach": 20}
    colours = np.array([[0.35, 0.12, 0.08], [0.1, 0.2, 0.4], [0.2, 0.35, 0.1]])
    after = developed(colours, {"own_keys": [{**key, "hue": 50, "saturation": 40, "lightness": 30}]})
    lab, new = lab_of(colours), lab_of(after)
    assert new[0, 0] == pytest.approx(lab[0, 0] * 1.12, rel=0.01)
    turn = np.degrees(np.arctan2(new[0, 2], new[0, 1]) - np.arctan2(lab[0, 2], lab[0, 1]))
    assert turn == pytest.approx(20, abs=0.5)
    assert np.abs(after[1:] - colours[1:]).max() < 1e-5


def test_black_and_white_has_no_colour_and_the_weights_order_the_hues() -> None:
    colours = np.array([[0.5, 0.05, 0.05], [0.05, 0.05, 0.5], [0.3, 0.3, 0.3]])
    plain = developed(colours, {"black_and_white": True})
    assert np.ptp(plain, axis=1).max() < 1e-5
    weighted = developed(colours, {"black_and_white": True, "red_grey": 60, "blue_grey": -60})
    assert weighted[0, 1] > 1.3 * plain[0, 1] and weighted[1, 1] < 0.7 * plain[1, 1]
    assert weighted[2, 1] == pytest.approx(plain[2, 1], abs=1e-5)


def test_toning_colours_its_own_tones() -> None:
    greys = np.repeat(SRGB.transfer.decode(np.array([0.15, 0.5, 0.9]))[:, None], 3, 1)
    lab = lab_of(developed(greys, {"toning_shadows": 60, "toning_shadows_hue": 250}))
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    assert chroma[0] > 2 * chroma[1] > 4 * chroma[2]
    assert np.degrees(np.arctan2(lab[0, 2], lab[0, 1])) % 360 == pytest.approx(250, abs=4)


def test_primaries_turn_about_white() -> None:
    shift = ((10.0, 0.1), (0.0, 0.0), (0.0, -0.2))
    matrix = SRGB.from_working @ shifted_primaries(shift) @ SRGB.to_working
    assert matrix @ np.ones(3) == pytest.approx(np.ones(3), abs=1e-9)
    red = SRGB.to_xyz @ matrix @ np.array([1.0, 0, 0])
    xy, white = red[:2] / red.sum(), np.array([0.3127, 0.3290])
    angle = np.degrees(np.arctan2(*(xy - white)[::-1]) - np.arctan2(0.33 - 0.3290, 0.64 - 0.3127))
    assert angle == pytest.approx(10, abs=0.1)


@pytest.mark.parametrize("space", ["srgb", "p3", "a98"])
def test_colours_outside_keep_hue_and_lightness(space: str) -> None:
    rng = np.random.default_rng(3)
    lab = np.stack([rng.uniform(0.3, 0.9, 600), *(0.26 * f(np.linspace(0, 2 * np.pi, 600)) for f in (np.cos, np.sin))], -1)
    wide = oklab.to_working(lab)
    keep = (wide > 0).all(1) & (wide < 1).all(1)
    wide, lab = wide[keep], lab[keep]
    source = rendered(REC2020.transfer.encode(np.repeat(wide[None], 2, 0)).astype(np.float32), "rec2020")
    planes = source.window(0, 0, len(wide), 2)
    out = np.empty_like(planes)
    to_float(planes, source.tables(Recipe.neutral(False), space, linear_output=True), out)
    target = SPACES[space]
    drawn = oklab.from_working(out[:, 0].T.astype(np.float64) @ target.to_working.T)
    outside = ((wide @ target.from_working.T < -1e-3) | (wide @ target.from_working.T > 1.001)).any(1)
    assert outside.sum() > 30
    hue = (oklab.hue_degrees(drawn) - oklab.hue_degrees(lab) + 180) % 360 - 180
    assert np.abs(hue[outside]).max() < 2.5 and np.abs(hue[outside]).mean() < 0.5
    assert np.abs(drawn[outside, 0] - lab[outside, 0]).max() < 0.012
    # clipping each channel by itself, the plain way, turns hues many times as far
    clipped = oklab.from_working(np.clip(wide @ target.from_working.T, 0, 1) @ target.to_working.T)
    plain = (oklab.hue_degrees(clipped) - oklab.hue_degrees(lab) + 180) % 360 - 180
    assert np.abs(plain[outside]).mean() > 5 * np.abs(hue[outside]).mean()
    # and what was inside is where it was
    moved = delta_e_2000(*(xyz_to_lab(oklab.to_working(v[~outside]) @ REC2020.to_xyz.T) for v in (drawn, lab)))
    # (right at the end of the space the table is read between its points)
    assert moved.max() < 1 and np.percentile(moved, 90) < 0.05


def test_the_table_of_chroma_limits_is_the_end_of_the_space() -> None:
    limits = chroma_limits("srgb").reshape(HUES + 1, LIGHTNESSES + 1)
    for i, j in ((0, 60), (100, 90), (300, 40), (420, 100)):
        hue = np.radians(oklab.hue_of_diamond(i * 4 / HUES))
        for factor, inside in ((0.99, True), (1.01, False)):
            c = limits[i, j] * factor
            rgb = oklab.to_working([j / LIGHTNESSES, c * np.cos(hue), c * np.sin(hue)]) @ SRGB.from_working.T
            assert bool(((rgb >= -1e-6) & (rgb <= 1 + 1e-6)).all()) is inside
