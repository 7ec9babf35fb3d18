"""How far a place of a mosaic is to be trusted: by the highest site that demosaicing looks at, against scipy's filter."""

import numpy as np
import pytest
from scipy.ndimage import maximum_filter

from zincplate.core.kernels import memory
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


@pytest.mark.parametrize(("x", "y", "w", "h"), [(0, 0, 40, 30), (3, 5, 1, 1), (17, 11, 13, 9)])
def test_what_lies_about_a_window_are_numbers(monkeypatch: pytest.MonkeyPatch, x: int, y: int, w: int, h: int) -> None:
    """A spline through the window reads them as well, and memory holds anything before it is written to."""
    sites = np.random.default_rng(4).integers(600, 9000, (30, 40)).astype(np.uint16)
    decoded = Decoded("mosaic", sites, CaptureData(), None, cfa=(0, 1, 1, 2), black=(512.0,) * 4, white=16383.0)
    reader = Mosaic(decoded, (0.5, 1.0, 0.7))
    plain = reader.window(x, y, w, h).copy()
    monkeypatch.setattr(memory, "empty", lambda *shape: np.full(shape, 1e30, np.float32))
    planes, left, top = reader.window_about(x, y, w, h)
    assert np.abs(planes).max() < 10
    np.testing.assert_array_equal(planes[:, y - top : y - top + h, x - left : x - left + w], plain)
