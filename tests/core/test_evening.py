"""Forms of a size evened, shine covered, light spread: each method on its own, on pictures whose truth is known."""

import cv2
import numpy as np
import pytest

from zincplate.core.kernels.numbers import float32_numbers, view_numbers
from zincplate.core.tone.evening import PICKED_COVERED, EvenedNumbers, EveningPlanes, evened, evening_planes, tone_of
from zincplate.core.tone.glow import BOOST, MOST, glow_planes, glowing
from zincplate.core.tone.low_planes import ev

WEIGHTS = np.array([0.25, 0.65, 0.10])
SURFACE = np.array([0.24, 0.18, 0.12])
LAMP = np.array([1.0, 1.0, 1.0])
AROUND = (0.0,) * 4
"""No picked tone."""


def spot(radius: float, strength: float, height: int = 200, width: int = 300) -> np.ndarray:
    """A brown surface with a round light of the lamp's colour on it, in its middle."""
    y, x = np.mgrid[0:height, 0:width]
    away = np.hypot(x - width / 2, y - height / 2) / radius
    share = np.clip(1.5 - away, 0, 1)[None]
    return (SURFACE[:, None, None] + strength * share * LAMP[:, None, None]).astype(np.float32)


def covered(
    planes: np.ndarray, size_percent: float, asked: tuple[float, float, float], picked: tuple[float, ...] = AROUND
) -> np.ndarray:
    low = evening_planes(planes, ev(planes, WEIGHTS), size_percent, 0.0)
    wanted = np.ones((3, *planes.shape[1:]), np.float32) * np.array(asked, np.float32)[:, None, None]
    view = view_numbers(planes.shape[2], planes.shape[1], WEIGHTS, 0.0)
    return evened(planes, low, wanted, view, float32_numbers(EvenedNumbers, picked), 0, 0)


def luminance(planes: np.ndarray) -> np.ndarray:
    return np.tensordot(WEIGHTS, planes, 1)


def test_shine_goes_down_to_the_tone_around_it_and_takes_its_colour() -> None:
    planes = spot(6, 0.6)
    found = covered(planes, 4.0, (0, 0, 1))
    middle = found[:, 100, 150]
    before, after, around = luminance(planes)[100, 150], luminance(found)[100, 150], float(WEIGHTS @ SURFACE)
    # a fifth of what was above stays as texture, and what is no shine yet
    assert np.log2(before / around) > 2 and 0 <= np.log2(after / around) < 0.8
    ratios = np.log2(middle / middle[1]) - np.log2(SURFACE / SURFACE[1])
    assert np.abs(ratios).max() < 0.15  # it was white: 0.4 and 0.6 off
    assert np.abs(np.log2(planes[:, 100, 150] / planes[1, 100, 150]) - np.log2(SURFACE / SURFACE[1])).max() > 0.3
    assert np.abs(found - planes)[:, :60].max() < 1e-6


def test_a_light_larger_than_the_size_is_no_shine() -> None:
    planes = spot(60, 0.6)
    found = covered(planes, 4.0, (0, 0, 1))
    assert np.abs(np.log2(luminance(found) / luminance(planes)))[80:120, 130:170].max() < 0.05


def test_to_a_picked_tone_goes_what_is_brighter_however_large_with_its_colour() -> None:
    planes = spot(60, 0.6)
    found = covered(planes, 4.0, (0, 0, 1), (1.0, *tone_of(tuple(SURFACE), tuple(WEIGHTS), 0.0)))
    was, now = (np.log2(luminance(p) / float(WEIGHTS @ SURFACE))[100] for p in (planes, found))
    # what is left: a twentieth of what is above, and what bends into it
    assert np.abs(now[140:160] - (1 - PICKED_COVERED) * was[140:160] - PICKED_COVERED * 0.1).max() < 0.01
    assert np.diff(now[150:]).max() < 1e-4 and now.min() > -1e-4  # its order stays
    middle = found[:, 100, 150]
    assert np.abs(np.log2(middle / middle[1]) - np.log2(SURFACE / SURFACE[1])).max() < 0.03
    half = covered(planes, 4.0, (0, 0, 0.5), (1.0, *tone_of(tuple(SURFACE), tuple(WEIGHTS), 0.0)))
    assert np.log2(luminance(half) / luminance(planes))[100, 150] == pytest.approx((now - was)[150] / 2, abs=0.01)


@pytest.mark.parametrize("amount", [-1.0, 1.0])
def test_forms_are_evened_or_drawn_out_with_what_is_finer_and_coarser_kept(amount: float) -> None:
    """Ripples of three sizes in EV: only the middle one is touched, and luminance alone."""
    y, x = np.mgrid[0:400, 0:600].astype(np.float32)
    parts = {40: 0.1 * np.sin(x * 2 * np.pi / 40), 3: 0.1 * np.sin(y * 2 * np.pi / 3), 600: 0.5 * x / 600}
    planes = (SURFACE[:, None, None] * 2.0 ** sum(parts.values())).astype(np.float32)
    found = covered(planes, 5.0, (0, amount, 0))
    moved = np.log2(luminance(found) / luminance(planes))[60:-60, 60:-60]
    for size, part in parts.items():
        own = part[60:-60, 60:-60] - part[60:-60, 60:-60].mean()
        share = float((moved * own).mean() / (own * own).mean())
        expected = {40: -amount, 3: 0.0, 600: 0.0}[size]
        assert share == pytest.approx(expected, abs=0.3 if size == 40 else 0.12), size
    assert np.abs(found / planes - (found / planes)[:1]).max() < 1e-4


def test_blotches_of_colour_go_and_light_stays() -> None:
    y, x = np.mgrid[0:400, 0:600].astype(np.float32)
    turn = 0.12 * np.sin(x * 2 * np.pi / 40) * np.sin(y * 2 * np.pi / 40)
    planes = np.stack([0.24 * 2**turn, 0.18 + 0 * turn, 0.12 * 2**-turn]).astype(np.float32)
    found = covered(planes, 5.0, (1, 0, 0))
    before, after = (np.log2(p[0] / p[1])[60:-60, 60:-60].std() for p in (planes, found))
    assert after < 0.35 * before
    assert np.abs(luminance(found) / luminance(planes) - 1).max() < 1e-4


def test_what_is_not_asked_for_is_not_touched() -> None:
    planes = spot(6, 0.6)
    low = evening_planes(planes, ev(planes, WEIGHTS), 4.0, 0.0)
    wanted = np.zeros((3, *planes.shape[1:]), np.float32)
    wanted[:, :, :150] = 1
    view, numbers = view_numbers(300, 200, WEIGHTS, 0.0), float32_numbers(EvenedNumbers, AROUND)
    found = evened(planes, EveningPlanes(low.planes), wanted, view, numbers, 0, 0)
    assert np.array_equal(found[:, :, 150:], planes[:, :, 150:]) and not np.array_equal(found, planes)


def lamp(side: int, colour: np.ndarray = LAMP) -> np.ndarray:
    planes = np.full((3, 240, 320), 1e-4, np.float32)
    planes[:, 120 - side // 2 : 121 + side // 2, 160 - side // 2 : 161 + side // 2] = colour[:, None, None]
    return planes


def test_spread_light_is_the_sources_light_and_keeps_its_colour() -> None:
    colour = np.array([1.0, 0.8, 0.5])
    planes = lamp(1, colour)
    spread = glow_planes(planes, ev(planes, WEIGHTS), 3.0)
    total = spread.sum((1, 2)) / (BOOST * colour)
    assert (total > 0.8).all() and (total <= 1).all()  # some of it is held back close by
    inside = spread.mean(0) > 1e-5
    assert np.abs(spread[0][inside] / spread[1][inside] - 1.25).max() < 0.01
    # it falls with distance, and reaches beyond the size
    line = spread[1, 120, 160:]
    assert (np.diff(line) <= 1e-9).all() and 0 < line[20] < 0.2 * line[0]


def test_large_sources_do_not_drown_the_picture() -> None:
    planes = lamp(161)
    spread = glow_planes(planes, ev(planes, WEIGHTS), 6.0)
    assert 0.8 * MOST < spread.mean(0).max() <= MOST
    dull = np.full((3, 60, 80), 0.3, np.float32)
    assert not glow_planes(dull, ev(dull, WEIGHTS), 6.0).any()


def test_glow_is_added_by_the_share() -> None:
    planes, spread = lamp(3), np.ones((3, 24, 32), np.float32)
    share = np.zeros((240, 320), np.float32)
    share[:, :100] = 0.5
    found = glowing(planes, spread, share, 320, 240, 0, 0)
    assert np.allclose(found[:, :, :100] - planes[:, :, :100], 0.5, atol=1e-6)
    assert np.array_equal(found[:, :, 100:], planes[:, :, 100:])


@pytest.mark.parametrize("size_percent", [1.5, 5.9, 20.0])
def test_shine_of_every_size_is_told_from_its_surroundings(size_percent: float) -> None:
    """A light somewhat smaller than the size goes, one three times as large stays, whatever plane it is looked for on."""
    width = 600
    for times, gone in ((0.8, True), (3.0, False)):
        planes = spot(times * size_percent / 100 * width, 0.6, 400, width)
        found = covered(planes, size_percent, (0, 0, 1))
        fallen = np.log2(luminance(planes) / luminance(found))[200, 300]
        assert fallen > 1.0 if gone else fallen < 0.3


def test_spread_light_is_enlarged_to_the_very_edges() -> None:
    # reference: OpenCV's linear resize, whose pixels have the same middles and whose edges go on as they are
    rng = np.random.default_rng(6)
    low, planes = rng.random((3, 6, 8), np.float32), rng.random((3, 36, 48), np.float32)
    asked = rng.random((36, 48), np.float32)
    expected = planes + asked * np.stack([cv2.resize(p, (48, 36), interpolation=cv2.INTER_LINEAR) for p in low])
    assert np.abs(glowing(planes, low, asked, 48, 36, 0, 0) - expected).max() < 1e-5
    part = glowing(np.ascontiguousarray(planes[:, 30:, 5:45]), low, np.ascontiguousarray(asked[30:, 5:45]), 48, 36, 5, 30)
    assert np.abs(part - expected[:, 30:, 5:45]).max() < 1e-5
