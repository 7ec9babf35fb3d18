"""Spots of dust: small round places darker (or lighter) than what lies around them, told from the picture's own drawing.

Differences of Gaussians at scales a third of an octave apart (Lowe, "Distinctive image features from scale-invariant keypoints",
IJCV 60, 2004; Lindeberg, "Feature detection with automatic scale selection", IJCV 30, 1998), each judged by how much the same
measure wavers around the place, which is the noise in an even sky and the drawing in a wall. Long things are left out by the
ratio of the two curvatures.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]

SIGMAS = (1.5, 1.89, 2.38)
FINEST = (0.75, 0.95, 1.19)
"""Of specks of two or three pixels, at full size only."""
WIDER = 1.6
ROUND_FROM = 0.25
"""Ratio of the curvatures from which a spot is round."""
LEAST_TIMES = 4.0
DARKEST, DARK = 0.12, 0.3
"""Share of the light that hardly ever gets through dust, and that which sometimes does."""
_OCTAVES = 5
_AROUND = 9.0


@dataclass(frozen=True)
class Spot:
    """Middle and radius in pixels, how many times it stands out of what wavers around it, and the chance 0..1 that it is one."""

    x: float
    y: float
    radius_px: float
    times: float
    chance: float


def spots(roots: Float32, light_too: bool = False, least_chance: float = 0.5, most: int = 2000) -> list[Spot]:
    """Spots of a picture (h, w) in roots of light or any even scale of lightness, the surest first."""
    found: list[Spot] = []
    plane, scale = np.ascontiguousarray(roots, np.float32), 1.0
    for _ in range(_OCTAVES):
        if min(plane.shape) < 24:
            break
        found += _of_octave(plane, scale, light_too)
        small = cv2.GaussianBlur(plane, (0, 0), 1.2)
        plane, scale = cv2.resize(small, (plane.shape[1] // 2, plane.shape[0] // 2), interpolation=cv2.INTER_AREA), scale * 2
    found.sort(key=lambda s: -s.times)
    return _apart([s for s in found if s.chance >= least_chance])[:most]


def shadow(linear: Float32, middle: tuple[float, float], radius_px: float, limits: Float32) -> float:
    """How much a dark spot is like the shadow of dust, 0..1: on linear planes (3, h, w) about it, ``middle`` its column and row
    there, ``limits`` (3,) where each plane is blown.

    Dust lets through the same share of every colour, seldom as little as a sixth; and beside it the sensor has to be able to tell
    anything at all: small shadows in blown light stand out of no noise.
    """
    _, h, w = linear.shape
    y, x = np.ogrid[:h, :w]
    away = np.hypot(y + 0.5 - middle[1], x + 0.5 - middle[0])
    core, ring = away < max(0.6 * radius_px, 1.0), (away > 1.5 * radius_px) & (away < 2.5 * radius_px + 1)
    if not core.any() or ring.sum() < 8:
        return 1.0
    inner, outer = linear[:, core], linear[:, ring]
    around = np.median(outer, axis=1)
    if (around >= 0.97 * limits).any():
        return 0.0
    ratios = np.log(np.maximum(np.median(inner, axis=1), 1e-5) / np.maximum(around, 1e-5))
    through, apart = float(np.exp(ratios.mean())), float(np.ptp(ratios))
    # what medians of so few pixels waver by
    waver = 1.4826 * np.median(np.abs(outer - around[:, None]), axis=1) / np.maximum(around, 1e-5)
    allowed = 0.1 + 0.4 * abs(float(ratios.mean())) + 3 * 1.25 * float(waver.max()) / np.sqrt(core.sum())
    dense = np.clip((through - DARKEST) / (DARK - DARKEST), 0, 1)
    return float(dense * np.clip(2 - apart / allowed, 0, 1))


def _of_octave(plane: Float32, scale: float, light_too: bool) -> list[Spot]:
    # one scale more on both sides, so that the best one is known to be the best
    scales = (*FINEST, *SIGMAS) if scale == 1 else SIGMAS
    sigmas = (scales[0] / 1.26, *scales, scales[-1] * 1.26)
    border = cv2.BORDER_REFLECT
    layers, wavers = [], []
    for sigma in sigmas:
        r = cv2.GaussianBlur(plane, (0, 0), sigma, borderType=border) - cv2.GaussianBlur(
            plane, (0, 0), WIDER * sigma, borderType=border
        )
        around = _AROUND * sigma
        # the mean of sizes, less sensitive to the spot itself than that of squares
        layers.append(r)
        wavers.append(cv2.blur(np.abs(r), (2 * int(around) + 1,) * 2, borderType=border))
    found = []
    for sign in (-1, 1) if light_too else (-1,):
        stack = np.stack([sign * r for r in layers])
        for level in range(1, len(sigmas) - 1):
            r, sigma = stack[level], sigmas[level]
            times = r / np.maximum(1.2533 * wavers[level], 1e-7)
            peak = (r >= cv2.dilate(r, np.ones((5, 5), np.uint8))) & (times > LEAST_TIMES)
            peak &= (r >= stack[level - 1]) & (r >= stack[level + 1])
            ys, xs = np.nonzero(peak)
            if not len(ys):
                continue
            roundness = _roundness(r, ys, xs)
            for y, x, one in zip(ys, xs, roundness, strict=True):
                t = float(times[y, x])
                chance = float(1 / (1 + np.exp(-(t - 6.0) / 0.9)) * np.clip((one - 0.1) / (ROUND_FROM - 0.1), 0, 1))
                radius = 1.55 * sigma * scale
                found.append(Spot((float(x) + 0.5) * scale, (float(y) + 0.5) * scale, radius, t, chance))
    return found


def _roundness(r: Float32, ys: NDArray[np.intp], xs: NDArray[np.intp]) -> NDArray[np.float64]:
    """Smaller over larger curvature at peaks of a response; 0 for ridges and saddles."""
    h, w = r.shape
    y, x = np.clip(ys, 2, h - 3), np.clip(xs, 2, w - 3)
    here = r[y, x].astype(np.float64)
    xx = r[y, x + 2] + r[y, x - 2] - 2 * here
    yy = r[y + 2, x] + r[y - 2, x] - 2 * here
    xy = (r[y + 2, x + 2] + r[y - 2, x - 2] - r[y - 2, x + 2] - r[y + 2, x - 2]) / 4
    mean, half = (xx + yy) / 2, np.sqrt(np.square((xx - yy) / 2) + np.square(xy))
    strong, weak = -(mean - half), -(mean + half)
    return np.clip(np.where(strong > 0, weak / np.maximum(strong, 1e-12), 0), 0, 1)


def _apart(found: list[Spot]) -> list[Spot]:
    """Of spots in one place the surest."""
    kept: list[Spot] = []
    cells: dict[tuple[int, int], list[Spot]] = {}
    for s in found:
        cy, cx = int(s.y // 64), int(s.x // 64)
        near = [o for j in (-1, 0, 1) for i in (-1, 0, 1) for o in cells.get((cy + j, cx + i), [])]
        if any(np.hypot(o.x - s.x, o.y - s.y) < max(o.radius_px, s.radius_px) * 1.3 for o in near):
            continue
        kept.append(s)
        cells.setdefault((cy, cx), []).append(s)
    return kept
