"""How far a place of a mosaic is to be trusted: by the highest site that demosaicing looks at, against scipy's filter."""

import numpy as np
import pytest
from scipy.ndimage import maximum_filter

from zincplate.core.sensor.trust import LOST_FROM, TRUSTED_TO
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import Decoded
from zincplate.sources.readers import FOOTPRINT, Mosaic

WHITE = 4000.0


@pytest.mark.parametrize("black", [(256.0,) * 4, (200.0, 256.0, 260.0, 310.0)])
@pytest.mark.parametrize("part", [(0, 0, 90, 60), (13, 7, 40, 31), (50, 20, 40, 40)])
def test_the_highest_level_about_a_place_decides(
    black: tuple[float, float, float, float], part: tuple[int, int, int, int]
) -> None:
    rng = np.random.default_rng(4)
    sites = rng.integers(200, 2500, (60, 90)).astype(np.uint16)
    sites[rng.random(sites.shape) < 0.01] = 4000
    sites[rng.random(sites.shape) < 0.01] = 3700
    sites[30:, 60:] = 1000
    data = Decoded("mosaic", sites, CaptureData(), None, black=black, white=WHITE)
    blacks = np.tile(np.reshape(black, (2, 2)), (30, 45))
    highest = maximum_filter((sites - blacks) / (WHITE - blacks), 2 * FOOTPRINT + 1, mode="nearest")
    expected = np.clip((LOST_FROM - highest) / (LOST_FROM - TRUSTED_TO), 0, 1)
    x, y, w, h = part
    trust = Mosaic(data, (1.0, 1.0, 1.0)).trust(*part)
    assert np.abs(trust - expected[y : y + h, x : x + w]).max() < 1e-5
    assert 0 < (expected == 0).mean() < 1 and ((expected > 0) & (expected < 1)).any()
