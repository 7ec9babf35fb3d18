"""Perspective as movements of a view camera, and homographies of four pulled corners.

Points are (n, 2) in pixels from the picture's middle, x to the right, y down; f is the focal length in pixels. A camera
that only turns changes its picture by K R K^-1 with K = diag(f, f, 1) (Hartley and Zisserman, "Multiple View Geometry",
2nd ed., 8.4.2). Here R = Rz(roll) Rx(tilt) Ry(swing).
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Float64 = NDArray[np.float64]


class FramingError(ValueError):
    """A framing that makes no sense; the message is a sentence for the user."""


@dataclass(frozen=True)
class Movements:
    """Turns in degrees. Positive tilt widens the top of the picture (uprights that lean together at the top become
    parallel), positive swing widens the right side, positive roll turns the picture clockwise. ``stretch`` is the binary
    logarithm of height against width."""

    roll_degrees: float = 0.0
    tilt_degrees: float = 0.0
    swing_degrees: float = 0.0
    stretch: float = 0.0

    @property
    def neutral(self) -> bool:
        """Whether they change nothing."""
        return not (self.roll_degrees or self.tilt_degrees or self.swing_degrees or self.stretch)


def rotation(roll_degrees: float, tilt_degrees: float, swing_degrees: float) -> Float64:
    """(3, 3) R = Rz(roll) Rx(tilt) Ry(swing) on directions (x right, y down, z ahead)."""
    r, t, s = (math.radians(v) for v in (roll_degrees, tilt_degrees, swing_degrees))
    about_z = np.array([[math.cos(r), -math.sin(r), 0], [math.sin(r), math.cos(r), 0], [0, 0, 1]])
    about_x = np.array([[1, 0, 0], [0, math.cos(t), -math.sin(t)], [0, math.sin(t), math.cos(t)]])
    about_y = np.array([[math.cos(s), 0, math.sin(s)], [0, 1, 0], [-math.sin(s), 0, math.cos(s)]])
    return np.asarray(about_z @ about_x @ about_y)


def angles_of(matrix: Float64) -> tuple[float, float, float]:
    """(roll, tilt, swing) in degrees of a rotation made by :func:`rotation`."""
    # the last row of Rz Rx Ry is (-cos t sin s, sin t, cos t cos s), the middle column (-sin r cos t, cos r cos t, sin t)
    tilt = math.asin(float(np.clip(matrix[2, 1], -1, 1)))
    swing = math.atan2(-matrix[2, 0], matrix[2, 2])
    roll = math.atan2(-matrix[0, 1], matrix[1, 1])
    return math.degrees(roll), math.degrees(tilt), math.degrees(swing)


def apply(matrix: Float64, points: Float64) -> Float64:
    """(n, 2) points through a homography; those behind the camera become NaN."""
    p = np.asarray(points, np.float64)
    x, y, w = matrix @ np.stack([p[:, 0], p[:, 1], np.ones(len(p))])
    w = np.where(w > 1e-9, w, np.nan)
    return np.stack([x / w, y / w], 1)


def centred(matrix: Float64) -> Float64:
    """The same homography, moved and scaled so that the middle stays where it is and keeps its area; w = 1 there."""
    if abs(matrix[2, 2]) < 1e-6:
        raise FramingError("These movements turn the middle of the picture out of sight.")
    m = matrix / matrix[2, 2]
    middle = m[:2, 2]
    move = np.array([[1, 0, -middle[0]], [0, 1, -middle[1]], [0, 0, 1]])
    m = move @ m
    area = m[0, 0] * m[1, 1] - m[0, 1] * m[1, 0]
    if not area > 1e-6:
        raise FramingError("These movements show the picture from behind.")
    return np.asarray(np.diag([area**-0.5, area**-0.5, 1]) @ m)


def of_movements(movements: Movements, focal_px: float) -> Float64:
    """(3, 3) undistorted picture -> corrected plane; the middle stays in place and keeps its scale.

    Raises :class:`FramingError` when the movements turn the picture away.
    """
    k = np.diag([focal_px, focal_px, 1.0])
    turned = centred(k @ rotation(0.0, movements.tilt_degrees, movements.swing_degrees) @ np.linalg.inv(k))
    r = math.radians(movements.roll_degrees)
    roll = np.array([[math.cos(r), -math.sin(r), 0], [math.sin(r), math.cos(r), 0], [0, 0, 1]])
    half = 2.0 ** (movements.stretch / 2)
    return np.asarray(np.diag([1 / half, half, 1]) @ roll @ turned)


def of_four_points(source: Float64, target: Float64) -> Float64:
    """(3, 3) homography that takes four points (4, 2) to four others, last element 1.

    Raises :class:`FramingError` when a quadrilateral is crossed, folded or has three corners in a line.
    """
    _check_quadrilateral(np.asarray(target, np.float64))
    here, there = np.asarray(source, np.float64).T, np.asarray(target, np.float64).T
    try:
        h = np.linalg.solve(*_equations(here[:1], here[1:], there[:1], there[1:]))
    except np.linalg.LinAlgError:
        raise FramingError("These four corners make no quadrilateral.") from None
    return np.append(h, 1.0).reshape(3, 3)


def _equations(x: Float64, y: Float64, there_x: Float64, there_y: Float64) -> tuple[Float64, Float64]:
    """(n, 8, 8) and (n, 8, 1): for eight numbers of the homographies that take four places each (n, 4) to four others."""
    rows = np.zeros((len(x), 8, 8))
    rows[:, :4, 0], rows[:, :4, 1], rows[:, :4, 2] = x, y, 1
    rows[:, 4:, 3], rows[:, 4:, 4], rows[:, 4:, 5] = x, y, 1
    rows[:, :4, 6], rows[:, :4, 7] = -there_x * x, -there_x * y
    rows[:, 4:, 6], rows[:, 4:, 7] = -there_y * x, -there_y * y
    return rows, np.concatenate([there_x, there_y], 1)[..., None]


def through_four(x: Float64, y: Float64, there_x: Float64, there_y: Float64) -> Float64:
    """The homographies (n, 3, 3) that take four places each (n, 4) to four others, the nearest ones where there is none.
    Numbers are to be small, of places about their middle."""
    rows, right = _equations(x, y, there_x, there_y)
    try:
        found = np.linalg.solve(rows, right)
    except np.linalg.LinAlgError:
        found = np.stack([np.linalg.lstsq(a, b, rcond=None)[0] for a, b in zip(rows, right, strict=True)])
    return np.concatenate([found[..., 0], np.ones((len(x), 1))], 1).reshape(-1, 3, 3)


def _check_quadrilateral(corners: Float64) -> None:
    if not np.isfinite(corners).all():
        raise FramingError("These four corners make no quadrilateral.")
    sides = np.roll(corners, -1, 0) - corners
    turns = sides[:, 0] * np.roll(sides[:, 1], -1) - sides[:, 1] * np.roll(sides[:, 0], -1)
    x, y = corners.T
    area = float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2
    size = float(np.hypot(*sides.T).max())
    if size < 1e-9 or ((turns <= 0).any() and (turns >= 0).any() and not (np.abs(turns) < 1e-3 * size * size).any()):
        raise FramingError("The corners are crossed. Pull them apart so that their sides do not cut each other.")
    if (np.abs(turns) < 1e-3 * size * size).any():
        raise FramingError("Three of the corners lie in one line. Pull them apart.")
    if area < 0:
        raise FramingError("The corners show the picture from behind. Use mirror for that.")
