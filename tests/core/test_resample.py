"""Area averages and Lanczos reduction."""

import cv2
import numpy as np
import pytest

from zincplate.core.geometry.resample import lanczos_columns, lanczos_rows, reduce_box


def test_box_agrees_with_opencvs_area_for_whole_factors() -> None:
    planes = np.random.default_rng(1).random((3, 60, 90)).astype(np.float32)
    ours = reduce_box(planes, (0, 90), (0, 60), 30, 20)
    theirs = cv2.resize(planes[1], (30, 20), interpolation=cv2.INTER_AREA)
    assert np.abs(ours[1] - theirs).max() < 1e-5


@pytest.mark.parametrize(
    ("x", "y", "w", "h"), [((0.3, 61.7), (2.2, 40.9), 37, 23), ((-0.5, 63.5), (0, 48), 40, 31), ((0, 3), (0, 2), 3, 2)]
)
def test_box_keeps_flat_fields_and_ramps(x: tuple[float, float], y: tuple[float, float], w: int, h: int) -> None:
    ramp = np.broadcast_to(np.arange(64, dtype=np.float32), (48, 64))
    planes = np.stack([np.full((48, 64), 0.7, np.float32), ramp])
    out = reduce_box(np.ascontiguousarray(planes), x, y, w, h)
    assert np.abs(out[0] - 0.7).max() < 1e-5
    edges = np.linspace(*x, w + 1)
    inside = (edges[:-1] >= 0) & (edges[1:] <= 64)
    middle = (edges[:-1] + edges[1:]) / 2 - 0.5
    assert np.abs(out[1][:, inside] - middle[inside]).max() < 0.26  # a box over whole samples is exact to a quarter sample


def test_lanczos_keeps_flat_fields_and_removes_what_cannot_be_held() -> None:
    flat = np.full((1, 64, 96), 0.4, np.float32)
    assert np.abs(lanczos_columns(lanczos_rows(flat, 30), 20) - 0.4).max() < 1e-5
    x = np.arange(900)
    fine = 0.5 + 0.5 * np.cos(np.pi * 0.8 * x)  # far beyond what a third of the size can hold
    out = lanczos_rows(np.tile(fine, (1, 40, 1)).astype(np.float32), 300)[0, 20, 10:-10]
    assert np.abs(out - 0.5).max() < 0.02
    coarse = 0.5 + 0.4 * np.cos(np.pi * 0.06 * x)
    out = lanczos_rows(np.tile(coarse, (1, 40, 1)).astype(np.float32), 300)[0, 20, 10:-10]
    there = 0.5 + 0.4 * np.cos(np.pi * 0.06 * (np.arange(300) * 3 + 1))[10:-10]
    assert np.abs(out - there).max() < 0.01


@pytest.mark.parametrize(("source", "target"), [(90, 31), (64, 64), (50, 47), (200, 7)])
def test_lanczos_is_its_formula(source: int, target: int) -> None:
    """Turkowski, Filters for common resampling tasks (1990): sinc(t) sinc(t / 3), widened by the reduction; edges go on."""
    values = np.random.default_rng(5).random(source).astype(np.float32)
    far = 6 * source
    place = np.arange(-far, source + far)
    step = source / target
    t = (place[None] - (np.arange(target)[:, None] + 0.5) * step + 0.5) / step
    weights = np.where(np.abs(t) < 3, np.sinc(t) * np.sinc(t / 3), 0)
    wanted = weights @ values[np.clip(place, 0, source - 1)] / weights.sum(1)
    assert np.abs(lanczos_rows(np.tile(values, (1, 3, 1)), target)[0, 1] - wanted).max() < 1e-5
    assert np.abs(lanczos_columns(np.tile(values[:, None], (1, 1, 3)), target)[0, :, 1] - np.maximum(wanted, 0)).max() < 1e-5
