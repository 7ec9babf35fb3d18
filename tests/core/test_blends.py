"""Blends against the formulas of W3C Compositing and Blending Level 1, sections 10.1 and 10.2, written out anew in double
precision."""

from collections.abc import Callable

import numpy as np
import pytest
from numba import njit

from zincplate.core.tone.blends import NUMBERS, blended

Pixel = np.ndarray


@njit
def _all(mode: int, backdrop: np.ndarray, source: np.ndarray) -> np.ndarray:
    out = np.empty_like(source)
    for i in range(len(source)):
        b, s = backdrop[i], source[i]
        r, g, bl = blended(mode, b[0], b[1], b[2], s[0], s[1], s[2])
        out[i, 0], out[i, 1], out[i, 2] = r, g, bl
    return out


def soft_light(b: float, s: float) -> float:
    if s <= 0.5:
        return b - (1 - 2 * s) * b * (1 - b)
    d = ((16 * b - 12) * b + 4) * b if b <= 0.25 else b**0.5
    return b + (2 * s - 1) * (d - b)


def hard_light(b: float, s: float) -> float:
    return 2 * b * s if s <= 0.5 else b + (2 * s - 1) - b * (2 * s - 1)


def lum(c: Pixel) -> float:
    return float(0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2])


def set_lum(c: Pixel, light: float) -> Pixel:
    c = c + (light - lum(c))
    level, n, x = lum(c), c.min(), c.max()
    if n < 0:
        c = level + (c - level) * level / (level - n)
    if x > 1:
        c = level + (c - level) * (1 - level) / (x - level)
    return c


FORMULAS: dict[str, Callable[[Pixel, Pixel], Pixel]] = {
    "normal": lambda b, s: s,
    "lighten": np.maximum,
    "darken": np.minimum,
    "multiply": lambda b, s: b * s,
    "screen": lambda b, s: b + s - b * s,
    "overlay": lambda b, s: np.array([hard_light(y, x) for x, y in zip(b, s, strict=True)]),
    "soft_light": lambda b, s: np.array([soft_light(x, y) for x, y in zip(b, s, strict=True)]),
    "luminosity": lambda b, s: set_lum(b, lum(s)),
    "colour": lambda b, s: set_lum(s, lum(b)),
    "sum": lambda b, s: np.minimum(b + s, 1),
}


@pytest.mark.parametrize("name", NUMBERS)
def test_a_blend_is_its_formula(name: str) -> None:
    rng = np.random.default_rng(3)
    corners = np.array(np.meshgrid([0, 0.25, 0.5, 1], [0, 0.5, 1], [0, 0.5, 1])).reshape(3, -1).T
    backdrop = np.concatenate([rng.random((300, 3)), np.repeat(corners, len(corners), 0)])
    source = np.concatenate([rng.random((300, 3)), np.tile(corners, (len(corners), 1))])
    found = _all(NUMBERS[name], backdrop.astype(np.float32), source.astype(np.float32))
    expected = np.array([FORMULAS[name](b, s) for b, s in zip(backdrop, source, strict=True)])
    assert np.abs(found - expected).max() < 1e-6
