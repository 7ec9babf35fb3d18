"""One picture laid on another whatever crosses it: places against those that it was resampled by."""

import cv2
import numpy as np
import pytest

from tests.core.test_similarity import about_middle, corners_apart, drawing, moved
from zincplate.core.merging.alignment import _flattened, _plausible, align

TRUTH = {"still": (1.0, 0.0, 0.0, 0.0), "from the hand": (1.0, 0.006, 5.3, -3.1), "turned": (1.01, 0.1, -20.0, 12.0)}


def walker(picture: np.ndarray, x: int, y: int, width: int, height: int, stops: float) -> np.ndarray:
    """Somebody so much darker, or lighter, than what he stands before."""
    picture = picture.copy()
    picture[y : y + height, x : x + width] += stops
    return picture


@pytest.mark.parametrize("how", TRUTH)
@pytest.mark.parametrize("stops", [-5.0, -2.5, -1.0, 3.0])
@pytest.mark.parametrize("step", [15, 90, -130])
def test_who_walks_through_does_not_take_the_picture_along(step: int, stops: float, how: str) -> None:
    """His edges are the strongest there are: correlated as they were, pictures that lie still came to lie 4 to 80 pixels off."""
    first = drawing()
    truth = about_middle(*TRUTH[how], first.shape)
    second = moved(first, truth) + np.float32(0.4)  # another exposure
    noise = np.random.default_rng(3).normal(0, 0.05, (2, *first.shape)).astype(np.float32)
    seen = walker(first, 180, 90, 50, 140, stops) + noise[0], walker(second, 180 + step, 90, 50, 140, stops) + noise[1]
    found = align(*seen)
    assert found is not None
    assert corners_apart(found.homography, truth, first.shape) < 0.15


def test_large_pictures_are_laid_as_exactly_as_small_ones() -> None:
    first = drawing(900, 1400)
    truth = about_middle(1.0, 0.004, 9.0, -6.0, first.shape)
    second = walker(moved(first, truth), 500, 200, 250, 500, -4.0)
    found = align(walker(first, 200, 200, 250, 500, -4.0), second)
    assert found is not None and corners_apart(found.homography, truth, first.shape) < 0.3


@pytest.mark.parametrize("seeds", [(4, 5), (6, 7), (8, 9)])
@pytest.mark.parametrize("stops", [0.0, -4.0])
def test_others_do_not_lie_on_each_other(stops: float, seeds: tuple[int, int]) -> None:
    """Not even where the same stands before both."""
    first, second = (walker(drawing(seed=seed), 180, 90, 50, 140, stops) for seed in seeds)
    assert align(first, second) is None


def test_what_is_flattened_has_no_large_forms_and_nothing_strong() -> None:
    picture = drawing()
    slope = np.broadcast_to(np.linspace(0, 9, picture.shape[1], dtype=np.float32), picture.shape)
    plain, strong = _flattened(picture), _flattened(walker(picture + slope, 180, 90, 50, 140, -6.0))
    assert np.abs(strong).max() < 1.3 * np.abs(plain).max()
    away = np.s_[40:-40, 40:130]
    assert np.corrcoef(plain[away].ravel(), strong[away].ravel())[0, 1] > 0.97
    # where most is held at a limit the rest still has drawing
    assert _flattened(np.where(cv2.blur(picture, (9, 9)) > 0.6, picture, 0).astype(np.float32)).std() > 0


@pytest.mark.parametrize(
    ("homography", "whether"),
    [
        ([[1, 0, 0], [0, 1, 0], [0, 0, 1]], True),
        ([[1, 0, 40], [0, 1, -20], [0, 0, 1]], True),
        ([[-1, 0, 300], [0, 1, 0], [0, 0, 1]], False),  # mirrored
        ([[0.4, 0, 0], [0, 0.4, 0], [0, 0, 1]], False),
        ([[1, 0, 0], [0, 1, 280], [0, 0, 1]], False),  # a third of it is not in sight
        ([[1, 0, 0], [0, 1, 0], [-0.004, 0, 1]], False),  # one side lies behind the camera
    ],
)
def test_what_pictures_of_one_view_can_be_laid_by(homography: list[list[float]], whether: bool) -> None:
    assert _plausible(np.array(homography, np.float64), (400, 300)) is whether
