"""Hot sites stand beside the mosaic, not in a second one: every window is that of a mosaic in which they were replaced."""

from itertools import product

import numpy as np
import pytest

from zincplate.core.sensor.hot_pixels import PART, hot_sites, replaced
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import Decoded
from zincplate.sources.readers import Mosaic

BLACK = np.full((2, 2), 512.0)


def mosaic(height: int, width: int, seed: int = 1) -> tuple[np.ndarray, list[tuple[int, int]]]:
    """Even sites with a little noise, and hot ones of which some lie as near to the edge as any is looked for."""
    rng = np.random.default_rng(seed)
    sites = (2000 + rng.normal(0, 8, (height, width))).astype(np.uint16)
    near = (2, height - 3, height // 2), (2, width - 3, width // 3)
    places = sorted({(y, x) for y, x in product(*near)})
    for y, x in places:
        sites[y, x] = 15_000
    return sites, places


def reader(sites: np.ndarray) -> Mosaic:
    decoded = Decoded("mosaic", sites, CaptureData(), None, cfa=(1, 0, 2, 1), black=(512.0,) * 4, white=16383.0)
    return Mosaic(decoded, (0.5, 1.0, 0.7))


def test_they_are_found_and_replaced_in_parts() -> None:
    sites, places = mosaic(60, 90)
    found, values = hot_sites(sites, BLACK, 16383.0, 1e-4, 1e-7)
    assert [tuple(p) for p in found] == places and np.abs(values.astype(int) - 2000).max() < 20
    whole = replaced(sites, found, values)
    assert whole.max() < 2100 and sites.max() == 15_000, "in a copy"
    untouched = np.ones(sites.shape, bool)
    untouched[tuple(found.T)] = False
    assert (whole == sites)[untouched].all()
    for y, x, rows, columns in ((0, 0, 3, 3), (2, 2, 1, 1), (3, 0, 27, 90), (57, 87, 3, 3), (30, 30, 1, 60), (10, 40, 9, 9)):
        part = replaced(sites[y : y + rows, x : x + columns], found, values, y, x)
        assert np.array_equal(part, whole[y : y + rows, x : x + columns])


@pytest.mark.parametrize("value", [15_000, 520])
def test_they_are_found_in_every_column(value: int) -> None:
    """Rows are looked through in parts."""
    width = 2 * PART + 9
    sites = (2000 + np.random.default_rng(3).normal(0, 8, (5 * width, width))).astype(np.uint16)
    places = [(5 * x, x) for x in range(2, width - 2)]
    sites[tuple(np.transpose(places))] = value
    found, _ = hot_sites(sites, BLACK, 16383.0, 1e-4, 1e-7)
    assert [tuple(p) for p in found] == places


@pytest.mark.parametrize(("height", "width"), [(120, 150), (24, 200), (12, 14)])
def test_every_window_is_that_of_a_clean_mosaic(height: int, width: int) -> None:
    sites, _ = mosaic(height, width)
    own = reader(sites)
    clean = reader(replaced(sites, *own.hot()))
    clean._hot = np.zeros((0, 2), np.intp), np.zeros(0, np.uint16)
    clean._noise = own.noise
    assert len(own.hot()[0]) >= 3
    rng = np.random.default_rng(2)
    windows = [(0, 0, width, height), (0, 0, 1, 1), (width - 1, height - 1, 1, 1), (0, height - 2, width, 2)]
    for _ in range(30):
        x, y = int(rng.integers(0, width)), int(rng.integers(0, height))
        windows.append((x, y, int(rng.integers(1, width - x + 1)), int(rng.integers(1, height - y + 1))))
    for window in windows:
        assert np.array_equal(own.window(*window, True), clean.window(*window)), window
    if min(height, width) >= 24:
        assert np.array_equal(own.reduced(4, True).planes, clean.reduced(4).planes)
    # and without being asked they stay
    assert np.abs(own.window(0, 0, width, height) - clean.window(0, 0, width, height)).max() > 0.1


def as_described(sites: np.ndarray, black: np.ndarray, slope: float, offset: float) -> set[tuple[int, int]]:
    """Site by site, as the module says it; ``slope`` and ``offset`` in codes."""
    found = set()
    v = sites.astype(int)
    least = int(8 * np.sqrt(max(offset, 1)))
    for y in range(2, sites.shape[0] - 2):
        for x in range(2, sites.shape[1] - 2):
            own, b = v[y, x], black[y & 1, x & 1]
            four = [v[y, x - 2], v[y, x + 2], v[y - 2, x], v[y + 2, x]]
            if min(four) - least <= own <= max(four) + least:
                continue
            eight = sorted(four + [v[y + i, x + k] for i in (-2, 2) for k in (-2, 2)])
            mean = sum(eight[1:-1]) / 6
            deviation = max(8 * np.sqrt(max(slope * max(mean - b, 0) + offset, 1)), 2 * (eight[-2] - eight[1]))
            beside = [v[y, x - 1], v[y, x + 1], v[y - 1, x], v[y + 1, x]]
            around = np.mean([v[y + i, x + k] for i in (-1, 1) for k in (-2, 2)])
            rise = np.mean(beside) - around
            hot = own - eight[-2] > max(deviation, 0.25 * (own - b)) and rise < 0.06 * (own - mean) + 0.7 * deviation / 8
            hot = hot and max(beside) - around < 0.06 * (own - mean) + 2.2 * deviation / 8
            cold = eight[1] - own > max(deviation, 0.25 * (mean - b)) and -rise < 0.25 * (mean - own)
            if hot or cold:
                found.add((y, x))
    return found


@pytest.mark.parametrize("black", [[[512.0, 512.0], [512.0, 512.0]], [[470.0, 512.5], [530.0, 600.0]]])
@pytest.mark.parametrize("level", [30, 800, 9000])
def test_they_are_those_that_are_described(level: int, black: list[list[float]]) -> None:
    rng = np.random.default_rng(level)
    sites = np.clip(rng.normal(level, level**0.5, (60, 80)) + 512, 0, 16383).astype(np.uint16)
    at = rng.integers(0, sites.size, 90)
    # from a little beside the others to the ends of the range
    sites.flat[at] = np.clip(512 + level * 2.0 ** rng.uniform(-3, 3, 90), 0, 16383).astype(np.uint16)
    # and some have another one beside them, nearly as hot or as cold
    for i in at[:30]:
        if i % 80 < 78:
            sites.flat[i + 2] = int(sites.flat[i] * 0.92 + level * 0.08 + 41)
    span = 16383.0 - float(np.mean(black))
    found, _ = hot_sites(sites, np.array(black), 16383.0, 0.4 / span, 6.0 / span**2)
    wanted = as_described(sites, np.array(black), 0.4, 6.0)
    assert {tuple(int(v) for v in p) for p in found} == wanted and len(wanted) > 15
