"""A focus series mixed by its depths: shares that sum up, and nothing of what a frame does not show."""

import numpy as np

from zincplate.core.merging.focus_mix import SOFT, mixed_in, share_of


def shares(depth: np.ndarray, count: int) -> np.ndarray:
    out = np.empty((count, *depth.shape), np.float32)
    for k in range(count):
        share_of(depth, k, count, out[k])
    return out


def test_shares_sum_up_and_belong_to_the_nearest_frames() -> None:
    depth = np.linspace(0, 5, 301, dtype=np.float32).reshape(7, 43)
    found = shares(depth, 6)
    assert np.abs(found.sum(0) - 1).max() < 1e-5
    near = np.maximum(1 - np.abs(np.arange(6)[:, None, None] - depth) / SOFT, 0)
    assert np.abs(found - near / near.sum(0)).max() < 1e-5
    assert (
        np.abs(shares(np.array([[0.0, 2.0, 2.5]], np.float32), 4)[:, 0].T - [[1, 0, 0, 0], [0, 0, 1, 0], [0, 0, 0.5, 0.5]]).max()
        < 1e-6
    )


def test_what_a_frame_does_not_show_adds_nothing() -> None:
    rng = np.random.default_rng(1)
    laid, share = rng.random((3, 5, 4)).astype(np.float32), rng.random((5, 9)).astype(np.float32)
    trust = np.where(rng.random((5, 4)) < 0.4, -1, rng.random((5, 4))).astype(np.float32)
    factors = np.array([2.0, 0.5, 1.5], np.float32)
    out, total = np.ones((3, 5, 9), np.float32), np.ones((5, 9), np.float32)
    mixed_in(laid, factors, share, trust, 3, out, total)
    counted = np.where(trust >= 0, share[:, 3:7], 0)
    assert (trust < 0).any() and np.abs(total[:, 3:7] - 1 - counted).max() < 1e-6
    assert np.abs(out[:, :, 3:7] - 1 - laid * factors[:, None, None] * counted).max() < 1e-6
    assert (out[:, :, :3] == 1).all() and (out[:, :, 7:] == 1).all() and (total[:, :3] == 1).all()
