"""Coordinate maps and the one resampling of the frame stage, against closed forms and OpenCV."""

import math

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import spline_filter

from tests.contract.test_operations import rendered
from zincplate.core.geometry.frame_map import FrameMap
from zincplate.core.geometry.orientation import FLIPS, turned, turned_back, turned_points, upright
from zincplate.core.geometry.projective import (
    FramingError,
    Movements,
    angles_of,
    of_four_points,
    of_movements,
    rotation,
)
from zincplate.core.geometry.radial import ByHand, LensDataError, compose
from zincplate.core.geometry.sampling import Sampling
from zincplate.core.geometry.splines import spline_coefficients
from zincplate.core.geometry.warp import warp
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest

WIDTH, HEIGHT = 6000, 4000
HALF_DIAGONAL = math.hypot(WIDTH, HEIGHT) / 2
EVERYTHING = ByHand(-0.03, 0.01, 0.0008, -0.0006, 0.5, 3.0)


def mapping(movements: Movements, by_hand: ByHand | None = None, width: int = WIDTH, height: int = HEIGHT) -> FrameMap:
    return FrameMap(width, height, of_movements(movements, 0.8 * width), compose(math.hypot(width, height) / 2, by_hand=by_hand))


def scattered(n: int = 4000, seed: int = 3) -> np.ndarray:
    edge = np.array([[0, 0], [WIDTH, 0], [WIDTH, HEIGHT], [0, HEIGHT], [WIDTH / 2, HEIGHT / 2]], np.float64)
    return np.concatenate([edge, np.random.default_rng(seed).random((n, 2)) * [WIDTH, HEIGHT]])


angle = st.floats(-25, 25)


@settings(max_examples=40, deadline=None)
@given(angle, angle, angle, st.floats(-0.5, 0.5), st.floats(-0.05, 0.05), st.floats(-0.03, 0.03))
def test_maps_invert_everywhere(roll: float, tilt: float, swing: float, stretch: float, k1: float, k2: float) -> None:
    both = mapping(Movements(roll, tilt, swing, stretch), ByHand(k1, k2, 0.001, -0.001))
    places = scattered(500)
    for channel in range(3):
        back = both.to_source(both.to_plane(places, channel), channel)
        assert np.abs(back - places).max() < 0.01


def test_movements_keep_the_middle_and_its_scale() -> None:
    both = mapping(Movements(7, 12, -9, 0.2))
    middle = np.array([[WIDTH / 2, HEIGHT / 2]])
    assert both.to_plane(middle) == pytest.approx(0, abs=1e-9)
    right, below = np.array([0.5, 0.0]), np.array([0.0, 0.5])
    across = (both.to_plane(middle + right) - both.to_plane(middle - right))[0]
    down = (both.to_plane(middle + below) - both.to_plane(middle - below))[0]
    assert abs(across[0] * down[1] - across[1] * down[0]) == pytest.approx(1, abs=1e-6)


def test_signs_are_those_that_the_controls_promise() -> None:
    top, bottom = np.array([[1000.0, 0], [5000, 0]]), np.array([[1000.0, HEIGHT], [5000, HEIGHT]])
    tilted = mapping(Movements(tilt_degrees=10))
    assert np.ptp(tilted.to_plane(top)[:, 0]) > 4000 > np.ptp(tilted.to_plane(bottom)[:, 0])
    swung = mapping(Movements(swing_degrees=10))
    right, left = np.array([[WIDTH, 500.0], [WIDTH, 3500]]), np.array([[0.0, 500], [0, 3500]])
    assert np.ptp(swung.to_plane(right)[:, 1]) > 3000 > np.ptp(swung.to_plane(left)[:, 1])
    clockwise = mapping(Movements(roll_degrees=10)).to_plane(np.array([[WIDTH, HEIGHT / 2]]))[0]
    assert clockwise[1] > 0
    taller = mapping(Movements(stretch=1.0)).to_plane(np.array([[WIDTH, HEIGHT]]))[0]
    assert taller[1] / taller[0] == pytest.approx(2 * HEIGHT / WIDTH)


@given(st.floats(-60, 60), st.floats(-60, 60), st.floats(-60, 60))
def test_angles_come_back_from_a_rotation(roll: float, tilt: float, swing: float) -> None:
    assert angles_of(rotation(roll, tilt, swing)) == pytest.approx((roll, tilt, swing), abs=1e-6)


@settings(deadline=None)
@given(st.lists(st.floats(-900, 900), min_size=8, max_size=8))
def test_four_corners_are_opencvs_homography(moves: list[float]) -> None:
    source = np.array([[0, 0], [WIDTH, 0], [WIDTH, HEIGHT], [0, HEIGHT]], np.float64)
    target = source + np.reshape(moves, (4, 2))
    ours = of_four_points(source, target)
    theirs = cv2.getPerspectiveTransform(source.astype(np.float32), target.astype(np.float32))
    places = np.concatenate([source, scattered(50)])

    def through(m: np.ndarray) -> np.ndarray:
        x, y, w = m @ np.stack([*places.T, np.ones(len(places))])
        return np.stack([x / w, y / w])

    assert np.abs(through(ours) - through(theirs)).max() < 0.02


@pytest.mark.parametrize(
    ("corners", "part"),
    [
        ([[0, 0], [1, 0], [0, 1], [1, 1]], "crossed"),
        ([[0, 0], [0.5, 0], [1, 0], [0, 1]], "one line"),
        ([[0, 0], [0, 1], [1, 1], [1, 0]], "behind"),
        ([[0, 0], [0, 0], [0, 0], [0, 0]], "crossed"),
        ([[0, 0], [1, 0], [float("nan"), 1], [0, 1]], "no quadrilateral"),
    ],
)
def test_corners_that_make_no_picture_are_refused(corners: list[list[float]], part: str) -> None:
    source = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float64)
    with pytest.raises(FramingError, match=part):
        of_four_points(source * 1000, np.array(corners) * 1000)


@pytest.mark.parametrize("by_hand", [ByHand(k1=-0.4), ByHand(k2=-0.5), ByHand(corner_ev=float("inf"))])
def test_absurd_lens_data_is_refused(by_hand: ByHand) -> None:
    with pytest.raises(LensDataError):
        compose(HALF_DIAGONAL, by_hand=by_hand)


def test_orientations_are_closed_under_turns_and_points_follow() -> None:
    picture = np.arange(35).reshape(5, 7)
    places = np.array([[1.5, 0.5], [6.5, 4.5], [0.0, 0.0], [7.0, 5.0]])
    for orientation in FLIPS:
        for quarter in range(4):
            for mirror in (False, True):
                expected = np.rot90(upright(picture, orientation), -quarter)
                expected = expected[:, ::-1] if mirror else expected
                assert (upright(picture, turned(orientation, quarter, mirror)) == expected).all()
    for quarter in range(4):
        for mirror in (False, True):
            seen = upright(picture, turned(1, quarter, mirror))
            there = turned_points(places, 7, 5, quarter, mirror)
            assert seen[int(there[0, 1]), int(there[0, 0])] == picture[0, 1]
            assert turned_back(there, 7, 5, quarter, mirror) == pytest.approx(places)


# --- crops -------------------------------------------------------------------------------------------------------------


def framed_of(values: dict[str, object], width: int = 300, height: int = 200):  # type: ignore[no-untyped-def]
    source = rendered(np.zeros((height, width, 3), np.uint8))
    recipe = Recipe.neutral(False).with_values({"framing": values})
    return Renderer(Decoder()).framed(source, "framed", source.plan(recipe).frame)


def test_a_crop_stays_on_its_subject_through_movements_and_turns() -> None:
    crop = {"crop_x": 0.62, "crop_y": 0.31, "crop_width": 0.2, "crop_height": 0.25}
    for more in ({}, {"angle": 4.0}, {"tilt": 8.0, "bend": -2.0}, {"quarter_turn": "90"}, {"mirror": True, "swing": 5.0}):
        framed = framed_of(crop | more)
        middle = framed.to_frame(np.array([[framed.width / 2, framed.height / 2]]))[0]
        assert middle == pytest.approx([0.62, 0.31], abs=0.004), more


@pytest.mark.parametrize(("ratio", "size"), [("4:5", (160, 200)), ("1:1", (200, 200)), ("16:9", (300, 169)), ("3:2", (300, 200))])
def test_fixed_ratios_give_their_pixels(ratio: str, size: tuple[int, int]) -> None:
    framed = framed_of({"ratio": ratio})
    assert (framed.width, framed.height) == pytest.approx(size, abs=1)


def test_rise_and_shift_move_what_is_shown() -> None:
    crop = {"crop_x": 0.5, "crop_y": 1 / 3, "crop_width": 0.4, "crop_height": 0.3}
    still, moved = framed_of(crop), framed_of(crop | {"rise": 5, "shift": 10})
    assert moved.left - still.left == pytest.approx(30, abs=1) and moved.top - still.top == pytest.approx(-15, abs=1)


def test_a_crop_is_shrunk_onto_the_picture_or_reaches_beyond_it() -> None:
    outside = {"crop_x": 0.1, "crop_y": 0.1, "crop_width": 0.6, "crop_height": 0.6}
    inside, beyond = framed_of(outside), framed_of(outside | {"reach_beyond": True})
    assert inside.shrunk and inside.beyond == 0 and inside.width < 180
    assert (beyond.width, beyond.height) == (180, 180)
    # 30 of 90 pixels each way lie beside the picture on two sides
    assert beyond.beyond == pytest.approx(1 - (120 / 180) ** 2, abs=0.02)


@pytest.mark.parametrize(
    ("values", "part"),
    [
        ({"crop_x": 2.0, "crop_y": 2.0, "crop_width": 0.2, "crop_height": 0.2}, "beside the picture"),
        ({"corners": [0.9, 0.9, -0.9, 0.9, 0, 0, 0, 0]}, "crossed|one line|behind|too far"),
        ({"lens_profile": "No maker / No lens / 1"}, "No lens is not here"),
        ({"bend": -20, "bend_edge": -20}, "folds"),
    ],
)
def test_framing_without_sense_is_refused_with_a_sentence(values: dict[str, object], part: str) -> None:
    with pytest.raises(RecipeError, match=part):
        framed_of(values)


# --- the resampling ----------------------------------------------------------------------------------------------------


def sampling(matrix: np.ndarray, width: int, height: int, left: float, top: float) -> Sampling:
    return Sampling(matrix, left, top, 1, 1, width, height, 1, 1, 0, 0)


def test_spline_coefficients_are_scipys() -> None:
    planes = np.random.default_rng(0).random((3, 60, 700), np.float32)
    ours = spline_coefficients(planes)
    for c in range(3):
        theirs = spline_filter(planes[c].astype(np.float64), 3, mode="mirror")
        assert np.abs(ours[c, 2:-2, 2:-2] - theirs).max() < 3e-4  # the prefilter is cut off where it weighs 3e-5


def test_a_ramp_is_read_at_the_place_that_the_map_gives() -> None:
    width, height = 900, 700
    y, x = np.mgrid[0:height, 0:width] + 0.5
    planes = np.stack([x / width, y / height, np.ones_like(x)]).astype(np.float32)
    both = mapping(Movements(8, 6, -5), ByHand(-0.02, 0.01, 0.002, -0.002), width, height)
    rows, columns = np.mgrid[0:300, 0:400] + 0.5
    out = warp(planes, sampling(both.inverse, width, height, -200, -150), both.radial, 400, 300)
    places = np.stack([columns.ravel() - 200, rows.ravel() - 150], 1)
    red, green = both.to_source(places, 0), both.to_source(places, 1)
    assert np.abs(out[0].ravel() * width - red[:, 0]).max() < 0.01
    assert np.abs(out[1].ravel() * height - green[:, 1]).max() < 0.01
    assert np.abs(out[2] - 1).max() < 1e-4


def test_fine_detail_survives_a_turn_better_than_with_other_kernels() -> None:
    """A plane wave of 5.2 pixels, known everywhere, after a turn of 3.7 degrees, beside OpenCV's two best kernels."""
    width = height = 500
    turn = np.array([[math.cos(0.0646), math.sin(0.0646), 0], [-math.sin(0.0646), math.cos(0.0646), 0], [0, 0, 1]])
    wave = lambda x, y: 0.5 + 0.4 * np.sin(1.2 * x * 0.8 + 1.2 * y * 0.6)  # noqa: E731
    y, x = np.mgrid[0:height, 0:width] + 0.5
    planes = np.broadcast_to(wave(x, y), (3, height, width)).astype(np.float32)
    out = warp(planes, sampling(turn, width, height, -150, -150), compose(math.hypot(width, height) / 2), 300, 300)
    rows, columns = np.mgrid[0:300, 0:300] + 0.5
    at = np.tensordot(turn[:2, :2], np.stack([columns - 150, rows - 150]), 1) + width / 2
    truth = wave(at[0], at[1])
    places = [(p - 0.5).astype(np.float32) for p in at]
    ours = np.sqrt(np.mean((out[0] - truth) ** 2))
    for kernel in (cv2.INTER_CUBIC, cv2.INTER_LANCZOS4):
        theirs = np.sqrt(np.mean((cv2.remap(planes[0], *places, kernel) - truth) ** 2))
        assert ours < 0.2 * theirs
    assert ours < 0.001


def test_two_opposite_turns_lose_little() -> None:
    """Stated bound: 46 dB on a photograph-like picture (1/f spectrum with edges)."""
    rng = np.random.default_rng(5)
    size = 400
    f = np.hypot(*np.meshgrid(np.fft.fftfreq(size), np.fft.rfftfreq(size), indexing="ij"))
    picture = np.fft.irfft2(np.fft.rfft2(rng.standard_normal((size, size))) / np.maximum(f, 1 / size) ** 1.1, (size, size))
    picture = 0.5 + 0.12 * picture / picture.std()
    picture[150:260, 120:200] += 0.25
    picture = cv2.GaussianBlur(picture, (0, 0), 0.6)
    planes = np.broadcast_to(picture, (3, size, size)).astype(np.float32)
    radial = compose(math.hypot(size, size) / 2)

    def through(p: np.ndarray, degrees: float) -> np.ndarray:
        m = rotation(degrees, 0, 0)
        return warp(p, sampling(m, size, size, -size / 2, -size / 2), radial, size, size)

    back = through(through(planes, 7.3), -7.3)[1]
    inner = slice(90, 310)
    error = np.sqrt(np.mean((back[inner, inner] - picture[inner, inner]) ** 2))
    assert 20 * math.log10(1 / error) > 46


def test_a_zone_plate_shows_no_aliasing_where_the_picture_is_made_smaller() -> None:
    """Rings finer than the output can hold must become even grey. Stated bound: an eighth of their contrast."""
    size = 1200
    y, x = np.mgrid[0:size, 0:size] - size / 2 + 0.5
    r = np.hypot(x, y)
    # frequency r / 1200 cycles a pixel: half a cycle at the middle of each side
    plate = (127.5 + 100 * np.cos(math.pi * r**2 / size)).astype(np.uint8)
    source = rendered(np.repeat(plate[..., None], 3, 2))
    recipe = Recipe.neutral(False).with_values({"framing": {"angle": 10.0}})
    view = Renderer(Decoder()).view(source, "plate", recipe, ViewRequest(330, 330, box=True))
    scale = view.framed.width / view.picture.shape[1]
    picture = view.picture[..., 1].astype(np.float64)
    rows, columns = np.mgrid[0 : picture.shape[0], 0 : picture.shape[1]] + 0.5
    radius = np.hypot((columns - picture.shape[1] / 2) * scale, (rows - picture.shape[0] / 2) * scale)
    frequency = radius / size * scale
    too_fine = (frequency > 0.75) & (radius < 0.45 * size)
    assert too_fine.sum() > 1000
    assert picture[too_fine].std() < 100 / math.sqrt(2) / 8
    held = frequency < 0.12
    assert picture[held].std() > 50


def test_dark_beside_a_lamp_stays_above_black() -> None:
    planes = np.full((3, 80, 80), 0.002, np.float32)
    planes[:, 38:42, 38:42] = 4.0
    out = warp(planes, sampling(rotation(11, 0, 0), 80, 80, -40, -40), compose(math.hypot(80, 80) / 2), 80, 80)
    assert out.min() > 0.001


# --- views and deliveries ----------------------------------------------------------------------------------------------


def field(width: int = 600, height: int = 400) -> np.ndarray:
    rng = np.random.default_rng(9)
    coarse = cv2.resize(rng.random((height // 20, width // 20, 3), np.float32), (width, height), interpolation=cv2.INTER_CUBIC)
    return np.clip(coarse * 220 + 15, 0, 255).astype(np.uint8)


def delivered(pixels: np.ndarray, values: dict[str, object], long_edge: int | None = None) -> np.ndarray:
    source = rendered(pixels)
    recipe = Recipe.neutral(False).with_values({"framing": values})
    return Renderer(Decoder()).deliver(source, recipe, space="srgb", bits=8, long_edge=long_edge)


def test_neutral_framing_changes_nothing_and_turns_and_crops_move_whole_pixels() -> None:
    pixels = field()
    assert (delivered(pixels, {}) == pixels).all()
    assert (delivered(pixels, {"quarter_turn": "90"}) == np.rot90(pixels, -1)).all()
    assert (delivered(pixels, {"mirror": True, "quarter_turn": "180"}) == np.rot90(pixels, 2)[:, ::-1]).all()
    crop = {"crop_x": 0.5, "crop_y": 1 / 3, "crop_width": 0.5, "crop_height": 1 / 3}
    assert (delivered(pixels, crop) == pixels[100:300, 150:450]).all()


def test_beyond_the_picture_stands_its_edge_or_its_mirror() -> None:
    pixels = field()
    crop = {"crop_x": 0.0, "crop_y": 1 / 3, "crop_width": 0.2, "crop_height": 0.2, "reach_beyond": True}
    edge = delivered(pixels, crop).astype(int)
    assert np.abs(edge[:, 60:] - pixels[140:260, :60]).max() <= 1
    assert np.abs(edge[:, :58] - pixels[140:260, :1]).max() <= 2
    mirrored = delivered(pixels, crop | {"beyond": "mirror"}).astype(int)
    assert np.abs(mirrored[:, :60] - mirrored[:, 60:][:, ::-1]).max() <= 1


EVERYTHING_ON = {
    "angle": 3.0,
    "tilt": 6.0,
    "swing": -4.0,
    "bend": -2.0,
    "fringe_red": 0.4,
    "corner_light": 0.6,
    "corners": [0.01, 0.0, 0.0, 0.02, 0.0, 0.0, -0.01, 0.0],
}


def test_views_and_deliveries_show_the_same_picture() -> None:
    """Stated tolerance: 2 of 255 in the mean, between a fit view, a 1:1 window and the delivery in tiles."""
    pixels = field()
    source = rendered(pixels)
    recipe = Recipe.neutral(False).with_values({"framing": EVERYTHING_ON, "tone": {"shadows": 30}})
    renderer = Renderer(Decoder())
    whole = renderer.deliver(source, recipe, space="srgb", bits=8)
    height, width = whole.shape[:2]
    window = renderer.view(source, "same", recipe, ViewRequest(width, height, 40, 30, 200, 150))
    assert np.abs(window.picture.astype(int) - whole[30:180, 40:240]).max() <= 2
    fit = renderer.view(source, "same", recipe, ViewRequest(200, 200, box=True)).picture
    small = cv2.resize(whole, fit.shape[1::-1], interpolation=cv2.INTER_AREA)
    assert np.abs(fit.astype(int) - small).mean() < 2
    reduced = delivered(pixels, EVERYTHING_ON, long_edge=200)
    assert max(reduced.shape) == 200


def test_a_sample_reads_what_is_shown() -> None:
    source = rendered(field())
    recipe = Recipe.neutral(False).with_values({"framing": EVERYTHING_ON})
    renderer = Renderer(Decoder())
    picture = renderer.deliver(source, recipe, space="srgb", bits=8)
    for x, y in ((20, 30), (150, 100), (picture.shape[1] - 5, picture.shape[0] - 5)):
        found = renderer.sample(source, "sample", recipe, x, y, 0, "srgb")["rgb"]
        assert found == pytest.approx(picture[y, x].tolist(), abs=1.5)


def test_the_plane_shows_what_the_crop_leaves_out() -> None:
    pixels = field()
    source = rendered(pixels)
    recipe = Recipe.neutral(False).with_values({"framing": {"crop_x": 0.5, "crop_y": 0.3, "crop_width": 0.2, "crop_height": 0.2}})
    view = Renderer(Decoder()).view(source, "plane", recipe, ViewRequest(900, 900, box=True, around=True))
    left, top, width, height = view.request.plane or (0, 0, 0, 0)
    assert width > 600 and height > 400
    shown = view.picture[round(-200 - top) : round(200 - top), round(-300 - left) : round(300 - left)]
    assert np.abs(shown.astype(int) - pixels).mean() < 1.5
    assert (view.framed.width, view.framed.height) == (120, 120)


def test_movements_that_leave_nothing_are_refused() -> None:
    """Of seven pixels in a row; it ended in a division by zero."""
    moved = {"angle": -36, "tilt": 25, "swing": 19, "stretch": -6, "corners": [-0.7, -0.1, -0.8, 0.0, -1.0, -0.7, -0.8, -0.6]}
    source = rendered(np.full((7, 1, 3), 120, np.uint8))
    recipe = Recipe.neutral(False).with_values({"framing": moved})
    with pytest.raises(RecipeError, match="leave nothing of the picture"):
        Renderer(Decoder()).framed(source, "row", source.plan(recipe).frame)
