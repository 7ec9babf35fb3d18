"""Shadows, highlights, clarity and haze on pictures whose truth is known: halos, noise, order of tones, depth."""

import cv2
import numpy as np
import pytest

from tests.contract.test_operations import rendered
from zincplate.core.colour.colour_spaces import SRGB
from zincplate.core.kernels.numbers import float32_numbers, view_numbers
from zincplate.core.tone import haze
from zincplate.core.tone.local_tone import HIGHLIGHTS_EV, SHADOWS_EV, LocalNumbers, local_gain
from zincplate.core.tone.low_planes import ev
from zincplate.formats.isolated import Decoder
from zincplate.pipeline.windows import Window
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer

GREY_WEIGHTS = np.array([0.25, 0.5, 0.25])


def adjusted(planes: np.ndarray, controls: dict[str, dict[str, float]]) -> np.ndarray:
    """Linear planes (0..1) after the local stage of a rendered float picture of these planes."""
    encoded = SRGB.transfer.encode(np.moveaxis(planes, 0, -1))
    source = rendered(np.ascontiguousarray(encoded, np.float32))
    renderer = Renderer(Decoder())
    plan = source.plan(Recipe.neutral(False).with_values(controls))
    window = Window(source.width, source.height, 0, 0, source.width, source.height)
    return renderer.stages.local(renderer.framed(source, "test", plan.frame), "test", plan, window, keep=False)


def step_edge(low_ev: float, high_ev: float, height: int = 200, width: int = 512) -> np.ndarray:
    """Two even fields that meet in the middle, grey, in EV about 0.18."""
    row = np.where(np.arange(width) < width // 2, low_ev, high_ev)
    return np.broadcast_to((0.18 * 2.0**row).astype(np.float32), (3, height, width)).copy()


def halo_ev(before: np.ndarray, after: np.ndarray) -> float:
    """Largest departure, in EV, of either field from its own adjusted level far from the edge."""
    gain = np.log2(after[1, 100] / before[1, 100])
    half = gain.size // 2
    return float(max(np.abs(gain[20:half] - gain[20]).max(), np.abs(gain[half:-20] - gain[-20]).max()))


def gaussian_halo_ev(before: np.ndarray, shadows: float, highlights: float) -> float:
    """The same adjustment by the plain method: the region is a Gaussian blur of the same reach (14 pixels)."""
    lightness = ev(before, GREY_WEIGHTS)
    base = cv2.GaussianBlur(lightness, (0, 0), 14.0)

    def ramp(t: np.ndarray) -> np.ndarray:
        t = np.clip(t, 0, 1)
        return t * t * (3 - 2 * t)

    gain = shadows * SHADOWS_EV * ramp((0.5 - base) / 5) + highlights * HIGHLIGHTS_EV * ramp((base + 0.5) / 4)
    return halo_ev(before, before * 2.0**gain)


@pytest.mark.parametrize(
    ("controls", "shadows", "highlights"),
    [({"shadows": 80}, 0.8, 0.0), ({"highlights": -80}, 0.0, -0.8), ({"shadows": 80, "highlights": -80}, 0.8, -0.8)],
)
@pytest.mark.parametrize(("low", "high"), [(-4.0, 0.0), (-3.0, 2.0), (-2.0, 1.0)])
def test_halos_of_shadows_and_highlights(
    low: float, high: float, controls: dict[str, float], shadows: float, highlights: float
) -> None:
    before = step_edge(low, high)
    after = adjusted(before, {"tone": controls})
    ours, plain = halo_ev(before, after), gaussian_halo_ev(before, shadows, highlights)
    assert ours < 0.13
    assert ours < max(0.25 * plain, 0.05)


@pytest.mark.parametrize("clarity", [-100, 100])
def test_halos_of_clarity(clarity: int) -> None:
    before = step_edge(-2.5, 0.5)
    # the plain method sharpens with a large radius: 1.8 times the difference to a Gaussian blur
    lightness = ev(before, GREY_WEIGHTS)
    difference = lightness - cv2.GaussianBlur(lightness, (0, 0), 14.0)
    plain = halo_ev(before, before * 2.0 ** (1.8 * clarity / 100 * difference))
    ours = halo_ev(before, adjusted(before, {"definition": {"clarity": clarity}}))
    assert ours < 0.25 and ours < 0.15 * plain


def test_lifted_shadows_lift_noise_by_the_gain_only() -> None:
    rng = np.random.default_rng(1)
    dark = (0.18 * 2.0**-4 * (1 + 0.15 * rng.standard_normal((400, 600)))).astype(np.float32)
    before = np.broadcast_to(dark, (3, 400, 600)).copy()
    after = adjusted(before, {"tone": {"shadows": 100}})
    gain = after.mean() / before.mean()
    assert 3.5 < gain < 2**SHADOWS_EV
    assert after.std() / before.std() < 1.05 * gain
    # clarity does not take it for form
    clear = adjusted(before, {"definition": {"clarity": 100}})
    assert clear.std() / clear.mean() < 1.1 * before.std() / before.mean()


@pytest.mark.parametrize("shadows", [-100, 0, 100])
@pytest.mark.parametrize("highlights", [-100, 0, 100])
def test_lighter_regions_stay_lighter(shadows: int, highlights: int) -> None:
    levels = np.linspace(-8, 2.4, 261)
    # every level as a region of its own: a wide even field
    found = []
    for level in levels[::10]:
        even = np.full((3, 64, 96), 0.18 * 2.0**level, np.float32)
        found.append(adjusted(even, {"tone": {"shadows": shadows, "highlights": highlights}})[1, 32, 48])
    assert (np.diff(found) > 0).all()


def hazy(width: int = 480, height: int = 320) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A scene with dark details everywhere, behind air that thickens to the right: clear, hazy, transmission."""
    rng = np.random.default_rng(2)
    tiles = rng.uniform(0.02, 0.6, (3, height // 8, width // 8)).astype(np.float32)
    tiles[rng.integers(0, 3, (height // 8, width // 8)), *np.mgrid[0 : height // 8, 0 : width // 8]] *= 0.05
    clear = np.stack([cv2.resize(t, (width, height), interpolation=cv2.INTER_NEAREST) for t in tiles])
    transmission = np.broadcast_to(np.exp(-np.linspace(0.1, 1.1, width, dtype=np.float32)), (height, width))
    light = np.array([0.78, 0.8, 0.84], np.float32)[:, None, None]
    return clear, clear * transmission + light * (1 - transmission), transmission


def test_haze_of_known_depth_comes_out() -> None:
    # source of the model I = J t + A (1 - t): Koschmieder 1924, as He, Sun, Tang 2011 use it
    clear, veiled, transmission = hazy()
    found = haze.air_of(veiled)
    thickness = np.clip(found.a * np.sqrt(veiled[1]) + found.b, 0, 1)
    for x in (60, 240, 420):
        assert thickness[40:-40, x - 20 : x + 20].mean() == pytest.approx(1 - transmission[0, x], abs=0.2)
    after = adjusted(veiled, {"definition": {"haze": 100}})
    error_before, error_after = np.abs(veiled - clear).mean(), np.abs(after - clear).mean()
    # a trace is left on purpose, and light read off a scene that is nowhere all air is a little too dark
    assert error_after < 0.62 * error_before
    added = adjusted(clear, {"definition": {"haze": -60}})
    assert added.std() < clear.std() and added.mean() > clear.mean()


def test_haze_leaves_no_fringe_along_an_edge() -> None:
    before = step_edge(-3, 1.5)
    ours = halo_ev(before, adjusted(before, {"definition": {"haze": 60}}))
    # the plain method smooths the same map by a Gaussian instead of along the edges
    light = before.max()
    kernel = np.ones((haze.PATCH, haze.PATCH), np.uint8)
    air = cv2.GaussianBlur(cv2.erode(before[1] / light, kernel), (0, 0), float(haze.PATCH))
    t = np.maximum(1 - 0.6 * haze.KEPT * air, haze.LEAST_TRANSMISSION)
    plain = halo_ev(before, np.maximum((before - light) / t + light, 1e-4))
    assert ours < 0.6 and ours < 0.3 * plain


def test_the_kernel_is_the_identity_at_neutral() -> None:
    rng = np.random.default_rng(3)
    planes = rng.uniform(0, 2, (3, 40, 60)).astype(np.float32)
    view, numbers = view_numbers(60, 40, np.array([0.25, 0.5, 0.25]), 0.0), float32_numbers(LocalNumbers, np.zeros(13))
    low, air = np.zeros((4, 8, 12), np.float32), np.zeros((2, 8, 12), np.float32)
    out = np.empty_like(planes)
    local_gain(planes, low, air, view, numbers, 0, 0, out)
    assert np.abs(out - planes).max() < 1e-5


def test_the_edge_light_is_what_it_says_in_the_corners_and_nothing_in_the_middle() -> None:
    even = np.full((3, 200, 300), 0.18, np.float32)
    after = adjusted(even, {"finish": {"edge_light_ev": -2, "edge_reach": 60, "edge_softness": 20}})
    gain = np.log2(after[1] / even[1])
    assert gain[0, 0] == pytest.approx(-2, abs=0.02) and gain[-1, -1] == pytest.approx(-2, abs=0.02)
    assert abs(gain[100, 150]) < 1e-3
    assert gain[100, 5] < -0.3
    bright = np.full((3, 200, 300), 0.95, np.float32)
    spared = adjusted(bright, {"finish": {"edge_light_ev": -2, "edge_reach": 60, "edge_spare_highlights": 100}})
    assert np.log2(spared[1, 0, 0] / 0.95) > -0.75
