"""Directions of a made-up world are found again from segments drawn along them, and their errors are as large as said."""

import numpy as np
import pytest

from zincplate.core.geometry import world_directions as world

FOCAL_PX, WIDTH, HEIGHT = 1400.0, 1800, 1200
Array = np.ndarray


def turned(roll: float, pitch: float, heading: float) -> Array:
    """(3, 3) columns: upright (down), and two level directions at right angles, for a camera that leans so (degrees)."""
    r, p, h = np.radians([roll, pitch, heading])
    about_z = np.array([[np.cos(r), -np.sin(r), 0], [np.sin(r), np.cos(r), 0], [0, 0, 1]])
    about_x = np.array([[1, 0, 0], [0, np.cos(p), -np.sin(p)], [0, np.sin(p), np.cos(p)]])
    about_y = np.array([[np.cos(h), 0, np.sin(h)], [0, 1, 0], [-np.sin(h), 0, np.cos(h)]])
    frame = about_z @ about_x @ about_y
    return np.asarray(frame[:, [1, 0, 2]])


def segments(direction: Array, count: int, rng: np.random.Generator, noise_px: float = 0.0) -> Array:
    """(count, 2, 2) pieces of lines along a direction of the world, scattered over the picture."""
    middle = rng.uniform((-WIDTH / 2, -HEIGHT / 2), (WIDTH / 2, HEIGHT / 2), (count, 2))
    towards = FOCAL_PX * direction[:2] - middle * direction[2]
    towards /= np.linalg.norm(towards, axis=1, keepdims=True)
    half = rng.uniform(25, 160, (count, 1))
    return np.asarray(np.stack([middle - towards * half, middle + towards * half], 1) + rng.normal(0, noise_px, (count, 2, 2)))


def angle(a: Array, b: Array) -> float:
    """Degrees between two axes, whichever way they point."""
    return float(np.degrees(np.arccos(min(1.0, abs(float(a @ b))))))


def test_a_segment_drawn_along_a_direction_is_not_off_it() -> None:
    rng = np.random.default_rng(1)
    for direction in turned(4, -12, 35).T:
        lines = segments(direction, 50, rng)
        assert np.abs(world.off_degrees(lines, direction, FOCAL_PX)).max() < 1e-9
        assert np.abs(world.off_degrees(lines, -direction, FOCAL_PX)).max() < 1e-9


def test_the_angle_off_is_the_angle_by_which_a_segment_was_turned() -> None:
    rng = np.random.default_rng(2)
    direction = turned(2, 5, 20)[:, 1]
    lines = segments(direction, 40, rng)
    for degrees in (-7.0, 0.4, 30.0):
        t = np.radians(degrees)
        middle = lines.mean(1, keepdims=True)
        moved = (lines - middle) @ np.array([[np.cos(t), np.sin(t)], [-np.sin(t), np.cos(t)]]) + middle
        assert np.abs(world.off_degrees(moved, direction, FOCAL_PX)) == pytest.approx(abs(degrees), abs=1e-9)


@pytest.mark.parametrize(("roll", "pitch", "heading"), [(0, 0, 30), (3.5, -14, 25), (-6, 22, 50), (1, 8, 4)])
def test_upright_and_level_directions_are_fitted_at_once(roll: float, pitch: float, heading: float) -> None:
    rng = np.random.default_rng(int(10 * roll + pitch + 100))
    truth = turned(roll, pitch, heading)
    lines = np.concatenate([segments(truth[:, k], n, rng, 0.25) for k, n in ((0, 30), (1, 40), (2, 25))])
    stray = np.stack([rng.uniform(-600, 600, (30, 2)), rng.uniform(-600, 600, (30, 2))], 1)
    lines = np.concatenate([lines, stray])
    weights = world.weights_of(lines, WIDTH)
    starts = world.upright_starts(lines, weights, FOCAL_PX, rng)
    best = max((world.fitted_out(lines, weights, FOCAL_PX, s) for s in starts), key=lambda f: f.score)
    assert angle(best.vectors[0], truth[:, 0]) < 0.08
    for k in (1, 2):
        assert min(angle(v, truth[:, k]) for v in best.vectors[1:]) < 0.15
    assert np.abs(best.vectors[1:] @ best.vectors[0]).max() < 1e-9  # level ones lie across
    assert best.agrees[:95].mean() > 0.9 and best.agrees[95:].mean() < 0.2


def test_the_standard_error_that_is_said_is_the_scatter_that_comes() -> None:
    """Sixty pictures of one world, ends known to 0.15 px: directions scatter as widely as each fit says, within a third.

    With ends that are worse than the width within which segments count (0.4 degree), errors are said too small.
    """
    truth = turned(2.0, -9.0, 28.0)
    found, said = [], []
    for seed in range(60):
        rng = np.random.default_rng(1000 + seed)
        lines = np.concatenate([segments(truth[:, k], n, rng, 0.15) for k, n in ((0, 25), (1, 30))])
        fit = world.fit(lines, world.weights_of(lines, WIDTH), FOCAL_PX, truth[:, 0], [truth[:, 1]])
        found.append([angle(fit.vectors[0], truth[:, 0]), angle(fit.vectors[1], truth[:, 1])])
        said.append(fit.error_degrees)
    scatter = np.sqrt((np.array(found) ** 2).mean(0))
    mean_said = np.mean(said, 0)
    assert 0.66 < mean_said[0] / scatter[0] < 1.5
    assert np.isfinite(said).all() and (mean_said > 0).all()


def test_two_level_directions_at_a_skew_corner_are_both_kept_and_one_wall_is_not_split() -> None:
    rng = np.random.default_rng(5)
    truth = turned(1.5, -6, 20)
    skew = np.cos(np.radians(50)) * truth[:, 1] + np.sin(np.radians(50)) * truth[:, 2]
    lines = np.concatenate([segments(d, n, rng, 0.2) for d, n in ((truth[:, 0], 30), (truth[:, 1], 40), (skew, 30))])
    fit = world.fitted_out(lines, world.weights_of(lines, WIDTH), FOCAL_PX, truth[:, 0])
    assert min(angle(v, skew) for v in fit.vectors[1:]) < 0.2
    one_wall = np.concatenate([segments(d, n, rng, 0.6) for d, n in ((truth[:, 0], 30), (truth[:, 1], 60))])
    fit = world.fitted_out(one_wall, world.weights_of(one_wall, WIDTH), FOCAL_PX, truth[:, 0])
    pairs = [angle(a, b) for i, a in enumerate(fit.vectors[1:]) for b in fit.vectors[2 + i :]]
    assert all(p > world.FAMILIES_APART_DEGREES for p in pairs)


def test_too_few_uprights_are_no_evidence() -> None:
    rng = np.random.default_rng(6)
    truth = turned(0, 0, 20)
    lines = np.concatenate([segments(truth[:, 0], 3, rng), segments(truth[:, 1], 40, rng)])
    level_only = lines[np.abs(world.off_degrees(lines, truth[:, 1], FOCAL_PX)) < 1e-6]
    assert world.upright_starts(level_only[~world.could_be_upright(level_only)], np.ones(40), FOCAL_PX, rng) == []


def test_long_segments_weigh_more_but_not_without_end() -> None:
    lines = np.array([[[0, 0], [0, n]] for n in (18.0, 180.0, 450.0, 1800.0)])
    weights = world.weights_of(lines, 1800.0)
    assert (np.diff(weights)[:2] > 0).all() and weights[2] == weights[3]
