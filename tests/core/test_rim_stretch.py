"""A border drawn out to a crop: everything beyond comes from within, nothing far from the border moves, and slopes meet."""

import numpy as np
import pytest

from zincplate.core.geometry.rim_stretch import BAND_TIMES, missing_along

W, H = 600, 400


def corners(*points: tuple[float, float]) -> np.ndarray:
    """A finished picture's border, in pixels of the source, with places between its corners."""
    ends = np.array(points, np.float64)
    t = np.arange(50)[:, None] / 50
    return np.concatenate([a + t * (b - a) for a, b in zip(ends, np.roll(ends, -1, axis=0), strict=True)])


TRAPEZE = corners((-20, 10), (590, 5), (612, 415), (4, 396))


def test_what_lies_beyond_comes_from_within() -> None:
    rim = missing_along(TRAPEZE, W, H)
    assert rim is not None and rim.most_px == pytest.approx(20, abs=1)
    found = rim.into(TRAPEZE)
    assert found[:, 0].min() > -0.5 and found[:, 1].min() > -0.5 and found[:, 0].max() < W + 0.5 and found[:, 1].max() < H + 0.5
    # the very corner of the picture stands where it is missing most
    assert np.abs(rim.into(np.array([[-20.0, 10.0]]))[0] - [0, 10]).max() < 1


def test_far_from_the_border_nothing_moves_and_slopes_meet() -> None:
    rim = missing_along(TRAPEZE, W, H)
    assert rim is not None
    x, y = np.meshgrid(np.linspace(150, 450, 30), np.linspace(130, 280, 20))
    inner = np.stack([x.ravel(), y.ravel()], 1)
    assert (rim.into(inner) == inner).all()
    line = np.stack([np.arange(-18, 300, 0.5), np.full(636, 30.0)], 1)
    steps = np.diff(rim.into(line)[:, 0]) / 0.5
    # nowhere folded, drawn out by two fifths at most, no step in the slope
    assert steps.min() > (BAND_TIMES - 1) / (BAND_TIMES + 1) - 0.02 and steps.max() < 1.001
    assert np.abs(np.diff(steps)).max() < 0.01 and np.all(np.diff(steps) > -1e-3)


def test_there_and_back() -> None:
    rim = missing_along(TRAPEZE, W, H)
    assert rim is not None
    places = np.random.default_rng(4).uniform([1, 1], [W - 1, H - 1], (500, 2))
    assert np.abs(rim.into(rim.out_of(places)) - places).max() < 0.02


def test_nothing_missing_and_too_much() -> None:
    assert missing_along(corners((5, 5), (590, 5), (590, 390), (5, 390)), W, H) is None
    rim = missing_along(corners((-500, 0), (W, 0), (W, H), (-500, H)), W, H)
    assert rim is not None
    line = np.stack([np.arange(-499.0, 590), np.full(1089, 200.0)], 1)
    found = rim.into(line)[:, 0]
    # only as much as stays a picture is drawn out; farther off stands the edge
    assert np.all(np.diff(found) >= 0) and found.min() == 0 and (found == 0).sum() > 200 and np.diff(found).max() < 1.01
