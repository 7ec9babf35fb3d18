"""The kernel that sets blown channels anew against its formulas written once more, for whole planes and in double precision."""

import cv2
import numpy as np
import pytest

from zincplate.core.sensor.highlights import BLOWN_FROM, BLOWN_SPAN, MIXED_FROM, MOST, Surroundings, rebuild

LIMITS = np.array([1.9, 1.0, 1.35], np.float32)
"""Ends of the three channels after balance."""


def smooth(t: np.ndarray) -> np.ndarray:
    t = np.clip(t, 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def enlarged(small: np.ndarray, place: tuple[int, int, int, int], shape: tuple[int, int]) -> np.ndarray:
    """Linear between the samples of a small plane of the whole, at a window's pixels."""
    width_all, height_all, x0, y0 = place
    x = np.clip((np.arange(shape[1]) + x0 + 0.5) * small.shape[1] / width_all - 0.5, 0, small.shape[1] - 1)
    y = np.clip((np.arange(shape[0]) + y0 + 0.5) * small.shape[0] / height_all - 0.5, 0, small.shape[0] - 1)
    across = np.array([np.interp(x, np.arange(small.shape[1]), row) for row in small])
    return np.array([np.interp(y, np.arange(small.shape[0]), column) for column in across.T]).T


def written(planes: np.ndarray, around: Surroundings, place: tuple[int, int, int, int]) -> np.ndarray:
    shape, ends = planes.shape[1:], LIMITS.astype(float)[:, None, None]
    offsets = np.stack([enlarged(around.ratios[0], place, shape), np.zeros(shape), enlarged(around.ratios[1], place, shape)])
    x = np.clip((np.arange(shape[1]) + place[2] + 0.5) * around.near.shape[1] / place[0], 0, around.near.shape[1] - 1)
    y = np.clip((np.arange(shape[0]) + place[3] + 0.5) * around.near.shape[0] / place[1], 0, around.near.shape[0] - 1)
    near = around.near[np.ix_(y.astype(int), x.astype(int))] / 255
    t = smooth((planes / ends - BLOWN_FROM) / BLOWN_SPAN)
    # what is open tells the light, and beside blown places the channel that fills last does
    weight = (1 - t + 1e-3) * (1 - near * (1 - (ends / ends.max()) ** 8))
    level = (weight * (np.log2(planes) - offsets)).sum(0) / weight.sum(0)
    more = np.maximum(np.minimum(2 ** (level + offsets), MOST * ends) - planes, 0)
    there = 2 ** np.stack([enlarged(c, place, shape) for c in around.blown])
    mixed = np.clip((planes / np.minimum(there, ends)).min(0), 0, 1) * near
    added = np.maximum(t * more, np.minimum(mixed * np.maximum(there - ends, 0), more))
    light = planes + np.where(near > 0, added, t * more)
    light += (light.max(0) - light) * t.min(0)
    share = (planes / ends).max(0)
    left = (share < MIXED_FROM) | ((near == 0) & (share < BLOWN_FROM))
    return np.where(left, planes, light)


@pytest.mark.parametrize("place", [(96, 64, 0, 0), (160, 128, 40, 30), (48, 32, -8, -8)])
def test_blown_channels_follow_the_formulas(place: tuple[int, int, int, int]) -> None:
    rng = np.random.default_rng(3)
    field = lambda *shape: cv2.GaussianBlur(rng.standard_normal(shape).astype(np.float32), (0, 0), 2) * 4  # noqa: E731
    planes = (LIMITS[:, None, None] * np.clip(0.75 + 0.35 * np.stack([field(64, 96) for _ in range(3)]), 0.05, 1)).astype(
        np.float32
    )
    near = np.clip(120 * field(16, 24), 0, 255).astype(np.uint8)
    blown = 0.7 + 0.4 * np.stack([field(16, 24) for _ in range(3)])
    around = Surroundings((0.4 * np.stack([field(16, 24) for _ in range(2)])), blown, near)
    assert 0.2 < (near > 0).mean() < 0.8 and ((planes / LIMITS[:, None, None]).min(0) > BLOWN_FROM).any()
    out = np.empty_like(planes)
    rebuild(planes, around, LIMITS, place, out)
    assert np.abs(out / written(planes.astype(float), around, place) - 1).max() < 3e-4
    assert (out != planes).any(0).mean() > 0.3
