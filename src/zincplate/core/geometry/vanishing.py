"""What is upright and what is level in a picture, from its line segments, and the turns that follow from it.

The search is in :mod:`world_directions`; here is what counts as found. Nothing is returned where too little of the picture
agrees: doing nothing is better than something wild.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.projective import angles_of
from zincplate.core.geometry.world_directions import (
    CLEAR_OF_UPRIGHT,
    Fit,
    could_be_upright,
    fit,
    fitted_out,
    level_starts,
    off_degrees,
    upright_starts,
    weights_of,
)

Float64 = NDArray[np.float64]
Bool = NDArray[np.bool_]

MOST_SLOPE = 40.0
"""Of a segment that may be level, in the picture."""
LEAST_LENGTH = 0.9
"""Long edges of agreeing segments that a direction needs."""
LEAST_SEGMENTS = 8
LEAST_SHARE = 0.18
"""Of the length of all segments that could have that direction."""
LEAST_SPREAD = 0.22
"""Of the long edge: agreeing segments all in one place say little about perspective."""


@dataclass(frozen=True)
class Direction:
    """A direction of the world seen by the camera, and what it stands on."""

    vector: Float64
    """(3,) unit, x right, y down, z ahead."""
    segments: int
    length: float
    """Of agreeing segments, in long edges."""
    share: float
    """Of the length of segments that could agree."""
    spread: float
    """Standard deviation of the agreeing segments' places across the direction, in long edges, times two."""
    error_degrees: float
    """Standard error of the direction by the scatter of its segments."""

    @property
    def confidence(self) -> float:
        """0..1: half where it is only just accepted."""
        by_length = min(self.length / (4 * LEAST_LENGTH), 1.0)
        by_share = min(self.share / (2.5 * LEAST_SHARE), 1.0)
        by_spread = min(self.spread / (2 * LEAST_SPREAD), 1.0)
        steady = math.exp(-self.error_degrees / 0.6)
        return float(np.clip((by_length * by_share * by_spread) ** (1 / 3) * steady, 0, 1))


@dataclass(frozen=True)
class Scene:
    """What was found; None where the picture has no reliable lines of that kind."""

    upright: Direction | None
    level: Direction | None


def _described(lines: Float64, direction: Float64, agrees: Bool, error: float, edge_px: float) -> Direction:
    lengths = np.hypot(*(lines[:, 1] - lines[:, 0]).T) / edge_px
    length = float(lengths[agrees].sum())
    share = length / max(float(lengths.sum()), 1e-9)
    if not agrees.any():
        return Direction(direction, 0, 0.0, 0.0, 0.0, 90.0)
    middles = lines[agrees].mean(1) / edge_px
    mean_along = lines[agrees][:, 1] - lines[agrees][:, 0]
    across = 0 if abs(mean_along[:, 1]).sum() > abs(mean_along[:, 0]).sum() else 1
    place = middles[:, across]
    w = lengths[agrees]
    mean = float((w * place).sum() / w.sum())
    spread = 2 * math.sqrt(float((w * (place - mean) ** 2).sum() / w.sum()))
    return Direction(direction, int(agrees.sum()), length, share, spread, error)


def _accepted(found: Direction) -> Direction | None:
    enough = found.length >= LEAST_LENGTH and found.share >= LEAST_SHARE and found.segments >= LEAST_SEGMENTS
    return found if enough and found.spread >= LEAST_SPREAD and found.error_degrees < 0.6 else None


def directions(lines: Float64, focal_px: float, long_edge_px: float, seed: int = 1) -> Scene:
    """The upright and the main level direction of a scene.

    ``lines`` (n, 2, 2) are segments in pixels from the middle of the undistorted picture, not yet turned.
    """
    if len(lines) < 5:
        return Scene(None, None)
    weights = weights_of(lines, long_edge_px)
    best: Fit | None = None
    for start in upright_starts(lines, weights, focal_px, np.random.default_rng(seed)):
        found = fitted_out(lines, weights, focal_px, start)
        if best is None or found.score > best.score:
            best = found
    upright = None if best is None else _upright(lines, best, long_edge_px)
    if best is None or upright is None:
        return Scene(None, _level_alone(lines, weights, focal_px, long_edge_px))
    return Scene(upright, _level(lines, best, focal_px, long_edge_px))


def _upright(lines: Float64, found: Fit, edge_px: float) -> Direction | None:
    could = could_be_upright(lines)
    vector = found.vectors[0] * (1 if found.vectors[0, 1] >= 0 else -1)
    return _accepted(
        _described(lines[could], vector, ((found.belongs == 0) & found.agrees)[could], found.error_degrees[0], edge_px)
    )


def _could_be_level(lines: Float64, upright: Float64, focal_px: float) -> Bool:
    along = lines[:, 1] - lines[:, 0]
    slope = np.degrees(np.arctan2(np.abs(along[:, 1]), np.abs(along[:, 0])))
    return np.asarray((slope < MOST_SLOPE) & (np.abs(off_degrees(lines, upright, focal_px)) > CLEAR_OF_UPRIGHT))


def _level_alone(lines: Float64, weights: Float64, focal_px: float, edge_px: float) -> Direction | None:
    """The main level direction of a picture without uprights: sought across a camera held level, then fitted by itself."""
    down = np.array([0.0, 1.0, 0.0])
    could = _could_be_level(lines, down, focal_px)
    if could.sum() < 5:
        return None
    chosen, heavy = lines[could], weights[could]
    known = []
    for start in level_starts(chosen, heavy, focal_px, down):
        if abs(start[2]) < math.sin(math.radians(45)):
            found = fit(chosen, heavy, focal_px, start, [])
            facing = found.vectors[0] * (1 if found.vectors[0, 0] >= 0 else -1)
            known.append(_described(chosen, facing, found.agrees, float(found.error_degrees[0]), edge_px))
    return _accepted(max(known, key=lambda d: d.length)) if known else None


def _level(lines: Float64, found: Fit, focal_px: float, edge_px: float) -> Direction | None:
    """The level direction with most of the picture that faces the camera rather than runs away from it."""
    could = _could_be_level(lines, found.vectors[0], focal_px)
    known = []
    for k, vector in enumerate(found.vectors[1:], 1):
        if abs(vector[2]) < math.sin(math.radians(45)):
            agrees = ((found.belongs == k) & found.agrees)[could]
            facing = vector * (1 if vector[0] >= 0 else -1)
            known.append(_described(lines[could], facing, agrees, float(found.error_degrees[k]), edge_px))
    return _accepted(max(known, key=lambda d: d.length)) if known else None


def roll_of(upright: Float64) -> float:
    """Degrees of roll that set an upright direction straight up in the picture, its perspective left alone."""
    return math.degrees(math.atan2(upright[0], upright[1]))


def turns_upright(upright: Float64) -> tuple[float, float]:
    """(roll, tilt) in degrees that make uprights parallel."""
    x, y, z = (float(v) for v in upright / np.linalg.norm(upright))
    return math.degrees(math.asin(max(min(x, 1.0), -1.0))), -math.degrees(math.atan2(z, y))


def turns_level(level: Float64) -> tuple[float, float]:
    """(roll, swing) in degrees that make a level direction run level in the picture."""
    x, y, z = (float(v) for v in level / np.linalg.norm(level))
    return -math.degrees(math.asin(max(min(y, 1.0), -1.0))), math.degrees(math.atan2(-z, x)) * -1


def turns_both(upright: Float64, level: Float64) -> tuple[float, float, float]:
    """(roll, tilt, swing) in degrees that make uprights upright and a level direction level."""
    down = upright / np.linalg.norm(upright)
    right = level - (level @ down) * down
    right = right / np.linalg.norm(right)
    return angles_of(np.stack([right, down, np.cross(right, down)]))
