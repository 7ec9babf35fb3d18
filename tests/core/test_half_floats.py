"""Half floats of masters are numpy's, bit for bit: every one of them, what lies between two, and what is smaller than any."""

import numpy as np

from zincplate.core.kernels.half_floats import halves_of


def test_they_are_numpys() -> None:
    every = np.arange(0x3C01, dtype=np.uint16).view(np.float16).astype(np.float32)  # 0 to 1
    between = (every[1:] + every[:-1]) / 2
    beside = [np.nextafter(between, np.float32(to)) for to in (-2, 2)]
    values = np.concatenate([every, between, *beside, np.float32([1e-30, 1e-9, 2.98e-8, 2.99e-8])]).astype(np.float32)
    values = np.concatenate([values, -values])
    planes = np.ascontiguousarray(np.stack([values, values[::-1], np.roll(values, 7)])[:, None])
    out = np.empty((1, values.size, 3), np.uint16)
    halves_of(planes, out)
    for c in range(3):
        np.testing.assert_array_equal(out[0, :, c], planes[c, 0].astype(np.float16).view(np.uint16))


def test_what_is_beyond_is_kept_inside_and_the_edges_go_on() -> None:
    planes = np.array([[[0.25, 3.0], [-9.0, 0.5]]] * 3, np.float32)
    out = np.zeros((4, 5, 3), np.uint16)
    halves_of(planes, out)
    first, second = [0.25, 1, 1, 1, 1], [-1, 0.5, 0.5, 0.5, 0.5]
    np.testing.assert_array_equal(out.view(np.float16)[..., 1], [first, second, second, second])
