"""Series laid on each other by their drawing, not by stars: lamps that cross single frames, dim scenes that are no skies."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data

from zincplate.demo.camera import CameraModel, Settings, expose, metered
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ideal
from zincplate.demo.scenes import Scene, drawn_field
from zincplate.formats.decode import decode
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.series.judge import judge_series
from zincplate.merges.series.options import SeriesOptions
from zincplate.merges.view import Opened
from zincplate.merges.view import opened as opened_together
from zincplate.sources.file import Source

NO_LENSES = LensDatabase()


def handheld(folder: Path, scenes: list[Scene], iso: int, ev: float, told: bool) -> list[Opened]:
    camera, lens = CameraModel("Pennick", "Pennick Test 9", 640, 432, serial="9"), ideal(60)
    frames = []
    for i, scene in enumerate(scenes):
        turn = np.random.default_rng(i).normal(0, 0.08, 3)
        settings = replace(metered(scenes[0], Settings(1 / 100, 8, iso, seed=i), ev), yaw_degrees=turn[0], pitch_degrees=turn[1])
        settings = replace(settings, roll_degrees=float(turn[2]))
        path = folder / f"hand-{i}.dng"
        path.write_bytes(dng_bytes(camera, lens, settings, expose(scene, camera, lens, settings), f"2026-05-12T23:00:{i:02d}"))
        source = Source(decode(path))
        if not told:
            source.capture = replace(source.capture, exposure_time_s=0.0)
        frames.append((path.name, source))
    return opened_together(frames)


def test_a_lamp_that_crossed_one_frame_makes_no_other_soft(tmp_path: Path) -> None:
    """Bright and thin, elsewhere in each: it is most of the finest detail of every frame."""
    plain = drawn_field(1400, 950, 6)
    scenes = []
    for i in range(5):
        light = plain.linear_rec709.copy()
        cv2.line(light, (60, 150 + 120 * i), (1300, 300 + 60 * i), (6 * plain.middle_grey * 1.5**i,) * 3, 4, cv2.LINE_AA)
        scenes.append(replace(plain, linear_rec709=light))
    judged = judge_series(handheld(tmp_path, scenes, 800, -1.0, True), SeriesOptions(), NO_LENSES)
    assert judged.by == "features" and judged.members == [0, 1, 2, 3, 4], [f.reason for f in judged.figures]
    assert min(f.sharpness for f in judged.figures) > 0.85


@pytest.mark.parametrize("told", [True, False])
def test_points_of_a_dim_scene_are_no_stars(tmp_path: Path, told: bool) -> None:
    """A cup by candle light (scikit-image's coffee, public domain), with more than a hundred points that might be some."""
    light = (skimage.data.coffee().astype(np.float32) / 255) ** 2.2
    light = cv2.resize(light, None, fx=3, fy=3, interpolation=cv2.INTER_CUBIC).clip(1e-4)
    grain = cv2.GaussianBlur(np.random.default_rng(7).normal(0, 1, light.shape[:2]).astype(np.float32), (0, 0), 1.2)
    light *= np.exp(0.05 * grain / grain.std())[..., None]
    scene = Scene("cup", light.astype(np.float32), float(light.mean()), focal_px=light.shape[1] * 0.55)
    frames = handheld(tmp_path, [scene] * 4, 400, -3.3, told)
    judged = judge_series(frames, SeriesOptions(), NO_LENSES)
    assert judged.by == "features" and judged.members == [0, 1, 2, 3]
    np.testing.assert_allclose([f.exposure_ev for f in judged.figures], 0, atol=0.012)
    by_hand = judge_series(frames, SeriesOptions(align="stars"), NO_LENSES)
    assert np.median([f.stars for f in by_hand.figures]) > 100, "which is why they were taken for some"
