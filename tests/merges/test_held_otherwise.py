"""Frames of one sensor that do not agree how the camera was held, or whose mosaics begin at another colour: pointed straight down
or with its cap on a camera cannot tell, and cropped by a column a mosaic begins otherwise."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.reference.test_bracket import BASE, CAMERA, opened
from tests.reference.test_series import small
from zincplate.formats.decode import decode
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.belong import one_way
from zincplate.merges.judge import judge
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import Options, look_at, merged
from zincplate.merges.options import BracketOptions
from zincplate.merges.series.calibrate import masters_of
from zincplate.merges.series.judge import judge_series
from zincplate.merges.series.options import Role, SeriesOptions
from zincplate.merges.view import Opened, View, views_of
from zincplate.merges.view import opened as opened_together

NO_LENSES = LensDatabase()


@pytest.fixture(scope="module")
def frames(tmp_path_factory: pytest.TempPathFactory) -> list[Opened]:
    folder = tmp_path_factory.mktemp("flat")
    return [opened(folder, f"{i}", replace(BASE, exposure_time_s=0.05 * 4.0**i, seed=i)) for i in range(3)]


def held(frames: list[Opened], *flags: int) -> list[Opened]:
    return [replace(f, source=f.source.held(flag)) for f, flag in zip(frames, flags, strict=True)]


def master(frames: list[Opened], options: Options, folder: Path) -> np.ndarray:
    path = folder / "master.dng"
    path.write_bytes(merged(frames, options, NO_LENSES, "Test", []).dng)
    return decode(path).pixels


@pytest.mark.parametrize(
    ("flags", "as_one"), [((1, 6, 1), 1), ((8, 1, 1), 1), ((6, 6, 1), 6), ((1, 8, 8), 8), ((3, 6, 3), 3)], ids=str
)
@pytest.mark.parametrize("options", [BracketOptions(reference=1), SeriesOptions(align="none")], ids=["bracket", "series"])
def test_what_most_are_told_counts(
    frames: list[Opened], flags: tuple[int, ...], as_one: int, options: Options, tmp_path: Path
) -> None:
    found = master(held(frames, *flags), options, tmp_path)
    assert np.array_equal(found, master(held(frames, as_one, as_one, as_one), options, tmp_path))
    assert found.shape[:2] == ((640, 960) if as_one in (1, 3) else (960, 640))


def test_of_two_that_are_as_many_the_first_counts(frames: list[Opened]) -> None:
    two = one_way(held(frames[:2], 8, 1))
    assert [f.source.orientation for f in two] == [8, 8] and {f.source.width for f in two} == {640}
    look = look_at(held(frames[:2], 8, 1), BracketOptions(), NO_LENSES, lambda _: None, Kept(), "two")
    assert look.picture.shape[0] > look.picture.shape[1] and all(row["takes_part"] for row in look.report["frames"])


def test_what_agrees_or_is_of_another_sensor_stays(frames: list[Opened], tmp_path: Path) -> None:
    upside_down = held(frames, 1, 3, 1)
    assert [f.source.orientation for f in one_way(upside_down)] == [1, 3, 1]
    other = opened(tmp_path, "other", BASE, camera=replace(CAMERA, width=640, height=480))
    assert one_way([frames[0], other])[1] is other


@pytest.mark.parametrize("cfa", [(1, 0, 2, 1), (1, 2, 0, 1), (2, 1, 1, 0)], ids=str)
def test_mosaics_that_begin_at_another_colour_lie_on_each_other(
    cfa: tuple[int, int, int, int], frames: list[Opened], tmp_path: Path
) -> None:
    other = opened(tmp_path, "other", replace(BASE, exposure_time_s=0.2, seed=8), camera=replace(CAMERA, cfa=cfa))
    mixed = [frames[0], other, frames[2]]
    views = list(views_of(mixed, lambda _: None))
    assert len({(v.origin, v.size) for v in views}) == 1
    a, b = (views[k].green / np.float32(2.0 ** (mixed[k].told_ev or 0)) for k in (0, 1))
    calm = views[0].calm & views[1].calm
    assert abs(np.median(np.log2(b[calm] / a[calm]))) < 0.01
    judged = judge(mixed, BracketOptions(reference=0))
    assert judged.members == [0, 1, 2]
    assert max(f.shift_px for f in judged.figures) < 0.1 and judged.figures[1].residual_px < 0.1
    assert judged.moved is None or not (judged.moved.labels > 0).any()


def test_darks_fit_however_the_camera_lay(tmp_path: Path) -> None:
    three = opened_together([small(tmp_path, f"f{i}", i + 1, capped=i > 0) for i in range(3)])
    roles: list[Role] = ["light", "dark", "dark"]
    plain, lying = masters_of(three, roles), masters_of(held(three, 1, 6, 3), roles)
    assert plain.dark is not None and lying.dark is not None and np.array_equal(plain.dark, lying.dark)


def test_darks_that_lay_otherwise_leave_the_views_of_the_lights_alone(tmp_path: Path) -> None:
    frames = opened_together([small(tmp_path, f"f{i}", i + 1, capped=i > 1, exposure_time_s=1 / 60) for i in range(4)])
    views: list[View] = []
    judge_series(held(frames, 1, 1, 3, 3), SeriesOptions(align="none"), NO_LENSES, views=views)
    plain: list[View] = []
    judge_series(frames, SeriesOptions(align="none"), NO_LENSES, views=plain)
    assert all(np.array_equal(a.planes, b.planes) and a.origin == b.origin for a, b in zip(views[:2], plain[:2], strict=True))
    # lights that do not begin alike are mixed
    mixed: list[View] = []
    judge_series(held(frames[:2], 1, 3), SeriesOptions(align="none"), NO_LENSES, views=mixed)
    assert len({(v.origin, v.size) for v in mixed}) == 1
