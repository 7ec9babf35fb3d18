"""How frames of one view were pointed: a camera that turns about one point, its focal length and its lens's distortion, found
together from places that frames share (bundle adjustment, Brown & Lowe, "Automatic panoramic image stitching using invariant
features", IJCV 74, 2007, section 4).

Axes of a camera are x to the right, y down, z ahead; ``turn`` (3, 3) takes its directions to the world's. Places are pixels from
the middle of the upright picture. Distortion is the radial part of Brown and Conrady's model, r_d = r_u (1 + k1 rho^2 + k2
rho^4), rho in halves of the diagonal, as :mod:`zincplate.core.geometry.radial` has it.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Float64 = NDArray[np.float64]

HUBER_PX = 1.0
"""Errors beyond this count linearly only."""
OUTLIERS, LEAST_OUTLIER_PX = 6.0, 1.0
"""Times the median error, and pixels, from which on places are left out in the end."""
ROUNDS = 40
K1_DEVIATION, K2_DEVIATION = 0.05, 0.03
"""What is expected of a lens: terms that the places do not tell stay small."""
FOCAL_DEVIATION = 0.004
"""Relative change of the focal length from frame to frame: lenses grow a little when they are focused nearer."""
SHARED_DEVIATION = 0.5
"""Of the logarithm of the focal length that frames share, about the first guess."""
STEP = 1e-6


@dataclass(frozen=True)
class TurningCamera:
    """One frame's camera."""

    focal_px: float
    turn: Float64
    half_diagonal_px: float
    k1: float = 0.0
    k2: float = 0.0

    def undistorted(self, points: Float64) -> Float64:
        """(n, 2) places in the file, from the middle -> where a lens without distortion would have brought them."""
        return _undistorted(points, self.k1, self.k2, self.half_diagonal_px)

    def distorted(self, points: Float64) -> Float64:
        """The other way."""
        rho2 = (points**2).sum(1, keepdims=True) / self.half_diagonal_px**2
        return np.asarray(points * (1 + self.k1 * rho2 + self.k2 * rho2**2))

    def rays(self, points: Float64) -> Float64:
        """(n, 2) places in the file -> (n, 3) directions in the world, of length 1."""
        u = self.undistorted(points)
        rays = np.column_stack([u / self.focal_px, np.ones(len(u))])
        return np.asarray(rays / np.linalg.norm(rays, axis=1, keepdims=True) @ self.turn.T)

    def places(self, rays: Float64) -> Float64:
        """(n, 3) directions in the world -> (n, 2) places in the file; far outside where they lie behind."""
        x, y, z = (rays @ self.turn).T
        ahead = z > 0.05 * np.linalg.norm(rays, axis=1)
        depth = np.where(ahead, z, 1.0)
        flat = np.column_stack([x / depth, y / depth]) * self.focal_px
        return np.where(ahead[:, None], self.distorted(flat), 1e7)


@dataclass(frozen=True)
class Shared:
    """Places that two frames share, (n, 2) each, from the middles of their pictures."""

    first: int
    second: int
    places_1: Float64
    places_2: Float64


def _undistorted(points: Float64, k1: float, k2: float, half_diagonal_px: float) -> Float64:
    if k1 == 0 and k2 == 0:
        return points
    r_d = np.hypot(*points.T) / half_diagonal_px
    r = r_d.copy()
    for _ in range(8):  # Newton
        r2 = r * r
        r = r - (r * (1 + k1 * r2 + k2 * r2 * r2) - r_d) / np.maximum(1 + 3 * k1 * r2 + 5 * k2 * r2 * r2, 0.2)
    return np.asarray(points * (r / np.maximum(r_d, 1e-12))[:, None])


def rotation(vector: Float64) -> Float64:
    """(3,) axis times angle in radians -> (3, 3) (Rodrigues)."""
    angle = float(np.linalg.norm(vector))
    x, y, z = vector
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0.0]])
    if angle < 1e-8:
        return np.asarray(np.eye(3) + cross)
    return np.asarray(np.eye(3) + np.sin(angle) / angle * cross + (1 - np.cos(angle)) / angle**2 * cross @ cross)


def turn_between(rays_1: Float64, rays_2: Float64) -> Float64:
    """The rotation (3, 3) that takes directions (n, 3) of a second camera to the first's, by least squares (Kabsch 1976)."""
    u, _, vt = np.linalg.svd(rays_1.T @ rays_2)
    return np.asarray(u @ np.diag([1, 1, np.sign(np.linalg.det(u @ vt))]) @ vt)


def errors(cameras: Sequence[TurningCamera], shared: Sequence[Shared]) -> list[Float64]:
    """(n,) distances in pixels, for each pair, between where the first frame's places should lie in the second and do."""
    return [
        np.hypot(*(cameras[s.second].places(cameras[s.first].rays(s.places_1)) - s.places_2).T) for s in shared
    ]  # fmt: skip


class _Problem:
    """Unknowns: log focal length by group, k1, k2, then for each frame a small turn and its own log focal length."""

    def __init__(
        self, cameras: Sequence[TurningCamera], groups: Sequence[int], shared: Sequence[Shared], lens: bool, weight_px: float
    ) -> None:
        self.cameras, self.groups, self.lens = list(cameras), list(groups), lens
        self.sets = max(groups) + 1
        self.weight_px = weight_px
        self.first = np.concatenate([np.full(len(s.places_1), s.first) for s in shared])
        self.second = np.concatenate([np.full(len(s.places_1), s.second) for s in shared])
        self.p1 = np.concatenate([s.places_1 for s in shared])
        self.p2 = np.concatenate([s.places_2 for s in shared])
        self.half = np.array([c.half_diagonal_px for c in cameras])
        self.count = self.sets + 2 + 4 * len(cameras)
        self.start_log = np.array([np.log(c.focal_px) for c in cameras])
        self.turns = np.stack([c.turn for c in cameras])

    def slot(self, frame: int) -> int:
        return self.sets + 2 + 4 * frame

    def residuals(self, x: Float64, d1: Float64 | None = None, d2: Float64 | None = None, lens: Float64 | None = None) -> Float64:
        """(n, 2) errors; ``d1``, ``d2`` (4,) are changes of the first and second frame alone, ``lens`` of the shared ones."""
        shared = x[: self.sets + 2] + (0 if lens is None else lens)
        own = x[self.sets + 2 :].reshape(-1, 4)
        logs = self.start_log + shared[np.array(self.groups)] + own[:, 3]
        k1, k2 = shared[self.sets], shared[self.sets + 1]
        turns = np.stack([t @ rotation(o[:3]) for t, o in zip(self.turns, own, strict=True)])

        def side(change: Float64 | None) -> tuple[Float64, Float64]:
            log, turn = logs, turns
            if change is not None:
                log = logs + change[3]
                turn = turns @ rotation(change[:3])
            return np.exp(log), turn

        focal_1, turns_1 = side(d1)
        focal_2, turns_2 = side(d2)
        f1, f2 = focal_1[self.first], focal_2[self.second]
        flat = _undistorted_each(self.p1, k1, k2, self.half[self.first])
        rays = np.column_stack([flat / f1[:, None], np.ones(len(flat))])
        there = np.empty_like(rays)
        for part in self.pairs():
            a, b = self.first[part.start], self.second[part.start]
            there[part] = rays[part] @ (turns_1[a].T @ turns_2[b])
        seen = there[:, :2] / np.maximum(there[:, 2:], 1e-3) * f2[:, None]
        rho2 = (seen**2).sum(1, keepdims=True) / self.half[self.second][:, None] ** 2
        return np.asarray(seen * (1 + k1 * rho2 + k2 * rho2**2) - self.p2)

    def pairs(self) -> list[slice]:
        """Where the places of each pair of frames stand."""
        change = (np.diff(self.first) != 0) | (np.diff(self.second) != 0)
        ends = [0, *(np.flatnonzero(change) + 1), len(self.first)]
        return [slice(int(a), int(b)) for a, b in pairwise(ends) if b > a]

    def prior(self) -> Float64:
        """(count,) one over the expected deviation of each unknown, in pixels' terms."""
        deviation = np.full(self.count, 1e3)
        deviation[: self.sets] = SHARED_DEVIATION
        deviation[self.sets], deviation[self.sets + 1] = K1_DEVIATION, K2_DEVIATION
        own = deviation[self.sets + 2 :].reshape(-1, 4)
        own[:, 3] = FOCAL_DEVIATION
        own[0, :3] = 1e-6  # the first frame's turn is the world's
        if not self.lens:
            deviation[self.sets : self.sets + 2] = 1e-9
        return np.asarray(1 / deviation) * self.weight_px

    def normal(self, x: Float64) -> tuple[Float64, Float64, float]:
        """J^T W J, -J^T W r and the robust cost at ``x``."""
        r = self.residuals(x)
        distance = np.hypot(*r.T)
        weight = np.minimum(1.0, HUBER_PX / np.maximum(distance, 1e-9))
        lens, own = np.eye(self.sets + 2) * STEP, np.eye(4) * STEP
        moved = [self.residuals(x, lens=step) for step in lens]
        moved += [self.residuals(x, d1=step) for step in own] + [self.residuals(x, d2=step) for step in own]
        derived = (np.stack(moved) - r) / STEP
        square, right = np.zeros((self.count, self.count)), np.zeros(self.count)
        # the places of a pair depend on the same few unknowns: a small dense block each
        for part in self.pairs():
            begin = part.start
            slots = [self.slot(int(frames[begin])) + np.arange(4) for frames in (self.first, self.second)]
            where = np.concatenate([np.arange(self.sets + 2), *slots])
            block = derived[:, part].reshape(len(where), -1)
            weighted = block * np.repeat(weight[part], 2)
            square[np.ix_(where, where)] += weighted @ block.T
            right[where] -= weighted @ r[part].ravel()
        held = self.prior()
        square[np.diag_indices(self.count)] += held**2
        right -= held**2 * x
        return square, right, self.cost(x, distance)

    def without_outliers(self, x: Float64) -> bool:
        """Leaves out places that lie much farther apart than most: what moved, or was taken for something else."""
        distance = np.hypot(*self.residuals(x).T)
        good = distance < max(OUTLIERS * float(np.median(distance)), LEAST_OUTLIER_PX)
        if good.all():
            return False
        self.first, self.second, self.p1, self.p2 = self.first[good], self.second[good], self.p1[good], self.p2[good]
        return True

    def cost(self, x: Float64, distance: Float64 | None = None) -> float:
        """Huber's cost, and the priors'."""
        d = np.hypot(*self.residuals(x).T) if distance is None else distance
        each = np.where(d < HUBER_PX, d * d, 2 * HUBER_PX * d - HUBER_PX**2)
        return float(each.sum() + ((self.prior() * x) ** 2).sum())


def _undistorted_each(points: Float64, k1: float, k2: float, half: Float64) -> Float64:
    return _undistorted(points / half[:, None], k1, k2, 1.0) * half[:, None]


def adjusted(
    cameras: Sequence[TurningCamera], groups: Sequence[int], shared: Sequence[Shared], lens: bool, weight_px: float = 1.0
) -> list[TurningCamera]:
    """Cameras brought to what makes shared places coincide, by Levenberg and Marquardt's method under Huber's cost.

    ``groups`` (one number a frame, from 0 on) says which frames share a focal length; ``lens`` whether distortion is looked for
    too (given cameras have none then). ``weight_px`` is how well places are known, against which expectations of the lens
    are weighed.
    """
    problem = _Problem(cameras, groups, shared, lens, weight_px)
    x = _descended(problem, np.zeros(problem.count))
    if problem.without_outliers(x):
        x = _descended(problem, x)
    own = x[problem.sets + 2 :].reshape(-1, 4)
    out = []
    for i, camera in enumerate(cameras):
        focal = float(np.exp(problem.start_log[i] + x[groups[i]] + own[i, 3]))
        k1, k2 = (float(x[problem.sets]), float(x[problem.sets + 1])) if lens else (camera.k1, camera.k2)
        out.append(replace(camera, focal_px=focal, turn=camera.turn @ rotation(own[i, :3]), k1=k1, k2=k2))
    return out


def _descended(problem: _Problem, x: Float64) -> Float64:
    damping = 1e-3
    for _ in range(ROUNDS):
        square, right, cost = problem.normal(x)
        better = False
        while damping < 1e8:
            held = square + damping * np.diag(np.diag(square))
            step = np.linalg.solve(held, right)
            if problem.cost(x + step) < cost:
                better, x = True, x + step
                damping = max(damping / 5, 1e-9)
                break
            damping *= 4
        if not better or np.abs(step).max() < 1e-8:
            break
    return x


def spanned(count: int, pairs: dict[tuple[int, int], float], begin: int) -> list[tuple[int, int]]:
    """(from, to) steps that reach every frame connected with ``begin``, over the strongest pairs first (Prim 1957)."""
    reached = {begin}
    steps: list[tuple[int, int]] = []
    while True:
        open_pairs = [
            (strength, (a, b) if a in reached else (b, a))
            for (a, b), strength in pairs.items()
            if (a in reached) != (b in reached)
        ]
        if not open_pairs or len(reached) == count:
            return steps
        _, step = max(open_pairs)
        reached.add(step[1])
        steps.append(step)
