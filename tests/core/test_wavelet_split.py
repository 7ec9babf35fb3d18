"""One level of the wavelet that noise is told by, against its definition: the B3 spline with holes (Starck & Murtagh,
"Astronomical Image and Data Analysis", 2.2), mirrored at the edges, also where a picture is narrower than they reach."""

import numpy as np
import pytest

from zincplate.core.noise.wavelet_noise import _split

TAPS = ((-2, 0.0625), (-1, 0.25), (0, 0.375), (1, 0.25), (2, 0.0625))


def across(i: int, width: int) -> int:
    if i >= width:
        i = 2 * (width - 1) - i
    return min(-i, width - 1) if i < 0 else i


def down(i: int, height: int) -> int:
    if i >= height:
        return max(2 * (height - 1) - i, 0)
    return min(abs(i), height - 1)


@pytest.mark.parametrize("step", [1, 2, 4, 16])
@pytest.mark.parametrize("size", [(1, 1), (5, 7), (4, 33), (3, 300), (40, 2)])
def test_it_is_the_spline_with_holes(size: tuple[int, int], step: int) -> None:
    height, width = size
    source = np.random.default_rng(step).random(size).astype(np.float32)
    smooth, detail, energy = (np.full(size, np.nan, np.float32) for _ in range(3))
    _split(source, step, smooth, detail, energy)
    expected = np.zeros(size)
    for j, a in TAPS:
        for i, b in TAPS:
            rows = [down(y + j * step, height) for y in range(height)]
            columns = [across(x + i * step, width) for x in range(width)]
            expected += a * b * source[rows][:, columns]
    np.testing.assert_allclose(smooth, expected, atol=2e-6)
    np.testing.assert_allclose(detail, source - expected, atol=2e-6)
    np.testing.assert_allclose(energy, (source - expected) ** 2, atol=2e-6)
