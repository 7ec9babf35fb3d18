"""Where a clone that is turned or mirrored is taken from, and what is read there: against a scene known at every place."""

import numpy as np
import pytest

from zincplate.plan.passes import Stroke
from zincplate.plan.repairs import RepairPlan
from zincplate.sources.rect import Rect
from zincplate.sources.repair_cover import cover_of
from zincplate.sources.taken_from import matrix_of, source_of, taken_from

W, H = 400, 260
WHOLE = Rect(0, 0, W, H)
TARGET = Rect(120, 90, 60, 50)
MIDDLE = (150.0, 115.0)


def clone(angle: float, mirrored: bool = False, away: tuple[float, float] = (80.0, 20.0)) -> RepairPlan:
    begun = Stroke(((MIDDLE[0] / W, MIDDLE[1] / W),), 40 / W, 0.6, 1.0)
    return RepairPlan(kind="clone", strokes=(begun,), away=(away[0] / W, away[1] / W), angle_degrees=angle, mirrored=mirrored)


def light(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """(3, ...) smooth, different along both directions and in every colour."""
    return np.stack([0.5 + 0.2 * np.sin(x / 11 + k) + 0.15 * np.cos(y / 17 - k) + 0.05 * np.sin(x * y / 3000) for k in range(3)])


def read(rect: Rect) -> np.ndarray:
    ys, xs = np.mgrid[rect.y : rect.bottom, rect.x : rect.right] + 0.5
    return light(xs, ys).astype(np.float32)


@pytest.mark.parametrize("angle", [30.0, -17.5, 45.0, 120.0, 179.0])
@pytest.mark.parametrize("mirrored", [False, True])
def test_every_place_shows_what_stands_where_it_is_taken_from(angle: float, mirrored: bool) -> None:
    repair = clone(angle, mirrored)
    planes, there = source_of(repair, TARGET, WHOLE, max(WHOLE.w, WHOLE.h), read)
    assert there.all()
    ys, xs = np.mgrid[TARGET.y : TARGET.bottom, TARGET.x : TARGET.right] + 0.5
    m = matrix_of(repair, W)
    expected = light(m[0, 0] * xs + m[0, 1] * ys + m[0, 2], m[1, 0] * xs + m[1, 1] * ys + m[1, 2])
    assert np.abs(planes - expected).max() < 2e-3
    # nothing is read that is not asked for, and all of that is
    wanted = taken_from(repair, TARGET, W)
    assert wanted.w < 110 and wanted.h < 110


def test_turns_add_up_and_keep_sizes() -> None:
    """Three turns of 30 degrees about the stroke are the quarter turn that copies values; its middle moves as far as was said."""
    still = (0.0, 0.0)
    third, quarter = (np.vstack([matrix_of(clone(a, away=still), W), [0, 0, 1]]) for a in (30.0, 90.0))
    np.testing.assert_allclose(third @ third @ third, quarter, atol=1e-9)
    for angle, mirrored in ((30.0, False), (-70.0, True)):
        m = matrix_of(clone(angle, mirrored), W)
        np.testing.assert_allclose(m @ (*MIDDLE, 1), (MIDDLE[0] + 80, MIDDLE[1] + 20), atol=1e-9)
        assert np.linalg.det(m[:, :2]) == pytest.approx(-1.0 if mirrored else 1.0)


def test_beside_the_picture_nothing_is_taken() -> None:
    repair = clone(35.0, away=(245.0, 0.0))
    planes, there = source_of(repair, TARGET, WHOLE, max(WHOLE.w, WHOLE.h), read)
    ys, xs = np.mgrid[TARGET.y : TARGET.bottom, TARGET.x : TARGET.right] + 0.5
    m = matrix_of(repair, W)
    x, y = m[0, 0] * xs + m[0, 1] * ys + m[0, 2], m[1, 0] * xs + m[1, 1] * ys + m[1, 2]
    inside = (x >= 0.5) & (x <= W - 0.5) & (y >= 0.5) & (y <= H - 0.5)
    assert 0.3 < inside.mean() < 0.95 and (there == inside).mean() > 0.999
    assert np.abs(planes - light(x, y))[:, there].max() < 0.02


@pytest.mark.parametrize("soften_px", [0.0, 20.0])
def test_a_patch_covers_what_its_outline_encloses(soften_px: float) -> None:
    """Area and middle by the outline's own corners (the shoelace formula), read from whatever rectangle; softened, the border
    runs out inwards by a smooth step of the distance to it."""
    corners = np.array([[0.2, 0.1], [0.7, 0.15], [0.6, 0.5], [0.25, 0.45]])
    repair = RepairPlan("patch", outline=tuple(map(tuple, corners)), soften_px=soften_px)
    x, y = (corners * 400).T
    cross = x * np.roll(y, -1) - y * np.roll(x, -1)
    area = cross.sum() / 2
    middle = ((x + np.roll(x, -1)) @ cross / (6 * area), (y + np.roll(y, -1)) @ cross / (6 * area))
    for rect in (Rect(0, 0, 400, 300), Rect(40, 20, 330, 240)):
        cover = cover_of(repair, rect, 400)
        rows, columns = np.nonzero(cover > 0.5) if not soften_px else np.nonzero(cover > 0)
        assert abs(len(rows) / area - 1) < 0.02
        assert abs(columns.mean() + 0.5 + rect.x - middle[0]) < 0.5 and abs(rows.mean() + 0.5 + rect.y - middle[1]) < 0.5
        if soften_px:
            # straight down from the upper edge, whose slope is a tenth
            column = cover[:, 160 - rect.x]
            edge = 0.1 * 400 + 0.1 * (160.5 - 80) - rect.y
            for down in (4, 10, 16):
                t = (down + 0.5) / np.hypot(1, 0.1) / soften_px
                assert abs(column[int(edge) + down] - t * t * (3 - 2 * t)) < 0.06
            assert cover.max() == 1.0
