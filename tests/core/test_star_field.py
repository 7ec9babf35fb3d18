"""Stars of drawn skies: where they are, how bright and how round, and which of them are the same in two pictures."""

import numpy as np
import pytest

from zincplate.core.merging.similarity import _cubic
from zincplate.core.merging.star_field import (
    MESH_PX,
    WINDOW_PX,
    Stars,
    _triangles,
    background,
    same_stars,
    stars_of,
    without_still,
)

NOISE = 0.002
SATURATED = 0.95
SEEN_PX = 2.2
"""Sigma of the window that shapes are measured in: what is seen through it is a product of two Gaussians."""


def smooth_sky() -> np.ndarray:
    y, x = np.mgrid[:300, :420]
    return np.asarray(0.1 + 5e-5 * (x + 2 * y))


def sky() -> np.ndarray:
    noise = np.random.default_rng(1).normal(0, NOISE, (300, 420))
    return (smooth_sky() + noise).astype(np.float32)


def star(plane: np.ndarray, x: float, y: float, flux: float, sigma: float = 1.3, long: float = 1.0, turn: float = 0.0) -> None:
    """Adds a Gaussian of that flux; ``long`` times as long as wide."""
    v, u = np.mgrid[: plane.shape[0], : plane.shape[1]]
    u, v = u - x, v - y
    along, across = u * np.cos(turn) + v * np.sin(turn), v * np.cos(turn) - u * np.sin(turn)
    a, b = sigma * np.sqrt(long), sigma / np.sqrt(long)
    plane += (flux / (2 * np.pi * a * b) * np.exp(-((along / a) ** 2 + (across / b) ** 2) / 2)).astype(np.float32)


def places(number: int, seed: int = 2) -> np.ndarray:
    """Places x, y with room about them, no two near each other."""
    rng, found = np.random.default_rng(seed), []
    while len(found) < number:
        place = rng.uniform([20, 20], [400, 280])
        if all(np.hypot(*(place - other)) > 18 for other in found):
            found.append(place)
    return np.array(found)


def nearest(found: Stars, x: float, y: float) -> int:
    distance = np.hypot(found.places[:, 0] - x, found.places[:, 1] - y)
    assert distance.min() < 1, (x, y, distance.min())
    return int(distance.argmin())


def test_background_follows_the_sky_and_not_what_shines_in_it() -> None:
    plane = sky()
    truth = smooth_sky()
    plane[100 : 100 + MESH_PX // 4, 150 : 150 + MESH_PX // 4] = 3.0
    smooth, deviation = background(plane)
    assert smooth.shape == plane.shape and np.abs(smooth - truth).max() < NOISE / 2
    assert deviation == pytest.approx(NOISE, rel=0.03)
    # a lamp that fills a mesh is taken out by those about it
    plane[96:144, 144:192] = 3.0
    assert np.abs(background(plane)[0] - truth).max() < 6e-3
    # and where there are hardly any meshes it is one value
    small, deviation = background(plane[:90, :140])
    assert np.ptp(small) == 0 and small[0, 0] == pytest.approx(float(np.median(truth[:90, :140])), abs=2e-3)


def test_stars_are_where_they_were_drawn() -> None:
    plane, where = sky(), places(40)
    flux = np.geomspace(0.4, 6.0, len(where))
    for (x, y), f in zip(where, flux, strict=True):
        star(plane, x, y, f)
    found = stars_of(plane, SATURATED)
    assert len(found.places) == len(where)
    assert (np.diff(found.flux) <= 0).all()
    inside = 1 - np.exp(-((WINDOW_PX - 0.5) ** 2) / (2 * 1.3**2))
    seen = np.sqrt(1 / (1 / 1.3**2 + 1 / SEEN_PX**2))
    for (x, y), f in zip(where, flux, strict=True):
        i = nearest(found, x, y)
        assert np.hypot(*(found.places[i] - (x, y))) < 0.02 + 0.06 / f
        assert found.flux[i] == pytest.approx(f * inside, abs=0.06 + 0.02 * f)
        assert found.size_px[i] == pytest.approx(seen, rel=0.04 + 0.03 / f)
        assert found.elongation[i] < 1.05 + 0.08 / f


@pytest.mark.parametrize("turn", [0.0, 0.6, 2.2])
def test_how_long_a_star_is_drawn_out_whatever_its_direction(turn: float) -> None:
    plane, where = sky(), places(12)
    for x, y in where:
        star(plane, x, y, 0.9, 1.2, 1.7, turn)
    found = stars_of(plane, SATURATED)
    a, b = (1 / (1 / s**2 + 1 / SEEN_PX**2) for s in (1.2 * np.sqrt(1.7), 1.2 / np.sqrt(1.7)))
    assert len(found.places) == len(where)
    assert np.median(found.elongation) == pytest.approx(np.sqrt(a / b), rel=0.045)
    assert np.median(found.size_px) == pytest.approx(np.sqrt((a + b) / 2), rel=0.03)


def test_what_is_no_star_is_left_out() -> None:
    plane = sky()
    star(plane, 200, 150, 3.0)
    star(plane, 60, 60, 60.0)  # the sensor is full
    star(plane, 300, 3, 3.0)  # half of it is outside
    star(plane, 100, 200, 400.0, 9.0)  # a lamp
    rough = np.random.default_rng(5).normal(0, 0.05, (80, 420)).astype(np.float32)
    plane[220:] += rough  # land
    star(plane, 350, 260, 3.0)
    plane[40, 300] += 3 * NOISE  # noise
    found = stars_of(np.minimum(plane, 1.2), SATURATED)
    assert len(found.places) == 1 and np.hypot(*(found.places[0] - (200, 150))) < 0.05


def test_lamps_stand_still_while_the_sky_turns() -> None:
    lamps, sky_ = np.array([[50.0, 250], [300, 260], [400, 255]]), places(30)
    fields = [_field(np.concatenate([lamps, sky_ + np.array([3.0, 2.0]) * k])) for k in range(4)]
    out = without_still([*fields, _field(np.empty((0, 2)))])
    assert [len(f.places) for f in out] == [30, 30, 30, 30, 0]
    assert np.allclose(out[2].places, sky_ + np.array([6.0, 4.0])) and np.allclose(out[2].flux, fields[2].flux[3:])
    # a mount that follows the sky: everything stands, and stays
    assert [len(f.places) for f in without_still([fields[0]] * 4)] == [33] * 4


def _field(where: np.ndarray) -> Stars:
    n = len(where)
    return Stars(where, np.linspace(9, 1, n), np.full(n, 1.2), np.ones(n))


def _turned(where: np.ndarray, degrees: float, scale: float = 1.0) -> np.ndarray:
    c, s = scale * np.cos(np.radians(degrees)), scale * np.sin(np.radians(degrees))
    return (where - [210, 150]) @ np.array([[c, s], [-s, c]]) + [230, 120]


def test_the_same_stars_are_found_after_a_turn() -> None:
    where = places(60)
    other = _turned(where, 25) + np.random.default_rng(4).normal(0, 0.1, where.shape)
    order = np.random.default_rng(6).permutation(50)  # ten are gone, and five are new
    pair = same_stars(_field(where), _field(np.concatenate([other[order], places(5, 9) + np.array([600, 0])])))
    assert pair is not None
    assert len(pair[0]) >= 48 and np.array_equal(order[pair[1]], pair[0])


def test_other_skies_are_not_taken_for_the_same() -> None:
    where = places(60)
    assert same_stars(_field(where), _field(places(60, 11))) is None
    assert same_stars(_field(where), _field(where * [-1, 1] + [420, 0])) is None  # a mirror
    assert same_stars(_field(where), _field(_turned(where, 10, 1.25))) is None  # another lens
    assert same_stars(_field(where[:7]), _field(where[:7])) is None
    assert same_stars(_field(where[:3]), _field(where)) is None
    assert same_stars(_field(where), _field(_turned(where, 10, 1.05))) is not None


def test_a_wide_lens_bends_the_sky() -> None:
    """Further out the same stars lie up to ten pixels from where a similarity has them."""
    where = places(120, 3)
    from_middle = where - [210, 150]
    bent = _turned(where, 8) + 1e-4 * (from_middle**2).sum(1, keepdims=True) * np.array([0.5, 1.0])
    pair = same_stars(_field(where), _field(bent))
    assert pair is not None and (pair[0] == pair[1]).all() and len(pair[0]) > 30


def test_triangles_keep_the_ratios_of_their_sides_when_the_sky_turns() -> None:
    where = places(40)
    (ratios, corners), (turned, again) = _triangles(where), _triangles(_turned(where, 70))
    assert len(ratios) > 200 and np.array_equal(corners, again)
    np.testing.assert_allclose(turned, ratios, atol=1e-9)
    for ratio, trio in zip(ratios, corners, strict=True):
        opposite = [float(np.hypot(*(where[trio[k - 1]] - where[trio[k - 2]]))) for k in range(3)]
        assert opposite == sorted(opposite) and opposite[0] > 8
        assert np.abs(ratio) == pytest.approx([opposite[0] / opposite[2], opposite[1] / opposite[2]], abs=1e-9)
    mirrored, _ = _triangles(where * [-1, 1])
    np.testing.assert_allclose(mirrored, ratios * [-1, 1], atol=1e-9)


def test_cubic_weights_keep_parabolas() -> None:
    """Keys (1981): with a = -0.5 the interpolation is exact for polynomials of the second degree."""
    samples = np.array([-1, 0, 1, 2])
    for t in np.linspace(0, 0.99, 12):
        weights = np.array(_cubic(np.float32(t)))
        for power in (0, 1, 2):
            assert weights @ samples**power == pytest.approx(t**power, abs=2e-6)
