"""The paper of a panorama: how the view is turned, projected, bent and cut, and where each of its pixels lies in each frame."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.projections import HIGHEST, WIDEST, Kind, fitting, to_plane, to_rays
from zincplate.core.merging.rectangling import Bend
from zincplate.core.merging.turning_camera import TurningCamera, rotation
from zincplate.merges.errors import MergeError
from zincplate.merges.panorama.judge import PanoramaJudgement
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.panorama.places import Sight
from zincplate.merges.view import Opened

Float64 = NDArray[np.float64]

LATTICE = 33
LEVEL_FROM = 0.03
"""Spread of the frames' own horizontals (sine squared) from which on they say where the horizon is."""
UPRIGHT_TO_DEGREES = 25.0
"""A flat picture of a view that looks up or down by less keeps uprights upright; beyond it looks where the frames did."""
LARGEST_SIDE = 60_000
LONG_EDGE_PX = 2000
"""Of the reduced canvas, at most."""
BANDS = 32
"""Pixels of the reduced canvas that are one in its coarsest band."""
BESIDE = 1 / 16
"""Of a whole turn: so far the canvas goes on beyond it at each end, for seams and bands to know what comes there."""


@dataclass(frozen=True)
class Canvas:
    """Pixels of the result. ``turn`` takes the view's directions (x right, y down, z ahead) to the world's; a pixel's middle
    (x + 0.5, y + 0.5) lies at ``left + x + 0.5``, ``top + y + 0.5`` in the projection, in pixels of ``focal_px``."""

    kind: Kind
    focal_px: float
    turn: Float64
    left: float
    top: float
    width: int
    height: int
    bend: Bend | None = None
    across_degrees: float = 0.0
    up_degrees: float = 0.0
    ends: int = 0
    """Columns beyond a whole turn, at each end: the same places again."""

    def rays(self, x: Float64, y: Float64) -> Float64:
        """Places of the canvas (pixels, corners of the first at 0; any shape) -> (..., 3) directions in the world."""
        if self.bend is not None:
            x, y = self.bend.at(x, y)
        return np.asarray(to_rays(self.kind, (x + self.left) / self.focal_px, (y + self.top) / self.focal_px) @ self.turn.T)

    def flat_places(self, sight: Sight, x: Float64, y: Float64) -> tuple[Float64, Float64]:
        """Places of the canvas in a frame without distortion, from its middle; 1e7 behind the camera."""
        rays = self.rays(x, y)
        flat = sight.flat(rays.reshape(-1, 3)).reshape((*rays.shape[:-1], 2))
        return flat[..., 0], flat[..., 1]

    def cut(self, x: int, y: int, width: int, height: int) -> "Canvas":
        """A part of it."""
        bend = None if self.bend is None else self.bend.moved(x, y)
        if bend is not None:
            return replace(self, width=width, height=height, bend=bend)
        return replace(self, left=self.left + x, top=self.top + y, width=width, height=height)

    def box_of(self, frame: Opened, sight: Sight) -> tuple[int, int, int, int]:
        """x0, y0, x1, y1 of the pixels that a frame may lie in (without the bend: for the canvas before it)."""
        camera = sight.camera
        plane = _plane_of(self.kind, self.turn, frame, camera) * self.focal_px - (self.left, self.top)
        plane = plane[np.isfinite(plane).all(1)]
        if not len(plane):
            return 0, 0, 0, 0
        (x0, y0), (x1, y1) = plane.min(0), plane.max(0)
        turn_px = 2 * math.pi * self.focal_px
        again = self.ends > 0 and (x1 - turn_px > 0 or x0 + turn_px < self.width)
        if self.kind in ("sphere", "cylinder") and (again or x1 - x0 > turn_px / 2):
            x0, x1 = 0, self.width  # it lies across the ends of a whole turn
        if self.kind == "sphere" and _sees_pole(self.turn, camera):
            x0, x1, y0, y1 = 0, self.width, 0 if y0 < self.height / 2 else y0, self.height if y1 > self.height / 2 else y1
        edge = 2 if sight.field is None else 2 + math.ceil(2 * sight.field.most_px * self.focal_px / camera.focal_px)
        return (
            max(int(x0) - edge, 0), max(int(y0) - edge, 0),
            min(int(x1) + edge + 1, self.width), min(int(y1) + edge + 1, self.height),
        )  # fmt: skip


def _outline(frame: Opened) -> Float64:
    """A lattice over a frame, from its middle, its edge included."""
    w, h = frame.source.width - 1, frame.source.height - 1
    xx, yy = np.meshgrid(np.linspace(-w / 2, w / 2, LATTICE), np.linspace(-h / 2, h / 2, LATTICE))
    return np.stack([xx.ravel(), yy.ravel()], 1)


def _plane_of(kind: Kind, turn: Float64, frame: Opened, camera: TurningCamera) -> Float64:
    return to_plane(kind, camera.rays(_outline(frame)) @ turn)


def _sees_pole(turn: Float64, camera: TurningCamera) -> bool:
    poles = np.array([[0, 1.0, 0], [0, -1.0, 0]]) @ turn.T
    places = camera.places(poles)
    return bool((np.hypot(*places.T) < camera.half_diagonal_px).any())


def step_of(width: int, height: int) -> int:
    """Pixels of a canvas that become one of its reduced picture."""
    step = 2
    while max(width, height) / step > LONG_EDGE_PX:
        step *= 2
    return step


def around(canvas: Canvas) -> Canvas:
    """A canvas of a whole turn whose columns are whole pixels of every band, a little larger for that, and that goes on at both
    ends."""
    step = step_of(int(2 * math.pi * canvas.focal_px * (1 + 2.5 * BESIDE)), canvas.height)
    unit = BANDS * step
    turn_px = math.ceil(2 * math.pi * canvas.focal_px / unit) * unit
    ends = math.ceil(turn_px * BESIDE / unit) * unit
    focal = turn_px / (2 * math.pi)
    larger = focal / canvas.focal_px
    return replace(
        canvas, focal_px=focal, left=-turn_px / 2 - ends, top=canvas.top * larger, width=turn_px + 2 * ends,
        height=math.ceil(canvas.height * larger), ends=ends,
    )  # fmt: skip


def canvas_of(frames: Sequence[Opened], judged: PanoramaJudgement, options: PanoramaOptions) -> Canvas:
    """The whole paper, before anything is cut; raises :class:`MergeError` when the projection cannot show the view."""
    cameras = judged.cameras
    members = [frames[i] for i in judged.members]
    level, pitch = _levelled(cameras)
    rays = np.concatenate([c.rays(_outline(f)) for f, c in zip(members, cameras, strict=True)]) @ level
    across = np.arctan2(rays[:, 0], rays[:, 2])
    begin, extent = _arc(across)
    middle = begin + extent / 2
    up = np.arcsin(np.clip(rays[:, 1] / np.linalg.norm(rays, axis=1), -1, 1))
    high = float(np.degrees(np.ptp(up)))
    wide = math.degrees(extent)
    turn = level @ rotation(np.array([0, middle + math.radians(options.yaw_degrees), 0.0]))
    kind: Kind = fitting(wide, high) if options.projection == "auto" else options.projection
    tilted = abs(pitch) > math.radians(UPRIGHT_TO_DEGREES)
    look = (pitch if kind in ("flat", "straightened") and tilted else 0.0) + math.radians(options.pitch_degrees)
    turn = turn @ rotation(np.array([look, 0, 0])) @ rotation(np.array([0, 0, -math.radians(options.roll_degrees)]))
    focal = float(np.median([c.focal_px for c in cameras]))
    planes = [_plane_of(kind, turn, f, c) for f, c in zip(members, cameras, strict=True)]
    shown = np.concatenate(planes)
    if not np.isfinite(shown).all(1).any():
        raise MergeError(f"Nothing of this view can be shown {_WORDS[kind]}.")
    if (wide > WIDEST[kind] or high > HIGHEST[kind]) and kind in ("flat", "straightened"):
        raise MergeError(
            f"This view is {wide:.0f} degrees wide and {high:.0f} high; {_WORDS[kind]} at most {WIDEST[kind]:.0f} and "
            f"{HIGHEST[kind]:.0f} can be shown."
        )
    seen = shown[np.isfinite(shown).all(1)]
    (x0, y0), (x1, y1) = seen.min(0) * focal, seen.max(0) * focal
    if kind in ("sphere", "cylinder") and wide > 359:
        x0, x1 = -math.pi * focal, math.pi * focal
    if kind == "sphere" and any(_sees_pole(turn, c) for c in cameras):
        y0, y1 = (-math.pi / 2 * focal if y0 < 0 and _pole_seen(turn, cameras, -1) else y0), y1
        y1 = math.pi / 2 * focal if _pole_seen(turn, cameras, 1) else y1
    width, height = math.ceil(x1 - x0), math.ceil(y1 - y0)
    if max(width, height) > LARGEST_SIDE:
        raise MergeError(f"{_WORDS[kind].capitalize()} this view would have more than 60,000 pixels along a side.")
    return Canvas(kind, focal, turn, float(x0), float(y0), width, height, None, wide, high)


_WORDS = {"flat": "laid out flat", "straightened": "straightened", "cylinder": "on a cylinder", "sphere": "on a sphere"}


def _pole_seen(turn: Float64, cameras: Sequence[TurningCamera], sign: int) -> bool:
    pole = np.array([[0, float(sign), 0]]) @ turn.T
    return any(bool((np.hypot(*c.places(pole).T) < c.half_diagonal_px).any()) for c in cameras)


def _levelled(cameras: Sequence[TurningCamera]) -> tuple[Float64, float]:
    """A turn whose y axis is down, by what the frames' own horizontals have in common (Brown & Lowe 2007, section 5), and how far
    they look up or down on average (radians, up is positive)."""
    right, down, ahead = (np.stack([c.turn[:, k] for c in cameras]) for k in range(3))
    mean_down = down.mean(0)
    values, axes = np.linalg.eigh(right.T @ right / len(right))
    # the direction in which no horizontal goes; frames of one direction, or one above the other, do not tell it
    axis = axes[:, 0] if values[1] - values[0] > LEVEL_FROM else mean_down / np.linalg.norm(mean_down)
    axis = axis * np.sign(axis @ mean_down)
    if abs(axis @ mean_down) < 0.5:
        axis = mean_down / np.linalg.norm(mean_down)
    look = ahead.mean(0)
    level = look - (look @ axis) * axis
    if np.linalg.norm(level) < 0.05:  # straight up or down
        level = right.mean(0) - (right.mean(0) @ axis) * axis
    z = level / np.linalg.norm(level)
    x = np.cross(axis, z)
    pitch = math.asin(float(np.clip(-(look @ axis) / max(float(np.linalg.norm(look)), 1e-9), -1, 1)))
    return np.stack([x, axis, z], 1), pitch


def _arc(across: Float64) -> tuple[float, float]:
    """Where the covered arc begins, and how far it goes (radians): what is left when the largest gap is taken out."""
    bins = np.zeros(720, bool)
    bins[((across + np.pi) / (2 * np.pi) * 720).astype(int) % 720] = True
    # the lattice of a frame is finer than a bin only up to wide lenses: what lies between its points is covered too
    filled = np.flatnonzero(bins)
    gaps = np.diff(np.concatenate([filled, [filled[0] + 720]]))
    at = int(gaps.argmax())
    if gaps[at] <= 20:
        return -np.pi, 2 * np.pi
    begin = filled[(at + 1) % len(filled)]
    turned = (across + np.pi - begin * 2 * np.pi / 720 + 1e-9) % (2 * np.pi)
    turned = np.where(turned > 2 * np.pi - 0.05, 0, turned)
    return float(begin * 2 * np.pi / 720 - np.pi), float(turned.max())
