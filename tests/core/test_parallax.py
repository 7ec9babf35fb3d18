"""Fields by which near things meet, against cubic B-splines as scipy has them and links that are known."""

import math
from dataclasses import replace

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.interpolate import BSpline

from zincplate.core.merging.parallax import Field, Link, apart, settled, still
from zincplate.core.merging.turning_camera import TurningCamera, rotation

Float64 = NDArray[np.float64]
RNG = np.random.default_rng(12)
WIDTH, HEIGHT, FOCAL_PX = 1200.0, 800.0, 900.0


def a_field(size: float = 4.0) -> Field:
    field = still(WIDTH, HEIGHT)
    return Field(field.left, field.top, field.cell_px, RNG.normal(0, size, field.control.shape))


def places(count: int) -> Float64:
    return RNG.uniform([-WIDTH / 2, -HEIGHT / 2], [WIDTH / 2, HEIGHT / 2], (count, 2))


def test_a_field_is_a_cubic_b_spline() -> None:
    field, at = a_field(), places(200)
    rows, columns = field.control.shape[:2]
    knots = [field.cell_px * (np.arange(n + 4) - 3) + start for n, start in ((columns, field.left), (rows, field.top))]
    across = BSpline(knots[0], np.moveaxis(field.control, 1, 0), 3)(at[:, 0])  # (n, rows, 2)
    expected = np.stack([BSpline(knots[1], across[i], 3)(at[i, 1]) for i in range(len(at))])
    np.testing.assert_allclose(field.at(at), expected, atol=1e-9)
    np.testing.assert_allclose(field.unmoved(field.moved(at)), at, atol=1e-3)
    assert np.hypot(*field.at(at).T).max() <= field.most_px
    # beyond it, what is at its edge
    np.testing.assert_allclose(field.at(np.array([[9e3, 0.0]])), field.at(np.array([[WIDTH / 2, 0.0]])), atol=0.6)
    assert not np.any(still(WIDTH, HEIGHT).at(at))


def cameras(yaw_degrees: float = 18.0, roll_degrees: float = 0.0) -> list[TurningCamera]:
    half = math.hypot(WIDTH, HEIGHT) / 2
    turn = rotation(np.array([0, math.radians(yaw_degrees), 0])) @ rotation(np.array([0, 0, math.radians(roll_degrees)]))
    return [TurningCamera(FOCAL_PX, np.eye(3), half), TurningCamera(FOCAL_PX, turn, half)]


def link_of(two: list[TurningCamera], count: int = 900) -> Link:
    """Things that stand aside by up to 14 pixels, more below: as a floor does before a wall."""
    one = places(count)
    there = two[1].places(two[0].rays(one))
    inside = (np.abs(there) < [WIDTH / 2, HEIGHT / 2]).all(1)
    one, there = one[inside], there[inside]
    down = np.clip(one[:, 1] / HEIGHT + 0.2, 0, None)
    return Link(0, 1, one, there + np.stack([20 * down, -4 * down], 1), 0.3)


@pytest.mark.parametrize("roll_degrees", [0.0, 90.0, -170.0])
def test_what_is_shared_meets_whichever_way_cameras_were_held(roll_degrees: float) -> None:
    two = cameras(roll_degrees=roll_degrees)
    link = link_of(two)
    nothing = [still(WIDTH, HEIGHT)] * 2
    assert len(link.places_1) > 150 and np.quantile(np.hypot(*apart(two, nothing, link).T), 0.9) > 8
    fields = settled(two, nothing, [link])
    assert np.quantile(np.hypot(*apart(two, fields, link).T), 0.95) < 0.3
    # both give way alike: half of it each
    most = [np.quantile(np.hypot(*f.at(p).T), 0.9) for f, p in zip(fields, (link.places_1, link.places_2), strict=True)]
    assert 0.7 < most[0] / most[1] < 1.4


def test_what_no_other_frame_shows_is_moved_less_the_farther_it_lies() -> None:
    two = cameras(40.0)
    fields = settled(two, [still(WIDTH, HEIGHT)] * 2, [link_of(two, 4000)])
    rows = np.linspace(-150, 350, 11)
    # the first frame's left side lies away from what the second shows
    moved = [np.hypot(*fields[0].at(np.stack([np.full(11, x), rows], 1)).T).max() for x in (400.0, 0.0, -300.0, -590.0)]
    assert moved[0] > 4 and moved[1] > moved[2] > moved[3] and moved[3] < 0.25 * moved[0]


def test_what_does_not_agree_with_its_surroundings_does_not_count() -> None:
    two = cameras()
    link = link_of(two)
    wrong = RNG.random(len(link.places_1)) < 0.2
    mixed = Link(0, 1, link.places_1, link.places_2 + wrong[:, None] * RNG.normal(0, 25, link.places_2.shape), 0.3)
    fields = settled(two, [still(WIDTH, HEIGHT)] * 2, [mixed])
    assert np.quantile(np.hypot(*apart(two, fields, link).T)[~wrong], 0.9) < 0.8


def test_a_few_pixels_off_are_many_deviations() -> None:
    """A quarter of the places lies three pixels beside what the others say: a mean would follow by three quarters of a pixel."""
    two = cameras()
    link = link_of(two, 2500)
    wrong = RNG.random(len(link.places_1)) < 0.25
    beside = Link(0, 1, link.places_1, link.places_2 + wrong[:, None] * np.array([3.0, 0]), 0.3)
    fields = settled(two, [still(WIDTH, HEIGHT)] * 2, [beside])
    assert np.median(np.hypot(*apart(two, fields, link).T)) < 0.12


def test_each_frame_gets_its_own_field() -> None:
    """The same two, behind one that shares nothing: the field is theirs, and the other's stays still."""
    two = cameras()
    link = link_of(two)
    alone = settled(two, [still(WIDTH, HEIGHT)] * 2, [link])
    behind = settled([two[0], *two], [still(WIDTH, HEIGHT)] * 3, [replace(link, first=1, second=2)])
    assert behind[0].most_px < 1e-9
    for one, other in zip(alone, behind[1:], strict=True):
        np.testing.assert_allclose(one.control, other.control, atol=0.02)


def test_without_links_nothing_moves() -> None:
    two = cameras()
    nothing = Link(0, 1, np.empty((0, 2)), np.empty((0, 2)), 0.3)
    assert max(f.most_px for f in settled(two, [still(WIDTH, HEIGHT)] * 2, [nothing])) == 0
