"""Brackets of known radiance: the demo's kiln hall from the hand, with a passer-by and a shaken frame, and small ones of a test
camera. The truth is what the lens drew, without noise and before clipping."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
import rawpy
import tifffile
from numpy.typing import NDArray

from tests.conftest import demo_dng
from zincplate.core.colour.temperature import white_point_xy
from zincplate.core.merging.radiance import exposure_ratio
from zincplate.core.merging.sharpness import shake
from zincplate.demo import truth
from zincplate.demo.camera import CameraModel, Settings, expose, focal_px
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ZOOM
from zincplate.demo.night import on_sensor
from zincplate.demo.scenes import load
from zincplate.formats.decode import decode
from zincplate.formats.dng.master import made_from
from zincplate.merges.bracket import strips
from zincplate.merges.errors import MergeError
from zincplate.merges.judge import Judgement, judge
from zincplate.merges.master import merge_bracket
from zincplate.merges.options import BracketOptions
from zincplate.merges.preview import preview_of
from zincplate.merges.view import Opened, view_of
from zincplate.merges.view import opened as opened_together
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
CAMERA = CameraModel("Pennick", "Pennick Test 2", 960, 640, serial="2")
BASE = Settings(1 / 10, 8, 100, as_shot_xy=white_point_xy(5000))


def opened(folder: Path, name: str, settings: Settings, scene: str = "kiln_hall", camera: CameraModel = CAMERA) -> Opened:
    lens = ZOOM.at(28, settings.f_number)
    path = folder / f"{name}.dng"
    path.write_bytes(dng_bytes(camera, lens, settings, expose(load(scene), camera, lens, settings), "2026-05-12T08:40:00.000"))
    return opened_together([(path.name, Source(decode(path)))])[0]


def added_up(frames: list[Opened], judged: Judgement) -> tuple[Float32, NDArray[np.uint8]]:
    """In units of the reference: 1 is where its first channel clips."""
    found = list(strips(frames, judged))
    darkest = min(judged.exposure[i] for i in judged.members)
    return np.concatenate([s.camera_values for s in found], 1) / np.float32(darkest), np.concatenate([s.clipped for s in found])


@pytest.fixture(scope="module")
def hall() -> dict[str, Any]:
    numbers = range(30, 36)
    frames = opened_together([(f"TW-{n:04d}.dng", Source(decode_of(n))) for n in numbers])
    judged = judge(frames, BracketOptions())
    merged, clipped = added_up(frames, judged)
    of = truth.of(30 + judged.reference)
    drawn = np.einsum("ij,jhw->ihw", of.frame.camera.from_rec709.astype(np.float32), of.undisturbed())
    return {"frames": frames, "judged": judged, "merged": merged, "clipped": clipped, "true": np.maximum(drawn, 0), "of": of}


def decode_of(number: int) -> Any:
    from tempfile import TemporaryDirectory

    with TemporaryDirectory() as folder:
        path = Path(folder) / f"TW-{number:04d}.dng"
        path.write_bytes(demo_dng(number))
        return decode(path)


def test_the_shaken_frame_is_left_out_and_says_how_it_shook(hall: dict[str, Any]) -> None:
    judged: Judgement = hall["judged"]
    assert judged.members == [0, 1, 2, 3, 4]
    figure = judged.figures[5]
    path = np.array(truth.of(35).frame.settings.shake_px)
    extent = float(np.hypot(*(path.max(0) - path.min(0))))
    assert figure.shake is not None and figure.shake.length_px == pytest.approx(extent, rel=0.35)
    assert "shaken by" in figure.reason and "less sharp" in figure.reason
    assert min(f.sharpness for f in judged.figures[:5]) > 0.9


def test_exposures_are_measured_to_a_quarter_of_a_percent(hall: dict[str, Any]) -> None:
    judged: Judgement = hall["judged"]
    for i in judged.members:
        told = truth.of(30 + i).frame.settings.exposure_time_s / truth.of(30 + judged.reference).frame.settings.exposure_time_s
        assert judged.exposure[i] == pytest.approx(told, rel=2.5e-3), i


def test_frames_from_the_hand_lie_on_each_other(hall: dict[str, Any]) -> None:
    """Against the pose and lens of the camera; the darkest shows little but windows, from which corners are far away."""
    judged: Judgement = hall["judged"]
    base = truth.of(30 + judged.reference)
    width, height = base.frame.camera.width, base.frame.camera.height
    grid = [[x, y] for x in np.linspace(0.06, 0.94, 7) * width for y in np.linspace(0.06, 0.94, 5) * height]
    points = np.array(grid)
    scene = base.scene
    uv = (base.scene_of(points) - scene.centre) / scene.focal
    rays = np.concatenate([uv, np.ones((len(uv), 1))], 1)
    for i in judged.members:
        there = truth.of(30 + i).sensor_of(rays / np.linalg.norm(rays, axis=1)[:, None])
        error = np.hypot(*(np.stack(judged.placements[i].at(*points.T), 1) - there).T)
        assert np.median(error) < 0.1 and error.max() < (0.35 if i == 0 else 0.2), i
        assert judged.figures[i].residual_px < 0.12


def flat(of: Float32) -> NDArray[np.bool_]:
    """Where neighbours differ little: there is nothing to misplace."""
    stops = np.log2(cv2.GaussianBlur(of, (0, 0), 2) + 1e-7)
    return np.asarray(np.hypot(cv2.Sobel(stops, cv2.CV_32F, 1, 0), cv2.Sobel(stops, cv2.CV_32F, 0, 1)) / 8 < 0.03)


def test_radiance_is_right_over_all_stops(hall: dict[str, Any]) -> None:
    """Median error at most 0.5 % in every stop that is sampled, over 13 stops of this scene."""
    true, merged = hall["true"], hall["merged"]
    calm = flat(true[1]) & (hall["clipped"] == 0)
    stops = 0
    for low in range(-16, 10):
        inside = calm & (true[1] > 2.0**low) & (true[1] <= 2.0 ** (low + 1))
        if inside.sum() < 500:
            continue
        stops += 1
        error = np.median(merged[1][inside] / true[1][inside]) - 1
        # 500 noisy values know their median to a few thousandths
        assert abs(error) < 0.005, (low, error)
    assert stops >= 11
    # what no frame could show is as bright as the darkest says at least: it clips last
    judged: Judgement = hall["judged"]
    darkest = min(judged.exposure[i] for i in judged.members)
    lost = (hall["clipped"] > 0) & (true.max(0) * darkest > 1)
    lost[:8] = lost[-8:] = lost[:, :8] = lost[:, -8:] = False  # beyond the edge of the darkest only others say something
    assert lost.sum() > 50
    assert np.percentile((merged * darkest).max(0)[lost], 5) > 0.8


def test_before_and_after_differ_where_something_moved(hall: dict[str, Any]) -> None:
    judged: Judgement = hall["judged"]
    views = [view_of(f) for f in hall["frames"]]
    after = preview_of(hall["frames"], views, judged).astype(int)
    before = preview_of(hall["frames"], views, judged, with_ghosts=True).astype(int)
    assert judged.moved is not None
    inside = judged.moved.labels > 0
    apart = np.abs(after - before).max(2)
    assert np.percentile(apart[inside], 90) > 6
    assert not apart[cv2.dilate(inside.astype(np.uint8), np.ones((31, 31), np.uint8)) == 0].any()


def test_the_passer_by_leaves_no_ghost(hall: dict[str, Any]) -> None:
    judged: Judgement = hall["judged"]
    assert judged.moved is not None and judged.moved.regions
    height, width = hall["true"].shape[1:]
    walked = np.zeros((height, width), bool)
    for i in judged.members:
        of = truth.of(30 + i)
        if of.frame.settings.visitor:
            plain = replace(of.frame.settings, visitor="")
            change = np.abs(np.log2((of.recorded[1] + 1e-6) / (replace_signal(of, plain)[1] + 1e-6)))
            walked |= cv2.dilate((change > 0.3).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    assert walked.mean() > 0.005
    error = np.abs(np.log2(np.maximum(hall["merged"][1], 1e-6) / np.maximum(hall["true"][1], 1e-6)))
    inside = walked & (hall["clipped"] == 0) & flat(hall["true"][1])
    assert np.median(error[inside]) < 0.03 and np.percentile(error[inside], 95) < 0.2
    # added up without looking for what moved he is there: the test would notice him
    judged_plain = judge(hall["frames"], BracketOptions(ghosts=0))
    ghost, _ = added_up(hall["frames"], judged_plain)
    seen = np.abs(np.log2(np.maximum(ghost[1], 1e-6) / np.maximum(hall["true"][1], 1e-6)))
    assert np.percentile(seen[inside], 95) > 0.4


def replace_signal(of: truth.Truth, settings: Settings) -> Float32:
    return replace(of.frame, settings=settings).expose().signal_rec709


def test_noise_is_near_the_bound_and_below_a_classical_merge(tmp_path: Path) -> None:
    """Two brackets that differ by their noise alone. Bound: what the frames know together (their inverse variances added up).
    Compared with Debevec & Malik 1997 as OpenCV does it, on the same values."""
    exposures = (1 / 40, 1 / 10, 0.4)
    lens = ZOOM.at(28, 8)
    signal = expose(load("loading_door"), CAMERA, lens, replace(BASE, exposure_time_s=exposures[1])).true_camera[1]
    merged, planes, classical, trusted = [], [], [], []
    even = np.linspace(0, 1, 256, dtype=np.float32)[:, None, None].repeat(3, 2)
    for seed in (60, 90):
        frames = [
            opened(tmp_path, f"{seed}{i}", replace(BASE, exposure_time_s=t, seed=seed + i), "loading_door")
            for i, t in enumerate(exposures)
        ]
        merged.append(added_up(frames, judge(frames, BracketOptions(reference=1, align=False, ghosts=0)))[0][1])
        balanced = [f.source.window(0, 0, 960, 640) for f in frames]
        trusted.append([f.source.trust(0, 0, 960, 640) > 0.99 for f in frames])
        planes.append([p[1] * exposures[1] / t for p, t in zip(balanced, exposures, strict=True)])
        eight = [np.clip(np.rint(p.transpose(1, 2, 0) * 255), 0, 255).astype(np.uint8) for p in balanced]
        classical.append(cv2.createMergeDebevec().process(eight, np.array(exposures, np.float32), even)[..., 1] * exposures[1])

    def spread(pair: list[Float32], where: NDArray[np.bool_]) -> float:
        difference = (pair[0] - pair[1])[where] / signal[where]
        return float(np.subtract(*np.percentile(difference, (84, 16)))) / 2 / 2**0.5

    checked = 0
    for low in range(-10, 0):
        inside = (signal > 2.0**low) & (signal <= 2.0 ** (low + 1))
        useful = [k for k in range(3) if 2.0 ** (low + 1) * exposures[k] / exposures[1] < 0.7]
        # beside what is clipped a frame says nothing, rightly
        inside &= np.all([seen[k] for seen in trusted for k in useful], 0) if useful else False
        if inside.sum() < 3000:
            continue
        known = [spread([planes[0][k], planes[1][k]], inside) for k in useful]
        bound = 1 / np.sqrt(sum(1 / s**2 for s in known))
        found = spread(merged, inside)
        assert found < 1.1 * bound, (low, found, bound)
        checked += 1
    assert checked >= 5
    # its weights know nothing of noise and its codes have eight bits: errors against the truth, where nothing hides them
    calm = flat(signal) & (signal > 2.0**-9) & (signal < 2.0**-3)
    errors = [pair[0][calm] / signal[calm] for pair in (merged, classical)]
    own, theirs = (float(np.percentile(np.abs(e / np.median(e) - 1), 68)) for e in errors)
    assert own < 0.7 * theirs, (own, theirs)


def test_the_file_is_what_was_added_up_and_others_read_it(tmp_path: Path) -> None:
    frames = [opened(tmp_path, f"e{i}", replace(BASE, exposure_time_s=0.1 * 4.0**i, seed=70 + i)) for i in (-1, 0, 1)]
    options = BracketOptions(reference=1)
    judged = judge(frames, options)
    merged, _ = added_up(frames, judged)
    made = merge_bracket(frames, judged, options, "Test", [{"name": f.name} for f in frames])
    path = tmp_path / "master.dng"
    path.write_bytes(made.dng)
    darkest = min(judged.exposure)
    expected = np.clip(merged * np.float32(darkest), -1, 1)
    with tifffile.TiffFile(path) as file:
        stored = file.pages[0].asarray()
    assert stored.dtype == np.float16 and np.isfinite(stored).all() and stored.max() <= 1
    assert np.abs(stored.astype(np.float32) - expected.transpose(1, 2, 0)).max() < 6e-4
    bright = expected[1] > 1e-3
    assert np.median(np.abs(stored[..., 1][bright] / expected[1][bright] - 1)) < 3e-4
    with rawpy.imread(str(path)) as raw:  # 14-bit whole numbers of the same
        theirs = raw.raw_image_visible[..., 1].astype(np.float64) / 16383
        assert np.abs(theirs - np.clip(expected[1], 0, 1)).max() < 2e-3
        assert (raw.color_matrix[:3] != 0).any()
    own = decode(path)
    assert own.kind == "camera" and own.camera is not None
    assert own.camera.baseline_exposure_ev == pytest.approx(2.0, abs=0.01)
    reference = frames[1].source.camera
    assert reference is not None and own.camera.as_shot_neutral == pytest.approx(reference.as_shot_neutral, abs=1e-5)
    assert own.camera.matrices.neutral_of((0.35, 0.36)) == pytest.approx(reference.matrices.neutral_of((0.35, 0.36)), abs=1e-4)
    assert own.capture.lens == frames[1].source.capture.lens and own.notes == ()
    told = made_from(path)
    assert told is not None and told["report"]["frames"][0]["name"] == "e-1.dng" and told["options"]["reference"] == 1
    assert made_from(tmp_path / "e0.dng") is None


def test_frames_that_do_not_belong_together_are_named(tmp_path: Path) -> None:
    first = opened(tmp_path, "first", BASE)
    second = opened(tmp_path, "second", replace(BASE, exposure_time_s=0.4, seed=2))
    small = opened(tmp_path, "small", BASE, camera=replace(CAMERA, width=720, height=480))
    other = opened(tmp_path, "other", BASE, camera=replace(CAMERA, spectral=True, cfa=(1, 2, 0, 1)))
    door = opened(tmp_path, "door", replace(BASE, seed=3), "loading_door")
    black = opened(tmp_path, "black", replace(BASE, exposure_time_s=1e-7, seed=4))
    blown = opened(tmp_path, "blown", replace(BASE, exposure_time_s=900.0, seed=5))
    with pytest.raises(MergeError, match=r"2 to 9 frames; these are 1"):
        judge([first], BracketOptions())
    with pytest.raises(MergeError, match=r"small\.dng: It has another size.*720 x 480"):
        judge([first, small], BracketOptions())
    with pytest.raises(MergeError, match=r"other\.dng: It was taken with another camera"):
        judge([first, other], BracketOptions())
    judged = judge([first, second, door, black, blown], BracketOptions())
    reasons = [f.reason for f in judged.figures]
    assert judged.members == [0, 1] and "does not lie on the others" in reasons[2]
    assert "black or blown" in reasons[3] and "black or blown" in reasons[4]
    with pytest.raises(MergeError, match=r"Nothing is left to merge.*(first|door)\.dng: it does not lie"):
        judge([first, door], BracketOptions())
    with pytest.raises(MergeError, match="There is no frame 6"):
        judge([first, second], BracketOptions(reference=5))
    forced = judge([first, second, door], BracketOptions(take=(2,)))
    assert forced.members == [0, 1, 2]
    by_hand = judge([first, second, door], BracketOptions(leave_out=(2,), reference=0))
    assert by_hand.figures[2].reason == "left out by hand" and by_hand.members == [0, 1]
    with pytest.raises(MergeError, match=r"first\.dng: It is the reference and cannot be left out"):
        judge([first, second, door], BracketOptions(leave_out=(0,), take=(2,), reference=0))


def test_the_base_of_a_region_can_be_chosen(tmp_path: Path) -> None:
    frames = [
        opened(tmp_path, "plain", BASE),
        opened(tmp_path, "walker", replace(BASE, visitor="step_1", exposure_time_s=0.4, seed=2)),
    ]
    still = judge(frames, BracketOptions(reference=0))
    assert still.moved is not None and still.moved.regions
    place = max(still.moved.regions, key=lambda r: r.share)
    merged = {}
    for base in (0, 1):
        judged = judge(frames, BracketOptions(reference=0, base={r.number: base for r in still.moved.regions}))
        merged[base] = added_up(frames, judged)[0]
        assert judged.moved is not None and {r.base for r in judged.moved.regions} == {base}
    alone = frames[0].source.camera_values(frames[0].source.window(0, 0, 960, 640))[1]
    x, y, w, h = (v * still.step for v in place.box)
    part = (slice(y, y + h), slice(x, x + w))
    assert np.median(np.abs(np.log2(np.maximum(merged[0][1][part], 1e-5) / np.maximum(alone[part], 1e-5)))) < 0.06
    assert np.abs(np.log2(np.maximum(merged[1][1], 1e-5) / np.maximum(merged[0][1], 1e-5)))[part].max() > 1


def test_without_capture_data_exposures_are_measured(tmp_path: Path) -> None:
    frames = [opened(tmp_path, f"e{i}", replace(BASE, exposure_time_s=0.1 * 4.0**i, seed=80 + i)) for i in (-1, 0, 1)]
    for f in frames:
        f.source.capture = replace(f.source.capture, exposure_time_s=0.0)
        f.source.noise_profile = ()
    bare = opened_together([(f.name, f.source) for f in frames])
    assert len({float(f.noise[0][1]) for f in bare}) == 1
    judged = judge(bare, BracketOptions(reference=1))
    assert [judged.exposure[i] for i in range(3)] == pytest.approx([0.25, 1, 4], rel=0.01)
    assert all(f.told_ev is None for f in judged.figures)


def test_balances_of_the_camera_may_differ_and_nothing_shows(tmp_path: Path) -> None:
    """Automatic white balance chose another light for each frame."""
    kelvins = (5000, 3800, 6500)
    frames = [
        opened(tmp_path, f"k{k}", replace(BASE, exposure_time_s=0.1 * 4.0**i, seed=90 + i, as_shot_xy=white_point_xy(k)))
        for i, k in zip((-1, 0, 1), kelvins, strict=True)
    ]
    judged = judge(frames, BracketOptions(reference=1, ghosts=0))
    merged, clipped = added_up(frames, judged)
    true = expose(load("kiln_hall"), CAMERA, ZOOM.at(28, 8), replace(BASE, exposure_time_s=0.1)).true_camera
    calm = flat(true[1]) & (clipped == 0) & (true[1] > 0.01)
    for channel in range(3):
        assert np.median(merged[channel][calm] / true[channel][calm]) == pytest.approx(1, abs=0.004), channel


def test_frames_turned_and_shifted_by_the_hand(tmp_path: Path) -> None:
    """Two degrees of roll and a fortieth of the picture aside, through a wide lens that distorts: features find what a shift does
    not, and the field what a homography does not."""
    turned = replace(BASE, exposure_time_s=0.4, seed=2, roll_degrees=2.0, yaw_degrees=1.2, pitch_degrees=-0.5)
    frames = [opened(tmp_path, "still", BASE), opened(tmp_path, "turned", turned)]
    judged = judge(frames, BracketOptions(reference=0))
    assert judged.members == [0, 1] and judged.figures[1].shift_px > 10
    scene, lens = load("kiln_hall"), ZOOM.at(28, 8)
    points = np.array([[x, y] for x in np.linspace(90, 870, 7) for y in np.linspace(90, 550, 5)])
    focal = focal_px(CAMERA, lens, BASE)
    uv = (truth.scene_places(points, scene, CAMERA, lens, focal, BASE.turn) - scene.centre) / scene.focal
    rays = np.concatenate([uv, np.ones((len(uv), 1))], 1)
    there = on_sensor(rays / np.linalg.norm(rays, axis=1)[:, None], CAMERA, lens, focal, turned.turn)
    error = np.hypot(*(np.stack(judged.placements[1].at(*points.T), 1) - there).T)
    assert np.median(error) < 0.15 and error.max() < 0.5, (np.median(error), error.max())
    plain = replace(judged.placements[1], field=None)
    without = np.hypot(*(np.stack(plain.at(*points.T), 1) - there).T)
    assert error.mean() < 0.7 * without.mean()


def test_small_pictures_of_odd_sizes(tmp_path: Path) -> None:
    tiny = replace(CAMERA, width=48, height=32)
    frames = [opened(tmp_path, f"t{i}", replace(BASE, exposure_time_s=0.1 * 4.0**i, seed=i), camera=tiny) for i in (0, 1)]
    judged = judge(frames, BracketOptions(reference=0, take=(0, 1)))
    merged, _ = added_up(frames, judged)
    assert merged.shape == (3, 32, 48) and np.isfinite(merged).all()
    assert len(merge_bracket(frames, judged, BracketOptions(), "Test", []).dng) > 1000


def test_orientation_flags_may_differ(tmp_path: Path) -> None:
    """The same view recorded with the camera upside down: flags 1 and 3."""
    upright = opened(tmp_path, "upright", BASE)
    turned = opened(tmp_path, "turned", replace(BASE, exposure_time_s=0.4, seed=2, roll_degrees=180.0, orientation=3))
    judged = judge([upright, turned], BracketOptions(reference=0))
    assert judged.members == [0, 1] and judged.exposure[1] == pytest.approx(4, rel=0.01)


def test_a_straight_shake_is_told_by_length_and_direction() -> None:
    rng = np.random.default_rng(5)
    sharp = cv2.GaussianBlur(rng.normal(0, 1, (400, 600)).astype(np.float32), (0, 0), 1.5) * 4
    for length, degrees in ((9, 0.0), (13, 90.0), (11, 45.0)):
        kernel = np.zeros((31, 31), np.float32)
        for t in np.linspace(-length / 2, length / 2, 400):
            x, y = 15 + t * np.cos(np.radians(degrees)), 15 - t * np.sin(np.radians(degrees))
            kernel[round(float(y)), round(float(x))] += 1 / 400
        found = shake(sharp, cv2.filter2D(sharp, -1, kernel))
        assert found.length_px == pytest.approx(length, rel=0.2)
        assert min(abs(found.direction_degrees - degrees), 180 - abs(found.direction_degrees - degrees)) < 8


def test_an_exposure_ratio_is_not_pulled_by_noise_and_little_by_movement() -> None:
    rng = np.random.default_rng(9)
    light = rng.uniform(0.01, 0.8, 40_000)
    first, second = (light * t + rng.normal(0, 0.002, light.size) for t in (1.0, 1 / 64))
    second[:4000] *= 3  # something moved
    variance = np.full(light.size, 0.002**2)
    found = exposure_ratio(*(v.astype(np.float32) for v in (first, second, first, variance, variance)), 1 / 50)
    assert found == pytest.approx(1 / 64, rel=0.04)  # a tenth of them pulls the median by as much, the mean by a fifth
    still = exposure_ratio(*(v[4000:].astype(np.float32) for v in (first, second, first, variance, variance)), 1 / 50)
    assert still == pytest.approx(1 / 64, rel=0.003)
    assert np.isnan(exposure_ratio(*(v[:20].astype(np.float32) for v in (first, second, first, variance, variance)), 1.0))
