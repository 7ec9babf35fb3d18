"""Half floats of masters are numpy's, bit for bit: every one of them, what lies between two, and what is smaller than any; their
rows are predicted as imagecodecs' floating-point predictor does it."""

import imagecodecs
import numpy as np
import pytest

from zincplate.core.kernels.half_floats import predicted_halves


def tiles_of(planes: np.ndarray, side: int) -> np.ndarray:
    """Half floats (side, tiles * side, 3) of planes (3, rows, columns), by imagecodecs' way back from what is predicted."""
    out = np.empty((-(-planes.shape[2] // side), side, 6 * side), np.uint8)
    predicted_halves(np.ascontiguousarray(planes, np.float32), out)
    back = [imagecodecs.floatpred_decode(tile.view(np.float16).reshape(side, side, 3), axis=-2, dist=1) for tile in out]
    return np.concatenate([np.asarray(tile).view("<f2").reshape(side, side, 3) for tile in back], 1)


def test_they_are_numpys() -> None:
    every = np.arange(0x3C01, dtype=np.uint16).view(np.float16).astype(np.float32)  # 0 to 1
    between = (every[1:] + every[:-1]) / 2
    beside = [np.nextafter(between, np.float32(to)) for to in (-2, 2)]
    values = np.concatenate([every, between, *beside, np.float32([1e-30, 1e-9, 2.98e-8, 2.99e-8])]).astype(np.float32)
    values = np.concatenate([values, -values])
    planes = np.ascontiguousarray(np.stack([values, values[::-1], np.roll(values, 7)])[:, None])
    out = tiles_of(planes, 256)
    for c in range(3):
        np.testing.assert_array_equal(out[0, : values.size, c].view(np.uint16), planes[c, 0].astype(np.float16).view(np.uint16))


def test_what_is_beyond_is_kept_inside_and_the_edges_go_on() -> None:
    planes = np.array([[[0.25, 3.0], [-9.0, 0.5]]] * 3, np.float32)
    out = tiles_of(planes, 4)
    first, second = [0.25, 1, 1, 1], [-1, 0.5, 0.5, 0.5]
    np.testing.assert_array_equal(out[..., 1], [first, second, second, second])


@pytest.mark.parametrize("columns", [1, 7, 8, 9, 24, 25])
def test_rows_are_predicted_as_imagecodecs_does(columns: int) -> None:
    rng = np.random.default_rng(columns)
    planes = rng.normal(0.2, 0.4, (3, 6, columns)).astype(np.float32)
    across = -(-columns // 8)
    out = np.empty((across, 8, 48), np.uint8)
    predicted_halves(planes, out)
    there = np.pad(np.clip(planes, -1, 1), ((0, 0), (0, 2), (0, 8 * across - columns)), mode="edge")
    halves = np.moveaxis(there, 0, -1).astype("<f2")
    for k in range(across):
        expected = imagecodecs.floatpred_encode(np.ascontiguousarray(halves[:, 8 * k : 8 * k + 8]), axis=-2, dist=1)
        assert bytes(expected) == out[k].tobytes()
