"""The truth behind a frame of the card, for tests of colour, alignment, merging, noise, lens and repair.

``of(number)`` gives the frame's scene, pose, depth, lens, and what the camera would have recorded without noise, and without
whatever disturbed the picture.
"""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zincplate.demo import optics
from zincplate.demo.camera import Exposure, Settings, focal_px, project, signal_per_radiance
from zincplate.demo.frames import FRAMES, Frame
from zincplate.demo.lens import LensState
from zincplate.demo.night import on_sensor, sky_turn
from zincplate.demo.scenes import Scene
from zincplate.demo.sensor import CameraModel

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]


def _pitch_degrees(origin: tuple[float, float, float], target: tuple[float, float, float]) -> float:
    x, y, z = (b - a for a, b in zip(origin, target, strict=True))
    return float(np.degrees(np.arctan2(z, np.hypot(x, y))))


SCENE_POSES = {
    "works_front": (_pitch_degrees((-7.6, -12.2, 1.6), (0.4, 0, 5.75)), 2.2),
    "kiln_hall": (_pitch_degrees((1.0, 0.9, 1.6), (-0.35, 16, 2.35)), 0.4),
    "loading_door": (_pitch_degrees((2.0, 21.6, 1.55), (2.15, 30, 1.72)), -0.7),
    "yard_dusk": (_pitch_degrees((5.4, -12.4, 1.30), (0.2, -1.0, 2.35)), -0.8),
}
"""Upward pitch and clockwise lean in degrees of the cameras that the scenes were rendered with (tools/scenes)."""


@dataclass(frozen=True)
class Truth:
    """What is known about one frame. Pictures are (3, h, w) linear Rec.709 on the sensor, 1 = converter full."""

    frame: Frame

    @property
    def scene(self) -> Scene:
        """The scene of known radiance."""
        return self.frame.seen()

    @property
    def focal_px(self) -> float:
        """Focal length in pixels, focus breathing included."""
        return focal_px(self.frame.camera, self.frame.lens_state, self.frame.settings)

    @property
    def turn(self) -> Float64:
        """(3, 3) rotation from camera to scene."""
        return self.frame.settings.turn

    @property
    def down(self) -> Float64:
        """(3,) direction of gravity in the camera's axes (x right, y down, z ahead).

        Raises ``KeyError`` for scenes whose camera stood in no particular way.
        """
        pitch_degrees, roll_degrees = SCENE_POSES[self.frame.scene]
        p, r = np.radians(pitch_degrees), np.radians(roll_degrees)
        return np.asarray(self.turn.T @ np.array([np.sin(r) * np.cos(p), np.cos(r) * np.cos(p), -np.sin(p)]))

    @cached_property
    def exposure(self) -> Exposure:
        """The frame, taken once more: mosaic and noiseless signal."""
        return self.frame.expose()

    @property
    def recorded(self) -> Float32:
        """Noiseless signal, with everything that happened."""
        return self.exposure.signal_rec709

    def _drawn(self, settings: Settings, lens_faults: bool = True) -> Float32:
        frame = self.frame
        lens = (
            frame.lens_state
            if lens_faults
            else replace(frame.lens_state, distortion_k1=0.0, red_scale=1.0, blue_scale=1.0, fall_off=(0.0, 0.0, 0.0))
        )
        camera = replace(frame.camera, dust_spots=0)
        return project(self.scene, camera, lens, settings) * np.float32(signal_per_radiance(self.scene, settings))

    def undisturbed(self) -> Float32:
        """Without passer-by, camera shake, dust, or blur of depth."""
        return self._drawn(replace(self.frame.settings, visitor="", shake_px=(), focus_distance_m=None))

    def corrected(self) -> Float32:
        """Undisturbed and through a lens without distortion, lateral colour or fall-off."""
        return self._drawn(replace(self.frame.settings, visitor="", shake_px=(), focus_distance_m=None), lens_faults=False)

    def depth_m(self) -> Float32:
        """(h, w) distance along the ray; 0 is sky. Raises ``ValueError`` when the scene has none."""
        scene, camera = self.scene, self.frame.camera
        if scene.depth_m is None:
            raise ValueError(f"the scene {scene.name} has no depth")
        return optics.draw(
            scene.depth_m[None], camera.width, camera.height, self.frame.lens_state, self.focal_px, self.turn, scene.focal,
            scene.centre, scene.cylinder, True,
        )[0]  # fmt: skip

    def blur_circle_px(self) -> Float32:
        """(h, w) diameter of the circle of confusion."""
        frame, focus = self.frame, self.frame.settings.focus_distance_m
        depth = self.depth_m()
        if focus is None:
            return np.zeros_like(depth)
        return optics.blur_circle_px(depth, focus, frame.focal_length_mm, frame.settings.f_number, frame.camera.pixel_pitch_um)

    def shake_kernel(self) -> Float32:
        """Point spread of the camera's movement; a single 1 when it stood still."""
        path = self.frame.settings.shake_px
        return optics.shake_kernel(path) if path else np.ones((1, 1), np.float32)

    def sensor_of(self, directions: Float64) -> Float64:
        """(n, 3) directions in the scene's axes -> (n, 2) positions on the sensor, distortion included."""
        return on_sensor(directions, self.frame.camera, self.frame.lens_state, self.focal_px, self.turn)

    def scene_of(self, points: Float64) -> Float64:
        """(n, 2) positions on the sensor -> (n, 2) picture elements of the scene, as green light goes."""
        frame = self.frame
        return scene_places(points, self.scene, frame.camera, frame.lens_state, self.focal_px, self.turn)

    def star_of(self, directions: Float64, share: float = 0.5) -> Float64:
        """(n, 3) directions at moment 0 -> (n, 2) sensor positions at a share of this exposure."""
        settings = self.frame.settings
        at = settings.moment_s + share * settings.exposure_time_s
        return self.sensor_of((sky_turn(at) @ directions.T).T)

    def homography_to(self, other: "Truth") -> Float64:
        """(3, 3) from this frame's undistorted pixels to the other's, for a camera that only turned."""

        def intrinsic(truth: Truth) -> Float64:
            f, camera = truth.focal_px, truth.frame.camera
            return np.array([[f, 0, (camera.width - 1) / 2], [0, f, (camera.height - 1) / 2], [0, 0, 1]])

        matrix = intrinsic(other) @ other.turn.T @ self.turn @ np.linalg.inv(intrinsic(self))
        return np.asarray(matrix / matrix[2, 2])


def scene_places(points: Float64, scene: Scene, camera: CameraModel, lens: LensState, focal_px: float, turn: Float64) -> Float64:
    """(n, 2) positions on a sensor -> (n, 2) picture elements of the scene, as green light goes."""
    half = min(camera.width, camera.height) / 2
    uv = (np.asarray(points, np.float64) - [(camera.width - 1) / 2, (camera.height - 1) / 2]) / half
    r = np.maximum(np.hypot(*uv.T), 1e-9)
    uv = uv * (lens.undistorted(r) / r)[:, None] * half / focal_px
    x, y, z = turn @ np.stack([uv[:, 0], uv[:, 1], np.ones(len(uv))])
    across, along = (np.arctan2(x, z), y / np.hypot(x, z)) if scene.cylinder else (x / z, y / z)
    return np.asarray(np.stack([across, along], 1) * scene.focal + scene.centre)


def of(number: int) -> Truth:
    """Truth of the frame TW-``number``; raises ``KeyError``."""
    for frame in FRAMES:
        if frame.number == number:
            return Truth(frame)
    raise KeyError(f"the card has no frame TW-{number:04d}")
