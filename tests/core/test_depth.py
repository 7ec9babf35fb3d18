"""The depth guard: steps that leave delivered levels out are told, smaller ones are not."""

import numpy as np
import pytest

from zincplate.core.measure.depth import depth_of


def stairs(step: float) -> np.ndarray:
    """Three planes of a ramp over 100 levels of 255 in steps of some levels."""
    values = (40 + step * np.arange(int(100 / step))) / 255
    return np.broadcast_to(np.repeat(values, 7), (3, 4, 7 * len(values))).astype(np.float32)


@pytest.mark.parametrize(("step", "verdict"), [(0.25, "full"), (1.0, "full"), (1.5, "full"), (1.75, "missing"), (3.0, "missing")])
def test_steps_wider_than_a_level_and_a_half_leave_levels_out(step: float, verdict: str) -> None:
    # a level is left out for sure where two neighbours lie more than 1.6 of them apart: rounding bridges the rest
    found = depth_of(stairs(step))
    assert found.verdict == verdict and found.step == pytest.approx(step, abs=0.02)


def test_one_deep_channel_tells_that_the_file_is_deep() -> None:
    planes = stairs(3.0).copy()
    planes[1] = np.linspace(planes[1].min(), planes[1].max(), planes.shape[2])
    assert depth_of(planes).verdict == "full"
    assert depth_of(np.full((3, 4, 50), 0.4, np.float32)).verdict == "flat"
