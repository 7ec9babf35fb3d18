"""Tiles that two frames share: where a drawn sphere says that they lie."""

import math
from dataclasses import replace

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.reference.test_panorama_whole_turn import FOCAL_PX, HEIGHT, WIDTH, frame
from zincplate.core.geometry.radial import compose
from zincplate.core.merging.turning_camera import TurningCamera, rotation
from zincplate.formats.decoded import Decoded
from zincplate.merges.master import Opened
from zincplate.merges.panorama.places import Sight
from zincplate.merges.panorama.tiles import TILE_PX, _nearer, _Tile, shared_tiles
from zincplate.merges.view import opened
from zincplate.sources.file import Source

HALF = math.hypot(WIDTH, HEIGHT) / 2


def camera(yaw: float, pitch: float, roll: float) -> TurningCamera:
    turn = rotation(np.array([0, math.radians(yaw), 0])) @ rotation(np.array([-math.radians(pitch), 0, 0]))
    return TurningCamera(FOCAL_PX, turn @ rotation(np.array([0, 0, math.radians(roll)])), HALF)


FIRST, SECOND = (0.0, 0.0, 0.0), (24.0, 3.0, 2.0)


def pair(second: Decoded) -> tuple[Opened, Opened]:
    one, two = opened([("one.dng", Source(frame(*FIRST, 0.0, 1))), ("two.dng", Source(second))])
    return one, two


def sight(of: TurningCamera) -> Sight:
    return Sight(of, compose(HALF, None))


def off(one: NDArray[np.float64], two: NDArray[np.float64]) -> NDArray[np.float64]:
    """Pixels from where the true cameras see the first's places."""
    return np.hypot(*(camera(*SECOND).places(camera(*FIRST).rays(one)) - two).T)


@pytest.mark.parametrize(("yaw", "pitch"), [(0.0, 0.0), (0.1, -0.08), (-0.12, 0.1)])
def test_they_lie_where_they_are_though_cameras_are_known_to_a_pixel(yaw: float, pitch: float) -> None:
    one, two = pair(frame(*SECOND, -0.7, 2))
    told = camera(SECOND[0] + yaw, SECOND[1] + pitch, SECOND[2])
    places = shared_tiles(one, two, sight(camera(*FIRST)), sight(told), 36)
    assert 25 <= len(places[0]) <= 60 and places[0].shape == places[1].shape
    apart = off(*places)
    assert float(np.median(apart)) < 0.06 and float(apart.max()) < 0.3


def test_what_shows_something_else_is_not_told_and_what_lies_too_far_neither() -> None:
    second = frame(*SECOND, 0.0, 2)
    noise = np.random.default_rng(4).random((HEIGHT, WIDTH, 3), np.float32) * 0.5 + 0.05
    pixels = second.pixels.copy()
    pixels[:, :200] = noise[:, :200]
    one, two = pair(replace(second, pixels=pixels))
    sights = sight(camera(*FIRST)), sight(camera(*SECOND))
    places = shared_tiles(one, two, *sights, 100)
    assert len(places[0]) > 10 and (places[1][:, 0] + WIDTH / 2 > 200 - 36).all() and float(np.quantile(off(*places), 0.9)) < 0.3
    # cameras that are wrong by more than tiles have room for: nothing is found that could be believed
    one, two = pair(frame(*SECOND, 0.0, 2))
    places = shared_tiles(one, two, sights[0], sight(camera(SECOND[0] + 2, *SECOND[1:])), 36)
    assert len(places[0]) == 0
    away = shared_tiles(one, two, sights[0], sight(camera(120, 0, 0)), 36)
    assert [a.shape for a in away] == [(0, 2), (0, 2)]


def test_a_tile_that_is_lost_on_the_way_is_not_known() -> None:
    one, two = pair(frame(*SECOND, 0.0, 2))
    flat = np.zeros((TILE_PX, TILE_PX), np.float32)
    y, x = np.mgrid[:TILE_PX, :TILE_PX].astype(float)
    tile = _Tile(np.zeros(2, int), np.zeros((16, 2)), flat, np.zeros(2), held=flat, other=flat + 1, limits=(0.5, 2.0), known=True)
    assert not _nearer(tile, np.stack([x, y]), one, two)
    assert not tile.known
