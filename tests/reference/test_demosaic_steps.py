"""The compiled demosaicing against its steps written once more, for a whole picture at once and in double precision: Hamilton and
Adams (US 5,629,734, 1997) along rows and columns, mixed by the inverse fourth power of the activity; the colour difference from
four neighbours by their gradients (the idea of Pekkucuksen and Altunbasak, ICIP 2010); red and blue from differences."""

import numpy as np
import pytest

from zincplate.core.sensor.demosaic import MARGIN, bin_mosaic, demosaic_window

ROWS, COLUMNS = 60, 84


def at(plane: np.ndarray, down: int, right: int) -> np.ndarray:
    """What lies so many sites below and to the right of each site (sites at the rim are not compared)."""
    return np.roll(plane, (-down, -right), (0, 1))


def second(plane: np.ndarray, down: int, right: int) -> np.ndarray:
    return 2 * plane - at(plane, -2 * down, -2 * right) - at(plane, 2 * down, 2 * right)


def step(plane: np.ndarray, first: tuple[int, int], last: tuple[int, int]) -> np.ndarray:
    return np.abs(at(plane, *first) - at(plane, *last))


def activity(m: np.ndarray, down: int, right: int) -> np.ndarray:
    """Along one direction: the site's own line in full, the lines beside it and the farther steps by half."""
    found = step(m, (-down, -right), (down, right)) + np.abs(second(m, down, right))
    for side in (-1, 1):
        beside = at(m, side * right, side * down)
        found += 0.5 * (step(beside, (-down, -right), (down, right)) + np.abs(second(beside, down, right)))
        found += 0.5 * step(m, (3 * side * down, 3 * side * right), (side * down, side * right))
    return found**4 + 1e-6


def first_green(m: np.ndarray, green_site: np.ndarray) -> np.ndarray:
    along = [(at(m, -d, -r) + at(m, d, r)) / 2 + second(m, d, r) / 4 for d, r in ((0, 1), (1, 0))]
    row, column = activity(m, 0, 1), activity(m, 1, 0)
    return np.where(green_site, m, (along[0] * column + along[1] * row) / (row + column))


def red_and_blue(m: np.ndarray, green: np.ndarray, red_row: np.ndarray, green_site: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    difference = m - green
    corners = [at(difference, *place) for place in ((-1, -1), (1, 1), (-1, 1), (1, -1))]
    uneven = [np.abs(at(green, *place) - green) for place in ((-1, -1), (1, 1), (-1, 1), (1, -1))]
    first, last = (np.abs(corners[k] - corners[k + 1]) + uneven[k] + uneven[k + 1] + 1e-4 for k in (0, 2))
    crossed = green + ((corners[0] + corners[1]) * last + (corners[2] + corners[3]) * first) / (2 * (first + last))
    level = green + (at(difference, 0, -1) + at(difference, 0, 1)) / 2
    upright = green + (at(difference, -1, 0) + at(difference, 1, 0)) / 2
    of_row, of_others = np.where(green_site, level, m), np.where(green_site, upright, crossed)
    return np.where(red_row, of_row, of_others), np.where(red_row, of_others, of_row)


def refined_green(m: np.ndarray, green: np.ndarray, colour: np.ndarray, green_site: np.ndarray) -> np.ndarray:
    own = green - colour
    weighted, weights = np.zeros_like(m), np.zeros_like(m)
    for down, right in ((0, -1), (0, 1), (-1, 0), (1, 0)):
        near, far = at(own, down, right), at(own, 2 * down, 2 * right)
        gradient = np.abs(green - at(green, 2 * down, 2 * right)) + step(green, (down, right), (-down, -right))
        gradient += np.abs(near - far) + np.abs(own - far)
        weights += (weight := 1 / (gradient**2 + 1e-7))
        weighted += weight * near
    return np.where(green_site, green, m + (weighted / weights + own) / 2)


@pytest.mark.parametrize("seed", [1, 2])
def test_every_step_of_the_demosaicing(seed: int) -> None:
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:ROWS, 0:COLUMNS]
    scene = 0.4 + 0.25 * np.sin(x / 5 + y / 9) + 0.2 * (x + 2 * y > 110) + 0.05 * rng.standard_normal((ROWS, COLUMNS))
    scene *= np.where((y + x) % 2, 1, 0.7)  # colours that differ by site
    m = np.sign(scene) * np.sqrt(np.abs(scene))
    green_site, red_row = (y + x) % 2 == 1, y % 2 == 0
    green = first_green(m, green_site)
    red, blue = red_and_blue(m, green, red_row, green_site)
    by_red, by_blue = (refined_green(m, green, colour, green_site) for colour in (red, blue))
    green = np.where(red_row, by_red, by_blue)
    red, blue = red_and_blue(m, green, red_row, green_site)
    wanted = np.stack([v * np.abs(v) for v in (red, green, blue)])
    planes = np.empty((3, ROWS, COLUMNS), np.float32)
    demosaic_window(m.astype(np.float32), planes, np.empty((ROWS, COLUMNS), np.float32))
    inner = np.s_[:, MARGIN:-MARGIN, MARGIN:-MARGIN]
    assert np.abs(planes[inner] - wanted[inner]).max() < 2e-5


@pytest.mark.parametrize("k", [2, 4, 6])
@pytest.mark.parametrize(("top", "left"), [(0, 0), (2, 4), (-4, -2)])
def test_small_pixels_are_the_means_of_their_sites(k: int, top: int, left: int) -> None:
    """Black levels and balance differ by site; beyond the mosaic its mirror image is taken."""
    mosaic = np.random.default_rng(k).integers(300, 16_000, (30, 42)).astype(np.uint16)
    black = np.array([[256, 260], [250, 270]], np.float32)
    scale = np.array([[2.1, 1.0], [1.02, 1.6]], np.float32) / 15_000
    out = np.full((3, -(-(30 - top) // k), -(-(42 - left) // k)), np.nan, np.float32)
    bin_mosaic(mosaic, top, left, k, black, scale, out)
    rows, columns = top + np.arange(out.shape[1] * k), left + np.arange(out.shape[2] * k)
    rows = np.where(np.abs(rows) >= 30, 58 - rows, np.abs(rows))
    columns = np.where(np.abs(columns) >= 42, 82 - columns, np.abs(columns))
    blocks = mosaic[np.ix_(rows, columns)].astype(float).reshape(out.shape[1], k // 2, 2, out.shape[2], k // 2, 2).mean((1, 4))
    levels = (blocks.transpose(0, 2, 1, 3) - black) * scale
    wanted = levels[..., 0, 0], (levels[..., 0, 1] + levels[..., 1, 0]) / 2, levels[..., 1, 1]
    assert np.abs(out - wanted).max() < 1e-6
