"""The monotone curve, and exact round trips through tables."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from zincplate.core.tone import curve


def points_strategy() -> st.SearchStrategy[list[tuple[float, float]]]:
    """Points with rising input, any output."""
    inputs = st.lists(st.integers(0, 1000), min_size=2, max_size=9, unique=True).map(sorted)
    return inputs.flatmap(
        lambda xs: st.lists(st.floats(0, 1), min_size=len(xs), max_size=len(xs)).map(
            lambda ys: [(x / 1000, y) for x, y in zip(xs, ys, strict=True)]
        )
    )


@settings(max_examples=80, deadline=None)
@given(points_strategy())
def test_through_its_points_and_never_beyond(points: list[tuple[float, float]]) -> None:
    x = np.linspace(0, 1, 2001)
    y = curve.evaluate(points, x)
    px, py = np.array(points).T
    assert np.abs(curve.evaluate(points, px) - py).max() < 1e-12
    for (x0, y0), (x1, y1) in pairwise(points):
        part = y[(x >= x0) & (x <= x1)]
        assert part.size == 0 or (part.min() >= min(y0, y1) - 1e-9 and part.max() <= max(y0, y1) + 1e-9)
        if part.size > 1:
            assert (np.diff(part) * np.sign(y1 - y0) >= -1e-9).all()


@settings(max_examples=40, deadline=None)
@given(points_strategy())
def test_against_scipys_implementation(points: list[tuple[float, float]]) -> None:
    # SciPy's PCHIP is the same method (Fritsch & Butland's means, Moler's end conditions)
    px, py = np.array(points).T
    x = np.linspace(px[0], px[-1], 301)
    assert np.abs(curve.evaluate(points, x) - PchipInterpolator(px, py)(x)).max() < 1e-9


def test_refuses_what_is_no_curve() -> None:
    with pytest.raises(ValueError, match="rising"):
        curve.evaluate([(0.5, 0), (0.5, 1)], 0.2)
    assert curve.is_identity(curve.IDENTITY) and not curve.is_identity([(0.1, 0.1), (1, 1)])
