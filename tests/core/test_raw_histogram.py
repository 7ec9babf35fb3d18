"""The raw histogram: every root of a camera value in its own bin, black in the first, white in the last."""

import numpy as np

from zincplate.core.measure.statistics import raw_histogram


def test_roots_fall_into_the_nearest_bin() -> None:
    steps = (np.arange(256) / 255) ** 2
    planes = np.stack([steps, steps[::-1], np.full(256, (100.4 / 255) ** 2)]).astype(np.float32)[:, None]
    found = raw_histogram(planes)
    assert (found[0] == 1).all() and (found[1] == 1).all()
    assert found[2, 100] == 256 and found[2].sum() == 256


def test_what_is_below_black_and_above_white_is_counted_at_the_ends() -> None:
    found = raw_histogram(np.array([-0.1, 0.0, 1.0, 1.7], np.float32).repeat(3).reshape(4, 3).T[:, None])
    assert (found[:, 0] == 2).all() and (found[:, 255] == 2).all() and found.sum() == 12
