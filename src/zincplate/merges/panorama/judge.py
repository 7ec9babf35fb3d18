"""Before a panorama is laid out: which frames share what, how each was pointed, and how much light it got."""

import math
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.radial import LensCurve, LensDataError, Radial, compose
from zincplate.core.merging.evenness import Evenness, evened
from zincplate.core.merging.parallax import Field, Link, apart
from zincplate.core.merging.shared_places import Features, Pair, features_of, pair_of
from zincplate.core.merging.turning_camera import Shared, TurningCamera, adjusted, errors, spanned, turn_between
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.belong import BY_HAND, aside_of, counted
from zincplate.merges.errors import MergeError
from zincplate.merges.panorama.lights import grids_of, lights_of, sharpness_of
from zincplate.merges.panorama.near import near_of
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.panorama.places import Sight, full_places, straight
from zincplate.merges.panorama.tiles import shared_tiles
from zincplate.merges.view import Opened, View, views_of
from zincplate.pipeline.lens_of import Shape, fitting_profile, focal_of

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

MOST, FEWEST = 40, 2
NEIGHBOURS = 8
"""Frames that each is compared with closely, of those that share most at a first look."""
FIRST_LOOK = 400
"""Features of a first look."""
ALL_COMPARED = 10
"""Up to so many frames everything is compared with everything."""
TILES = 12, 36
"""Tiles of every two frames, at the first and at the second laying."""
SPREAD_PX, TILES_PX = 0.6, 0.15
"""How well features and tiles are known."""
FOCAL_GUESSES = np.geomspace(0.5, 8.0, 25)
"""Of the long edge, where the file does not tell the focal length."""
FEWEST_TILES = 6
MOST_OF_PAIR = 150
"""Features of two frames that the first laying goes by."""
APART = "it shares nothing with the others that can be relied on"


@dataclass
class Figures:
    """What was found about one frame."""

    name: str
    told_ev: float | None = None
    """Against the reference, by the capture data."""
    exposure_ev: float = 0.0
    """Against the reference, as measured where both show something."""
    sharpness: float = 0.0
    """Against the sharpest."""
    clipped: float = 0.0
    neighbours: int = 0
    """Frames that it shares places with."""
    residual_px: float = 0.0
    """Median of what its shared places lie apart."""
    reason: str = ""
    """Why it is left out; empty for a frame that takes part."""


@dataclass
class PanoramaJudgement:
    """All that is known before laying out. ``cameras``, ``radials`` and ``evenness`` hold members only, in their order."""

    figures: list[Figures]
    members: list[int]
    reference: int
    """Index into ``members``."""
    cameras: list[TurningCamera]
    radials: list[Radial]
    evenness: Evenness
    shared: list[Shared]
    """Tiles (or features) by which the cameras were found; frames are counted among the members, places without distortion."""
    lens: str
    """Name of the lens profile that was used; empty when distortion was found from the frames."""
    focal_told: bool
    fields: list[Field] = field(default_factory=list)
    """By which near things meet; none where the camera turned about a point."""
    notes: list[str] = field(default_factory=list)

    @property
    def residual_px(self) -> float:
        """Median over all shared places."""
        return float(np.median(np.concatenate(self.errors)))

    @property
    def errors(self) -> list[Float64]:
        """(n,) pixels that the shared places of each two frames lie apart."""
        if not self.fields:
            return errors(self.cameras, self.shared)
        links = [Link(s.first, s.second, s.places_1, s.places_2, 1.0) for s in self.shared]
        return [np.hypot(*apart(self.cameras, self.fields, link).T) for link in links]

    def sight(self, k: int) -> Sight:
        """How a member sees."""
        return Sight(self.cameras[k], self.radials[k], self.fields[k] if self.fields else None)

    @property
    def sights(self) -> list[Sight]:
        """How members see."""
        return [self.sight(k) for k in range(len(self.cameras))]


def judge_panorama(
    frames: Sequence[Opened],
    options: PanoramaOptions,
    lenses: LensDatabase,
    breathe: Callable[[str], None] = lambda _: None,
    views: list[View] | None = None,
) -> PanoramaJudgement:
    """Judges frames; ``views``, an empty list, is filled with what was looked at. Raises :class:`MergeError`."""
    counted(frames, "A panorama", FEWEST, MOST)
    aside_of(frames, options.leave_out, "panorama", one_size=False)
    views = [] if views is None else views
    with ThreadPoolExecutor(2) as pool:
        waiting = []
        for view in views_of(frames, breathe, one_grid=False):
            views.append(view)
            waiting.append(pool.submit(_features, views[-1]))
        features = [w.result() for w in waiting]
    figures = [Figures(f.name, clipped=v.clipped) for f, v in zip(frames, views, strict=True)]
    for i in options.leave_out:
        if i < len(figures):
            figures[i].reason = BY_HAND
    pairs = _pairs(frames, views, features, figures, breathe)
    members = _connected(figures, pairs)
    if len(members) < FEWEST:
        alone = ", ".join(f.name for f in figures if f.reason == APART)
        raise MergeError(f"These frames do not connect: {alone or 'too many are left out'}.")
    judged = _pointed(frames, views, features, figures, members, pairs, options, lenses, breathe)
    _lights(frames, views, judged, options, breathe)
    return judged


def _features(view: View) -> Features:
    light = np.maximum(view.green, 3 * np.sqrt(np.maximum(view.variance, 1e-12)))
    return features_of(np.log2(np.maximum(light, 1e-5)).astype(np.float32))


def _pairs(
    frames: Sequence[Opened], views: Sequence[View], features: Sequence[Features], figures: Sequence[Figures],
    breathe: Callable[[str], None],
) -> list[Pair]:  # fmt: skip
    able = [i for i in range(len(frames)) if not figures[i].reason]
    asked = {(i, j) for j in able for i in able if i < j}
    if len(able) > ALL_COMPARED:
        few = [Features(f.places[:FIRST_LOOK], f.described[:FIRST_LOOK]) for f in features]
        like = np.zeros((len(frames), len(frames)))
        for i, j in asked:
            if min(len(few[i].places), len(few[j].places)) >= 4:
                product = few[i].described @ few[j].described.T
                like[i, j] = like[j, i] = float(np.sort(product.max(1))[-40:].sum())
        near = {(min(i, int(j)), max(i, int(j))) for i in able for j in np.argsort(-like[i])[:NEIGHBOURS] if int(j) in able}
        follow = {(a, b) for a, b in pairwise(able)}
        asked = (near | follow) & asked
    found = []
    with ThreadPoolExecutor(2) as pool:
        waiting = [(i, j, pool.submit(pair_of, i, j, features[i], features[j], views[j].size)) for i, j in sorted(asked)]
        for i, j, pair in waiting:
            breathe(f"comparing {frames[i].name} and {frames[j].name}")
            if (known := pair.result()) is not None:
                found.append(known)
    return found


def _connected(figures: Sequence[Figures], pairs: Sequence[Pair]) -> list[int]:
    """The largest group of frames that hang together; the others are told to be alone."""
    strength = {(p.first, p.second): float(len(p.places_1)) for p in pairs}
    best: set[int] = set()
    for start in range(len(figures)):
        if figures[start].reason or start in best:
            continue
        group = {start, *(b for _, b in spanned(len(figures), strength, start))}
        if len(group) > len(best):
            best = group
    if len(best) < FEWEST:
        best = set()
    for i, figure in enumerate(figures):
        figure.neighbours = sum(i in (p.first, p.second) for p in pairs)
        if i not in best and not figure.reason:
            figure.reason = APART
    return sorted(best)


def _profile_of(frame: Opened, options: PanoramaOptions, lenses: LensDatabase) -> tuple[str, LensCurve | None]:
    source = frame.source
    if not options.profile:
        return "", None
    shape = Shape(source.width, source.height, source.capture)
    name = fitting_profile(shape, lenses)
    if not name:
        return "", None
    capture = source.capture
    crop = lenses.match(capture.camera_make, capture.camera_model, capture.lens, capture.focal_length_mm).crop_factor
    curve = lenses.curve(name, crop, source.width, source.height, capture.focal_length_mm, capture.f_number)
    return name, curve


def _pointed(
    frames: Sequence[Opened], views: Sequence[View], features: Sequence[Features], figures: list[Figures], members: list[int],
    pairs: Sequence[Pair], options: PanoramaOptions, lenses: LensDatabase, breathe: Callable[[str], None],
) -> PanoramaJudgement:  # fmt: skip
    """Cameras, first from features, then from tiles of the whole pictures."""
    at = {frame: k for k, frame in enumerate(members)}
    profiles = [_profile_of(frames[i], options, lenses) for i in members]
    known = all(curve is not None for _, curve in profiles)
    radials = []
    for i, (_, curve) in zip(members, profiles, strict=True):
        source = frames[i].source
        try:
            radials.append(compose(math.hypot(source.width, source.height) / 2, curve if known else None))
        except LensDataError as error:
            raise MergeError(f"{frames[i].name}: {error}") from error
    shared = []
    for pair in pairs:
        a, b = pair.first, pair.second
        if a in at and b in at:
            every = max(len(pair.places_1) // MOST_OF_PAIR, 1)
            chosen = ((a, pair.places_1[::every]), (b, pair.places_2[::every]))
            places = (full_places(views[k], p, frames[k]) for k, p in chosen)
            one, two = (straight(p, radials[at[k]]) for k, p in zip((a, b), places, strict=True))
            shared.append(Shared(at[a], at[b], one, two))
    focal, told = _focal(frames, members, shared, lenses)
    sizes = [math.hypot(frames[i].source.width, frames[i].source.height) / 2 for i in members]
    start = [TurningCamera(f, np.eye(3), half) for f, half in zip(focal, sizes, strict=True)]
    cameras = _first(start, shared)
    groups = _groups(frames, members)
    breathe("laying the frames on each other")
    cameras = adjusted(cameras, groups, shared, not known, SPREAD_PX)
    for most in TILES:
        tiles = []
        with ThreadPoolExecutor(2) as pool:
            waiting = [pool.submit(_tiles, frames, members, cameras, radials, s, most) for s in shared]
            for s, work in zip(shared, waiting, strict=True):
                breathe(f"laying {frames[members[s.first]].name} and {frames[members[s.second]].name} on each other")
                tiles.append(work.result())
        cameras = adjusted(cameras, groups, tiles, not known, TILES_PX)
    if not known:
        radials = [_found_lens(camera) for camera in cameras]
        tiles = [
            replace(s, places_1=cameras[s.first].undistorted(s.places_1), places_2=cameras[s.second].undistorted(s.places_2))
            for s in tiles
        ]
        cameras = [replace(c, k1=0.0, k2=0.0) for c in cameras]
    name = profiles[0][0] if known else ""
    nothing = Evenness(np.zeros((len(members), 3)), np.zeros(3), 0.0)
    reference = _middle(cameras)
    near = near_of(frames, views, features, members, cameras, radials, tiles, breathe) if options.near else None
    fields, tiles = (near.fields, near.shared) if near is not None else ([], tiles)
    judged = PanoramaJudgement(figures, members, reference, cameras, radials, nothing, tiles, name, told, fields)
    own = judged.errors
    for k, i in enumerate(members):
        mine = [e for e, s in zip(own, tiles, strict=True) if k in (s.first, s.second)]
        figures[i].residual_px = float(np.median(np.concatenate(mine))) if mine else 0.0
    return judged


def _tiles(
    frames: Sequence[Opened], members: Sequence[int], cameras: Sequence[TurningCamera], radials: Sequence[Radial], shared: Shared,
    most: int,
) -> Shared:  # fmt: skip
    """Places of two frames by tiles; by features where tiles show too little."""
    a, b = shared.first, shared.second
    one, two = shared_tiles(
        frames[members[a]], frames[members[b]], Sight(cameras[a], radials[a]), Sight(cameras[b], radials[b]), most
    )  # fmt: skip
    return Shared(a, b, one, two) if len(one) >= FEWEST_TILES else shared


def _found_lens(camera: TurningCamera) -> Radial:
    """The distortion that was found, as a table."""
    half = camera.half_diagonal_px
    radius = np.linspace(0, 1.6 * half, 800)
    rho = radius / half
    one = np.ones_like(radius)
    curve = LensCurve(radius, radius * (1 + camera.k1 * rho**2 + camera.k2 * rho**4), one, one, one)
    try:
        return compose(half, curve)
    except LensDataError as error:
        raise MergeError("The frames do not lie on each other: no lens bends them like that.") from error


def _focal(
    frames: Sequence[Opened], members: Sequence[int], shared: Sequence[Shared], lenses: LensDatabase
) -> tuple[list[float], bool]:
    """First guesses of focal lengths in pixels: told, or what makes shared places fit best."""
    found = []
    for i in members:
        source = frames[i].source
        found.append(focal_of(Shape(source.width, source.height, source.capture), lenses))
    if all(told for _, told in found):
        return [f for f, _ in found], True
    edges = [max(frames[i].source.width, frames[i].source.height) for i in members]
    costs = []
    for guess in FOCAL_GUESSES:
        cameras = [TurningCamera(guess * e, np.eye(3), e / 2) for e in edges]
        rest = []
        for s in shared:
            one, two = cameras[s.first].rays(s.places_1), cameras[s.second].rays(s.places_2)
            turned = replace(cameras[s.second], turn=turn_between(one, two))
            rest.append(np.hypot(*(turned.places(one) - s.places_2).T))
        costs.append(float(np.median(np.concatenate(rest))))
    best = FOCAL_GUESSES[int(np.argmin(costs))]
    return [best * e for e in edges], False


def _first(cameras: list[TurningCamera], shared: Sequence[Shared]) -> list[TurningCamera]:
    """Turns from pair to pair, over the strongest pairs."""
    strength = {(s.first, s.second): float(len(s.places_1)) for s in shared}
    by = {(s.first, s.second): s for s in shared}
    out = list(cameras)
    for a, b in spanned(len(cameras), strength, 0):
        s = by.get((a, b)) or by[(b, a)]
        mine, theirs = (s.places_1, s.places_2) if s.first == a else (s.places_2, s.places_1)
        flat = replace(out[b], turn=np.eye(3))
        out[b] = replace(out[b], turn=turn_between(out[a].rays(mine), flat.rays(theirs)))
    return out


def _groups(frames: Sequence[Opened], members: Sequence[int]) -> list[int]:
    names: dict[object, int] = {}
    out = []
    for i in members:
        source = frames[i].source
        key = (*sorted((source.width, source.height)), round(source.capture.focal_length_mm, 1))
        out.append(names.setdefault(key, len(names)))
    return out


def _middle(cameras: Sequence[TurningCamera]) -> int:
    """The frame that looks most to where they look on average."""
    ahead = np.stack([c.turn[:, 2] for c in cameras])
    return int((ahead @ ahead.mean(0)).argmax())


def _lights(
    frames: Sequence[Opened], views: Sequence[View], judged: PanoramaJudgement, options: PanoramaOptions,
    breathe: Callable[[str], None],
) -> None:  # fmt: skip
    """Light of each frame against the reference, fall-off where no profile tells it, and sharpness."""
    breathe("comparing their light")
    members, reference = judged.members, judged.reference
    base = frames[members[reference]].told_ev
    told = np.zeros(len(members))
    for k, i in enumerate(members):
        ev = frames[i].told_ev
        judged.figures[i].told_ev = None if ev is None or base is None else ev - base
        told[k] = math.log(2) * (judged.figures[i].told_ev or 0.0)
    grids = grids_of(frames, views, judged.members, judged.sights)
    lights = lights_of(grids, judged.shared)
    finished = frames[members[0]].source.camera is None
    found = evened(len(members), lights, told, reference, not judged.lens, finished)
    for k, i in enumerate(members):
        judged.figures[i].exposure_ev = float(found.log_gain[k].mean() / math.log(2))
    sharp = sharpness_of(grids, judged.shared)
    for k, i in enumerate(members):
        judged.figures[i].sharpness = float(sharp[k])
    if options.even:
        judged.evenness = found
        judged.radials = [_with_fall_off(r, found.terms) for r in judged.radials]


def _with_fall_off(radial: Radial, terms: Float64) -> Radial:
    """The table with the gain that takes the fall-off out."""
    if not np.abs(terms).max() > 1e-5:
        return radial
    radii = np.arange(radial.gain.size) * radial.step_px
    half = radial.step_px * (radial.gain.size - 1) / 2.2
    rho = np.minimum(radii * radial.scales[1] / half, 1.0)
    light = terms[0] * rho**2 + terms[1] * rho**4 + terms[2] * rho**6
    return replace(radial, gain=radial.gain * np.exp(-np.clip(light, -2.5, 1.0)))
