"""A strip of a frame laid on the reference: values where the placement says, how far they are to be trusted, and where there is
nothing. Reference: scipy.ndimage's ``map_coordinates`` of order 3."""

import numpy as np
import pytest
from scipy.ndimage import map_coordinates

from tests.contract.test_operations import rendered
from zincplate.core.merging.placement import TERMS, Placement
from zincplate.merges.laid import laid_part, lay_into
from zincplate.merges.laying import DARKEST_ALIGNED, limits_of
from zincplate.merges.view import Opened, View, opened

WIDTH, HEIGHT = 400, 150


def frame(brightest: float = 0.6) -> Opened:
    """Soft drawing from dark to a brightest code, the brightest at the right."""
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    level = 0.3 + 0.1 * np.sin(x / 7) + 0.1 * np.cos(y / 5) + (brightest - 0.5) * (x / WIDTH) ** 6
    codes = np.rint(np.stack([level, 0.9 * level, 0.8 * level], -1) * 65535).astype(np.uint16)
    return opened([("one.tif", rendered(codes))])[0]


def shifted(dx: float, dy: float, bent: bool = False) -> Placement:
    field = None
    if bent:
        field = np.zeros((2, TERMS))
        field[:, 3:] = np.random.default_rng(1).normal(0, 0.4, (2, TERMS - 3))
    return Placement(np.array([[1.001, 0.002, dx], [-0.002, 1.0, dy], [0, 0, 1.0]]), WIDTH, HEIGHT, field)


@pytest.mark.parametrize("bent", [False, True])
def test_values_lie_where_the_placement_says(bent: bool) -> None:
    one, placement = frame(), shifted(30.4, -10.7, bent)
    whole = one.source.window(0, 0, WIDTH, HEIGHT)
    for top, rows, left, width in ((0, 150, 0, 400), (40, 33, 0, 400), (60, 20, 129, 201)):
        values, trust = laid_part(one, placement, top, rows, width, False, left=left)
        xx, yy = np.meshgrid(np.arange(left, left + width, dtype=float), np.arange(top, top + rows, dtype=float))
        x, y = placement.at(xx, yy)
        inside = (x >= 0) & (y >= 0) & (x <= WIDTH - 1) & (y <= HEIGHT - 1)
        limit = 3e-3 if bent else 5e-4  # one homography for 128 columns of a strip, in a small picture that bends a lot
        assert (trust[inside] == 1).all() and (trust[~inside] == -1).all() and (top > 0 or not inside.all())
        for c in range(3):
            expected = map_coordinates(whole[c].astype(float), [y, x], order=3, mode="mirror")
            assert np.abs(values[c] - expected)[inside].max() < limit, (top, c)


def test_what_may_be_clipped_is_not_trusted_where_it_comes_to_lie() -> None:
    one, placement = frame(1.3), shifted(30.4, 0.0)
    own, moved = one.source.trust(0, 0, WIDTH, HEIGHT), laid_part(one, placement, 20, 60, WIDTH, False)[1]
    assert own.min() == 0 and own.max() == 1
    first = int(np.argmax(own[50] < 0.5))
    there = int(np.argmax(moved[30] < 0.5))
    assert abs((first - 30.5) - there) <= 2


def test_what_is_not_moved_is_the_frame_itself_by_its_factors() -> None:
    one = frame(1.3)
    values, trust = np.empty((3, 40, 200), np.float32), np.empty((40, 200), np.float32)
    factors = np.array([0.5, 1.0, 2.0], np.float32)
    lay_into(values, trust, factors, one, shifted(9, 9), 30, True, left=180)
    np.testing.assert_array_equal(values, one.source.window(180, 30, 200, 40) * factors[:, None, None])
    np.testing.assert_array_equal(trust, one.source.trust(180, 30, 200, 40))
    moved = laid_part(one, shifted(0.3, 0.2), 30, 40, 200, False, left=180)[0]
    lay_into(values, trust, factors, one, shifted(0.3, 0.2), 30, False, left=180)
    np.testing.assert_allclose(values, moved * factors[:, None, None], rtol=1e-6)


def test_beside_the_frame_there_is_nothing() -> None:
    for placement in (shifted(5000, 0), shifted(0, -900)):
        values, trust = laid_part(frame(), placement, 0, 20, WIDTH, False)
        assert (values == 0).all() and (trust == -1).all()


def test_strips_of_one_row_and_blocks_of_one_column() -> None:
    """Where a bent frame ends one row or column after a whole number of strips or blocks."""
    one, placement = frame(), shifted(-3.4, 2.7, bent=True)
    whole = laid_part(one, placement, 20, 100, 258, False)[0]
    for top, rows, left, width in ((60, 1, 0, 258), (60, 2, 0, 129), (21, 90, 0, 257), (77, 1, 128, 1)):
        values, trust = laid_part(one, placement, top, rows, width, False, left=left)
        expected = whole[:, top - 20 : top - 20 + rows, left : left + width]
        assert np.abs(values - expected)[:, trust == 1].max() < 3e-3 and (trust == 1).any()


def test_frames_are_compared_between_the_noise_of_the_dark_and_what_is_clipped() -> None:
    planes = np.tile(np.linspace(0.001, 0.5, 400, dtype=np.float32), (3, 20, 1))
    shown = np.ones((20, 400), bool)
    base = View(1e-3, 1e-6, shown, 2, (0.0, 0.0), planes, False)
    low, high = limits_of(base, base, 1.0)
    assert low == pytest.approx(DARKEST_ALIGNED * (1e-3 * 0.001 + 1e-6) ** 0.5, rel=1e-5)
    assert high == pytest.approx(0.5, rel=0.01)
    # of a frame with four times the light the dark is known deeper, but not by the other one; and it clips at a quarter
    lighter = View(1e-3, 1e-6, planes[1] < 0.4, 2, (0.0, 0.0), planes, False)
    low_of_both, high_of_both = limits_of(base, lighter, 4.0)
    assert low_of_both == low and high_of_both == pytest.approx(0.4 / 4, rel=0.02)


@pytest.mark.parametrize("left", [0, 37])
def test_trust_is_read_between_samples_where_anything_is_in_doubt(left: int) -> None:
    """Against scipy's linear interpolation, some of it beyond the edges, under a bent field; nothing in doubt is 1 exactly."""
    rng = np.random.default_rng(left)
    own = np.ones((150, 260), np.float32)
    own[40:75, 90:140] = rng.random((35, 50), np.float32)
    # alone, beside the borders of blocks of which it is known whether anything is in doubt
    for y in (15, 16, 96, 111, 112, 127):
        for x in (63, 64, 127, 128, 191, 192):
            own[y, x] = rng.random()
    own[:, -1] = own[149] = 0.25
    field = np.zeros((2, 10))
    field[0, :4], field[1, 1:5] = (1.5, 0.8, -0.4, 0.3), (-0.7, 0.5, 0.2, -0.3)
    homography = np.array([[1.01, 0.02, 7.3], [-0.015, 0.99, 4.2], [2e-5, -1e-5, 1]])
    placement = Placement(homography, 300, 200, field)
    trust = np.empty((110, 230), np.float32)
    placement.carry_trust(left, 20, own, 5, 8, trust)
    xx, yy = np.meshgrid(np.arange(left, left + 230.0), np.arange(20, 130.0))
    x, y = placement.at(xx, yy)
    expected = map_coordinates(own.astype(float), [y - 8, x - 5], order=1, mode="nearest")
    assert np.abs(trust - expected).max() < 0.01 and (trust[expected == 1] == 1).mean() > 0.99
    assert (np.abs(expected - 1) > 0.1).sum() > 500


@pytest.mark.parametrize(("dx", "dy"), [(62.5, 3.0), (3.0, 14.5), (62.5, 14.5)])
def test_doubt_just_before_a_block_of_samples_counts(dx: float, dy: float) -> None:
    own = np.ones((64, 192), np.float32)
    own[15] = own[:, 63] = 0.5
    placement = Placement(np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1.0]]), 192, 64)
    trust = np.empty((20, 64), np.float32)
    placement.carry_trust(0, 0, own, 0, 0, trust)
    x, y = np.meshgrid(np.arange(64) + dx, np.arange(20) + dy)
    assert np.abs(trust - map_coordinates(own.astype(float), [y, x], order=1, mode="nearest")).max() < 1e-4
