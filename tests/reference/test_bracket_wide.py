"""Brackets whose frames have little in common: dark and noisy ones, light ones, pictures with a curve of their own. The truth is
where the simulated camera looked, and for how long it exposed."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
import tifffile
from numpy.typing import NDArray

from tests.reference.test_finished_bracket import curve
from zincplate.core.merging.sharpness import Seen, as_sharp
from zincplate.demo.camera import CameraModel, Settings, expose, focal_px, metered
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import LensState, ideal
from zincplate.demo.scenes import Scene, drawn_field, load
from zincplate.formats.decode import decode
from zincplate.merges import judge as judging
from zincplate.merges.errors import MergeError
from zincplate.merges.judge import HARDLY, Judgement, judge
from zincplate.merges.options import BracketOptions
from zincplate.merges.response import linear_frames
from zincplate.merges.view import Opened
from zincplate.merges.view import opened as opened_together
from zincplate.sources.file import Source

Float64 = NDArray[np.float64]


def frames_of(
    folder: Path, scene: Scene, camera: CameraModel, lens: LensState, evs: tuple[float, ...], turns: Float64, iso: int, told: bool
) -> tuple[list[Opened], list[Settings]]:
    opened, settings = [], []
    for i, (ev, (yaw, pitch, roll)) in enumerate(zip(evs, turns, strict=True)):
        s = replace(
            metered(scene, Settings(1 / 100, 8, iso, seed=i), ev), yaw_degrees=yaw, pitch_degrees=pitch, roll_degrees=roll
        )
        path = folder / f"wide-{i}.dng"
        path.write_bytes(dng_bytes(camera, lens, s, expose(scene, camera, lens, s), f"2026-05-12T07:08:{i:02d}.000"))
        source = Source(decode(path))
        if not told:
            source.capture = replace(source.capture, exposure_time_s=0.0)
        opened.append((path.name, source))
        settings.append(s)
    return opened_together(opened), settings


def apart_px(judged: Judgement, i: int, camera: CameraModel, lens: LensState, settings: list[Settings]) -> float:
    """By which a frame is laid wrong, in the median of where it records something."""
    w, h, f = camera.width, camera.height, focal_px(camera, lens, settings[0])
    x, y = (v.ravel() for v in np.meshgrid(np.linspace(6, w - 7, 30), np.linspace(6, h - 7, 20)))
    rays = np.stack([(x - (w - 1) / 2) / f, (y - (h - 1) / 2) / f, np.ones(x.size)]).T @ settings[judged.reference].turn.T
    there = rays @ settings[i].turn
    true = there[:, :2] / there[:, 2:] * f + [(w - 1) / 2, (h - 1) / 2]
    light = expose(load("glaze_table"), camera, lens, settings[i]).true_camera
    column, row = np.clip(np.rint(true).astype(int), 0, (w - 1, h - 1)).T
    seen = (
        (light[:, row, column].max(0) < 0.85)
        & (light[1, row, column] > 0.003)
        & (true > 0).all(1)
        & (true < (w - 1, h - 1)).all(1)
    )
    assert seen.sum() > 40
    return float(np.median(np.hypot(*(np.stack(judged.placements[i].at(x, y), 1) - true)[seen].T)))


def test_a_light_frame_is_laid_on_the_one_in_between(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """At 8 stops more only the darkest corners are not blown, of which the reference shows nothing but noise."""
    camera, lens = CameraModel("Pennick", "Pennick Test 9", 320, 624, serial="9"), ideal(32)
    turns = np.random.default_rng(4).normal(0, (1.0, 1.0, 0.5), (3, 3))
    frames, settings = frames_of(tmp_path, load("glaze_table"), camera, lens, (-3.6, 0.4, 4.6), turns, 6400, True)
    judged = judge(frames, BracketOptions(reference=0))
    assert judged.members == [0, 1, 2]
    found = [apart_px(judged, i, camera, lens, settings) for i in (1, 2)]
    assert max(found) < 0.3, found
    monkeypatch.setattr(judging, "_by_neighbours", lambda *_: None)
    alone = judge(frames, BracketOptions(reference=0))
    # as it was taken it lies 7 pixels off, and the others say that the camera moved
    assert alone.members == [0, 1] and alone.figures[2].reason == HARDLY


def test_a_light_frame_is_laid_by_its_darkest_corners(tmp_path: Path) -> None:
    camera, lens = CameraModel("Pennick", "Pennick Test 9", 320, 624, serial="9"), ideal(32)
    turns = np.random.default_rng(4).normal(0, (1.0, 1.0, 0.5), (3, 3))
    frames, settings = frames_of(tmp_path, load("glaze_table"), camera, lens, (-0.6, 3.4, 5.0), turns, 1600, True)
    judged = judge(frames, BracketOptions(reference=0))
    assert judged.members == [0, 1, 2]
    # 3.5 times as far before places told of several guesses which one counts
    assert max(apart_px(judged, i, camera, lens, settings) for i in (1, 2)) < 0.45


@pytest.mark.parametrize("black", [0, 512])
def test_light_is_measured_right_in_noise(tmp_path: Path, black: int) -> None:
    """Where a dark frame's noise is a fifth of its light; a converter without a black level cuts half of the noise off."""
    camera, lens = replace(CameraModel("Pennick", "Pennick Test 9", 960, 640, serial="9"), black=black), ideal(50)
    evs = (1.0, -6.0, -4.5)
    frames, _ = frames_of(tmp_path, drawn_field(1600, 1100, 3), camera, lens, evs, np.zeros((3, 3)), 1600, told=False)
    judged = judge(frames, BracketOptions(reference=0))
    assert judged.members == [0, 1, 2], [f.reason for f in judged.figures]
    assert np.log2(judged.exposure) == pytest.approx([0, -7.0, -5.5], abs=0.015)


def test_frames_that_are_all_noisy_got_the_same_light(tmp_path: Path) -> None:
    """Chosen or weighed by what noise made of one of them, bright places of that one would count for more: 3 % of light."""
    camera, lens = CameraModel("Pennick", "Pennick Test 9", 960, 640, serial="9"), ideal(50)
    frames, _ = frames_of(tmp_path, drawn_field(1600, 1100, 3), camera, lens, (-2.6,) * 4, np.zeros((4, 3)), 6400, told=False)
    judged = judge(frames, BracketOptions(reference=0, align=False))
    assert np.log2(judged.exposure) == pytest.approx([0, 0, 0, 0], abs=0.006)


def grainy(seed: int) -> Scene:
    """Grain without anything large in it."""
    grain = cv2.GaussianBlur(np.random.default_rng(seed).normal(0, 1, (700, 1000)).astype(np.float32), (0, 0), 2.5)
    light = 0.2 * np.exp(0.45 * grain / grain.std())
    return Scene("grain", np.repeat(light[..., None], 3, 2), 0.2)


@pytest.mark.parametrize(("ev", "seed", "members"), [(4.2, 7, [0, 1, 2, 3]), (4.2, 8, [0, 1, 2, 3]), (4.6, 8, [2, 3])])
def test_a_frame_that_shows_next_to_nothing_is_no_stranger(tmp_path: Path, ev: float, seed: int, members: list[int]) -> None:
    """Nor is it what the others are compared with. At 4.2 stops one place in a hundred is not blown, enough to lay it; at
    4.6 it is not, and as it was taken it lies 4.6 pixels off what counts."""
    camera, lens = CameraModel("Pennick", "Pennick Test 9", 640, 432, serial="9"), ideal(45)
    turns = np.array([[0, 0, 0], [0, 0, 0], [0.3, 0.1, 0.0], [0, 0, 0]])
    frames, settings = frames_of(tmp_path, grainy(seed), camera, lens, (ev, ev, 0.0, -1.0), turns, 100, True)
    judged = judge(frames, BracketOptions())
    assert judged.reference in (2, 3) and judged.members == members
    assert max(apart_px(judged, i, camera, lens, settings) for i in members) < 0.25
    assert [f.reason for f in judged.figures[:2]] == ["" if 0 in members else HARDLY] * 2


def test_what_cannot_be_compared_counts_as_it_was_taken_where_the_camera_stood_still(tmp_path: Path) -> None:
    camera, lens = CameraModel("Pennick", "Pennick Test 9", 640, 432, serial="9"), ideal(45)
    frames, _ = frames_of(tmp_path, grainy(8), camera, lens, (4.6, 0.0, -1.0), np.zeros((3, 3)), 100, True)
    judged = judge(frames, BracketOptions(reference=1))
    assert judged.members == [0, 1, 2]
    # not found to lie there: taken to
    assert np.array_equal(judged.placements[0].homography, np.eye(3)) and judged.figures[0].residual_px == 0


@pytest.mark.parametrize(("turn", "told"), [((0.3, 0.1, 0.0), True), ((0.0, 0.0, 1.5), True), ((0.0, 0.0, 0.0), False)])
def test_a_blown_frame_is_no_reference_for_a_camera_that_moved(
    tmp_path: Path, turn: tuple[float, float, float], told: bool
) -> None:
    """Nothing could be laid on it, and what was added up as taken was seen twice."""
    camera, lens = CameraModel("Pennick", "Pennick Test 9", 640, 432, serial="9"), ideal(45)
    turns = np.array([[0, 0, 0], turn, [0, 0, 0]])
    frames, _ = frames_of(tmp_path, grainy(8), camera, lens, (6.0, 0.0, -1.0), turns, 100, True)
    if told:
        with pytest.raises(MergeError, match=rf"{frames[0].name}: It cannot be the reference: .* {frames[1].name} shows more"):
            judge(frames, BracketOptions(reference=0))
    else:
        assert judge(frames, BracketOptions(reference=0)).members == [0, 1, 2], "as it was taken"
    # nothing is to be laid on it when nothing is to be laid
    assert judge(frames, BracketOptions(reference=0, align=False)).reference == 0


def test_another_subject_as_the_reference_is_called_what_it_is(tmp_path: Path) -> None:
    """Not blown: the frames that do not lie on it are named."""
    camera, lens = CameraModel("Pennick", "Pennick Test 9", 640, 432, serial="9"), ideal(45)
    turns = np.array([[0, 0, 0], [0.3, 0.1, 0]])
    (tmp_path / "a").mkdir()
    one, _ = frames_of(tmp_path, grainy(8), camera, lens, (0.0, -1.0), turns, 100, True)
    other, _ = frames_of(tmp_path / "a", grainy(9), camera, lens, (0.0, 0.0), turns * 0, 100, True)
    with pytest.raises(MergeError, match=r"Nothing is left to merge.* it does not lie on the others"):
        judge([other[0], *one], BracketOptions(reference=0))


def drawing(deviation: float, blur_px: float, seed: int) -> Seen:
    plain = cv2.GaussianBlur(np.random.default_rng(1).normal(0, 1, (400, 500)).astype(np.float32), (0, 0), 1.5) * 0.2 + 0.3
    light = cv2.GaussianBlur(plain, (0, 0), blur_px) if blur_px else plain
    noise = np.random.default_rng(seed).normal(0, deviation, light.shape)
    variance = np.full(light.shape, deviation**2, np.float32)
    return Seen((light + noise).astype(np.float32), variance, np.ones(light.shape, bool), 0.15)


def test_what_noise_hides_is_not_called_soft() -> None:
    sharp = drawing(0.001, 0, 2)
    assert as_sharp(drawing(0.001, 0, 3), sharp, 0) == pytest.approx(1, abs=0.02)
    assert as_sharp(drawing(0.001, 2, 3), sharp, 0) < 0.4
    # where it drowns in the finest octave, a coarser one tells
    assert as_sharp(drawing(0.05, 0, 3), sharp, 0) == pytest.approx(1, abs=0.12)
    assert as_sharp(drawing(0.05, 3, 3), sharp, 0) < 0.5
    # and where it drowns altogether, nobody knows; noise that may be told twice too large takes nothing
    assert np.isnan(as_sharp(drawing(2.0, 3, 3), sharp, 0))
    quieter = drawing(0.02, 0, 3)
    wrong = replace(quieter, variance=quieter.variance * 2, known_to=1.0)
    assert as_sharp(wrong, replace(sharp, known_to=1.0), 0) > 0.9
    assert as_sharp(replace(wrong, known_to=0.15), sharp, 0) < 0.75, "as it would if it were believed"


def deep(folder: Path, own: bool) -> tuple[list[Opened], Float64]:
    """Pictures of 16 bits with the curve of sRGB or one of the camera's own, and the light of the middle one."""
    light = drawn_field(900, 600, 5).linear_rec709.astype(np.float64)
    light = light / np.quantile(light, 0.6) * 0.15
    light[40:90, 60:160] *= 6  # a lamp
    frames: list[tuple[str, Any]] = []
    for i, ev in enumerate((-1.0, 0.0, 1.0)):
        x = np.clip(light * 2.0**ev + np.random.default_rng(i).normal(0, 2e-4, light.shape), 0, 1)
        codes = curve(x) / 255 if own else np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 1e-9) ** (1 / 2.4) - 0.055)
        path = folder / f"deep-{i}.tif"
        tifffile.imwrite(path, np.rint(np.clip(codes, 0, 1) * 65535).astype(np.uint16), photometric="rgb")
        source = Source(decode(path))
        source.capture = replace(source.capture, exposure_time_s=2.0**ev / 60, f_number=8.0, iso=100)
        frames.append((path.name, source))
    return opened_together(frames), light


@pytest.mark.parametrize("own", [False, True])
def test_pictures_of_sixteen_bits_may_have_a_curve_of_their_own(tmp_path: Path, own: bool) -> None:
    frames, light = deep(tmp_path, own)
    linear, found = linear_frames(frames, lambda _: None)
    assert found == own and (linear is frames) != own
    seen = linear[1].source.window(0, 0, 900, 600)[1]
    where = (light[..., 1] > 0.01) & (light[..., 1] < 0.8)
    ratio = seen[where] / light[..., 1][where]
    low, high = np.quantile(ratio / np.median(ratio), (0.02, 0.98))
    assert low > 0.96 and high < 1.04
    judged = judge(linear, BracketOptions(reference=1))
    assert np.log2(judged.exposure) == pytest.approx([-1, 0, 1], abs=0.015)
    white, brightest = linear[2].source.trust(0, 0, 900, 600), 2 * light.max(2)
    assert (brightest > 1.02).sum() > 100
    assert white[brightest > 1.02].max() < 0.01 and (white[brightest < 0.6] > 0.99).mean() > 0.97
