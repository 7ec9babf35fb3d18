"""Series of known scenes: noise and its law, the demo's night over the works with its darks and flats, and what goes wrong."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.reference.test_panorama import decoded_of
from zincplate.core.merging.stacking import CLIPPED, MEAN, MEDIAN, combined, taken_off
from zincplate.core.merging.star_field import Stars, background, same_stars, stars_of, without_still
from zincplate.demo import truth
from zincplate.demo.camera import CameraModel, Settings, expose, metered
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ZOOM
from zincplate.demo.night import stars as true_stars
from zincplate.demo.scenes import drawn_field, even_field, load
from zincplate.formats.decode import decode
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.errors import MergeError
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import look_at
from zincplate.merges.series.judge import SeriesJudgement, judge_series
from zincplate.merges.series.master import report_of
from zincplate.merges.series.options import SeriesOptions
from zincplate.merges.series.parts import land_of, parts
from zincplate.merges.view import Opened, View
from zincplate.merges.view import opened as opened_together
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
NO_LENSES = LensDatabase()
SMALL = CameraModel("Pennick", "Pennick Test 2", 480, 320, serial="2")
RNG = np.random.default_rng(11)


def stacked(values: Float32, method: int, offset: float = 1e-4, deviations: float = 4.0) -> Float32:
    n, _, h, w = values.shape
    one = np.ones((n, 3), np.float32)
    trust = np.ones((n, h, w), np.float32)
    return combined(values, trust, one[:, 0].copy(), one * 0, one * np.float32(offset), method, deviations)[0]


@pytest.mark.parametrize("count", [4, 12, 36])
def test_noise_falls_as_the_root_of_the_number(count: int) -> None:
    values = (0.2 + RNG.normal(0, 0.01, (count, 3, 120, 160))).astype(np.float32)
    for method in (MEAN, CLIPPED):
        assert abs(stacked(values, method).std() / (0.01 / np.sqrt(count)) - 1) < 0.03


def test_the_median_is_four_fifths_as_good() -> None:
    """Asymptotically sqrt(2 / pi) = 0.798 (any textbook of statistics)."""
    values = (0.2 + RNG.normal(0, 0.01, (25, 3, 120, 160))).astype(np.float32)
    efficiency = stacked(values, MEAN).std() / stacked(values, MEDIAN).std()
    assert abs(efficiency - 0.80) < 0.03


def test_what_one_frame_alone_shows_is_left_out_and_fainter_differences_are_not() -> None:
    values = (0.2 + RNG.normal(0, 0.01, (12, 3, 60, 80))).astype(np.float32)
    clean = stacked(values, CLIPPED)
    values[3, :, 20:23] += 0.3
    values[5, 1, 40, 10] = 0.9  # hot in one colour: the whole pixel of that frame goes
    out = stacked(values, CLIPPED)
    assert np.abs(out[:, 20:23] - 0.2).max() < 0.02 and abs(out[1, 40, 10] - 0.2) < 0.02
    np.testing.assert_array_equal(out[:, :20], clean[:, :20])
    assert stacked(values, MEAN)[:, 20:23].mean() > 0.22
    # two frames cannot say which is right: both count
    both = stacked(values[2:4], CLIPPED)
    np.testing.assert_allclose(both[:, 21].mean(), 0.35, atol=0.01)


def test_longer_exposed_frames_count_for_more_and_clipped_ones_not() -> None:
    values = np.empty((2, 3, 40, 50), np.float32)
    values[0] = 0.1 + RNG.normal(0, 0.01, (3, 40, 50))
    values[1] = 0.4 + RNG.normal(0, 0.01, (3, 40, 50))
    trust = np.ones((2, 40, 50), np.float32)
    trust[1, :10] = 0
    one = np.ones((2, 3), np.float32)
    exposure = np.array([1, 4], np.float32)
    out, _ = combined(values, trust, exposure, one * 0, one * np.float32(1e-4), MEAN, 4.0)
    # the best weights are t^2: deviation 0.01 / sqrt(1 + 16)
    assert abs(out[:, 10:].std() / (0.01 / np.sqrt(17)) - 1) < 0.08
    np.testing.assert_allclose(out[:, :10], values[0, :, :10], rtol=1e-6)


def test_a_smooth_sky_is_taken_off() -> None:
    planes = np.zeros((3, 6, 10), np.float32)
    terms = np.zeros((3, 6))
    terms[0] = [1, 2, 3, 4, 5, 6]
    taken_off(planes, terms, 100, 10)
    u, v = 7 / 10 - 0.5, (100 + 2) / 10 - 0.5
    np.testing.assert_allclose(planes[0, 2, 7], -(1 + 2 * u + 3 * v + 4 * u * u + 5 * u * v + 6 * v * v), rtol=1e-5)
    assert (planes[1:] == 0).all()


def sky_of(places: NDArray[Any], flux: NDArray[Any], sigma: float = 1.1, size: tuple[int, int] = (300, 400)) -> Float32:
    """Stars of known flux on a sloping sky."""
    yy, xx = np.mgrid[: size[0], : size[1]]
    plane = 0.02 + 1e-5 * xx + 2e-5 * yy + RNG.normal(0, 4e-4, size)
    for (x, y), f in zip(places, flux, strict=True):
        plane += f / (2 * np.pi * sigma**2) * np.exp(-((xx - x) ** 2 + (yy - y) ** 2) / (2 * sigma**2))
    return plane.astype(np.float32)


def test_stars_are_found_where_they_are_with_their_light() -> None:
    grid = np.stack(np.meshgrid(np.arange(25, 380, 40), np.arange(25, 280, 40)), -1).reshape(-1, 2)[:60]
    places = grid + RNG.uniform(-6, 6, (60, 2))
    flux = RNG.permutation(np.geomspace(0.02, 2.0, 60))
    places, flux = places[np.argsort(flux)], np.sort(flux)
    found = stars_of(sky_of(places, flux), 10.0)
    distance = np.hypot(*(found.places[:, None] - places).transpose(2, 0, 1))
    near = distance.min(0)
    assert (near[25:] < 0.15).all(), "all but the faintest"
    bright = distance[:, 50:].argmin(0)
    np.testing.assert_allclose(found.flux[bright], flux[50:], rtol=0.05)
    assert abs(np.median(found.size_px[bright]) - 0.99) < 0.15  # its own window narrows what it measures
    assert (distance.min(1) < 1).mean() > 0.95, "and nothing else"
    smooth, deviation = background(sky_of(places, flux))
    assert abs(deviation / 4e-4 - 1) < 0.15 and abs(float(smooth[150, 200]) - 0.025) < 0.001


def test_a_turned_sky_is_recognised_and_another_is_not() -> None:
    places = RNG.uniform(30, (770, 570), (90, 2))
    flux = np.geomspace(2, 0.05, 90)
    angle = np.radians(7)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    moved = places @ turn.T + (12, -30) + RNG.normal(0, 0.05, places.shape)
    one = np.ones(90)
    first, second = Stars(places, flux, one, one), Stars(moved[5:], flux[5:], one[5:], one[5:])
    pair = same_stars(first, second)
    assert pair is not None and len(pair[0]) > 75 and ((pair[0] - 5) == pair[1]).mean() > 0.97
    other = Stars(RNG.uniform(30, (770, 570), (90, 2)), flux, one, one)
    assert same_stars(first, other) is None
    mirrored = Stars(places * (-1, 1) + (800, 0), flux, one, one)
    assert same_stars(first, mirrored) is None


def test_what_stands_still_is_no_star_unless_all_does() -> None:
    lamps = RNG.uniform(0, 500, (20, 2))
    skies = [RNG.uniform(0, 500, (30, 2)) for _ in range(1)]
    fields = []
    for k in range(5):
        places = np.concatenate([lamps, skies[0] + (4 * k, 1 * k)])
        one = np.ones(50)
        fields.append(Stars(places, one, one, one))
    assert all(len(f.places) == 30 for f in without_still(fields))
    still = [Stars(skies[0], np.ones(30), np.ones(30), np.ones(30))] * 4
    assert all(len(f.places) == 30 for f in without_still(still)), "a mount that follows the sky"


@pytest.fixture(scope="module")
def night(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    """Seven of the twelve frames, with their darks and flats, and the one for the land."""
    folder = tmp_path_factory.mktemp("night")
    numbers = [60, 62, 63, 64, 66, 68, 69, *range(72, 80)]
    frames = opened_together([(f"TW-{n:04d}.dng", Source(decoded_of(n, folder))) for n in numbers])
    views: list[View] = []
    options = SeriesOptions(still_land=True)
    judged = judge_series(frames, options, NO_LENSES, views=views)
    land = land_of(judged, views, options)
    strips = list(parts(judged, options, land))
    plain = list(parts(judged, SeriesOptions(), None))
    return {
        "judged": judged, "land": land, "numbers": numbers, "frames": frames,
        "out": np.concatenate([s.camera_values for s in strips], 1), "sky": np.concatenate([s.camera_values for s in plain], 1),
        "refused": sum(s.refused for s in plain),
    }  # fmt: skip


def test_every_frame_is_known_for_what_it_is(night: dict[str, Any]) -> None:
    roles = [f.role for f in night["judged"].figures]
    assert roles == ["light"] * 7 + ["dark"] * 4 + ["flat"] * 3 + ["land"]
    assert night["judged"].by == "stars" and len(night["judged"].members) == 7


def test_a_dark_or_a_flat_that_is_switched_off_does_not_count(night: dict[str, Any]) -> None:
    """Nor does the land, which is told where it does not stay still either."""
    frames: list[Opened] = night["frames"]
    few = [frames[i] for i in (0, 1, 2, 7, 8, 11, 12, 14)]
    options = SeriesOptions(align="stars")
    every = judge_series(few, options, NO_LENSES)
    some = judge_series(few, options.model_copy(update={"leave_out": (1, 3, 5, 7)}), NO_LENSES)
    told = [report_of(judged, options, None, None) for judged in (every, some)]
    assert [row["takes_part"] for row in told[0]["frames"]] == [True] * 7 + [False]
    assert told[0]["left_out"] == [f"{few[7].name}: it shows the land, and counts where the land stays still."]
    assert "Calibrated by 2 darks and 2 flats." in told[0]["done"]
    assert [row["takes_part"] for row in told[1]["frames"]] == [True, False, True, False, True, False, True, False]
    assert told[1]["left_out"] == [f"{few[i].name}: left out by hand." for i in (1, 3, 5, 7)] and some.land == []
    assert every.reference == 1 and some.reference == 2, "the one in the middle is left out, too"
    assert "Calibrated by 1 dark and 1 flat." in told[1]["done"]
    # hot sites are in both
    spread = [float(np.ptp(np.percentile(judged.masters.dark, (16, 84)))) for judged in (every, some)]  # type: ignore[arg-type]
    assert spread[0] < 0.85 * spread[1], "of two, not of one"


def test_stars_lie_on_each_other_where_they_really_were(night: dict[str, Any]) -> None:
    judged: SeriesJudgement = night["judged"]
    directions, lux, _ = true_stars()
    directions = directions[np.argsort(-lux)[:40_000]]
    base = truth.of(night["numbers"][judged.reference])
    here = base.star_of(directions)
    seen = np.isfinite(here).all(1) & (here > 20).all(1) & (here[:, 0] < 2380) & (here[:, 1] < 800)
    for i in judged.members:
        there = truth.of(night["numbers"][i]).star_of(directions[seen])
        x, y = judged.placements[i].at(here[seen, 0], here[seen, 1])
        assert float(np.median(np.hypot(x - there[:, 0], y - there[:, 1]))) < 0.12
    assert max(judged.figures[i].shift_px for i in judged.members) > 10


def apertures(planes: Float32, places: NDArray[Any]) -> NDArray[Any]:
    """Light of stars at places within 4 pixels, above the sky about them, in green."""
    yy, xx = np.mgrid[-6:7, -6:7]
    out = []
    for x, y in places:
        xi, yi = round(float(x)), round(float(y))
        part = planes[1, yi - 6 : yi + 7, xi - 6 : xi + 7].astype(np.float64)
        r = np.hypot(xx - (x - xi), yy - (y - yi))
        out.append((part[r <= 4] - np.median(part[r > 5])).sum())
    return np.array(out)


def test_stars_keep_their_light_and_their_shape(night: dict[str, Any]) -> None:
    """The brightest forty that truth has in sight of all frames."""
    judged: SeriesJudgement = night["judged"]
    directions, lux, _ = true_stars()
    directions = directions[np.argsort(-lux)[:3000]]
    places = {i: truth.of(night["numbers"][i]).star_of(directions) for i in judged.members}
    inside = [np.isfinite(p).all(1) & (p > 30).all(1) & (p[:, 0] < 2370) & (p[:, 1] < 550) for p in places.values()]
    chosen = np.flatnonzero(np.all(inside, 0))[:40]
    singles = []
    for i in judged.members:
        source = judged.lights[i].source
        planes = source.window(0, 0, source.width, source.height) * np.asarray(source.as_shot_neutral, np.float32)[:, None, None]
        singles.append(apertures(planes, places[i][chosen]).sum())
    mine = apertures(night["sky"], places[judged.reference][chosen]).sum()
    assert abs(mine / np.mean(singles) - 1) < 0.02
    found = stars_of(np.ascontiguousarray(night["sky"][1]), 1.0)
    round_ones = found.elongation[found.places[:, 1] < 550][:60]
    assert float(np.median(round_ones)) < 1.3


def test_satellites_hot_sites_and_noise_are_gone(night: dict[str, Any]) -> None:
    judged: SeriesJudgement = night["judged"]
    sky = night["sky"]
    part = (slice(40, 240), slice(200, 900))
    one = judged.lights[judged.reference].source
    single = one.window(0, 0, one.width, one.height, True)[1] * np.float32(one.as_shot_neutral[1])

    def spread(plane: Float32) -> float:
        fine = plane - background(np.ascontiguousarray(plane))[0]
        return float(1.4826 * np.median(np.abs(fine[part] - np.median(fine[part]))))

    # seven frames, each resampled but the reference: at least the root of seven
    assert spread(np.ascontiguousarray(sky[1])) < spread(single) / np.sqrt(7) * 1.08
    red = sky[0][part] - background(np.ascontiguousarray(sky[0]))[0][part]
    alone = red > 12 * 1.4826 * np.median(np.abs(red))
    green = sky[1][part] - background(np.ascontiguousarray(sky[1]))[0][part]
    assert not (alone & (green < 2 * 1.4826 * np.median(np.abs(green)))).sum() > 3, "no site glows in one colour"


def test_the_land_stays_still_and_is_told_from_the_sky(night: dict[str, Any]) -> None:
    land, judged = night["land"], night["judged"]
    assert land is not None and judged.land == [14]
    share = land.share
    h, w = share.shape
    for x, y, wanted in ((0.1, 0.1, 0), (0.9, 0.3, 0), (0.7, 0.1, 0), (0.2, 0.7, 1), (0.6, 0.75, 1), (0.468, 0.3, 1)):
        assert abs(share[int(y * h), int(x * w)] - wanted) < 0.5, (x, y)
    # the sign is as sharp as in the frame of the land, and where it was
    source = judged.lights[14].source
    there = source.window(860, 1380, 400, 120, True)[1] * np.float32(source.as_shot_neutral[1])
    mine = night["out"][1, 1380:1500, 860:1260]
    assert np.corrcoef(there.ravel(), mine.ravel())[0, 1] > 0.999


def small(folder: Path, name: str, seed: int, **how: Any) -> tuple[str, Source]:
    scene = how.pop("scene", drawn_field(480, 320, 3))
    lens = ZOOM.at(50, 8)
    settings = replace(metered(scene, Settings(1 / 60, 8, 400, seed=seed), how.pop("ev", 0.0)), **how)
    path = folder / f"{name}.dng"
    path.write_bytes(dng_bytes(SMALL, lens, settings, expose(scene, SMALL, lens, settings), f"2026-05-12T08:40:{seed:02d}.000"))
    return path.name, Source(decode(path))


def judged_of(frames: list[tuple[str, Source]], **options: Any) -> tuple[SeriesJudgement, list[Opened]]:
    opened = opened_together(frames)
    return judge_series(opened, SeriesOptions(**options), NO_LENSES), opened


def test_a_series_on_a_tripod_gets_calmer_as_it_should(tmp_path: Path) -> None:
    frames = [small(tmp_path, f"f{i}", i + 1) for i in range(8)]
    judged, _ = judged_of(frames, align="none")
    mean = np.concatenate([s.camera_values for s in parts(judged, SeriesOptions(align="none"), None)], 1)
    again, _ = judged_of([small(tmp_path, f"g{i}", i + 21) for i in range(8)], align="none")
    other = np.concatenate([s.camera_values for s in parts(again, SeriesOptions(align="none"), None)], 1)
    singles = [s.window(0, 0, 480, 320, True) * np.asarray(s.as_shot_neutral, np.float32)[:, None, None] for _, s in frames[:2]]
    inner = (slice(None), slice(16, -16), slice(16, -16))
    one = float(np.median(np.abs((singles[0] - singles[1])[inner])))
    eight = float(np.median(np.abs((mean - other)[inner])))
    assert abs(one / eight / np.sqrt(8) - 1) < 0.05


def test_held_in_the_hand_and_one_of_them_shaken(tmp_path: Path) -> None:
    shake = tuple((float(x), 0.3 * x) for x in np.linspace(-5, 5, 21))
    frames = [small(tmp_path, f"f{i}", i + 1, yaw_degrees=0.02 * i, pitch_degrees=-0.015 * i) for i in range(5)]
    frames.append(small(tmp_path, "shaken", 9, shake_px=shake))
    judged, _ = judged_of(frames)
    assert judged.by == "features" and judged.members == [0, 1, 2, 3, 4]
    assert "less sharp" in judged.figures[5].reason
    assert judged_of(frames, take=(5,))[0].members == [0, 1, 2, 3, 4, 5]
    assert max(judged.figures[i].residual_px for i in judged.members) < 0.3


def test_what_cannot_be_is_said(tmp_path: Path) -> None:
    frames = [small(tmp_path, f"f{i}", i + 1) for i in range(3)]
    with pytest.raises(MergeError, match="2 to 100 frames; these are 1"):
        judged_of(frames[:1])
    with pytest.raises(MergeError, match="cannot be the reference"):
        judged_of(frames, reference=2, roles={2: "dark"}, align="none")
    with pytest.raises(MergeError, match="There are 1 frames to combine among these 3"):
        judged_of(frames, roles={0: "dark", 1: "flat"})
    with pytest.raises(MergeError, match=r"Nothing is left|cannot be left out"):
        judged_of(frames, leave_out=(0, 1, 2), align="none")
    # a frame that is taken off the others as a dark, and is none, leaves nothing
    with pytest.raises(MergeError, match="black or blown all over"):
        judged_of(frames, roles={2: "dark"})
    hall = small(tmp_path, "hall", 7, scene=load("kiln_hall"))
    judged, _ = judged_of([*frames, hall])
    assert judged.members == [0, 1, 2] and "does not lie" in judged.figures[3].reason


def test_darks_of_another_time_are_scaled_by_bias_or_told(tmp_path: Path) -> None:
    field = even_field(480, 320)
    lights = [small(tmp_path, f"l{i}", i + 1) for i in range(2)]
    dark = [small(tmp_path, f"d{i}", i + 5, scene=field, capped=True, exposure_time_s=8.0, temperature_c=35.0) for i in range(3)]
    bias = [small(tmp_path, f"b{i}", i + 15, scene=field, capped=True, exposure_time_s=1 / 4000) for i in range(3)]
    judged, _ = judged_of([*lights, *dark], align="none")
    assert [f.role for f in judged.figures] == ["light", "light", "dark", "dark", "dark"]
    assert any("without bias frames" in note for note in judged.notes)
    judged, _ = judged_of([*lights, *dark, *bias], align="none")
    assert [f.role for f in judged.figures][5:] == ["bias"] * 3 and judged.notes == []
    # what is left of the dark in a frame of 1/60 s is next to nothing: its level stays where it was
    before, after = (judged_of(lights, align="none")[0], judged)
    planes = [
        np.concatenate([s.camera_values for s in parts(j, SeriesOptions(align="none"), None)], 1) * k
        for j, k in ((before, 1.0), (after, 2.0))
    ]
    assert abs(float(np.median(planes[1] / planes[0])) - 1) < 0.01


def test_a_flat_takes_the_fall_off_out(tmp_path: Path) -> None:
    field = even_field(480, 320)
    lights = [small(tmp_path, f"l{i}", i + 1, scene=field) for i in range(2)]
    flats = [small(tmp_path, f"f{i}", i + 11, scene=field, ev=0.3) for i in range(3)]
    judged, _ = judged_of([*lights, *flats], align="none", roles={i: "light" if i < 2 else "flat" for i in range(5)})
    out = np.concatenate([s.camera_values for s in parts(judged, SeriesOptions(align="none"), None)], 1)[1]
    corner, middle = out[10:40, 10:40].mean(), out[145:175, 225:255].mean()
    assert abs(corner / middle - 1) < 0.01
    single = lights[0][1].window(0, 0, 480, 320)[1]
    assert single[10:40, 10:40].mean() / single[145:175, 225:255].mean() < 0.93


def test_before_is_the_mean_of_all_with_what_crossed_one_frame(tmp_path: Path) -> None:
    sources = [small(tmp_path, f"f{i}", i + 1) for i in range(5)]
    sites = sources[3][1]._reader._sites  # type: ignore[attr-defined]
    sites[100:140, 60:300] = sites[100:140, 60:300] // 2 + 7000
    frames = opened_together(sources)
    options = SeriesOptions(align="none")
    look = look_at(frames, options, LensDatabase(), lambda _: None, Kept(), "")
    assert look.before is not None
    scale = look.picture.shape[1] / sources[0][1].width
    crossed = tuple(slice(int(a * scale), int(b * scale)) for a, b in ((108, 132), (70, 290)))
    apart = look.before.astype(int) - look.picture
    assert apart[crossed].mean() > 8 and abs(apart[int(200 * scale) :].mean()) < 1
    assert (
        look_at(frames, options.model_copy(update={"method": "mean"}), LensDatabase(), lambda _: None, Kept(), "").before is None
    )
