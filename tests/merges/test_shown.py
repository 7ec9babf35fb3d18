"""Small pictures of merges before they are developed."""

import numpy as np

from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.formats.decoded import CameraColour
from zincplate.merges.file import shown


def test_what_is_clipped_is_white_and_what_is_not_keeps_its_colour() -> None:
    matrix = (0.9, -0.3, -0.08, -0.4, 1.25, 0.15, -0.05, 0.15, 0.6)
    neutral = (0.48, 1.0, 0.66)
    colour = CameraColour(CameraMatrices.plain(matrix, 6504.0), neutral, 0.0)
    values = np.empty((3, 1, 5), np.float32)
    values[:, 0, 0] = 1.0
    values[:, 0, 1] = np.array(neutral) * 0.5
    values[:, 0, 2] = (0.9, 0.5, 0.2)
    values[:, 0, 3] = (1.0, 0.5, 0.2)  # red alone is clipped
    values[:, 0, 4] = (0.72, 1.0, 0.95)  # green alone, of a light that is half as bright again
    white, grey, warm, clipped, light = shown(values, colour)[0].astype(int)
    assert np.ptp(white) <= 2 and white.min() > 250
    assert np.ptp(grey) <= 2 and 150 < grey[1] < 210
    assert warm[0] > warm[1] + 40
    assert clipped[0] > clipped[1] + 40 and clipped[1] > clipped[2]
    assert np.ptp(light) < 12 and light.min() > 235
