"""The enhanced correlation coefficient against OpenCV's routine of it, and against places that pictures were resampled by."""

import cv2
import numpy as np
import pytest

from tests.core.test_similarity import about_middle, corners_apart, drawing, moved
from zincplate.core.merging import correlation
from zincplate.core.merging.correlation import correlated

ROUNDS, LIMIT = 40, 1e-6


def everywhere(picture: np.ndarray) -> np.ndarray:
    return np.full(picture.shape, 255, np.uint8)


@pytest.mark.parametrize(
    ("scale", "turn", "x", "y"), [(1.0, 0.0, 0.0, 0.0), (1.0, 0.004, 2.3, -1.6), (1.01, -0.01, -3.0, 2.0), (0.99, 0.0, 0.4, 4.0)]
)
@pytest.mark.parametrize("shape", [(260, 400), (400, 260), (131, 97)])
def test_places_are_found_and_are_those_of_opencv(shape: tuple[int, int], scale: float, turn: float, x: float, y: float) -> None:
    first = drawing(*shape)
    truth = about_middle(scale, turn, x, y, shape)
    second = 0.8 * moved(first, truth) + np.float32(0.7)
    second = (second + np.random.default_rng(2).normal(0, 0.02, shape)).astype(np.float32)
    found, agreement = correlated(first, second, np.eye(3), ROUNDS, LIMIT, everywhere(second))
    ends = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, ROUNDS, LIMIT)
    start = np.eye(3, dtype=np.float32)
    told, theirs = cv2.findTransformECC(first, second, start, cv2.MOTION_HOMOGRAPHY, ends, everywhere(second), 5)
    assert found is not None and found[2, 2] == 1
    assert corners_apart(found, truth, shape) < 0.1
    assert corners_apart(found, theirs / theirs[2, 2], shape) < 0.1
    assert agreement > 0.97 and agreement == pytest.approx(told, abs=0.02)


def test_what_does_not_count_takes_nothing_along() -> None:
    first = drawing(260, 400)
    truth = about_middle(1.0, 0.003, 1.5, -1.0, first.shape)
    second = moved(first, truth)
    first[80:180, 150:220] -= 4
    second[80:180, 175:245] -= 4
    kept = everywhere(second)
    kept[70:190, 140:255] = 0
    with_all, _ = correlated(first, second, np.eye(3), ROUNDS, LIMIT, everywhere(second))
    without, agreement = correlated(first, second, np.eye(3), ROUNDS, LIMIT, kept)
    assert without is not None and corners_apart(without, truth, first.shape) < 0.05 and agreement > 0.99
    assert with_all is None or corners_apart(with_all, truth, first.shape) > 1


def test_a_start_is_gone_on_from() -> None:
    first = drawing(260, 400)
    truth = about_middle(1.0, 0.05, 40.0, -20.0, first.shape)
    second = moved(first, truth)
    found, _ = correlated(
        first, second, truth @ about_middle(1.0, 0.002, 1.0, 1.0, first.shape), ROUNDS, LIMIT, everywhere(second)
    )
    assert found is not None and corners_apart(found, truth, first.shape) < 0.05
    # rounds that are not allowed are not made
    once, _ = correlated(first, second, np.eye(3), 1, LIMIT, everywhere(second))
    assert once is None or corners_apart(once, truth, first.shape) > 5


def test_it_ends_when_the_correlation_does_not_change(monkeypatch: pytest.MonkeyPatch) -> None:
    rounds, first = [], drawing(120, 160)
    one = correlation._sums
    monkeypatch.setattr(correlation, "_sums", lambda *told: rounds.append(1) or one(*told))
    correlated(first, first, about_middle(1.0, 0.0, 0.3, 0.2, first.shape), ROUNDS, LIMIT, everywhere(first))
    assert 2 <= len(rounds) < 8


@pytest.mark.parametrize(
    ("first", "second"),
    [
        (np.zeros((40, 60), np.float32), drawing(40, 60)),
        (drawing(40, 60), np.full((40, 60), 3.0, np.float32)),
        (drawing(5, 7), drawing(5, 7)),
        (drawing(1, 90), drawing(1, 90)),
    ],
    ids=["nothing here", "nothing there", "small", "a line"],
)
def test_what_cannot_be_laid_is_none(first: np.ndarray, second: np.ndarray) -> None:
    assert correlated(first, second, np.eye(3), ROUNDS, LIMIT, everywhere(second)) == (None, -1.0)


def test_pictures_that_do_not_meet_are_none() -> None:
    first = drawing(60, 80)
    assert correlated(first, first, np.array([[1, 0, 500], [0, 1, 0], [0, 0, 1.0]]), ROUNDS, LIMIT, everywhere(first)) == (
        None,
        -1.0,
    )
