"""The simulated camera: lens, exposure, sensor. Scene radiance in, raw mosaic out, with the truth kept at hand.

Sensor model after EMVA Standard 1288: signal in electrons is Poisson, read noise Gaussian, photo response and dark offset
differ from site to site, some sites are hot. The lens bends (Brown 1966, k1), darkens to the corners (cos^4 of the field
angle, strength adjustable), magnifies red and blue a little differently, and blurs (Gaussian core plus diffraction).
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.camera_colour import CameraMatrices
from zincplate.core.colour_spaces import SRGB
from zincplate.demo.scenes import Scene

Float32 = NDArray[np.float32]

# Invented XYZ -> camera matrix of a camera that sees exactly like the standard observer (Luther condition).
EXACT_MATRIX = (0.7866, -0.2108, -0.0555, -0.4869, 1.2483, 0.2681, -0.1176, 0.2069, 0.7501)


@dataclass(frozen=True)
class CameraModel:
    """A camera body. Electrons are per site at ISO 100 saturation."""

    make: str
    model: str
    width: int
    height: int
    matrix: tuple[float, ...] = EXACT_MATRIX
    cfa: tuple[int, int, int, int] = (0, 1, 1, 2)
    black: int = 512
    white: int = 16383
    full_well_electrons: float = 62_000.0
    read_noise_electrons: float = 3.2
    response_spread: float = 0.004
    offset_spread_dn: float = 0.35
    hot_sites: int = 60
    pixel_pitch_um: float = 8.0

    @property
    def matrices(self) -> CameraMatrices:
        """For both calibration illuminants the same: the camera is exact."""
        return CameraMatrices(self.matrix, 2856.0, self.matrix, 6504.0)


@dataclass(frozen=True)
class LensModel:
    """A lens at one focal length. Distances are in units of half the picture's diagonal."""

    name: str
    focal_length_mm: float
    distortion_k1: float = 0.0
    fall_off: float = 0.0
    red_scale: float = 1.0
    blue_scale: float = 1.0
    blur_px: float = 0.45


@dataclass(frozen=True)
class Settings:
    """What the photographer set, and where the camera stood (relative to the scene picture)."""

    exposure_time_s: float
    f_number: float
    iso: int = 100
    roll_degrees: float = 0.0
    shift_px: tuple[float, float] = (0.0, 0.0)
    zoom: float = 1.0
    meter_ev: float = 0.0
    """How much more light than the meter asks for."""
    light_gain: tuple[float, float, float] = (1.0, 1.0, 1.0)
    """Change of the light itself, on linear Rec.709."""
    as_shot_xy: tuple[float, float] = (0.3127, 0.3290)
    orientation: int = 1
    seed: int = 1


@dataclass(frozen=True)
class Exposure:
    """A photographed frame with its truth."""

    mosaic: NDArray[np.uint16]
    true_camera: Float32
    """(3, h, w) camera values without noise, 1 = full well, before clipping."""
    true_rec709: Float32
    """(h, w, 3) what the lens drew, linear, 1 = full well of a neutral in the green channel."""
    as_shot_neutral: tuple[float, float, float]


def project(scene: Scene, camera: CameraModel, lens: LensModel, settings: Settings) -> Float32:
    """The scene through the lens: (h, w, 3) linear Rec.709 radiance on the sensor."""
    w, h = camera.width, camera.height
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
    cx, cy = np.float32((w - 1) / 2), np.float32((h - 1) / 2)
    half = np.float32(np.hypot(w, h) / 2)
    x, y = (xx - cx) / half, (yy - cy) / half
    r2 = x * x + y * y
    fit = max(w / scene.size[0], h / scene.size[1])
    angle = np.radians(settings.roll_degrees)
    cos, sin = np.float32(np.cos(angle)), np.float32(np.sin(angle))
    scale = half / np.float32(fit * settings.zoom)
    out = np.empty((h, w, 3), np.float32)
    for channel, magnify in enumerate((lens.red_scale, 1.0, lens.blue_scale)):
        bend = (1 + np.float32(lens.distortion_k1) * r2) * np.float32(magnify)
        u, v = x * bend, y * bend
        map_x = (cos * u - sin * v) * scale + np.float32((scene.size[0] - 1) / 2 + settings.shift_px[0])
        map_y = (sin * u + cos * v) * scale + np.float32((scene.size[1] - 1) / 2 + settings.shift_px[1])
        plane = np.ascontiguousarray(scene.linear_rec709[..., channel])
        out[..., channel] = cv2.remap(plane, map_x, map_y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
    np.maximum(out, 0, out=out)
    airy_sigma_px = 0.42 * 0.00055 * settings.f_number * 1000 / camera.pixel_pitch_um
    out = cv2.GaussianBlur(out, (0, 0), float(np.hypot(lens.blur_px, airy_sigma_px)))
    tangent2 = r2 * np.float32((21.6 / lens.focal_length_mm) ** 2)  # half diagonal of a 24 x 36 mm picture is 21.6 mm
    out *= (1 - np.float32(lens.fall_off) * (1 - 1 / (1 + tangent2) ** 2))[..., None]
    return out * np.asarray(settings.light_gain, np.float32)


def metered_scale(scene: Scene, settings: Settings) -> float:
    """Sensor signal (1 = full well) per unit of radiance: middle grey goes to 0.18 / 1.4 at ``meter_ev`` 0.

    Shutter, aperture and ISO are taken to be what the meter gave; 0.18/1.4 leaves the headroom of ISO 12232's saturation
    speed.
    """
    return 0.18 / 1.4 / scene.middle_grey * 2.0**settings.meter_ev


def expose(scene: Scene, camera: CameraModel, lens: LensModel, settings: Settings) -> Exposure:
    """Photograph a scene. The same input gives the same mosaic, byte for byte."""
    radiance = project(scene, camera, lens, settings) * np.float32(metered_scale(scene, settings))
    to_camera = (np.reshape(camera.matrix, (3, 3)) @ SRGB.to_xyz).astype(np.float32)
    true_camera = np.maximum(np.einsum("ij,hwj->ihw", to_camera, radiance, optimize=True), 0).astype(np.float32)
    rng = np.random.default_rng(settings.seed)
    body = np.random.default_rng(sum(camera.model.encode()))  # the body's own pattern is the same in every frame
    iso_gain = settings.iso / 100
    well = camera.full_well_electrons / iso_gain
    electrons = np.empty((camera.height, camera.width), np.float32)
    for place, colour in enumerate(camera.cfa):
        rows, columns = slice(place // 2, None, 2), slice(place % 2, None, 2)
        electrons[rows, columns] = true_camera[colour, rows, columns]
    electrons *= well
    electrons *= 1 + np.float32(camera.response_spread) * body.standard_normal(electrons.shape, np.float32)
    offset_dn = np.float32(camera.offset_spread_dn) * body.standard_normal((1, camera.width), np.float32)
    hot_y, hot_x = body.integers(0, camera.height, camera.hot_sites), body.integers(0, camera.width, camera.hot_sites)
    np.add.at(
        electrons, (hot_y, hot_x), np.float32(900 * settings.exposure_time_s * 4) * body.random(camera.hot_sites, np.float32)
    )
    signal = rng.poisson(np.minimum(np.maximum(electrons, 0), 4 * well)).astype(np.float32)
    signal += np.float32(camera.read_noise_electrons) * rng.standard_normal(signal.shape, np.float32)
    dn = signal * np.float32((camera.white - camera.black) / well) + np.float32(camera.black) + offset_dn
    mosaic = np.clip(np.rint(dn), 0, camera.white).astype(np.uint16)
    neutral = camera.matrices.neutral_of(settings.as_shot_xy)
    return Exposure(mosaic, true_camera, radiance, (float(neutral[0]), float(neutral[1]), float(neutral[2])))
