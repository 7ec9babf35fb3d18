"""Movements from drawn lines and from lines found in pictures, against cameras of known pose."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as hypothesis
from hypothesis import strategies as st

from tests.contract.test_operations import rendered
from zincplate.core.geometry.projective import FramingError, rotation
from zincplate.core.geometry.segments import joined, segments_of
from zincplate.core.geometry.straighten import turns_of_lines
from zincplate.core.geometry.vanishing import Scene, directions, roll_of, turns_both, turns_level, turns_upright
from zincplate.demo.card import frame_bytes
from zincplate.demo.frames import FRAMES
from zincplate.demo.frames import Frame as CardFrame
from zincplate.demo.truth import Truth
from zincplate.formats.isolated import Decoder
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.suggest_framing import scene_of, suggest_framing
from zincplate.sources.file import Source

FOCAL = 1500.0
LONG = 1800
Turn = tuple[float, float, float]


def seen(points: np.ndarray, turn: Turn) -> np.ndarray:
    """Places in the picture of points of the world, for a camera that the turn would set right."""
    rays = points @ rotation(*turn)
    return np.asarray(rays[..., :2] / rays[..., 2:] * FOCAL)


def drawn(turn: Turn, kinds: tuple[str, ...]) -> np.ndarray:
    """Lines of the world through the camera: plumb ones left and right, level ones above and below."""
    plumb = [[[x, -1.0, 5], [x, 1.2, 5]] for x in (-1.8, 1.5)]
    level = [[[-1.9, y, 5], [1.7, y, 5]] for y in (-1.1, 1.0)]
    stock = {"plumb": iter(plumb), "level": iter(level)}
    return seen(np.array([next(stock[k]) for k in kinds]), turn)


turns = st.tuples(st.floats(-12, 12), st.floats(-15, 15), st.floats(-15, 15))


@hypothesis(deadline=None, max_examples=30)
@given(turns)
def test_three_and_four_lines_find_the_whole_pose(turn: Turn) -> None:
    for kinds in (("plumb", "plumb", "level"), ("level", "level", "plumb"), ("plumb", "plumb", "level", "level")):
        found = turns_of_lines(drawn(turn, kinds), kinds, FOCAL, LONG)
        assert (found.roll, found.tilt, found.swing) == pytest.approx(turn, abs=0.01)
        assert found.left_degrees < 0.01


@hypothesis(deadline=None, max_examples=30)
@given(st.floats(-12, 12), st.floats(-15, 15))
def test_two_lines_of_a_kind_find_roll_and_one_movement(roll: float, other: float) -> None:
    found = turns_of_lines(drawn((roll, other, 0), ("plumb", "plumb")), ("plumb", "plumb"), FOCAL, LONG)
    assert (found.roll, found.tilt, found.swing) == pytest.approx((roll, other, 0), abs=0.01)
    found = turns_of_lines(drawn((roll, 0, other), ("level", "level")), ("level", "level"), FOCAL, LONG)
    assert (found.roll, found.tilt, found.swing) == pytest.approx((roll, 0, other), abs=0.01)


@pytest.mark.parametrize(
    ("lines", "along", "part"),
    [
        ([[[0, 0], [5, 0]]], ("level",), "too short"),
        ([[[0, 0], [0, 900]], [[1, -100], [1, 800]]], ("plumb", "plumb"), "on top of each other"),
        ([[[0, -800], [900, 100]], [[-900, -800], [0, 100]]], ("plumb", "level"), "ask for|No movement"),
        ([[[-700, -100], [-20, 500]], [[700, -100], [20, 500]]], ("plumb", "plumb"), "ask for"),
        ([[[float("nan"), 0], [5, 900]]], ("plumb",), "leaves the picture"),
        ([], (), "one to four"),
    ],
)
def test_lines_without_sense_are_refused(lines: list[list[list[float]]], along: tuple[str, ...], part: str) -> None:
    with pytest.raises(FramingError, match=part):
        turns_of_lines(np.array(lines, np.float64).reshape(-1, 2, 2), along, FOCAL, LONG)  # type: ignore[arg-type]


# --- segments ----------------------------------------------------------------------------------------------------------


def test_pieces_of_an_edge_are_joined_and_two_edges_are_not() -> None:
    edge = np.array([[100.0, 50.0], [110.0, 650.0]])
    at = lambda t: edge[0] + t * (edge[1] - edge[0])  # noqa: E731
    pieces = [np.stack([at(a), at(b)]) for a, b in ((0, 0.3), (0.35, 0.6), (0.7, 1))]
    beside = edge + np.array([4, 0])
    far = np.array([at(3.0), at(3.1)])
    other_side = pieces[0][::-1] + np.array([0.2, 0])
    lines = joined(np.array([pieces[1], beside, pieces[0], far, other_side, pieces[2]]))
    assert len(lines) == 4
    whole = [line for line in lines if np.abs(line - edge).max() < 0.01]
    assert len(whole) == 1
    assert len(joined(np.zeros((0, 2, 2)))) == 0


def test_cut_edges_give_a_better_direction_than_their_pieces() -> None:
    """Pieces of a fifth, their ends off by 0.3 px: five joined ones of an edge come within a third of the error of one."""
    random = np.random.default_rng(5)
    apart, together = [], []
    for _ in range(60):
        ends = np.array([[300.0, 100.0 + 100 * i] for i in range(5)])
        pieces = np.stack([ends, ends + np.array([0, 90])], 1)
        pieces[..., 0] += random.normal(0, 0.3, (5, 2))
        found = joined(pieces)
        angle = lambda line: np.degrees(np.arctan((line[1, 0] - line[0, 0]) / (line[1, 1] - line[0, 1])))  # noqa: E731
        apart.append(angle(pieces[0]))
        together.append(angle(max(found, key=lambda line: abs(line[1, 1] - line[0, 1]))))
    assert np.std(together) < np.std(apart) / 3


# --- suggestions -------------------------------------------------------------------------------------------------------


def front(turn: Turn, yaw: float = 0.0, seed: int = 1) -> np.ndarray:
    """A photograph-like picture (1200 x 1800, grey) of a front with windows, courses and some things that lean."""
    rng = np.random.default_rng(seed)
    picture = cv2.GaussianBlur(rng.normal(120, 40, (1200, 1800)).astype(np.float32), (0, 0), 3) * 1.0
    facing = rotation(0, 0, yaw)

    def quad(corners: np.ndarray, tone: float) -> None:
        places = seen(corners @ facing.T, turn) + np.array([900, 600])
        cv2.fillConvexPoly(picture, np.round(places * 256).astype(np.int32), tone, cv2.LINE_AA, 8)

    for x in np.arange(-3.4, 3.4, 0.9):
        for y in (-1.9, -0.6, 0.7):
            w, h = rng.uniform(0.3, 0.5), rng.uniform(0.5, 0.8)
            quad(np.array([[x, y, 6], [x + w, y, 6], [x + w, y + h, 6], [x, y + h, 6]]), float(rng.uniform(20, 230)))
    for _ in range(14):  # ladders, wires, branches
        x, y, lean = rng.uniform(-3, 3), rng.uniform(-2, 1), rng.uniform(-0.4, 0.4)
        quad(np.array([[x, y, 5.9], [x + 0.03, y, 5.9], [x + lean + 0.03, y + 1, 5.9], [x + lean, y + 1, 5.9]]), 15.0)
    picture = cv2.GaussianBlur(picture, (0, 0), 0.8) + rng.normal(0, 4, picture.shape)
    return np.clip(picture, 0, 255).astype(np.uint8)


@pytest.mark.parametrize("turn", [(0, 0, 0), (1.3, 7, 0), (-3, -6, 0), (2, 14, 0)])
def test_uprights_of_rendered_fronts(turn: Turn) -> None:
    """Level within 0.1 degree, uprights within 0.2."""
    found = directions(segments_of(front(turn)) - [900, 600], FOCAL, LONG)
    assert found.upright is not None and found.upright.confidence > 0.5
    truth = rotation(*turn).T @ [0, 1, 0]
    assert roll_of(found.upright.vector) == pytest.approx(roll_of(truth), abs=0.1)
    assert turns_upright(found.upright.vector) == pytest.approx(turns_upright(truth), abs=0.2)


@pytest.mark.parametrize("yaw", [-18.0, 12.0])
def test_horizontals_of_a_front_seen_from_the_side(yaw: float) -> None:
    turn = (1.0, 5.0, 0.0)
    found = directions(segments_of(front(turn, yaw)) - [900, 600], FOCAL, LONG)
    assert found.upright is not None and found.level is not None
    along = rotation(*turn).T @ (rotation(0, 0, yaw) @ [1, 0, 0])
    assert np.degrees(np.arccos(min(abs(float(found.level.vector @ along)), 1.0))) < 0.4
    # all three turns together set the front straight
    right = rotation(*turns_both(found.upright.vector, found.level.vector))
    assert right @ along == pytest.approx([1, 0, 0], abs=0.006)
    roll, swing = turns_level(found.level.vector)
    assert (rotation(roll, 0, swing) @ found.level.vector) == pytest.approx([1, 0, 0], abs=1e-9)


def noise(kind: str) -> np.ndarray:
    rng = np.random.default_rng(7)
    if kind == "clouds":
        return np.clip(cv2.GaussianBlur(rng.normal(120, 600, (1200, 1800)), (0, 0), 25) + 0, 0, 255).astype(np.uint8)
    picture = np.full((1200, 1800), 120, np.uint8)
    if kind == "branches":
        for _ in range(160):
            a, angle, length = rng.uniform(0, 1, 2) * [1800, 1200], rng.uniform(0, 6.3), rng.uniform(60, 400)
            b = a + length * np.array([np.cos(angle), np.sin(angle)])
            cv2.line(picture, a.astype(int).tolist(), b.astype(int).tolist(), int(rng.integers(0, 255)), 3, cv2.LINE_AA)
    if kind == "stripes":
        for x in range(-1200, 1800, 120):
            cv2.line(picture, (x, 0), (x + 1100, 1200), 20, 20, cv2.LINE_AA)
    return picture


@pytest.mark.parametrize("kind", ["clouds", "branches", "stripes", "nothing"])
def test_nothing_is_found_where_nothing_is_upright_or_level(kind: str) -> None:
    found = directions(segments_of(noise(kind)) - [900, 600], FOCAL, LONG)
    assert found.upright is None and found.level is None
    source = rendered(np.repeat(noise(kind)[..., None], 3, 2))
    with pytest.raises(FramingError, match="no lines that are reliably"):
        suggest_framing(Renderer(Decoder()), source, kind, Recipe.neutral(False))


def test_proposals_say_what_they_stand_on_and_set_the_picture_right() -> None:
    source = rendered(np.repeat(front((2.0, 6.0, 0.0))[..., None], 3, 2))
    renderer = Renderer(Decoder())
    recipe = Recipe.neutral(False)
    found = {p.name: p for p in suggest_framing(renderer, source, "front", recipe)}
    assert {"Level", "Uprights parallel"} <= set(found)
    assert all("edges of together" in reason for p in found.values() for reason in p.reasons.values())
    # asked again on the straightened picture, the answer is the same: directions are measured before the movements
    straight = recipe.with_values(found["Uprights parallel"].values)
    again = {p.name: p for p in suggest_framing(renderer, source, "front", straight)}
    assert again["Uprights parallel"].values == found["Uprights parallel"].values
    assert abs(found["Level"].values["framing"]["angle"]) > 0.5


def scene_in(frame: CardFrame, lenses: LensDatabase, folder: Path) -> tuple[Scene, Truth]:
    """What is found in a frame, developed with noise, lens and dirt, and what is true."""
    path = folder / frame.name
    path.write_bytes(frame_bytes(frame))
    decoder = Decoder()
    try:
        source = Source(decoder.decode(path))
    finally:
        decoder.close()
    scene, framed = scene_of(Renderer(Decoder(), lenses), source, frame.name, Recipe.neutral(True))
    truth = Truth(frame)
    assert framed.focal_px == pytest.approx(truth.focal_px, rel=1e-3)
    return scene, truth


def direction_of(frame: CardFrame, lenses: LensDatabase, folder: Path) -> tuple[np.ndarray, Truth]:
    """The upright direction found, and what is true."""
    scene, truth = scene_in(frame, lenses, folder)
    assert scene.upright is not None
    return scene.upright.vector, truth


def card(number: int) -> CardFrame:
    """A frame of the card."""
    return next(f for f in FRAMES if f.number == number)


@pytest.mark.parametrize("number", [1, 2, 3, 4, 5, 6, 32, 33, 34, 90, 91])
def test_demo_frames_are_set_level_and_upright(number: int, lenses: LensDatabase, tmp_path: Path) -> None:
    """Level within 0.1 degree, uprights within 0.2."""
    found, truth = direction_of(card(number), lenses, tmp_path)
    assert roll_of(found) == pytest.approx(roll_of(truth.down), abs=0.1)
    assert turns_upright(found) == pytest.approx(turns_upright(truth.down), abs=0.2)


@pytest.mark.parametrize(("number", "seed"), [(1, 501), (1, 502), (33, 503), (33, 504), (91, 505), (91, 506)])
def test_other_poses_of_the_same_scenes(number: int, seed: int, lenses: LensDatabase, tmp_path: Path) -> None:
    """Poses that no threshold was chosen with: leant, tilted and turned at random, zoomed in."""
    random = np.random.default_rng(seed)
    frame = card(number)
    yaw, pitch, roll = (float(v) for v in random.uniform(-1, 1, 3) * (3, 3, 4))
    settings = replace(frame.settings, yaw_degrees=yaw, pitch_degrees=pitch, roll_degrees=roll, seed=seed)
    zoomed = replace(frame, settings=settings, focal_length_mm=float(round(frame.focal_length_mm * random.uniform(1.15, 1.5))))
    found, truth = direction_of(zoomed, lenses, tmp_path)
    assert roll_of(found) == pytest.approx(roll_of(truth.down), abs=0.1)
    assert turns_upright(found) == pytest.approx(turns_upright(truth.down), abs=0.2)


def test_the_courses_of_the_loading_door_tell_the_roll_by_themselves(lenses: LensDatabase, tmp_path: Path) -> None:
    """The wall faces the camera within a degree, so its level direction alone gives the roll within 0.1."""
    scene, truth = scene_in(card(90), lenses, tmp_path)
    assert scene.level is not None
    assert turns_level(scene.level.vector)[0] == pytest.approx(roll_of(truth.down), abs=0.1)


def test_a_dark_frame_without_reliable_uprights_is_set_level_within_the_error_it_claims(
    lenses: LensDatabase, tmp_path: Path
) -> None:
    """TW-0089, a stop under: the wall faces the camera within a degree, so its courses tell the roll."""
    scene, truth = scene_in(card(89), lenses, tmp_path)
    assert scene.upright is None and scene.level is not None
    roll, _ = turns_level(scene.level.vector)
    assert scene.level.error_degrees < 0.5
    assert roll == pytest.approx(roll_of(truth.down), abs=1.5 * scene.level.error_degrees)
