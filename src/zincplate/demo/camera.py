"""The simulated camera: scene radiance in, raw mosaic out, with the truth kept at hand.

Exposure in real units: H = q L t / N^2 lux seconds with q = 0.65, and the converter is full at H = 78 / ISO (ISO 12232:2019,
saturation-based speed).
"""

from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.demo import optics
from zincplate.demo.lens import LensState
from zincplate.demo.night import night_sky
from zincplate.demo.scenes import Scene
from zincplate.demo.sensor import EXACT_MATRIX, CameraModel, dust_of, read_out

__all__ = ["EXACT_MATRIX", "CameraModel", "Exposure", "Settings", "expose", "metered", "project", "signal_per_radiance"]

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
_Q = 0.65
_FULL_LUX_SECONDS = 78.0


@dataclass(frozen=True)
class Settings:
    """What the photographer set, where the camera pointed, and what happened during the exposure."""

    exposure_time_s: float
    f_number: float
    iso: int = 100
    yaw_degrees: float = 0.0
    pitch_degrees: float = 0.0
    roll_degrees: float = 0.0
    focus_distance_m: float | None = None
    """None: sharp at every distance."""
    breathing: float = 0.0
    """Share by which the image grows for each 1/m of nearer focus."""
    shake_px: tuple[tuple[float, float], ...] = ()
    """Path of the image on the sensor during the exposure."""
    visitor: str = ""
    light_gain: tuple[float, float, float] = (1.0, 1.0, 1.0)
    """Change of the light itself, on linear Rec.709."""
    as_shot_xy: tuple[float, float] = (0.3127, 0.3290)
    orientation: int = 1
    temperature_c: float = 22.0
    moment_s: float = 0.0
    """Time of the start, for what moves by itself (the sky)."""
    capped: bool = False
    """Taken with the cap on."""
    seed: int = 1

    @property
    def turn(self) -> Float64:
        """Rotation from camera to scene."""
        return optics.rotation(self.yaw_degrees, self.pitch_degrees, self.roll_degrees)


@dataclass(frozen=True)
class Exposure:
    """A photographed frame with its truth."""

    camera: CameraModel
    mosaic: NDArray[np.uint16]
    """Masked border included."""
    signal_rec709: Float32
    """(3, h, w) what the lens drew, linear, 1 = converter full, without noise and before clipping."""
    as_shot_neutral: tuple[float, float, float]

    @cached_property
    def true_camera(self) -> Float32:
        """(3, h, w) camera values without noise, before clipping."""
        matrix = self.camera.from_rec709.astype(np.float32)
        return np.maximum(np.einsum("ij,jhw->ihw", matrix, self.signal_rec709, optimize=True), 0).astype(np.float32)

    @property
    def true_rec709(self) -> Float32:
        """(h, w, 3) of ``signal_rec709``."""
        return np.moveaxis(self.signal_rec709, 0, -1)


def signal_per_radiance(scene: Scene, settings: Settings) -> float:
    """Signal (1 = converter full) per unit of the scene's radiance."""
    lux_seconds = _Q * scene.cd_m2 * settings.exposure_time_s / settings.f_number**2
    return lux_seconds * settings.iso / _FULL_LUX_SECONDS


def metered(scene: Scene, settings: Settings, exposure_ev: float = 0.0) -> Settings:
    """The same settings with the time that puts the scene's middle grey at 0.18 / 1.4 of full, plus ``exposure_ev``."""
    now = signal_per_radiance(scene, settings) * scene.middle_grey
    return replace(settings, exposure_time_s=settings.exposure_time_s * 0.18 / 1.4 / now * 2.0**exposure_ev)


def focal_px(camera: CameraModel, lens: LensState, settings: Settings) -> float:
    """Focal length in pixels, focus breathing included."""
    nearer = 1 / settings.focus_distance_m if settings.focus_distance_m else 0.0
    return lens.focal_length_mm * 1000 / camera.pixel_pitch_um * (1 + settings.breathing * nearer)


def project(scene: Scene, camera: CameraModel, lens: LensState, settings: Settings) -> Float32:
    """The scene through the lens: (3, h, w) linear Rec.709 radiance on the sensor, per unit of scene radiance."""
    if settings.visitor:
        scene = scene.with_visitor(settings.visitor)
    f = focal_px(camera, lens, settings)
    turn = settings.turn

    def drawn(planes: Float32, nearest: bool = False) -> Float32:
        size = camera.width, camera.height
        return optics.draw(planes, *size, lens, f, turn, scene.focal, scene.centre, scene.cylinder, nearest)

    planes = drawn(scene.planes)
    if scene.sky is not None:
        share = drawn(scene.sky[None])[0]
        sky = night_sky(camera, lens, f, turn, settings.moment_s, settings.exposure_time_s) / np.float32(scene.cd_m2)
        planes += share * sky
    if settings.focus_distance_m is not None and scene.depth_m is not None:
        depth = drawn(scene.depth_m[None], nearest=True)[0]
        circle = optics.blur_circle_px(
            depth, settings.focus_distance_m, lens.focal_length_mm, settings.f_number, camera.pixel_pitch_um
        )
        planes = optics.defocus(planes, circle, (depth > 0) & (depth < settings.focus_distance_m))
    airy_sigma_px = 0.42 * 0.55 * settings.f_number / camera.pixel_pitch_um
    optics.gaussian(planes, float(np.hypot(lens.blur_um / camera.pixel_pitch_um, airy_sigma_px)))
    if settings.shake_px:
        kernel = optics.shake_kernel(settings.shake_px)
        for plane in planes:
            cv2.filter2D(plane, -1, cv2.flip(kernel, -1), dst=plane, borderType=cv2.BORDER_REFLECT)
    optics.darken(planes, lens, settings.light_gain)
    if camera.dust_spots:
        optics.dust(planes, dust_of(camera), settings.f_number, camera.pixel_pitch_um)
    return planes


def expose(scene: Scene, camera: CameraModel, lens: LensState, settings: Settings) -> Exposure:
    """Photograph a scene. The same input gives the same mosaic, byte for byte."""
    if settings.capped:
        signal = np.zeros((3, camera.height, camera.width), np.float32)
    else:
        signal = project(scene, camera, lens, settings)
        signal *= np.float32(signal_per_radiance(scene, settings))
    mosaic = read_out(camera, signal, settings.exposure_time_s, settings.iso, settings.temperature_c, settings.seed)
    neutral = camera.matrices.neutral_of(settings.as_shot_xy)
    return Exposure(camera, mosaic, signal, (float(neutral[0]), float(neutral[1]), float(neutral[2])))
