"""The largest crop of a ratio on the corrected plane: closed forms, linear programs, fine grids, and the middle on a tie."""

import math
from itertools import combinations, pairwise

import cv2
import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.reference.test_framing_maps import HEIGHT, WIDTH, angle, mapping
from zincplate.core.geometry.frame_map import Rectangle
from zincplate.core.geometry.inscribed import largest_square, surrounded
from zincplate.core.geometry.projective import Movements
from zincplate.core.geometry.radial import ByHand


@pytest.mark.parametrize("degrees", [1.0, 5.0, 20.0, 44.0, 44.999, 45.0, 60.0, 89.0])
def test_the_largest_rectangle_of_a_turned_picture_is_the_known_one(degrees: float) -> None:
    # geometry: the same ratio inside a turned rectangle touches with its corners along the longer turned width or height
    a = math.radians(degrees)
    share = min(1 / (math.cos(a) + math.sin(a) * HEIGHT / WIDTH), 1 / (math.cos(a) + math.sin(a) * WIDTH / HEIGHT))
    found = mapping(Movements(roll_degrees=degrees)).largest(WIDTH / HEIGHT)
    assert found.width == pytest.approx(WIDTH * share, rel=1e-5)
    assert abs(found.x) < 0.01 and abs(found.y) < 0.01


def test_of_equally_large_crops_the_one_in_the_middle_is_taken() -> None:
    # a wide crop of a picture turned by almost half a right angle may slide along two parallel edges: geometry
    for degrees in (44.68, -44.68, 45.0, 30.0):
        turned_by = mapping(Movements(roll_degrees=degrees), width=1801, height=1203)
        for ratio in (2.39, 1.0, 1 / 2.39):
            found = turned_by.largest(ratio)
            assert abs(found.x) < 0.01 and abs(found.y) < 0.01, (degrees, ratio)


@pytest.mark.parametrize(("start", "middle", "wanted"), [(1.0, 0.0, 0.0), (-1.5, 0.4, 0.4), (0.0, 5.0, 2.0)])
def test_a_square_that_may_slide_goes_to_the_middle_that_is_asked_for(start: float, middle: float, wanted: float) -> None:
    """In a rectangle of 6 x 2 the square of 2 x 2 may stand anywhere along it: as near to the middle as it can."""
    corners = np.array([[-3.0, -1.0], [3.0, -1.0], [3.0, 1.0], [-3.0, 1.0]])
    outline = np.concatenate([a + np.arange(8)[:, None] / 8 * (b - a) for a, b in pairwise([*corners, corners[0]])])
    centre, size = largest_square(outline, np.array([start, 0.0]), np.array([middle, 0.3]))
    assert size == pytest.approx(1, abs=1e-6)
    assert centre == pytest.approx([wanted, 0], abs=1e-3)


def test_where_sides_are_bent_in_the_larger_of_two_places_is_found() -> None:
    """A picture that narrows in its middle: the largest square stands at the wider end, wherever the search begins."""

    def half_height(x: np.ndarray) -> np.ndarray:
        return np.asarray(0.5 + 0.9 * (np.abs(x) / 4) ** 2 * np.where(x > 0, 1.3, 1.0))

    along = np.linspace(-4, 4, 60, endpoint=False)
    up = np.arange(60)[:, None] / 60
    left, right = float(half_height(np.array(-4.0))), float(half_height(np.array(4.0)))
    sides = [
        np.column_stack([along, -half_height(along)]),
        np.array([[4.0, -right]]) + up * [[0.0, 2 * right]],
        np.column_stack([-along, half_height(-along)]),
        np.array([[-4.0, left]]) + up * [[0.0, -2 * left]],
    ]
    best, where = 0.0, 0.0
    for x in np.linspace(-4, 4, 801):
        for half in np.linspace(0.4, 1.6, 241):
            inside = np.linspace(x - half, x + half, 60)
            if abs(x) + half <= 4 and half > best and half_height(inside).min() >= half:
                best, where = float(half), float(x)
    for start in (-3.0, 0.0, 3.0):
        centre, size = largest_square(np.concatenate(sides), np.array([start, 0.0]), np.zeros(2))
        assert size == pytest.approx(best, abs=0.02) and centre[0] == pytest.approx(where, abs=0.05), start


def test_what_a_closed_outline_has_within_it() -> None:
    """Against OpenCV's pointPolygonTest, on outlines with slanted sides and one that is bent in."""
    rng = np.random.default_rng(6)
    for outline in ([[0, 0], [10, 3], [12, 14], [-2, 9]], [[0, 0], [8, 1], [3, 4], [9, 9], [-3, 8]]):
        closed = np.array(outline, np.float64)
        for place in rng.uniform(-4, 15, (200, 2)):
            known = cv2.pointPolygonTest(closed.astype(np.float32), (float(place[0]), float(place[1])), False) > 0
            assert surrounded(closed, place) == known, place


@settings(max_examples=60, deadline=None)
@given(st.lists(st.floats(-350, 350), min_size=8, max_size=8), st.floats(0.3, 3.0))
def test_in_a_quadrilateral_it_is_the_optimum_of_the_linear_program(moves: list[float], ratio: float) -> None:
    """Every corner of the rectangle on the inner side of every edge: the best of the program's vertices, all solved."""
    corners = np.array([[-1800, -1200], [1800, -1200], [1800, 1200], [-1800, 1200]]) / 2 + np.reshape(moves, (4, 2))
    half = np.array([ratio / 2, 0.5])
    scaled = corners / half
    edges = np.roll(scaled, -1, 0) - scaled
    inward = np.stack([-edges[:, 1], edges[:, 0]], 1)
    following = np.roll(edges, -1, 0)
    assume((edges[:, 0] * following[:, 1] - edges[:, 1] * following[:, 0] > 1e5).all())  # convex
    rows, limits = np.column_stack([-inward, np.abs(inward).sum(1)]), -(inward * scaled).sum(1)
    best = 0.0
    for three in combinations(range(4), 3):
        if abs(np.linalg.det(rows[list(three)])) > 1e-6:
            vertex = np.linalg.solve(rows[list(three)], limits[list(three)])
            if (rows @ vertex <= limits + 1e-6 * np.abs(limits).max()).all():
                best = max(best, float(vertex[2]))
    outline = np.concatenate([a + np.arange(24)[:, None] / 24 * (b - a) for a, b in pairwise([*corners, corners[0]])])
    centre, size = largest_square(outline / half, np.zeros(2), np.zeros(2))
    assert size == pytest.approx(best, rel=1e-6)
    assert (rows @ np.array([*centre, size * (1 - 1e-6)]) <= limits + 1e-3).all()


@pytest.mark.parametrize("k1", [-0.08, 0.08])
@pytest.mark.parametrize("ratio", [0.5, 1.5, 2.2])
def test_in_a_bent_outline_no_place_of_a_fine_grid_is_better(k1: float, ratio: float) -> None:
    both = mapping(Movements(roll_degrees=7, tilt_degrees=9, swing_degrees=-6), ByHand(k1))
    found = both.largest(ratio)
    assert both.covers(found)
    best = 0.0
    for dx in np.linspace(-0.12, 0.12, 25) * WIDTH:
        for dy in np.linspace(-0.12, 0.12, 25) * WIDTH:
            other = Rectangle(found.x + dx, found.y + dy, found.width * 1.3, found.height * 1.3)
            best = max(best, both.inside(other) * 1.3)
    assert best < 1.0005


@settings(max_examples=25, deadline=None)
@given(angle, angle, angle, st.floats(-0.06, 0.06), st.floats(0.3, 3.0))
def test_automatic_crops_are_covered_and_not_small(roll: float, tilt: float, swing: float, k1: float, ratio: float) -> None:
    both = mapping(Movements(roll, tilt, swing), ByHand(k1))
    found = both.largest(ratio)
    assert found.width / found.height == pytest.approx(ratio) and both.covers(found)
    # nothing a little larger fits in any of the eight directions
    step = 0.03 * found.height
    larger = found.scaled(1.06)
    for dx, dy in ((0, 0), (step, 0), (-step, 0), (0, step), (0, -step)):
        assert not both.covers(Rectangle(larger.x + dx, larger.y + dy, larger.width, larger.height))
