"""Frames from the hand, whose camera moved between them: a wall and the floor before it, known in every place."""

import math
import re
from dataclasses import replace
from functools import cache
from itertools import pairwise
from pathlib import Path

import cv2
import imagecodecs
import numpy as np
import pytest
import skimage.data
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, map_coordinates

from tests.reference.test_panorama import NO_LENSES, Made
from tests.reference.test_panorama_whole_turn import told
from zincplate.core.merging.turning_camera import rotation
from zincplate.formats.decode import decode
from zincplate.formats.decoded import Decoded
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import look_at
from zincplate.merges.master import Opened
from zincplate.merges.panorama.judge import judge_panorama
from zincplate.merges.panorama.layout import file_places
from zincplate.merges.panorama.master import points_of, report_of
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.view import View, opened
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

WIDTH, HEIGHT, FOCAL_PX = 600, 460, 420.0
WALL_M, FLOOR_M = 9.0, 1.5
"""How far ahead the wall stands, how far below the camera the floor lies."""
BOARD_M, BOARD_AT_M = 5.0, 0.3
"""How far ahead the board stands, and its middle across."""
TEXEL_M = 0.02


@cache
def texture(seed: int) -> Float32:
    """(1200, 2400) light, 0.05 to 0.9, of a surface of 24 x 48 m."""
    rng = np.random.default_rng(seed)
    light = sum(
        gaussian_filter(rng.standard_normal((1200, 2400)), s, mode="wrap") * s * share
        for s, share in ((2, 0.5), (5, 0.8), (30, 1.4))
    )
    return np.asarray(0.3 * np.exp2(np.clip(light, -2.4, 1.5)), np.float32)


def surface(place: Float64, rays: Float64, post: bool) -> tuple[Float64, Float64, NDArray[np.int64]]:
    """Where directions (..., 3) from a place first meet something: the point, how far along, and what it is: 0 the wall, 1 the
    floor, 2 a board that stands before them."""
    wall = (WALL_M - place[2]) / np.maximum(rays[..., 2], 1e-6)
    floor = np.where(rays[..., 1] > 1e-6, (FLOOR_M - place[1]) / np.maximum(rays[..., 1], 1e-6), np.inf)
    board = (BOARD_M - place[2]) / np.maximum(rays[..., 2], 1e-6)
    met = place[0] + rays[..., 0] * board
    board = np.where(post & (np.abs(met - BOARD_AT_M) < 0.15), board, np.inf)
    along = np.stack([wall, floor, board])
    nearest = along.min(0)
    return place + rays * nearest[..., None], nearest, along.argmin(0)


def light_at(points: Float64, what: NDArray[np.int64]) -> Float32:
    """Of points of the scene."""
    x = (points[..., 0] + 24) / TEXEL_M
    on_wall = map_coordinates(texture(1), [(points[..., 1] + 12) / TEXEL_M, x], order=3, mode="grid-wrap")
    on_floor = map_coordinates(texture(2), [points[..., 2] / TEXEL_M, x], order=3, mode="grid-wrap")
    on_board = 0.3 * map_coordinates(texture(3), [(points[..., 1] + 12) / TEXEL_M, x], order=3, mode="grid-wrap")
    return np.choose(what, [on_wall, on_floor, on_board]).astype(np.float32)


POSES = [(-34.0, (-0.16, 0.02, 0.03)), (-11.0, (-0.05, -0.02, 0.0)), (12.0, (0.07, 0.03, 0.02)), (35.0, (0.17, 0.0, 0.05))]
"""Yaw in degrees, and where the camera stood, in metres: held at arm's length and turned with the body."""


def pose(i: int, moved: float) -> tuple[Float64, Float64]:
    """Turn and place of a frame's camera."""
    rng = np.random.default_rng(40 + i)
    yaw, place = POSES[i]
    turn = rotation(np.array([0, math.radians(yaw), 0])) @ rotation(np.array([-math.radians(12 + rng.normal(0, 1)), 0, 0]))
    return turn @ rotation(np.array([0, 0, math.radians(rng.normal(0, 0.8))])), moved * np.array(place)


def frame(i: int, moved: float, post: bool = False) -> Decoded:
    """One of the frames, with a little noise; it tells a focal length."""
    turn, place = pose(i, moved)
    x, y = np.meshgrid(np.arange(WIDTH) - (WIDTH - 1) / 2, np.arange(HEIGHT) - (HEIGHT - 1) / 2)
    points, _, what = surface(place, np.stack([x / FOCAL_PX, y / FOCAL_PX, np.ones_like(x)], -1) @ turn.T, post)
    noise = np.random.default_rng(i).standard_normal((HEIGHT, WIDTH, 3)).astype(np.float32) * np.float32(0.002)
    base = told()
    capture = replace(
        base.capture, orientation=1, width=WIDTH, height=HEIGHT, lens="", iso=100,
        focal_length_35mm=FOCAL_PX / math.hypot(WIDTH, HEIGHT) * math.hypot(36, 24),
    )  # fmt: skip
    planes = np.ascontiguousarray(np.repeat(light_at(points, what)[..., None], 3, 2) + noise)
    return Decoded("camera", planes, capture, base.camera, white=1.0, balanced=True)


def frames(moved: float = 1.0, post: bool = False) -> list[Opened]:
    return opened([(f"hand-{i}.dng", Source(frame(i, moved, post))) for i in range(len(POSES))])


def apart(made: Made, moved: float, post: bool = False) -> Float64:
    """How far things that a place of the canvas shows by two neighbours lie from each other there, in pixels; those on the board
    or behind it aside."""
    canvas, judged = made.layout.canvas, made.judged
    xx, yy = np.meshgrid(np.arange(8.0, canvas.width, 8), np.arange(8.0, canvas.height, 8))
    seen = []
    for k, i in enumerate(judged.members):
        u, v = file_places(canvas, judged, k, xx, yy)
        turn, place = pose(i, moved)
        points, along, what = surface(place, np.stack([u / FOCAL_PX, v / FOCAL_PX, np.ones_like(u)], -1) @ turn.T, post)
        far = cv2.dilate((what == 2).astype(np.uint8), np.ones((9, 9), np.uint8)) == 0
        seen.append(((np.abs(u) < WIDTH / 2 - 4) & (np.abs(v) < HEIGHT / 2 - 4) & far, points, along))
    out = []
    for (inside, points, along), (inside_2, points_2, along_2) in pairwise(seen):
        both = inside & inside_2
        out.append((np.linalg.norm(points - points_2, axis=-1) / np.minimum(along, along_2))[both] * FOCAL_PX)
    return np.concatenate(out)


@pytest.fixture(scope="module")
def hand() -> Made:
    return Made(frames(), PanoramaOptions())


def test_wall_and_floor_meet_though_the_camera_moved(hand: Made) -> None:
    off = apart(hand, 1.0)
    assert np.median(off) < 0.25 and np.quantile(off, 0.9) < 1.5
    turning = Made(hand.frames, PanoramaOptions(near=False))
    assert not turning.judged.fields
    rigid = apart(turning, 1.0)
    assert np.median(rigid) > 3 and np.quantile(rigid, 0.9) > 9, "what there is to be made up for"
    # what is told is what is left over
    assert hand.judged.residual_px < 0.3 and max(f.residual_px for f in hand.judged.figures) < 0.5
    words = " ".join(report_of(hand.frames, hand.judged, hand.layout, PanoramaOptions())["done"])
    assert re.search(r"The camera moved between frames: near things were bent by up to \d+ px to meet", words)
    assert "moved between" not in " ".join(report_of(hand.frames, turning.judged, turning.layout, PanoramaOptions())["done"])
    shown = points_of(hand.judged, hand.layout.canvas)
    assert len(shown) > 60 and np.median([e for _, _, e in shown]) < 0.3


def test_the_picture_is_one_frame_between_seams_and_bent_without_steps(hand: Made) -> None:
    """At full size, in blocks, it is what the field says everywhere: read with the scene's own light."""
    picture, layout, judged = hand.picture(), hand.layout, hand.judged
    labels = np.repeat(np.repeat(layout.labels, layout.step, 0), layout.step, 1)[: picture.shape[1], : picture.shape[2]]
    off = []
    for k, i in enumerate(judged.members):
        own = cv2.erode((labels == k).astype(np.uint8), np.ones((65, 65), np.uint8), borderValue=0) > 0
        y, x = np.nonzero(own)
        if len(y) < 500:
            continue
        u, v = file_places(layout.canvas, judged, k, x + 0.5, y + 0.5)
        turn, place = pose(i, 1.0)
        points, _, what = surface(place, np.stack([u / FOCAL_PX, v / FOCAL_PX, np.ones_like(u)], -1) @ turn.T, False)
        off.append(np.log2(picture[1][own] / light_at(points, what)))
    stops = np.concatenate(off)
    assert len(stops) > 20_000
    assert np.median(np.abs(stops - np.median(stops))) < 0.01 and np.quantile(np.abs(stops - np.median(stops)), 0.9) < 0.03


def test_frames_of_a_turning_camera_are_not_bent() -> None:
    still = Made(frames(0.0), PanoramaOptions())
    assert not still.judged.fields and np.quantile(apart(still, 0.0), 0.99) < 0.1


def test_a_board_before_them_does_not_drag_wall_and_floor_along() -> None:
    made = Made(frames(post=True), PanoramaOptions())
    off = apart(made, 1.0, True)
    assert made.judged.fields and np.median(off) < 0.4 and np.quantile(off, 0.9) < 3


def test_switched_off_it_is_judged_anew() -> None:
    kept, few = Kept(), frames()[1:3]
    done = [
        " ".join(look_at(few, PanoramaOptions(near=near), NO_LENSES, lambda _: None, kept, "few").report["done"])
        for near in (True, False)
    ]
    assert "near things were bent" in done[0] and "near things" not in done[1]


def test_depth_that_leaps_is_left_to_the_seams(tmp_path: Path) -> None:
    """scikit-image's stereo pair (Middlebury 2014, a motorcycle before shelves): a tenth of the picture apart, thing by thing. No
    smooth field explains that, so none is used."""
    left, right, _ = skimage.data.stereo_motorcycle()
    sources = []
    for name, picture in (("left.png", left[:, :520]), ("right.png", right[:, 180:])):
        (tmp_path / name).write_bytes(imagecodecs.png_encode(np.ascontiguousarray(picture)))
        sources.append((name, Source(decode(tmp_path / name))))
    views: list[View] = []
    judged = judge_panorama(opened(sources), PanoramaOptions(), NO_LENSES, views=views)
    assert judged.members == [0, 1] and not judged.fields
