"""A simple camera that keeps no raw: over-sharpened, contrasty JPEGs with little EXIF, as they come from a pocket."""

from dataclasses import replace

import cv2
import numpy as np

from zincplate.core.colour.colour_spaces import SRGB
from zincplate.demo.camera import CameraModel, expose
from zincplate.demo.frames import Snapshot, moment, scene_of
from zincplate.demo.lens import LensState
from zincplate.demo.scenes import Float32
from zincplate.formats.capture import CaptureData
from zincplate.formats.delivered import jpeg

POCKET = CameraModel(
    "Dabney", "Dabney Clip 2", 2000, 1328, bits=12, black=64, full_well_electrons=9000, read_noise_electrons=4.0, serial="7714"
)
POCKET_LENS = LensState(
    28.0, distortion_k1=-0.014, red_scale=1.0003, blue_scale=0.9997, fall_off=(-0.22, -0.06, 0.0), blur_um=9.0
)


def _curve(linear: Float32) -> Float32:
    x = SRGB.transfer.encode(np.clip(linear, 0, 1))
    return np.asarray(x + 0.32 * x * (1 - x) * (2 * x - 1) * 1.6, np.float32)


def jpeg_bytes(shot: Snapshot, quality: int = 82) -> bytes:
    """The file of one picture."""
    settings = shot.settings
    exposure = expose(scene_of(shot.scene), POCKET, replace(POCKET_LENS, focal_length_mm=shot.focal_length_mm), settings)
    mosaic = exposure.mosaic.astype(np.float32) - POCKET.black
    scaled = np.clip(mosaic * (65535 / (POCKET.white - POCKET.black)), 0, 65535).astype(np.uint16)
    camera = cv2.cvtColor(scaled, cv2.COLOR_BayerRGGB2RGB).astype(np.float32) / 65535
    neutral = np.array(exposure.as_shot_neutral)
    to_rec709 = np.linalg.inv(POCKET.from_rec709)
    white = to_rec709 @ neutral
    rgb = np.clip(camera @ to_rec709.T / white.astype(np.float32), 0, None).astype(np.float32)
    grey = rgb @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    rgb = grey[..., None] + 1.22 * (rgb - grey[..., None])
    coded = _curve(rgb * np.float32(1.5))
    calm = cv2.bilateralFilter(coded, 5, 0.06, 2.0)
    sharp = np.clip(calm + 0.9 * (calm - cv2.GaussianBlur(calm, (0, 0), 1.3)), 0, 1)
    image = np.ascontiguousarray(np.rint(sharp * 255).astype(np.uint8))
    capture = CaptureData(
        camera_make=POCKET.make, camera_model=POCKET.model, exposure_time_s=settings.exposure_time_s,
        f_number=settings.f_number, iso=settings.iso, focal_length_mm=shot.focal_length_mm / 6, captured_at=moment(shot.seconds),
    )  # fmt: skip
    return jpeg.jpeg_bytes(image, "srgb", capture, quality)
