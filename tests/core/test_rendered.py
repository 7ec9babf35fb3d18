"""Windows and averages of rendered pictures against plain numpy, at every kind of edge."""

import numpy as np
import pytest

from zincplate.core.kernels.rendered import bin_codes, bin_linear, window_from_codes, window_from_linear

HEIGHT, WIDTH = 37, 53


def table_of(levels: int) -> np.ndarray:
    """A different curve for every channel."""
    t = np.linspace(0, 1, levels, dtype=np.float32)
    return np.stack([t**2.2, t**1.8, 0.2 * t + 0.8 * t**3]).astype(np.float32)


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
@pytest.mark.parametrize(("y0", "x0", "rows", "columns"), [(0, 0, HEIGHT, WIDTH), (5, 11, 9, 17), (36, 52, 1, 1)])
def test_a_window_of_codes_is_looked_up_channel_by_channel(kind: type, y0: int, x0: int, rows: int, columns: int) -> None:
    levels = np.iinfo(kind).max + 1
    pixels = np.random.default_rng(1).integers(0, levels, (HEIGHT, WIDTH, 3)).astype(kind)
    table = table_of(levels)
    out = np.full((3, rows, columns), -1, np.float32)
    window_from_codes(pixels, y0, x0, table, out)
    part = pixels[y0 : y0 + rows, x0 : x0 + columns]
    for channel in range(3):
        assert (out[channel] == table[channel][part[..., channel]]).all()


def test_a_window_of_linear_pixels_is_copied() -> None:
    pixels = np.random.default_rng(2).uniform(-0.2, 3, (HEIGHT, WIDTH, 3)).astype(np.float32)
    out = np.zeros((3, 8, 21), np.float32)
    window_from_linear(pixels, 29, 30, out)
    assert (out == np.moveaxis(pixels[29:37, 30:51], -1, 0)).all()


def averaged(linear: np.ndarray, k: int) -> np.ndarray:
    """(3, h / k, w / k) means of blocks, written the slow way."""
    rows, columns = -(-HEIGHT // k), -(-WIDTH // k)
    out = np.empty((3, rows, columns))
    for y in range(rows):
        for x in range(columns):
            out[:, y, x] = linear[y * k : (y + 1) * k, x * k : (x + 1) * k].reshape(-1, 3).mean(0)
    return out


@pytest.mark.parametrize("k", [2, 3, 5, 64])
def test_blocks_are_averaged_in_linear_light_and_partly_filled_ones_by_what_they_hold(k: int) -> None:
    pixels = np.random.default_rng(3).integers(0, 256, (HEIGHT, WIDTH, 3)).astype(np.uint8)
    table = table_of(256)
    linear = np.stack([table[c][pixels[..., c]] for c in range(3)], -1)
    expected = averaged(linear.astype(np.float64), k)
    out = np.empty(expected.shape, np.float32)
    bin_codes(pixels, k, table, out)
    assert out == pytest.approx(expected, abs=2e-6)
    bin_linear(linear, k, out)
    assert out == pytest.approx(expected, abs=2e-6)
