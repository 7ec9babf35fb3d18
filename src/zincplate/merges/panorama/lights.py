"""What places that frames share say about their light and their sharpness."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.evenness import Lights
from zincplate.core.merging.sharpness import Seen, as_sharp
from zincplate.core.merging.turning_camera import Shared
from zincplate.merges.in_turn import all_of
from zincplate.merges.panorama.places import Sight, full_places, reduced_places
from zincplate.merges.view import Opened, View

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

EVERY_PX = 10
"""Reduced pixels between places."""
FEWEST = 12
ABOVE_NOISE = 8.0
BLUR_PX = 3.0


def camera_light(frame: Opened, view: View) -> Float32:
    """(3, h, w) reduced camera values: those of one camera are comparable whatever balance each frame had."""
    return view.planes * np.asarray(frame.source.as_shot_neutral, np.float32)[:, None, None]


class Grid:
    """Places of one reduced frame."""

    def __init__(self, frame: Opened, view: View, sight: Sight) -> None:
        h, w = view.size
        self.x, self.y = (
            v.ravel() for v in np.meshgrid(np.arange(EVERY_PX // 2, w, EVERY_PX), np.arange(EVERY_PX // 2, h, EVERY_PX))
        )
        self.places = full_places(view, np.stack([self.x, self.y], 1).astype(np.float64), frame)
        self.rays = sight.rays(self.places)
        planes = camera_light(frame, view)
        # means of what is believed only: a clipped lamp beside says nothing
        believed = cv2.erode(view.shown.astype(np.float32), np.ones((3, 3), np.uint8))
        share = cv2.GaussianBlur(believed, (0, 0), BLUR_PX)
        soft = np.stack([cv2.GaussianBlur(p * believed, (0, 0), BLUR_PX) for p in planes]) / np.maximum(share, 1e-3)
        enough = soft[1] / np.float32(frame.source.as_shot_neutral[1]) > ABOVE_NOISE * np.sqrt(view.variance)
        self.good = view.calm & (share > 0.9) & enough & (soft.min(0) > 1e-5)
        self.light = soft[:, self.y, self.x].T.astype(np.float64)
        # of forty frames: what is as soft as that is not less when it is half as large
        half = max(w // 2, 1), max(h // 2, 1)
        self._soft = np.stack([cv2.resize(p, half, interpolation=cv2.INTER_AREA) for p in soft])
        self._shrunk = np.array([half[0] / w, half[1] / h])
        self.sight, self.frame, self.view = sight, frame, view

    def at(self, rays: Float64) -> tuple[Float64, Float64, Mask]:
        """Light (n, 3) and radius (n,) in halves of the diagonal where directions fall, and whether that is to be believed."""
        file = self.sight.places(rays)
        reduced = reduced_places(self.view, file, self.frame)
        x, y = np.ascontiguousarray(reduced.astype(np.float32).T)[:, None]
        sx, sy = np.ascontiguousarray(((reduced + 0.5) * self._shrunk - 0.5).astype(np.float32).T)[:, None]
        light = np.stack([cv2.remap(p, sx, sy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).ravel() for p in self._soft], 1)
        good = cv2.remap(self.good.astype(np.float32), x, y, cv2.INTER_LINEAR, borderValue=0).ravel() > 0.99
        return light.astype(np.float64), np.hypot(*file.T) / self.sight.camera.half_diagonal_px, good


def grids_of(
    frames: Sequence[Opened], views: Sequence[View], members: Sequence[int], sights: Sequence[Sight]
) -> list[Grid]:  # fmt: skip
    """Places of every member."""
    return all_of(lambda at: Grid(frames[at[1]], views[at[1]], sights[at[0]]), enumerate(members))


def lights_of(grids: Sequence[Grid], shared: Sequence[Shared]) -> list[Lights]:
    """Light of the same places in every two frames that share some, what a profile knows of the fall-off taken out."""
    out = []
    for s in shared:
        a, b = grids[s.first], grids[s.second]
        mine = a.good[a.y, a.x]
        light_2, rho_2, theirs = b.at(a.rays)
        both = mine & theirs
        if both.sum() < FEWEST:
            continue
        light_1 = a.light
        rho_1 = np.hypot(*a.places.T) / a.sight.camera.half_diagonal_px
        gain_1, gain_2 = (g.sight.radial.gain_at(_undistorted_radius(g, r)) for g, r in ((a, rho_1), (b, rho_2)))
        out.append(
            Lights(
                s.first, s.second,
                np.log(np.maximum(light_1[both] * gain_1[both, None], 1e-9)),
                np.log(np.maximum(light_2[both] * gain_2[both, None], 1e-9)),
                rho_1[both], rho_2[both],
            )
        )  # fmt: skip
    return out


def _undistorted_radius(grid: Grid, rho: Float64) -> Float64:
    return grid.sight.radial.undistorted(rho * grid.sight.camera.half_diagonal_px)


def sharpness_of(grids: Sequence[Grid], shared: Sequence[Shared]) -> Float64:
    """(members,) sharpness against the sharpest, 1 for it: how much detail each shows where another shows the same."""
    rows, right = [], []

    def compared(s: Shared) -> float:
        both = []
        for a, b in ((s.first, s.second), (s.second, s.first)):
            here, there = grids[a], grids[b]
            _, _, good = there.at(here.rays)
            gx, gy = np.unique(here.x), np.unique(here.y)
            seen = cv2.resize(
                good.reshape(len(gy), len(gx)).astype(np.uint8), here.view.size[::-1], interpolation=cv2.INTER_NEAREST
            )
            # of logarithms: else the brightest things alone would tell, larger where they lie near the edge of a wide frame
            light = np.maximum(here.view.green, ABOVE_NOISE * np.sqrt(np.maximum(here.view.variance, 1e-12)))
            clear = (seen > 0) & here.view.shown & (here.view.green >= light)
            both.append(Seen(np.log(light), here.view.variance / light**2, clear, here.view.noise_known_to))
        return as_sharp(both[0], both[1], 0)

    for s, ratio in zip(shared, all_of(compared, shared), strict=True):
        if np.isfinite(ratio) and ratio > 0:
            row = np.zeros(len(grids))
            row[s.first], row[s.second] = 1, -1
            rows.append(row)
            right.append(np.log(ratio))
    if not rows:
        return np.ones(len(grids))
    # several neighbours say something about each: what fits best, and none far from the others without a reason
    square = np.array(rows).T @ np.array(rows) + 1e-3 * np.eye(len(grids))
    found = np.linalg.solve(square, np.array(rows).T @ np.array(right))
    return np.asarray(np.exp(found - found.max()))
