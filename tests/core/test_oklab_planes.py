"""Oklab of planes in a kernel, against the formula in double precision."""

import numpy as np

from zincplate.core.colour import oklab
from zincplate.core.kernels.oklab_planes import lab_planes


def test_planes_are_what_the_formula_says() -> None:
    rng = np.random.default_rng(2)
    light = (rng.random((3, 40, 131)) ** 3).astype(np.float32)
    light[:, 0, 0], light[:, 0, 1], light[:, 0, 2] = 0, 1, (1, 0, 0)
    expected = np.moveaxis(oklab.from_working(np.moveaxis(light.astype(np.float64), 0, -1)), -1, 0)
    found = lab_planes(light)
    assert found.dtype == np.float32 and np.abs(found - expected)[:, 1:].max() < 2e-6
    assert np.abs(found - expected)[:, 0].max() < 1.1e-4 and abs(found[0, 0, 1] - 1) < 1e-6
    np.testing.assert_allclose(lab_planes(light[:, ::2, 1::3]), found[:, ::2, 1::3], atol=1e-6)
