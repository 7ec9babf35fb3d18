"""The resampling has a way for places that lie beside each other in the source and one for those that do not: both are cubic
splines, whatever the turn, and a homography for each block is what one warp for each would be.

Reference: scipy.ndimage's ``map_coordinates`` of order 3 (mode "mirror")."""

import math

import numpy as np
import pytest
from scipy.ndimage import map_coordinates

from zincplate.core.geometry.projective import through_four
from zincplate.core.geometry.radial import ByHand, compose
from zincplate.core.geometry.sampling import Sampling
from zincplate.core.geometry.splines import LEAST_SHARE
from zincplate.core.geometry.warp import PART, Blocks, warp

SIZES = {"several blocks": (300, 40), "a block and one": (129, 7), "less than eight": (7, 9), "one column": (1, 12)}
MAPS = {
    "still": (0.0, 1.0),
    "a hair": (0.15, 1.0),
    "three degrees": (3.0, 1.0),
    "a tenth turn": (36.0, 1.0),
    "larger": (1.0, 0.97),
}


def turned(degrees: float, scale: float, shift: tuple[float, float] = (0.31, -0.44)) -> np.ndarray:
    c, s = math.cos(math.radians(degrees)) * scale, math.sin(math.radians(degrees)) * scale
    return np.array([[c, -s, shift[0]], [s, c, shift[1]], [0, 0, 1.0]])


def sampling(matrix: np.ndarray, width: int, height: int) -> Sampling:
    return Sampling(matrix, -width / 2, -height / 2, 1.0, 1.0, width, height, 1.0, 1.0, 0, 0)


def expected(planes: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """By scipy: places of pixels' middles, kept inside the samples."""
    _, height, width = planes.shape
    x, y = np.meshgrid(np.arange(width) + 0.5 - width / 2, np.arange(height) + 0.5 - height / 2)
    there = np.einsum("ij,jhw->ihw", matrix, np.stack([x, y, np.ones_like(x)]))
    u = np.clip(there[0] / there[2] + width / 2 - 0.5, 0, width - 1)
    v = np.clip(there[1] / there[2] + height / 2 - 0.5, 0, height - 1)
    return np.stack([map_coordinates(p.astype(np.float64), [v, u], order=3, mode="mirror") for p in planes])


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("name", MAPS)
def test_it_is_scipys_spline(name: str, size: str) -> None:
    width, height = SIZES[size]
    planes = np.random.default_rng(5).uniform(1.0, 1.4, (3, height, width)).astype(np.float32)
    matrix = turned(*MAPS[name])
    found = warp(planes, sampling(matrix, width, height), compose(math.hypot(width, height) / 2), width, height)
    assert np.abs(found - expected(planes, matrix)).max() < 2e-4


@pytest.mark.parametrize("name", ["a hair", "a tenth turn"])
def test_beside_a_lamp_nothing_falls_below_a_share_of_what_is_there(name: str) -> None:
    planes = np.full((3, 40, 300), 0.01, np.float32)
    planes[:, 12:28:5, 20::9] = 60.0
    matrix = turned(*MAPS[name])
    found = warp(planes, sampling(matrix, 300, 40), compose(150.0), 300, 40)
    plain = expected(planes, matrix)
    assert plain.min() < -1  # the spline alone undershoots
    assert found.min() >= np.float32(0.01) * np.float32(LEAST_SHARE) * 0.9999
    kept = plain > 0.02
    assert np.abs(found - plain)[kept].max() < 5e-3


def test_colours_that_go_their_own_ways_and_light_that_falls_off() -> None:
    planes = np.random.default_rng(6).uniform(1.0, 1.4, (3, 40, 300)).astype(np.float32)
    half = math.hypot(300, 40) / 2
    lens = compose(half, by_hand=ByHand(red=0.004, blue=-0.003, corner_ev=0.5))
    found = warp(planes, sampling(turned(0, 1), 300, 40), lens, 300, 40)
    for c, scale in enumerate((1.004, 1.0, 0.997)):
        there = turned(0, 1)
        there = np.diag([scale, scale, 1.0]) @ there
        x, y = np.meshgrid(np.arange(300) + 0.5 - 150 + 0.31, np.arange(40) + 0.5 - 20 - 0.44)
        gain = 2.0 ** (0.5 * (np.hypot(x, y) / half) ** 2)
        assert np.abs(found[c] / gain - expected(planes, there)[c]).max() < 1e-3


def test_finer_places_are_their_mean() -> None:
    planes = np.random.default_rng(7).uniform(1.0, 1.4, (3, 40, 300)).astype(np.float32)
    lens = compose(150.0)
    one = Sampling(turned(0.15, 1), -75, -10, 1.0, 1.0, 300, 40, 1.0, 1.0, 0, 0, finer=2)
    found = warp(planes, one, lens, 150, 20, gains=np.full(3, 1.5, np.float32)) / 1.5
    parts = []
    for dy in (-0.25, 0.25):
        for dx in (-0.25, 0.25):
            parts.append(
                warp(planes, Sampling(turned(0.15, 1), -75 + dx, -10 + dy, 1.0, 1.0, 300, 40, 1.0, 1.0, 0, 0), lens, 150, 20)
            )
    assert np.abs(found - np.mean(parts, 0)).max() < 1e-4


def test_blocks_are_warps_of_their_own() -> None:
    width, height, wide, high = 300, 40, 3 * PART, 16
    planes = np.random.default_rng(8).uniform(1.0, 1.4, (3, height, width)).astype(np.float32)
    lens = compose(math.hypot(width, height) / 2)
    homographies = np.array([[turned(0.2 * c - 0.1 * r, 1, (c - r, 0.3 * r)) for c in range(4)] for r in range(3)])
    out = np.full((3, height, width), -7, np.float32)
    gains = np.array([0.5, 1.0, 2.0], np.float32)
    placed = sampling(np.eye(3), width, height)
    assert warp(planes, placed, lens, width, height, blocks=Blocks(homographies, wide, high), out=out, gains=gains) is out
    for r in range(3):
        for c in range(4):
            alone = warp(planes, sampling(homographies[r, c], width, height), lens, width, height) * gains[:, None, None]
            part = np.s_[:, r * high : (r + 1) * high, c * wide : (c + 1) * wide]
            assert np.abs(out[part] - alone[part]).max() < 2e-4, (r, c)


def test_homographies_through_four_places() -> None:
    rng = np.random.default_rng(9)
    here = np.array([[-40, 40, 40, -40], [-30, -30, 30, 30]], np.float64)
    there = here[None] + rng.uniform(-8, 8, (5, 2, 4))
    found = through_four(np.tile(here[0], (5, 1)), np.tile(here[1], (5, 1)), there[:, 0], there[:, 1])
    for k in range(5):
        at = found[k] @ np.stack([*here, np.ones(4)])
        np.testing.assert_allclose(at[:2] / at[2], there[k], atol=1e-9)
    # four places that go to one (a sphere's pole): nothing exact, and nothing fails, nor does it spoil the others
    there[2] = 3.0
    still = through_four(np.tile(here[0], (5, 1)), np.tile(here[1], (5, 1)), there[:, 0], there[:, 1])
    np.testing.assert_allclose(still[[0, 1, 3, 4]], found[[0, 1, 3, 4]], atol=1e-6)
    at = still[2] @ np.stack([*here, np.ones(4)])
    np.testing.assert_allclose(at[:2] / at[2], 3.0, atol=1e-6)
