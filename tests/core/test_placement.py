"""Places in another picture: one pixel at a time, all at once, reduced, and fitted to tiles."""

import numpy as np
import pytest

from zincplate.core.merging.placement import TERMS, Placement, fitted_field

MATRIX = np.array([[1.01, 0.02, -7.0], [-0.015, 0.99, 4.0], [1e-6, -2e-6, 1.0]])


def bent() -> Placement:
    field = np.random.default_rng(3).normal(0, 0.8, (2, TERMS))
    return Placement(MATRIX, 900, 600, field)


@pytest.mark.parametrize("placement", [Placement(MATRIX, 900, 600), bent()])
def test_all_places_are_those_of_each(placement: Placement) -> None:
    x, y = placement.reduced(1, (0.0, 120.0), (40, 900))
    xx, yy = np.meshgrid(np.arange(900.0), np.arange(120.0, 160.0))
    one_x, one_y = placement.at(xx, yy)
    assert np.abs(x - one_x).max() < 1e-3 and np.abs(y + 120 - one_y).max() < 1e-3


def test_reduced_places_are_the_same_ones() -> None:
    """A reduced pixel's middle lies among those it is made of: with steps of 4 from (-1, 0), pixel 10 lies at 40.5."""
    x, y = bent().reduced(4, (-1, 0), (150, 225))
    there_x, there_y = bent().at(np.array([10 * 4 + 1.5 - 1]), np.array([20 * 4 + 1.5]))
    assert x[20, 10] == pytest.approx((there_x[0] + 1 - 1.5) / 4, abs=1e-4)
    assert y[20, 10] == pytest.approx((there_y[0] - 1.5) / 4, abs=1e-4)


def test_there_and_back_without_the_field() -> None:
    plain = Placement(MATRIX, 900, 600)
    x, y = plain.at(np.array([5.0, 880.0]), np.array([590.0, 3.0]))
    back = plain.inverse().at(x, y)
    assert back[0] == pytest.approx([5, 880]) and back[1] == pytest.approx([590, 3])


def test_a_field_is_found_between_noise_and_what_moved() -> None:
    rng = np.random.default_rng(8)
    truth = bent()
    x, y = rng.uniform(0, 900, 90), rng.uniform(0, 600, 90)
    plain = Placement(MATRIX, 900, 600)
    apart = [a - b for a, b in zip(truth.at(x, y), plain.at(x, y), strict=True)]
    noisy = [a + rng.normal(0, 0.05, 90) for a in apart]
    noisy[0][:9] += 4  # somebody walks through
    found = fitted_field(x, y, noisy[0], noisy[1], 900, 600, moved_px=60)
    assert found is not None
    u = np.array([[a, b] for a in (100, 450, 800) for b in (80, 300, 520)], float).T
    error = np.hypot(*(a - b for a, b in zip(Placement(MATRIX, 900, 600, found).at(*u), truth.at(*u), strict=True)))
    assert error.max() < 0.12


def test_few_tiles_bend_little_and_none_nothing() -> None:
    rng = np.random.default_rng(8)
    x, y = rng.uniform(0, 200, 30), rng.uniform(0, 150, 30)  # all in one corner
    found = fitted_field(x, y, 0.3 + 0.004 * x, 0 * y, 900, 600, moved_px=3)
    assert found is not None and np.abs(found[:, 1:]).max() == 0 and found[0, 0] == pytest.approx(0.7, abs=0.2)
    assert fitted_field(x[:3], y[:3], x[:3], y[:3], 900, 600, 3) is None
    far = fitted_field(x, y, 100 + 0 * x, 0 * y, 900, 600, 3)
    assert far is None  # no rest of a homography


@pytest.mark.parametrize("seed", range(6))
def test_where_no_tile_is_little_is_believed(seed: int) -> None:
    """Noisy tiles that leave the right edge out, on pictures that hardly moved: a free cubic is off by a pixel or more there."""
    rng = np.random.default_rng(seed)
    x, y = rng.uniform(0, 720, 60), rng.uniform(0, 600, 60)
    found = fitted_field(x, y, rng.normal(0, 0.3, 60), rng.normal(0, 0.3, 60), 900, 600, moved_px=2)
    assert found is not None
    corners = np.array([899.0, 899.0]), np.array([599.0, 0.0])
    there = Placement(np.eye(3), 900, 600, found).at(*corners)
    assert np.hypot(there[0] - corners[0], there[1] - corners[1]).max() < 0.7


@pytest.mark.parametrize("placement", [Placement(MATRIX, 900, 600), bent(), Placement(np.eye(3), 900, 600)])
@pytest.mark.parametrize("size", [(900, 600), (880, 590), (905, 700)])
def test_what_lies_beside_the_other_picture_is_marked_and_nothing_else(placement: Placement, size: tuple[int, int]) -> None:
    for left, top, columns, rows in ((0, 0, 900, 600), (0, 570, 900, 30), (333, 100, 65, 3), (880, 0, 20, 600), (5, 5, 1, 1)):
        xx, yy = np.meshgrid(np.arange(left, left + columns, dtype=float), np.arange(top, top + rows, dtype=float))
        x, y = placement.at(xx, yy)
        trust = np.full((rows, columns), 0.7, np.float32)
        placement.mark_beyond(left, top, size, trust)
        beside = (x < 0) | (y < 0) | (x > size[0] - 1) | (y > size[1] - 1)
        unsure = np.minimum.reduce([np.abs(x), np.abs(y), np.abs(x - size[0] + 1), np.abs(y - size[1] + 1)]) < 1e-9
        assert ((trust == -1) == beside)[~unsure].all() and (trust[~beside & ~unsure] == np.float32(0.7)).all()
        least_x, least_y, most_x, most_y = placement.box(left, top, columns, rows)
        assert x.min() - 2 < least_x <= x.min() and y.min() - 2 < least_y <= y.min()
        assert x.max() + 2 > most_x >= x.max() and y.max() + 2 > most_y >= y.max()
