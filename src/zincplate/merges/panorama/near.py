"""Near things that stand elsewhere before the far ones from frame to frame, because the camera moved: fields by which they
meet."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.radial import Radial
from zincplate.core.merging.parallax import Field, Link, apart, settled, still
from zincplate.core.merging.shared_places import Features, matched_near
from zincplate.core.merging.turning_camera import Shared, TurningCamera
from zincplate.merges.panorama.places import Sight, full_places, straight
from zincplate.merges.panorama.tiles import shared_tiles
from zincplate.merges.view import Opened, View

Float64 = NDArray[np.float64]

REACH = 0.05
"""Of the long edge: so far from where the cameras alone look the same feature is looked for."""
FEATURE_PX = 0.6
"""How well features are known, in pixels of the reduced pictures."""
TILE_PX = 0.3
"""How well tiles are known that lie on things of several depths."""
TILES, FEWEST_TILES = 100, 6
APART_PX, SHARE = 2.0, 0.8
"""Frames turned about a point have this share of their features closer than so many reduced pixels."""
EXPLAINED = 0.5
"""Fields have to bring features at least this much nearer, else what moved was not the camera."""
FEWEST, MOST_OF_PAIR = 20, 300
"""Features."""


@dataclass(frozen=True)
class Near:
    """Fields of the members, and the places by which they were found."""

    fields: list[Field]
    shared: list[Shared]


def near_of(
    frames: Sequence[Opened], views: Sequence[View], features: Sequence[Features], members: Sequence[int],
    cameras: Sequence[TurningCamera], radials: Sequence[Radial], shared: Sequence[Shared], breathe: Callable[[str], None],
) -> Near | None:  # fmt: skip
    """Fields where near things ask for them; None where frames meet as a turning camera lays them. Cameras without distortion,
    ``shared`` are places without it."""
    step = max(views[i].step for i in members)
    links = [_link(frames, views, features, members, cameras, radials, s) for s in shared]
    fields = [still(frames[i].source.width, frames[i].source.height) for i in members]
    before = _errors(cameras, fields, links)
    if len(before) < FEWEST or np.quantile(before, SHARE) < APART_PX * step:
        return None
    breathe("bringing near things to meet")
    found = settled(cameras, fields, links)
    if np.quantile(_errors(cameras, found, links), SHARE) > EXPLAINED * np.quantile(before, SHARE):
        return None
    sights = [Sight(c, r, f) for c, r, f in zip(cameras, radials, found, strict=True)]

    def finer(s: Shared) -> Link:
        a, b = s.first, s.second
        return Link(a, b, *shared_tiles(frames[members[a]], frames[members[b]], sights[a], sights[b], TILES), TILE_PX)

    with ThreadPoolExecutor(2) as pool:
        tiles = list(pool.map(finer, shared))
    # by features where tiles show too little, by what they were laid by where those do: two frames stay two that share something
    told = [
        next((one for one in (t, f) if len(one.places_1) >= FEWEST_TILES), s)
        for t, f, s in zip(tiles, links, shared, strict=True)
    ]
    fields = settled(cameras, found, [*links, *tiles])
    return Near(fields, [Shared(one.first, one.second, one.places_1, one.places_2) for one in told])


def _link(
    frames: Sequence[Opened], views: Sequence[View], features: Sequence[Features], members: Sequence[int],
    cameras: Sequence[TurningCamera], radials: Sequence[Radial], shared: Shared,
) -> Link:  # fmt: skip
    """Features that two frames share, near to where the cameras look."""
    a, b = shared.first, shared.second
    flat = []
    for k in (a, b):
        i = members[k]
        flat.append(straight(full_places(views[i], features[i].places, frames[i]), radials[k]))
    expected = cameras[b].places(cameras[a].rays(flat[0]))
    source = frames[members[b]].source
    reach_px = REACH * max(source.width, source.height)
    mine, theirs = matched_near(features[members[a]], features[members[b]], expected, flat[1], reach_px)
    every = max(len(mine) // MOST_OF_PAIR, 1)
    mine, theirs = mine[::every], theirs[::every]
    return Link(a, b, flat[0][mine], flat[1][theirs], FEATURE_PX * views[members[b]].step)


def _errors(cameras: Sequence[TurningCamera], fields: Sequence[Field], links: Sequence[Link]) -> Float64:
    return np.concatenate([np.hypot(*apart(cameras, fields, link).T) for link in links])
