"""What a master tells of its camera's colour is what its sources told, whatever calibrations those have."""

from pathlib import Path

import numpy as np
import pytest
import rawpy

from zincplate.core.colour.camera_colour import Calibration, CameraMatrices
from zincplate.core.colour.temperature import temperature_and_tint, white_point_xy
from zincplate.demo.sensor import EXACT_MATRIX
from zincplate.formats.capture import CaptureData
from zincplate.formats.decode import decode
from zincplate.formats.decoded import CameraColour
from zincplate.formats.dng.master import MasterWriter
from zincplate.formats.preview import jpeg_from

BASE = np.reshape(EXACT_MATRIX, (3, 3))


def nine(matrix: np.ndarray) -> tuple[float, ...]:
    return tuple(float(v) for v in matrix.ravel())


FORWARD = np.array([[0.6, 0.3, 0.06], [0.25, 0.7, 0.05], [0.02, 0.1, 0.7]])


def calibration(kelvin: float, seed: int, xy: tuple[float, float] | None = None, whole: bool = False) -> Calibration:
    rng = np.random.default_rng(seed)
    matrix = nine(BASE * rng.uniform(0.9, 1.1, (3, 3)))
    individual = nine(np.diag(rng.uniform(0.95, 1.05, 3))) if whole else None
    forward = nine(FORWARD * rng.uniform(0.95, 1.05, (3, 3))) if whole else None
    return Calibration(kelvin, matrix, individual, forward, xy)


OWN_XY = (0.4, 0.37)
CASES = {
    "one": CameraMatrices((calibration(6504.0, 1),)),
    "two": CameraMatrices((calibration(2856.0, 2), calibration(6504.0, 3))),
    "of a temperature that has no number": CameraMatrices((calibration(2856.0, 2), calibration(6150.0, 3))),
    "three with all there is": CameraMatrices(
        tuple(calibration(kelvin, seed, whole=True) for kelvin, seed in ((2856.0, 4), (6504.0, 5), (5003.0, 6))), (1.0, 1.0, 1.25)
    ),
    "three, one by its chromaticity": CameraMatrices(
        (calibration(2856.0, 7), calibration(6504.0, 8), calibration(temperature_and_tint(OWN_XY)[0], 9, OWN_XY))
    ),
}


def written(path: Path, matrices: CameraMatrices) -> CameraColour:
    writer = MasterWriter(300, 280)
    writer.add(np.full((3, 280, 300), 0.25, np.float32))
    preview = np.full((280, 300, 3), 128, np.uint8)
    colour = CameraColour(matrices, (0.5, 1.0, 0.7), 1.25)
    path.write_bytes(writer.finish(CaptureData(), colour, jpeg_from(preview), (300, 280), "Test", {}))
    found = decode(path).camera
    assert found is not None
    return found


@pytest.mark.parametrize("name", CASES)
def test_colours_are_those_of_the_sources_under_every_light(name: str, tmp_path: Path) -> None:
    matrices, path = CASES[name], tmp_path / "master.dng"
    found = written(path, matrices)
    assert len(found.matrices.calibrations) == len(matrices.calibrations)
    assert found.baseline_exposure_ev == pytest.approx(1.25) and found.as_shot_neutral == pytest.approx((0.5, 1.0, 0.7))
    for kelvin in (2400, 2856, 3600, 5003, 5500, 6504, 9000):
        xy = white_point_xy(kelvin)
        assert found.matrices.xyz_to_camera(xy) == pytest.approx(matrices.xyz_to_camera(xy), abs=2e-5)
        assert found.matrices.neutral_of(xy) == pytest.approx(matrices.neutral_of(xy), abs=2e-5)
        assert found.matrices.balanced_to_working(xy) == pytest.approx(matrices.balanced_to_working(xy), abs=1e-4)
    with rawpy.imread(str(path)) as raw:  # another reader opens it
        assert raw.raw_image_visible.shape[:2] == (280, 300)


def test_a_camera_has_one_to_three_calibrations_and_a_sensible_balance() -> None:
    one = calibration(6504.0, 1)
    for wrong in ((), (one,) * 4):
        with pytest.raises(ValueError, match="one to three"):
            CameraMatrices(wrong)
    for balance in ((1.0, 0.0, 1.0), (1.0, float("nan"), 1.0), (1.0, 1.0, -1.0)):
        with pytest.raises(ValueError, match="analogue balance"):
            CameraMatrices((one,), balance)
    with pytest.raises(ValueError, match="temperature"):
        calibration(400.0, 1)
    for usual, other in ((501.0, 500.0), (9.9e5, 1e6)):
        calibration(usual, 1)
        with pytest.raises(ValueError, match="temperature"):
            calibration(other, 1)
