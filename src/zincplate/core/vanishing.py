"""Upright and level directions of a scene from the lines in its picture.

Segments: LSD (Grompone von Gioi et al. 2010, in OpenCV). Each spans a plane with the camera's eye; all lines of one direction
d in the world have n . d = 0. Directions are found by RANSAC over pairs (Fischler and Bolles 1981) with a prior about how
far people tilt a camera, then by iterated least squares (Tukey's weights) over the segments that agree. Nothing is returned
where too little of the picture agrees: doing nothing is better than something wild.
"""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.projective import angles_of
from zincplate.core.straighten import normals

Float64 = NDArray[np.float64]

SHORTEST = 0.018
"""Of the long edge: shorter segments are texture."""
MOST_ROLL, MOST_PITCH = 20.0, 38.0
AGREES_DEGREES = 0.8
"""Angle in the picture between a segment and the direction at its place."""
AGREES_CLOSELY = 0.4
"""The same at the end of the search."""
LONGEST = 0.25
"""Of the long edge: longer segments weigh no more."""
TRIES = 1500
LEAST_LENGTH = 0.9
"""Long edges of agreeing segments that a direction needs."""
LEAST_SEGMENTS = 12
LEAST_SHARE = 0.22
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


def segments_of(grey: NDArray[np.uint8]) -> Float64:
    """(n, 2, 2) ends of line segments of a picture, in its pixels (0..width, 0..height)."""
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_ADV).detect(grey)[0]
    if found is None:
        return np.zeros((0, 2, 2))
    lines = np.asarray(found, np.float64).reshape(-1, 2, 2) + 0.5
    lengths = np.hypot(*(lines[:, 1] - lines[:, 0]).T)
    height, width = grey.shape
    edge = 3
    low, high = lines.min(1), lines.max(1)
    # a line along the edge of the picture is the edge itself
    border = (high[:, 0] < edge) | (high[:, 1] < edge) | (low[:, 0] > width - edge) | (low[:, 1] > height - edge)
    return lines[(lengths > SHORTEST * max(width, height)) & ~border]


def _weights(lengths: Float64) -> Float64:
    """A segment's ends are known to a part of a pixel, so its direction the better the longer it is."""
    return np.asarray(np.minimum(lengths, LONGEST) ** 1.5)


def _off_degrees(lines: Float64, direction: Float64, focal_px: float) -> Float64:
    """Angle in the picture between each segment and the direction at its middle."""
    middle = lines.mean(1)
    # the vanishing point lies at f d_xy / d_z; towards it from m runs f d_xy - m d_z, which also holds at infinity
    towards = focal_px * direction[None, :2] - middle * direction[2]
    along = lines[:, 1] - lines[:, 0]
    cross = along[:, 0] * towards[:, 1] - along[:, 1] * towards[:, 0]
    dot = (along * towards).sum(1)
    return np.degrees(np.arctan2(np.abs(cross), np.abs(dot)))


def _refined(lines: Float64, weights: Float64, start: Float64, focal_px: float) -> tuple[Float64, NDArray[np.bool_], float]:
    """Direction, which segments agree, and its standard error in degrees."""
    n, direction, width = normals(lines, focal_px), start, AGREES_DEGREES
    for _ in range(16):
        off = _off_degrees(lines, direction, focal_px)
        tukey = np.where(off < width, (1 - (off / width) ** 2) ** 2, 0.0) * weights
        if (tukey > 0).sum() < 3:
            break
        _, vectors = np.linalg.eigh((n * tukey[:, None]).T @ n)
        direction = vectors[:, 0] * np.sign(vectors[:, 0] @ direction or 1.0)
        width = max(AGREES_CLOSELY, width * 0.9)
    off = _off_degrees(lines, direction, focal_px)
    agrees = off < AGREES_CLOSELY
    if agrees.sum() < 2:
        return direction, agrees, 90.0
    w = weights[agrees]
    scatter = math.sqrt(float((w * off[agrees] ** 2).sum() / w.sum()))
    effective = float(w.sum() ** 2 / (w**2).sum())
    return direction, agrees, scatter / math.sqrt(max(effective - 2, 1))


def _best(lines: Float64, weights: Float64, candidates: Float64, focal_px: float) -> Float64:
    """The candidate with which most of the weight agrees, the more closely the better."""
    scores = []
    for candidate in candidates:
        off = _off_degrees(lines, candidate, focal_px) / AGREES_DEGREES
        scores.append(float((weights * np.maximum(1 - off**2, 0)).sum()))
    return np.asarray(candidates[int(np.argmax(scores))])


def _described(lines: Float64, direction: Float64, agrees: NDArray[np.bool_], error: float, edge_px: float) -> Direction:
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
    upright = _upright(lines, focal_px, long_edge_px, np.random.default_rng(seed))
    level = _level(lines, upright, focal_px, long_edge_px)
    return Scene(upright, level)


def _upright(lines: Float64, focal_px: float, edge_px: float, random: np.random.Generator) -> Direction | None:
    along = lines[:, 1] - lines[:, 0]
    lengths = np.hypot(*along.T)
    lean = np.degrees(np.arctan2(np.abs(along[:, 0]), np.abs(along[:, 1])))
    could = lean < 32
    if could.sum() < 5:
        return None
    chosen, weights = lines[could], _weights(lengths[could] / edge_px)
    n = normals(chosen, focal_px)
    chance = weights / weights.sum()
    pairs = random.choice(len(chosen), (TRIES, 2), p=chance)
    candidates = np.cross(n[pairs[:, 0]], n[pairs[:, 1]])
    size = np.linalg.norm(candidates, axis=1)
    candidates = candidates[size > 0.004] / size[size > 0.004, None]
    candidates = np.concatenate([np.array([[0.0, 1.0, 0.0]]), candidates])
    candidates = candidates * np.where(candidates[:, 1:2] < 0, -1, 1)
    roll = np.degrees(np.arctan2(np.abs(candidates[:, 0]), candidates[:, 1]))
    pitch = np.degrees(np.arcsin(np.clip(np.abs(candidates[:, 2]), 0, 1)))
    candidates = candidates[(roll < MOST_ROLL) & (pitch < MOST_PITCH)]
    scores = np.array(
        [(weights * np.maximum(1 - (_off_degrees(chosen, c, focal_px) / AGREES_DEGREES) ** 2, 0)).sum() for c in candidates]
    )
    direction, agrees, error = _refined(chosen, weights, candidates[int(scores.argmax())], focal_px)
    direction = direction * (1 if direction[1] >= 0 else -1)
    return _accepted(_described(chosen, direction, agrees, error, edge_px))


def _level(lines: Float64, upright: Direction | None, focal_px: float, edge_px: float) -> Direction | None:
    """The level direction on which most of the picture agrees, facing at most 45 degrees away from the camera's own right."""
    up = upright.vector if upright is not None else np.array([0.0, 1.0, 0.0])
    n = normals(lines, focal_px)
    along = lines[:, 1] - lines[:, 0]
    lengths = np.hypot(*along.T)
    lean = np.degrees(np.arctan2(np.abs(along[:, 1]), np.abs(along[:, 0])))
    could = (lean < 40) & (_off_degrees(lines, up, focal_px) > 8)
    if could.sum() < 5:
        return None
    chosen, weights = lines[could], _weights(lengths[could] / edge_px)
    # every segment and the upright direction fix one level direction
    candidates = np.cross(n[could], up)
    size = np.linalg.norm(candidates, axis=1)
    candidates = candidates[size > 0.05] / size[size > 0.05, None]
    candidates = candidates * np.where(candidates[:, 0:1] < 0, -1, 1)
    candidates = candidates[np.abs(candidates[:, 2]) < math.sin(math.radians(45))]
    if len(candidates) == 0:
        return None
    scores = np.array(
        [(weights * np.maximum(1 - (_off_degrees(chosen, c, focal_px) / AGREES_DEGREES) ** 2, 0)).sum() for c in candidates]
    )
    direction, agrees, error = _refined(chosen, weights, candidates[int(scores.argmax())], focal_px)
    direction = direction * (1 if direction[0] >= 0 else -1)
    return _accepted(_described(chosen, direction, agrees, error, edge_px))


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
