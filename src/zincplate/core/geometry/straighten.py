"""From lines that are level, plumb or straight in the world to the movements that make them so in the picture.

Points are (n, 2) in pixels from the middle of the undistorted picture, f the focal length in pixels. A line of the picture
and the camera's eye span a plane with normal n = a x b; after a turn R the line stands upright when (R n) has no y part and
lies level when it has no x part (Hartley and Zisserman, "Multiple View Geometry", 2nd ed., 8.6).
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from zincplate.core.geometry.projective import FramingError, rotation

Float64 = NDArray[np.float64]
Along = Literal["level", "plumb"]

MOST_ROLL, MOST_TILT = 45.0, 40.0
SHORTEST = 0.02
"""Of the picture's long edge: a shorter line has no reliable direction."""
LEAST_APART = 0.01
"""Radians between the planes of two lines of a kind; nearer ones are the same line twice."""


@dataclass(frozen=True)
class Turns:
    """Degrees, and the largest angle by which a line is still off."""

    roll: float
    tilt: float
    swing: float
    left_degrees: float


def normals(lines: Float64, focal_px: float) -> Float64:
    """(n, 2, 2) ends of lines -> (n, 3) unit normals of their planes."""
    rays = np.concatenate([lines / focal_px, np.ones((*lines.shape[:2], 1))], 2)
    n = np.cross(rays[:, 0], rays[:, 1])
    return np.asarray(n / np.linalg.norm(n, axis=1, keepdims=True))


def turns_of_lines(lines: Float64, along: tuple[Along, ...], focal_px: float, long_edge_px: float) -> Turns:
    """The smallest turns that make one to four drawn lines level or plumb.

    One line asks for roll; lines of one kind for roll and tilt (plumb) or swing (level); both kinds for all three.
    Raises :class:`FramingError` for lines from which nothing sensible follows.
    """
    lines = np.asarray(lines, np.float64)
    if not 1 <= len(lines) <= 4 or len(lines) != len(along):
        raise FramingError("Draw one to four lines.")
    if not np.isfinite(lines).all():
        raise FramingError("A line leaves the picture. Draw it again.")
    lengths = np.hypot(*(lines[:, 1] - lines[:, 0]).T)
    if lengths.min() < SHORTEST * long_edge_px:
        raise FramingError("A line is too short to have a direction. Draw it longer.")
    n = normals(lines, focal_px)
    upright = np.array([kind == "plumb" for kind in along])
    for kind in (True, False):
        same = n[upright == kind]
        for i in range(len(same)):
            for other in same[i + 1 :]:
                if np.linalg.norm(np.cross(same[i], other)) < LEAST_APART:
                    raise FramingError("Two of the lines lie on top of each other. Draw the second further away.")
    free = _free(int(upright.sum()), int((~upright).sum()))
    weight = np.sqrt(lengths / lengths.max())

    def off(turns: Float64) -> Float64:
        angles = np.zeros(3)
        angles[free] = turns
        turned = (rotation(*angles) @ n.T).T
        # the line's angle in the picture, not the plane's in space: both parts count
        other = np.where(upright, turned[:, 0], turned[:, 1])
        part = np.where(upright, turned[:, 1], turned[:, 0])
        return np.degrees(np.arctan2(part, np.abs(other))) * weight

    # with fewer lines than turns the smallest turns are wanted: a weak pull to zero, taken out at the end
    pull = 1e-3 if len(lines) < len(free) else 0.0
    found = least_squares(lambda t: np.append(off(t), pull * t), np.zeros(len(free)), xtol=1e-12, ftol=1e-12, gtol=1e-12)
    angles = np.zeros(3)
    angles[free] = found.x
    left = float(np.abs(off(found.x) / weight).max())
    roll, tilt, swing = (float(a) for a in angles)
    if abs(roll) > MOST_ROLL or max(abs(tilt), abs(swing)) > MOST_TILT or not np.isfinite(angles).all():
        raise FramingError(
            "These lines ask for a turn beyond what the movements can do. Check which of them are level and plumb."
        )
    if left > 5:
        raise FramingError(f"No movement makes all of these lines true: {left:.0f} degrees would be left. Move or remove one.")
    return Turns(roll, tilt, swing, left)


def _free(upright: int, level: int) -> list[int]:
    """Which of roll, tilt and swing follow from how many lines."""
    if upright + level == 1:
        return [0]
    if level == 0:
        return [0, 1]
    if upright == 0:
        return [0, 2]
    return [0, 1, 2]


def bend_of_lines(lines: tuple[Float64, ...], half_diagonal_px: float) -> tuple[float, float]:
    """Brown and Conrady's k1 and k2 (rho in halves of the diagonal) that make bent lines of three points and more straight.

    ``lines`` are in pixels of the file from its middle. k2 is only asked for when five points or two lines carry it.
    Minimises the points' distances from straight lines after correction (plumb-line method, Brown 1971). Raises
    :class:`FramingError` when the points say nothing about bending.
    """
    if not lines or any(len(line) < 3 for line in lines):
        raise FramingError("A bent line needs three points or more along the edge.")
    scaled = [np.asarray(line, np.float64) / half_diagonal_px for line in lines]
    if not all(np.isfinite(line).all() for line in scaled):
        raise FramingError("A bent line leaves the picture. Draw it again.")
    for line in scaled:
        ends = line[-1] - line[0]
        if np.hypot(*ends) < 0.15:
            raise FramingError("A bent line is too short to show a bend. Draw it along a longer edge.")
        normal = np.array([-ends[1], ends[0]]) / np.hypot(*ends)
        if abs(line.mean(0) @ normal) < 0.08:
            raise FramingError(
                "A line through the middle of the picture stays straight in any lens. Draw along an edge further out."
            )

    def residuals(k: Float64) -> Float64:
        out = []
        for line in scaled:
            straight = line * _undistort_scale(np.hypot(*line.T), k)[:, None]
            centred = straight - straight.mean(0)
            _, _, axes = np.linalg.svd(centred, full_matrices=False)
            out.append(centred @ axes[1] * half_diagonal_px)
        return np.concatenate(out)

    unknowns = 2 if len(scaled) > 1 and sum(len(line) for line in scaled) >= 8 else 1
    found = least_squares(residuals, np.zeros(unknowns), bounds=(-0.2, 0.2), xtol=1e-12, ftol=1e-12)
    k1 = float(found.x[0])
    k2 = float(found.x[1]) if unknowns == 2 else 0.0
    left = float(np.abs(residuals(found.x)).max())
    if max(abs(k1), abs(k2)) > 0.199 or left > 0.004 * half_diagonal_px:
        raise FramingError("No lens bends a straight edge like this. Place the points on one edge that is straight in the world.")
    return k1, k2


def _undistort_scale(rho_distorted: Float64, k: Float64) -> Float64:
    """r_u / r_d for r_d = r_u (1 + k1 r_u^2 + k2 r_u^4), by Newton's method."""
    k1, k2 = float(k[0]), float(k[1]) if len(k) > 1 else 0.0
    r = rho_distorted.copy()
    for _ in range(12):
        value = r * (1 + k1 * r**2 + k2 * r**4) - rho_distorted
        slope = np.maximum(1 + 3 * k1 * r**2 + 5 * k2 * r**4, 0.2)
        r = r - value / slope
    return np.asarray(np.where(rho_distorted > 1e-9, r / np.maximum(rho_distorted, 1e-9), 1.0))
