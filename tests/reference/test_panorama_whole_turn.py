"""Whole turns: frames of a drawn sphere, known in every direction. The picture's ends must meet."""

import math
from dataclasses import replace
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, map_coordinates

from tests.conftest import small_dng
from tests.reference.test_panorama import NO_LENSES, Made
from zincplate.core.merging.turning_camera import rotation
from zincplate.formats.decode import decode
from zincplate.formats.decoded import Decoded
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import look_at
from zincplate.merges.master import Opened
from zincplate.merges.panorama.master import merge_panorama, points_of, sphere_of
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.view import opened
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

WIDTH, HEIGHT, FOCAL_PX = 600, 460, 420.0


@cache
def sphere() -> Float32:
    """(1200, 2400) light of all directions, 0.05 to 0.9: longitude and latitude, the same at both ends."""
    rng = np.random.default_rng(8)
    light = sum(
        gaussian_filter(rng.standard_normal((1200, 2400)), sigma, mode=("nearest", "wrap")) * sigma * share
        for sigma, share in ((1.6, 0.5), (5, 0.8), (40, 1.6))
    )
    from_pole = np.minimum(np.arange(1200) + 0.5, np.arange(1200)[::-1] + 0.5) / 1200 * 180
    light *= np.clip(from_pole / 20, 0, 1)[:, None]  # all longitudes are one direction there
    return np.asarray(0.3 * np.exp2(np.clip(light, -2.4, 1.5)), np.float32)


def light_of(rays: Float64) -> Float32:
    """Of directions (..., 3), by cubic convolution in longitude and latitude."""
    picture = sphere()
    h, w = picture.shape
    across = (np.arctan2(rays[..., 0], rays[..., 2]) / (2 * np.pi) + 0.5) * w - 0.5
    up = (np.arcsin(np.clip(rays[..., 1] / np.linalg.norm(rays, axis=-1), -1, 1)) / np.pi + 0.5) * h - 0.5
    return np.asarray(map_coordinates(picture, [up, across], order=3, mode="grid-wrap"), np.float32)


def frame(yaw: float, pitch: float, roll: float, gain_ev: float, seed: int) -> Decoded:
    """A frame of the sphere, with a little noise; it tells a focal length."""
    turn = rotation(np.array([0, math.radians(yaw), 0])) @ rotation(np.array([-math.radians(pitch), 0, 0]))
    turn = turn @ rotation(np.array([0, 0, math.radians(roll)]))
    x, y = np.meshgrid(np.arange(WIDTH) - (WIDTH - 1) / 2, np.arange(HEIGHT) - (HEIGHT - 1) / 2)
    light = light_of(np.stack([x / FOCAL_PX, y / FOCAL_PX, np.ones_like(x)], -1) @ turn.T) * np.float32(2.0**gain_ev)
    rng = np.random.default_rng(seed)
    planes = np.repeat(light[..., None], 3, 2) + rng.standard_normal((HEIGHT, WIDTH, 3)).astype(np.float32) * np.float32(0.002)
    base = told()
    diagonal = math.hypot(WIDTH, HEIGHT)
    capture = replace(
        base.capture, orientation=1, width=WIDTH, height=HEIGHT, lens="", iso=round(100 * 2.0**gain_ev),
        focal_length_35mm=FOCAL_PX / diagonal * math.hypot(36, 24),
    )  # fmt: skip
    return Decoded("camera", np.ascontiguousarray(planes), capture, base.camera, white=1.0, balanced=True)


@cache
def told() -> Decoded:
    with TemporaryDirectory() as folder:
        path = Path(folder) / "one.dng"
        path.write_bytes(small_dng())
        return decode(path)


def turned(count: int = 10, pitch: float = 0.0, gains: tuple[float, ...] = (0.0,)) -> list[Opened]:
    rng = np.random.default_rng(5)
    frames = []
    for i in range(count):
        off = rng.normal(0, 1.2, 3)
        gain = gains[i % len(gains)]
        frames.append((f"turn-{i:02d}.dng", Source(frame(360 / count * i + off[0], pitch + off[1], off[2], gain, i))))
    return opened(frames)


@pytest.fixture(scope="module")
def whole() -> Made:
    return Made(turned(gains=(0.0, -0.4, 0.3)), PanoramaOptions(projection="cylinder"))


def worst_step(picture: Float32) -> tuple[float, float]:
    """Median of the steps between neighbouring columns: across the ends, and within (the 95th percentile of columns)."""
    stops = np.log2(np.maximum(picture[1], 1e-3))
    across = float(np.median(np.abs(stops[:, 0] - stops[:, -1])))
    within = np.median(np.abs(np.diff(stops, axis=1)), 0)
    return across, float(np.percentile(within, 95))


def test_the_ends_of_a_whole_turn_meet(whole: Made) -> None:
    layout = whole.layout
    canvas = layout.canvas
    assert layout.wide is not None and canvas.across_degrees == pytest.approx(360)
    assert canvas.width == pytest.approx(2 * math.pi * canvas.focal_px, abs=1e-6), "one turn, in whole pixels"
    assert 0 <= canvas.width / (2 * math.pi * np.median([c.focal_px for c in whole.judged.cameras])) - 1 < 0.03
    assert layout.labels.shape[1] * layout.step == canvas.width and (layout.labels >= 0).all()
    # what is there twice is shown by the same frames, and taken from the same one
    wide, turn = layout.wide, canvas.width // layout.step
    twice = wide.labels.shape[1] - turn
    assert twice > 20 and np.array_equal(wide.labels[:, :twice], wide.labels[:, turn:])
    for piece in wide.pieces:
        there = np.zeros(wide.labels.shape, bool)
        there[piece.y : piece.y + piece.shown.shape[0], piece.x : piece.x + piece.shown.shape[1]] = piece.shown
        assert np.array_equal(there[:, :twice], there[:, turn:])
    picture = whole.picture()
    assert picture.shape == (3, canvas.height, canvas.width)
    across, within = worst_step(picture)
    assert across < 1.3 * within, (across, within)
    # what lies left of the first column is what the last one shows: continued across the ends, lines go on
    around = np.concatenate([picture[1][:, -40:], picture[1][:, :40]], 1)
    assert np.abs(around[:, 39] - (9 * (around[:, 38] + around[:, 40]) - around[:, 37] - around[:, 41]) / 16).mean() < 0.01


def test_it_shows_what_is_there_in_every_direction(whole: Made) -> None:
    picture, canvas = whole.picture()[1], whole.layout.canvas
    x, y = np.meshgrid(np.arange(canvas.width) + 0.5, np.arange(canvas.height) + 0.5)
    # the world is known but for how it is turned as a whole: by the reference's camera
    rays = canvas.rays(x, y)
    own = whole.judged.cameras[whole.judged.reference]
    index = whole.judged.members[whole.judged.reference]
    rng = np.random.default_rng(5)
    off = [rng.normal(0, 1.2, 3) for _ in range(index + 1)][-1]
    true = rotation(np.array([0, math.radians(36 * index + off[0]), 0])) @ rotation(np.array([-math.radians(off[1]), 0, 0]))
    true = true @ rotation(np.array([0, 0, math.radians(off[2])]))
    gain = 2.0 ** (0.0, -0.4, 0.3)[index % 3]
    light = light_of(rays @ own.turn @ true.T) * gain
    apart = np.abs(np.log2(np.maximum(picture, 1e-3) / light))
    assert float(np.median(apart)) < 0.02 and float(np.percentile(apart, 99)) < 0.15
    # no more at the ends than elsewhere
    parts = [np.roll(apart, shift, 1)[:, :48] for shift in range(24, canvas.width, 48)]
    middle, most = ([float(f(p)) for p in parts] for f in (np.median, lambda p: np.percentile(p, 99)))
    assert middle[0] < 1.2 * max(middle[1:]) and most[0] < 1.2 * max(most[1:])


def test_a_sphere_with_poles_is_twice_as_wide_as_high() -> None:
    up, down = (turned(8, pitch, (0.0,)) for pitch in (48, -48))
    level = turned(10)
    zenith = opened([(f"pole-{i}.dng", Source(frame(0, p, 0, 0, 90 + i))) for i, p in enumerate((90, -90))])
    frames = [replace(f, name=f"{i:02d}.dng") for i, f in enumerate([*level, *up, *down, *zenith])]
    made = Made(frames, PanoramaOptions(projection="sphere"))
    canvas = made.layout.canvas
    assert len(made.judged.members) == 28 and made.layout.wide is not None
    assert abs(canvas.width - 2 * canvas.height) <= 2 and made.layout.uncovered == 0
    told = sphere_of(canvas)
    assert (told[0], told[2], told[4]) == (canvas.width, 0, canvas.width) and max(told[3], told[1] - told[5]) <= 1
    picture = made.picture()
    across, within = worst_step(picture)
    assert across < 1.3 * within
    # at a pole one direction fills a row
    for row in (0, -1):
        assert np.log2(picture[1][row]).std() < 0.1


def test_the_look_and_the_file_are_one_turn(whole: Made) -> None:
    options = PanoramaOptions(projection="cylinder", yaw_degrees=77)
    look = look_at(whole.frames, options, NO_LENSES, lambda _: None, Kept(), "turn")
    assert any("ends meet" in words for words in look.report["done"])
    width, height = look.report["size"]
    assert look.picture.shape[1] / look.picture.shape[0] == pytest.approx(width / height, rel=0.01)
    assert look.before is not None and look.before.shape == look.picture.shape
    light = look.picture.astype(float).mean(2)
    steps = np.abs(np.diff(light, axis=1)).mean(0)
    assert np.abs(light[:, 0] - light[:, -1]).mean() < 1.3 * np.percentile(steps, 95)
    assert all(0 <= x < 1 and 0 <= y < 1 for x, y, _ in look.drawn["points"])
    made = merge_panorama(whole.frames, whole.judged, whole.layout, options, "Test", [])
    assert made.report["size"] == [whole.layout.canvas.width, whole.layout.canvas.height]
    assert points_of(whole.judged, whole.layout.canvas)


def test_what_does_not_close_is_left_open() -> None:
    """Nine tenths of a turn; a whole one of which too little is seen all around; and one that is bent to a rectangle."""
    most = turned()[:8]
    open_one = Made(most, PanoramaOptions(projection="cylinder"))
    assert open_one.layout.wide is None and open_one.layout.canvas.across_degrees < 340
    bent = Made(turned(), PanoramaOptions(projection="cylinder", rectangle=30))
    assert bent.layout.wide is None
    uncut = Made(turned(), PanoramaOptions(projection="cylinder", cut=False))
    assert uncut.layout.wide is not None and uncut.layout.uncovered > 0 and uncut.layout.outlines
