"""Which features are taken for the same: each by the definition, written out."""

import numpy as np
import pytest
from numpy.typing import NDArray

from zincplate.core.merging.shared_places import NEXT_FARTHER, Features, matched, matched_near

Float64 = NDArray[np.float64]


def described(seed: int, n: int, m: int) -> tuple[Features, Features]:
    """Features of two pictures, some of them described nearly alike, some exactly."""
    rng = np.random.default_rng(seed)
    first, second = rng.random((n, 128)), rng.random((m, 128))
    same = min(n, m) // 2
    second[:same] = first[rng.permutation(n)[:same]] + 0.5 * rng.random((same, 128))
    second[-2:] = second[-4:-2]
    first[-3:] = first[3:6]
    places = rng.random((n, 2)) * 500, rng.random((m, 2)) * 500
    units = (np.asarray(d / np.linalg.norm(d, axis=1, keepdims=True), np.float32) for d in (first, second))
    one, two = (Features(p, d) for p, d in zip(places, units, strict=True))
    return one, two


def by_definition(first: Features, second: Features, expected: Float64, reach_px: float) -> list[tuple[int, int]]:
    """Lowe 2004, 7.1: the nearest, clearly nearer than the next; and the first its nearest too."""
    found = []
    squares = 2 - 2 * (first.described @ second.described.T)
    there = np.hypot(*(expected[:, None] - second.places[None]).transpose(2, 0, 1)) <= reach_px
    for i in range(len(squares)):
        able = [j for j in range(len(squares[i])) if there[i, j]]
        if not able:
            continue
        j = min(able, key=lambda j: squares[i, j])
        # where there is no next one the farthest that can be counts: the opposite direction
        following = min((squares[i, k] for k in able if k != j), default=4.0)
        back = min((k for k in range(len(squares)) if there[k, j]), key=lambda k: squares[k, j])
        if squares[i, j] < NEXT_FARTHER**2 * following and back == i and squares[i, j] < 2:
            found.append((i, j))
    return found


@pytest.mark.parametrize(("n", "m"), [(60, 70), (70, 40), (9, 8)])
def test_nearest_both_ways_and_clearly(n: int, m: int) -> None:
    first, second = described(n, n, m)
    mine, theirs = matched(first, second)
    wanted = by_definition(first, second, first.places, 1e9)
    assert len(wanted) >= min(n, m) // 4
    np.testing.assert_array_equal(mine, first.places[[i for i, _ in wanted]])
    np.testing.assert_array_equal(theirs, second.places[[j for _, j in wanted]])


@pytest.mark.parametrize(("n", "m", "reach_px"), [(60, 70, 120.0), (70, 40, 250.0), (40, 60, 30.0), (50, 60, 900.0)])
def test_only_near_where_they_are_expected(n: int, m: int, reach_px: float) -> None:
    first, second = described(n + 1, n, m)
    expected = np.random.default_rng(3).permutation(first.places)
    expected[:2] = 1e7  # behind the second camera
    expected[2] = np.nan
    mine, theirs = matched_near(first, second, expected, second.places, reach_px)
    wanted = by_definition(first, second, np.nan_to_num(expected, nan=1e9), reach_px)
    assert wanted and list(zip(mine.tolist(), theirs.tolist(), strict=True)) == wanted


def test_nothing_near_is_nothing() -> None:
    first, second = described(1, 8, 8)
    assert [len(a) for a in matched_near(first, second, first.places + 1e5, second.places, 10.0)] == [0, 0]
    none = Features(np.empty((0, 2)), np.empty((0, 128), np.float32))
    assert [len(a) for a in matched_near(none, second, none.places, second.places, 10.0)] == [0, 0]
