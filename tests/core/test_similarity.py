"""Size, turn and shift between two pictures, against pictures resampled by known ones; frames of a focus series mixed."""

from typing import Any

import cv2
import numpy as np
import pytest

from zincplate.core.merging.alignment import align
from zincplate.core.merging.focus_mix import SOFT, mixed_in, share_of
from zincplate.core.merging.similarity import Smoothed, similarity

BLUR_PX = 2.5


def drawing(h: int = 300, w: int = 420, seed: int = 4) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return cv2.GaussianBlur(rng.normal(0, 1, (h, w)).astype(np.float32), (0, 0), 2.0) * 4


def moved(picture: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """The picture in which places of the first lie where the matrix says."""
    return cv2.warpPerspective(picture, matrix, picture.shape[::-1], flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT)


def about_middle(scale: float, turn: float, x: float, y: float, shape: tuple[int, int]) -> np.ndarray:
    h, w = shape
    middle = np.array([[1, 0, (w - 1) / 2], [0, 1, (h - 1) / 2], [0, 0, 1.0]])
    c, s = scale * np.cos(turn), scale * np.sin(turn)
    return middle @ np.array([[c, -s, x], [s, c, y], [0, 0, 1.0]]) @ np.linalg.inv(middle)


def found_by(first: np.ndarray, second: np.ndarray, usable: np.ndarray | None = None, **how: Any) -> tuple[np.ndarray, float]:
    looks = Smoothed.of(first, BLUR_PX), Smoothed.of(second, BLUR_PX)
    start = how.pop("start", np.eye(3))
    found = similarity(*looks, np.ones(first.shape, bool) if usable is None else usable, start, 3, 5.0, **how)
    assert found is not None
    return found


def corners_apart(found: np.ndarray, truth: np.ndarray, shape: tuple[int, int]) -> float:
    h, w = shape
    corners = np.array([[0, 0, 1], [w - 1, 0, 1], [w - 1, h - 1, 1], [0, h - 1, 1.0]]).T
    a, b = found @ corners, truth @ corners
    return float(np.hypot(*(a[:2] / a[2] - b[:2] / b[2])).max())


@pytest.mark.parametrize(("scale", "turn", "x", "y"), [(1.004, 0, 0, 0), (0.996, 0.002, 0.4, -0.7), (1.0, -0.003, -1.2, 0.3)])
def test_what_was_moved_is_found(scale: float, turn: float, x: float, y: float) -> None:
    first = drawing()
    truth = about_middle(scale, turn, x, y, first.shape)
    second = moved(first, truth) + np.float32(0.3)  # another exposure
    found, deviation = found_by(first, second)
    assert corners_apart(found, truth, first.shape) < 0.03
    assert 0 < deviation < 0.02


def test_what_lies_far_off_is_found_from_near_it() -> None:
    """Turned by four degrees and a twentieth larger: about another middle it would lie elsewhere."""
    first = drawing()
    truth = about_middle(1.05, 0.07, 6.0, -4.0, first.shape)
    found, _ = found_by(first, moved(first, truth), start=about_middle(1.049, 0.0705, 6.3, -3.8, first.shape))
    assert corners_apart(found, truth, first.shape) < 0.03


def test_what_another_picture_covers_does_not_pull() -> None:
    first = drawing()
    truth = about_middle(1.003, 0.001, 0.5, 0.2, first.shape)
    second = moved(first, truth)
    second[80:200, 100:220] = drawing(120, 120, 9)
    assert corners_apart(found_by(first, second)[0], truth, first.shape) < 0.05
    # and what is not to be used has no say, whatever it shows
    usable = np.ones(first.shape, bool)
    usable[:, 200:] = False
    second[:, 212:] = 50.0
    assert corners_apart(found_by(first, second, usable)[0], truth, first.shape) < 0.2
    usable[:] = False
    assert similarity(Smoothed.of(first, BLUR_PX), Smoothed.of(second, BLUR_PX), usable, np.eye(3), 3, 5.0) is None


def test_size_alone() -> None:
    first = drawing()
    second = moved(first, about_middle(1.005, 0, 0, 0, first.shape))
    found, _ = found_by(first, second, start=about_middle(1.002, 0.001, 1, 1, first.shape), size_only=True)
    assert corners_apart(found, about_middle(found[0, 0], 0, 0, 0, first.shape), first.shape) < 1e-3
    assert found[0, 0] == pytest.approx(1.005, abs=5e-5)


def test_pictures_that_are_laid_on_each_other_stay_as_they_are() -> None:
    # 240 x 160 needs no border for a Fourier transform: there OpenCV windows what it is given in place
    first = drawing(160, 240)
    second = moved(first, about_middle(1.0, 0, 3, 2, first.shape))
    before = first.copy(), second.copy()
    aligned = align(first, second)
    assert aligned is not None and corners_apart(aligned.homography, about_middle(1, 0, 3, 2, first.shape), first.shape) < 0.3
    np.testing.assert_array_equal(first, before[0])
    np.testing.assert_array_equal(second, before[1])


def test_frames_share_a_depth_by_nearness() -> None:
    depth = np.array([[0.0, 0.2, 0.5, 1.0, 1.9, 3.0, 2.6]], np.float32)
    nearness = np.clip(1 - np.abs(np.arange(4)[:, None] - depth[0]) / SOFT, 0, None)
    expected = nearness / nearness.sum(0)
    shares = np.empty((4, 1, 7), np.float32)
    for k in range(4):
        share_of(depth, k, 4, shares[k])
    np.testing.assert_allclose(shares[:, 0], expected, atol=1e-6)


def test_a_part_is_mixed_in_where_it_belongs() -> None:
    rng = np.random.default_rng(2)
    laid = rng.random((3, 4, 5), np.float32)
    share, trust = rng.random((4, 9), np.float32), np.zeros((4, 5), np.float32)
    trust[1, 2] = -1
    out, total = np.zeros((3, 4, 9), np.float32), np.zeros((4, 9), np.float32)
    factors = np.array([0.5, 1.0, 2.0], np.float32)
    mixed_in(laid, factors, share, trust, 3, out, total)
    part = share[:, 3:8] * (trust >= 0)
    np.testing.assert_allclose(total[:, 3:8], part, rtol=1e-6)
    np.testing.assert_allclose(out[:, :, 3:8], laid * factors[:, None, None] * part, rtol=1e-6)
    assert not out[:, :, :3].any() and not out[:, :, 8:].any() and not total[:, :3].any()
