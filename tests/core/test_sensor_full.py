"""Where the sensor was full: told of every sample, and read through the frame stage as what was recorded there is."""

import math

import numpy as np
import pytest

from tests.core.test_warp_ways import MAPS, sampling, turned
from zincplate.core.geometry.radial import ByHand, Radial, compose
from zincplate.core.geometry.warp import warp_bits, warp_nearest
from zincplate.core.measure.statistics import full_of

HEIGHT, WIDTH = 90, 300
LENSES = {"none": ByHand(), "barrel": ByHand(k1=-0.08), "darker corners": ByHand(corner_ev=0.6)}
LIMITS = np.array([0.9, 0.5, 0.7], np.float32)


def plates() -> np.ndarray:
    """A third of every channel's samples full, some of them exactly."""
    planes = np.random.default_rng(3).uniform(0, 1, (3, HEIGHT, WIDTH)).astype(np.float32)
    planes[:, ::7, ::5] = LIMITS[:, None, None]
    return planes


def test_each_channel_has_its_bit_from_its_own_limit_on() -> None:
    planes = plates()
    wanted = sum((planes[c] >= LIMITS[c]) * 2**c for c in range(3))
    assert (full_of(planes, LIMITS) == wanted).all() and len(np.unique(wanted)) == 8


@pytest.mark.parametrize("every", [1, 4])
@pytest.mark.parametrize("lens", LENSES)
@pytest.mark.parametrize("name", MAPS)
def test_at_a_place_stands_what_the_nearest_sample_says(name: str, lens: str, every: int) -> None:
    planes, radial = plates(), _radial(lens)
    place = (sampling(turned(*MAPS[name]), WIDTH, HEIGHT), radial, WIDTH, HEIGHT)
    told = warp_bits(full_of(planes, LIMITS), *place, every)
    assert (told == full_of(warp_nearest(planes, *place), LIMITS))[::every].all()


def test_lenses_of_these_tests_move_places() -> None:
    assert _radial("barrel").moves and not _radial("none").moves
    assert _radial("darker corners").lights and not _radial("darker corners").moves


def _radial(lens: str) -> Radial:
    return compose(math.hypot(WIDTH, HEIGHT) / 2, by_hand=LENSES[lens])
