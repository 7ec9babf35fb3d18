"""The upright direction of a scene together with its level ones ("Atlanta world": Schindler and Dellaert 2004).

Walls, floors and beams run in a few level directions, and all of these lie across the same upright one, so each of them says
where the horizon is: lines that run away from the camera place it better than uprights that are nearly parallel can. The
upright direction is proposed by pairs of segments (RANSAC, Fischler and Bolles 1981) under a prior about how far people tilt a
camera, level ones by every segment crossed with it (horizon first, Simon, Fond and Berger 2018), and all are then fitted at
once by Gauss-Newton steps under Tukey's weights. Directions are unit vectors, x right, y down, z ahead; segments (n, 2, 2) are
in pixels from the middle of the undistorted picture.
"""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.straighten import normals

Float64 = NDArray[np.float64]
Bool = NDArray[np.bool_]

MOST_ROLL, MOST_PITCH = 20.0, 38.0
MOST_LEAN = 32.0
"""Of a segment that may be an upright, in the picture."""
AGREES_DEGREES = 0.8
"""Angle in the picture between a segment and the direction at its place."""
AGREES_CLOSELY = 0.4
"""The same at the end of the search."""
TAKEN_DEGREES = 1.2
"""A segment this near to one level direction is no evidence of another."""
CLEAR_OF_UPRIGHT = 8.0
LONGEST = 0.25
"""Of the long edge: longer segments weigh no more."""
TRIES = 1500
STARTS = 6
"""Proposals for the upright direction that are fitted out."""
FAMILIES = 3
FAMILIES_APART_DEGREES = 15.0
"""Two level directions nearer to each other than this share the segments of one wall between them, and pull apart."""
LEAST_OF_FIRST = 0.06
"""Of the first level direction's score: a further one with less is chance."""
LEVEL_WEIGHT = 0.5
"""Of a level segment against an upright one: what is upright is upright by gravity, what looks level may be a ramp."""
ITERATIONS = 16


@dataclass(frozen=True)
class Fit:
    """The directions (k, 3), upright first, and which segments agree with which."""

    vectors: Float64
    belongs: NDArray[np.intp]
    """(n,) index of the nearest direction."""
    agrees: Bool
    """(n,) whether the segment agrees with it closely."""
    score: float
    error_degrees: Float64
    """(k,) standard error of each direction, by the scatter of what agrees and where it lies."""


def off_degrees(lines: Float64, directions: Float64, focal_px: float) -> Float64:
    """Signed angle in the picture between each segment and a direction at its middle; directions (3,) or (n, 3)."""
    middle = lines.mean(1)
    # the vanishing point lies at f d_xy / d_z; towards it from m runs f d_xy - m d_z, which also holds at infinity
    towards = focal_px * directions[..., :2] - middle * directions[..., 2:]
    along = lines[:, 1] - lines[:, 0]
    cross = along[:, 0] * towards[:, 1] - along[:, 1] * towards[:, 0]
    dot = (along * towards).sum(1)
    return np.degrees(np.arctan2(cross * np.where(dot < 0, -1, 1), np.abs(dot)))


def weights_of(lines: Float64, long_edge_px: float) -> Float64:
    """A segment's ends are known to a part of a pixel, so its direction the better the longer it is."""
    lengths = np.hypot(*(lines[:, 1] - lines[:, 0]).T) / long_edge_px
    return np.asarray(np.minimum(lengths, LONGEST) ** 1.5)


def _scores(lines: Float64, weights: Float64, candidates: Float64, focal_px: float) -> Float64:
    """How much of the picture agrees with each of (c, 3) directions, the more closely the more."""
    middle, along = lines.mean(1), lines[:, 1] - lines[:, 0]
    # off_degrees for all at once: both products are linear in the direction
    cross = np.stack([-focal_px * along[:, 1], focal_px * along[:, 0], along[:, 1] * middle[:, 0] - along[:, 0] * middle[:, 1]])
    dot = np.stack([focal_px * along[:, 0], focal_px * along[:, 1], -(along * middle).sum(1)])
    limit = math.tan(math.radians(AGREES_DEGREES))
    scores = []
    for part in np.array_split(candidates, max(len(candidates) * len(lines) // 400_000, 1)):
        with np.errstate(divide="ignore", invalid="ignore"):
            off = (part @ cross) / (part @ dot) / limit
        scores.append(np.maximum(1 - np.nan_to_num(off, nan=9.0) ** 2, 0) @ weights)
    return np.concatenate(scores)


def could_be_upright(lines: Float64) -> Bool:
    """Segments that lean little enough in the picture."""
    along = lines[:, 1] - lines[:, 0]
    return np.asarray(np.degrees(np.arctan2(np.abs(along[:, 0]), np.abs(along[:, 1]))) < MOST_LEAN)


def upright_starts(lines: Float64, weights: Float64, focal_px: float, random: np.random.Generator) -> list[Float64]:
    """Upright directions on which most of the picture could agree, a degree or more apart, the best first."""
    could = could_be_upright(lines)
    if could.sum() < 5:
        return []
    chosen, heavy = lines[could], weights[could]
    n = normals(chosen, focal_px)
    pairs = random.choice(len(chosen), (TRIES, 2), p=heavy / heavy.sum())
    found = np.cross(n[pairs[:, 0]], n[pairs[:, 1]])
    size = np.linalg.norm(found, axis=1)
    found = np.concatenate([np.array([[0.0, 1.0, 0.0]]), found[size > 0.004] / size[size > 0.004, None]])
    found = found * np.where(found[:, 1:2] < 0, -1, 1)
    roll = np.degrees(np.arctan2(np.abs(found[:, 0]), found[:, 1]))
    pitch = np.degrees(np.arcsin(np.clip(np.abs(found[:, 2]), 0, 1)))
    found = found[(roll < MOST_ROLL) & (pitch < MOST_PITCH)]
    order = np.argsort(-_scores(chosen, heavy, found, focal_px), kind="stable")
    apart: list[Float64] = []
    for i in order:
        if all(abs(found[i] @ other) < math.cos(math.radians(1)) for other in apart):
            apart.append(found[i])
        if len(apart) == STARTS:
            break
    return apart


def level_starts(lines: Float64, weights: Float64, focal_px: float, upright: Float64) -> list[Float64]:
    """Level directions across an upright one, each with most of the segments that those before have left."""
    n = normals(lines, focal_px)
    left = np.flatnonzero(np.abs(off_degrees(lines, upright, focal_px)) > CLEAR_OF_UPRIGHT)
    found: list[Float64] = []
    first = 0.0
    while len(found) < FAMILIES and len(left) >= 5:
        candidates = np.cross(n[left], upright)
        size = np.linalg.norm(candidates, axis=1)
        candidates = candidates[size > 0.05] / size[size > 0.05, None]
        if found:
            near = np.abs(candidates @ np.transpose(found)).max(1)
            candidates = candidates[near < math.cos(math.radians(FAMILIES_APART_DEGREES))]
        if len(candidates) == 0:
            break
        scores = _scores(lines[left], weights[left], candidates, focal_px)
        best = candidates[int(np.argmax(scores))]
        if scores.max() < LEAST_OF_FIRST * first:
            break
        first = first or float(scores.max())
        found.append(best)
        left = left[np.abs(off_degrees(lines[left], best, focal_px)) > TAKEN_DEGREES]
    return found


def fitted_out(lines: Float64, weights: Float64, focal_px: float, start: Float64) -> Fit:
    """Fit from a start: level directions are sought across it, and once more across what came of it."""
    found = fit(lines, weights, focal_px, start, level_starts(lines, weights, focal_px, start))
    upright = found.vectors[0]
    found = fit(lines, weights, focal_px, upright, level_starts(lines, weights, focal_px, upright))
    while True:
        level = found.vectors[1:]
        near = np.abs(np.triu(level @ level.T, 1)) > math.cos(math.radians(FAMILIES_APART_DEGREES))
        if not near.any():
            return found
        # they come in order of weight: the second of two that ran into each other goes
        kept = [v for k, v in enumerate(level) if not near[:, k].any()]
        found = fit(lines, weights, focal_px, found.vectors[0], kept)


def _across(upright: Float64) -> tuple[Float64, Float64]:
    """Two level unit vectors that with the upright one make a right-angled frame."""
    first = np.cross(upright, np.array([0.0, 0.0, 1.0]))
    first = first / np.linalg.norm(first)
    return first, np.cross(upright, first)


def fit(lines: Float64, weights: Float64, focal_px: float, upright: Float64, level: list[Float64]) -> Fit:
    """Upright and level directions at once. Without level ones any direction of the world, fitted by itself."""
    first, second = _across(upright)
    unknown = np.array([0.0, 0.0, *(math.atan2(d @ second, d @ first) for d in level)])

    def vectors(u: Float64) -> Float64:
        up = upright + u[0] * first + u[1] * second
        up = up / np.linalg.norm(up)
        e1 = first - (first @ up) * up
        e1 = e1 / np.linalg.norm(e1)
        e2 = np.cross(up, e1)
        return np.array([up, *(math.cos(t) * e1 + math.sin(t) * e2 for t in u[2:])])

    def nearest(u: Float64) -> tuple[NDArray[np.intp], Float64]:
        off = np.array([off_degrees(lines, d, focal_px) for d in vectors(u)])
        belongs = np.abs(off).argmin(0)
        return belongs, off[belongs, np.arange(len(lines))]

    step, width = 1e-5, AGREES_DEGREES
    inverse: NDArray[Any] = np.eye(len(unknown))
    tukey: NDArray[Any] = np.zeros(len(lines))
    rest: NDArray[Any] = np.zeros(len(lines))
    for _ in range(ITERATIONS):
        belongs, rest = nearest(unknown)
        share = np.where(belongs == 0, 1.0, LEVEL_WEIGHT) * weights
        tukey = np.where(np.abs(rest) < width, (1 - (rest / width) ** 2) ** 2, 0.0) * share
        slopes = np.zeros((len(lines), len(unknown)))
        for j in range(len(unknown)):
            moved = unknown.copy()
            moved[j] += step
            slopes[:, j] = (off_degrees(lines, vectors(moved)[belongs], focal_px) - rest) / step
        weighted = slopes.T * tukey
        # a direction that nothing agrees with stays where it is
        inverse = np.linalg.inv(weighted @ slopes + 1e-6 * np.eye(len(unknown)))
        unknown -= inverse @ (weighted @ rest)
        width = max(AGREES_CLOSELY, width * 0.9)
    belongs, rest = nearest(unknown)
    agrees = np.abs(rest) < AGREES_CLOSELY
    share = np.where(belongs == 0, 1.0, LEVEL_WEIGHT) * weights
    score = float((share * np.maximum(1 - (rest / AGREES_DEGREES) ** 2, 0)).sum())
    return Fit(vectors(unknown), belongs, agrees, score, _errors(inverse, tukey, rest, len(unknown)))


def _errors(inverse: Float64, tukey: Float64, rest: Float64, count: int) -> Float64:
    """Standard errors in degrees from the inverse of the normal matrix: upright (both ways together), then each level one."""
    total = float(tukey.sum())
    if total <= 0:
        return np.full(count - 1, 90.0)
    effective = total**2 / float((tukey**2).sum())
    variance = float((tukey * rest**2).sum()) / max(effective - count, 1.0)
    spread = np.degrees(np.sqrt(np.maximum(np.diag(inverse) * variance, 0)))
    return np.array([math.hypot(spread[0], spread[1]), *spread[2:]])
