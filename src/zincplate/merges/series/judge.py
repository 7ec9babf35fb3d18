"""Before a series is combined: what each frame is, how the frames lie on each other, and which are spoiled."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import laid_on
from zincplate.core.merging.placement import Placement
from zincplate.core.merging.star_field import Stars, same_stars, stars_of, without_still
from zincplate.core.merging.turning_camera import Shared, TurningCamera, adjusted, errors, turn_between
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.belong import BY_HAND, aside_of, counted, nothing_left
from zincplate.merges.errors import MergeError
from zincplate.merges.judge import APART, UNSHARP, against
from zincplate.merges.series.calibrate import Masters, calibrated, masters_of
from zincplate.merges.series.options import Role, SeriesOptions
from zincplate.merges.view import Opened, View, grid_of, view_of, views_of
from zincplate.pipeline.lens_of import Shape, focal_of

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

MOST, FEWEST = 100, 2
SKY_TO = 0.1
"""Of the white level: a sky with stars is darker than that over most of the picture."""
STARS_FROM = 25
"""Stars in most frames, from which on it is a sky."""
ROUGH_SKY = 1.7
"""Deviations of a sensor's noise. Skies over land have 0.9 to 1.3 (raw and JPEG), dim scenes with as many points 1.9 to 6.5."""
DRAWN_OUT, SWOLLEN = 1.8, 1.5
"""Times the others' elongation and size, from which on stars are spoiled."""
STAR_PX = 0.15
DARK_SHARE = 3e-4
"""Of a frame, above six deviations: one with less light is a dark."""
BIAS_S = 1 / 500
FLAT_SPREAD_EV = 2.2
AS_TOLD_EV = 0.12
SKY_TERMS = 6
LAND_TIMES = 4.0
"""Times the others' exposure time, from which on a frame is for the land: stars are drawn out in it."""


@dataclass
class Figures:
    """What was found about one frame."""

    name: str
    role: Role = "light"
    told_ev: float | None = None
    exposure_ev: float = 0.0
    sharpness: float = 0.0
    stars: int = 0
    shift_px: float = 0.0
    residual_px: float = 0.0
    clipped: float = 0.0
    reason: str = ""
    """Why it is left out; empty for one that takes part (or calibrates)."""


@dataclass
class SeriesJudgement:
    """All that is known before combining. Lists are by the frames that were given; ``lights`` are calibrated."""

    figures: list[Figures]
    lights: list[Opened]
    members: list[int]
    reference: int
    placements: list[Placement]
    exposure: list[float]
    by: str
    """"stars", "features" or "none"."""
    sky: list[Float64]
    """(3, SKY_TERMS) of each frame: what its sky has more than the reference's, in the reference's light."""
    land: list[int]
    """Frames that show the land, where it stays still."""
    masters: Masters
    notes: list[str] = field(default_factory=list)


def judge_series(
    frames: Sequence[Opened], options: SeriesOptions, lenses: LensDatabase, breathe: Callable[[str], None] = lambda _: None,
    views: list[View] | None = None,
) -> SeriesJudgement:  # fmt: skip
    """Judges frames; ``views``, an empty list, is filled with what was looked at (of lights after calibrating). Raises
    :class:`MergeError`."""
    counted(frames, "A series", FEWEST, MOST)
    views = [] if views is None else views
    looks: list[View] = []
    looks += views_of(frames, breathe, one_grid=False)
    roles = [options.roles.get(i, _role(f, v, looks)) for i, (f, v) in enumerate(zip(frames, looks, strict=True))]
    for i in _much_longer(frames, roles, options):
        roles[i] = "land"
    figures = [Figures(f.name, role, clipped=v.clipped) for f, role, v in zip(frames, roles, looks, strict=True)]
    able = [i for i, role in enumerate(roles) if role == "light"]
    if len(able) < FEWEST:
        raise MergeError(f"There are {len(able)} frames to combine among these {len(frames)}; the others are darks or flats.")
    for i, figure in enumerate(figures):
        if i in options.leave_out and figure.role != "light":
            figure.reason = BY_HAND
    shown = [i for i, role in enumerate(roles) if role in ("light", "land")]
    left_out = {k for k, i in enumerate(shown) if i in options.leave_out}
    aside = {shown[k] for k in aside_of([frames[i] for i in shown], left_out, "series")}
    for i in aside:
        figures[i].reason = BY_HAND
        shown.remove(i)
    able = [i for i in able if i not in aside]
    by_hand = [f.reason or (BY_HAND if i in options.leave_out else "") for i, f in enumerate(figures)]
    if len([i for i in able if not by_hand[i]]) < FEWEST:
        raise nothing_left("combine", zip([f.name for f in frames], by_hand, strict=True))
    taken = [i for i, figure in enumerate(figures) if not figure.reason]
    breathe("averaging darks and flats")
    masters = masters_of([frames[i] for i in taken], [roles[i] for i in taken])
    # darks and flats may begin elsewhere
    grid = grid_of([frames[i] for i in shown])
    lights = []
    for i, frame in enumerate(frames):
        if i not in shown:
            lights.append(frame)
            views.append(looks[i])
            continue
        lights.append(calibrated(frame, masters))
        views.append(looks[i] if lights[i] is frame and grid is None else view_of(lights[i], grid))
    looks.clear()
    skies: list[Stars | None] = [None] * len(frames)
    by = options.align
    if by == "auto" and float(np.median([np.median(views[i].green) for i in able])) >= SKY_TO:
        by = "features"  # day: nothing to look for
    if by in ("auto", "stars"):
        for i in able:
            breathe(f"looking for stars in {frames[i].name}")
            skies[i] = _stars(lights[i])
            figures[i].stars = len(skies[i].places)  # type: ignore[union-attr]
        if len(able) > 2:
            for i, moving in zip(able, without_still([s for i in able if (s := skies[i]) is not None]), strict=True):
                skies[i] = moving
                figures[i].stars = len(moving.places)
        if by == "auto":
            by = "stars" if _is_sky([lights[i] for i in able], [skies[i] for i in able], [views[i] for i in able]) else "features"
    if by != "stars":  # there is no land without a sky
        for i, role in enumerate(roles):
            if role == "land" and i not in options.roles:
                roles[i] = figures[i].role = "light"
        able = [i for i in shown if roles[i] == "light"]
    found = SeriesJudgement(
        figures, lights, [], 0, [_still(f) for f in lights], [1.0] * len(frames), by, [np.zeros((3, SKY_TERMS))] * len(frames),
        [i for i in taken if roles[i] == "land"], masters, list(masters.notes),
    )  # fmt: skip
    if by == "stars":
        _by_stars(found, able, skies, options, lenses, breathe)
    else:
        _by_features(found, able, views, options, breathe)
    _leave_out(found, able, options)
    if by == "stars" and options.even_sky:
        breathe("comparing their skies")
        _even_skies(found, views)
    return found


def _much_longer(frames: Sequence[Opened], roles: Sequence[Role], options: SeriesOptions) -> list[int]:
    """Frames that were exposed for so much longer than the others that they are for the land."""
    lights = [i for i, role in enumerate(roles) if role == "light"]
    times = [frames[i].source.capture.exposure_time_s for i in lights]
    if len(lights) < 4 or min(times) <= 0:
        return []
    most = LAND_TIMES * float(np.median(times))
    return [i for i, t in zip(lights, times, strict=True) if t > most and i not in options.roles]


def _role(frame: Opened, view: View, all_views: Sequence[View]) -> Role:
    """What a frame is, by what it shows: nothing, an even field, or something."""
    if not frame.source.mosaic or len(all_views) < 3:
        return "light"
    lit = float((view.green > 6 * np.sqrt(view.variance) + 2e-4).mean())
    if lit < DARK_SHARE:
        return "bias" if 0 < frame.source.capture.exposure_time_s < BIAS_S else "dark"
    soft = cv2.GaussianBlur(np.maximum(view.green, 1e-6), (0, 0), 4)
    level = float(np.median(soft))
    if level < 0.05:
        return "light"
    stops = np.log2(soft[::2, ::2])  # neighbours say the same
    if float(np.quantile(stops, 0.99) - np.quantile(stops, 0.01)) >= FLAT_SPREAD_EV:
        return "light"
    fine = cv2.GaussianBlur(np.maximum(view.green, 1e-6), (0, 0), 1.0)
    rough = float(np.abs(np.log2(fine) - cv2.GaussianBlur(np.log2(fine), (0, 0), 12)).mean())
    return "flat" if rough < 0.02 else "light"


def _still(frame: Opened) -> Placement:
    return Placement(np.eye(3), frame.source.width, frame.source.height)


def _stars(frame: Opened) -> Stars:
    source = frame.source
    # with hot sites: stars may be as small, and those that stand still are found out
    green = np.ascontiguousarray(source.window(0, 0, source.width, source.height)[1])
    return stars_of(green, 0.9 * float(source.ceiling / np.asarray(source.as_shot_neutral)[1]))


def _is_sky(frames: Sequence[Opened], skies: Sequence[Stars | None], views: Sequence[View]) -> bool:
    """Dark, with stars, and between them smooth but for the sensor's noise: points of a dim scene's drawing are no stars."""
    seen = [s for s in skies if s is not None]
    levels = [float(np.median(v.green)) for v in views]
    noise = [np.sqrt(f.noise[0][1] * max(level, 0) + f.noise[1][1]) for f, level in zip(frames, levels, strict=True)]
    rough = np.median([s.deviation / max(float(n), 1e-9) for s, n in zip(seen, noise, strict=False)])
    count = np.median([len(s.places) for s in seen])
    return bool(count >= STARS_FROM and np.median(levels) < SKY_TO and rough < ROUGH_SKY)


def _by_stars(
    found: SeriesJudgement, able: Sequence[int], skies: Sequence[Stars | None], options: SeriesOptions, lenses: LensDatabase,
    breathe: Callable[[str], None],
) -> None:  # fmt: skip
    """The sky turns about the camera: one lens, and a turn for each frame."""
    counts = [len(skies[i].places) for i in able]  # type: ignore[union-attr]
    sizes = np.array([float(np.median(skies[i].size_px[:60])) if c else np.inf for i, c in zip(able, counts, strict=True)])  # type: ignore[union-attr]
    drawn = np.array([float(np.median(skies[i].elongation[:60])) if c else np.inf for i, c in zip(able, counts, strict=True)])  # type: ignore[union-attr]
    free = _free(able, options)
    middle = free[len(free) // 2]
    fair = [k for k in free if sizes[k] < 1.2 * np.median(sizes) and drawn[k] < 1.2 * np.median(drawn)] or [middle]
    chosen = able[min(fair, key=lambda k: abs(k - middle))]
    found.reference = chosen if options.reference is None else _given(options.reference, able)
    base = skies[found.reference]
    assert base is not None
    frame = found.lights[found.reference]
    source = frame.source
    half = (np.array([source.width, source.height]) - 1) / 2
    focal, told = focal_of(Shape(source.width, source.height, source.capture), lenses)
    diagonal = math.hypot(source.width, source.height) / 2
    cameras, shared, at = [TurningCamera(focal, np.eye(3), diagonal)], [], [found.reference]
    ratios: dict[int, float] = {found.reference: 1.0}
    for i in able:
        if i == found.reference:
            continue
        breathe(f"laying the stars of {found.figures[i].name} on the others'")
        stars = skies[i]
        pair = same_stars(base, stars) if stars is not None else None
        if pair is None or stars is None:
            found.figures[i].reason = "its stars are not found again: clouds, another part of the sky, or the camera moved"
            continue
        one, two = base.places[pair[0]] - half, stars.places[pair[1]] - half
        flat = TurningCamera(focal, np.eye(3), diagonal)
        cameras.append(TurningCamera(focal, turn_between(flat.rays(one), flat.rays(two)), diagonal))
        shared.append(Shared(0, len(cameras) - 1, one, two))
        at.append(i)
        # the brightest of both: the brightest of one alone are those that noise made brighter there
        bright = np.argsort(-stars.flux[pair[1]] * base.flux[pair[0]])[:100]
        ratios[i] = float(np.median(stars.flux[pair[1]][bright] / base.flux[pair[0]][bright]))
    if len(at) < FEWEST:
        raise MergeError(f"Their stars do not lie on each other: {', '.join(found.figures[i].name for i in able)}.")
    cameras = adjusted(cameras, [0] * len(cameras), shared, True, STAR_PX)
    apart = errors(cameras, shared)
    xx, yy = (v.ravel() for v in np.meshgrid(np.linspace(0, source.width - 1, 24), np.linspace(0, source.height - 1, 16)))
    rays = cameras[0].rays(np.stack([xx, yy], 1) - half)
    base_told = frame.told_ev
    for k, i in enumerate(at):
        figure = found.figures[i]
        if k:
            there = cameras[k].places(rays) + half
            found.placements[i] = Placement.through(xx, yy, there[:, 0], there[:, 1], source.width, source.height)
            figure.residual_px = float(np.median(apart[k - 1]))
            moved = cameras[k].places(cameras[0].rays(np.zeros((1, 2))))[0]
            figure.shift_px = float(np.hypot(*moved))
        own = found.lights[i].told_ev
        figure.told_ev = None if own is None or base_told is None else own - base_told
        ratio = ratios[i]
        if figure.told_ev is not None and abs(math.log2(ratio) - figure.told_ev) < AS_TOLD_EV:
            ratio = 2.0**figure.told_ev
        found.exposure[i] = ratio
        figure.exposure_ev = math.log2(ratio)
        n = list(able).index(i)
        figure.sharpness = min(float(np.min(sizes) / sizes[n]), 1.0)
        if drawn[n] > DRAWN_OUT * np.median(drawn):
            figure.reason = "its stars are drawn out: the camera moved"
        elif sizes[n] > SWOLLEN * np.median(sizes):
            figure.reason = f"its stars are {sizes[n] / np.median(sizes):.1f} times as large: out of focus, or mist"
    if not told:
        found.notes.append("The focal length was found from the stars: the files do not tell it.")


def _free(able: Sequence[int], options: SeriesOptions) -> list[int]:
    """Places in the list of those that may be chosen as the reference: what is left out by hand is not."""
    return [k for k, i in enumerate(able) if i not in options.leave_out]


def _given(reference: int, able: Sequence[int]) -> int:
    if reference not in able:
        raise MergeError(f"Frame {reference + 1} cannot be the reference: it is none of those that are combined.")
    return reference


def _by_features(
    found: SeriesJudgement, able: Sequence[int], views: Sequence[View], options: SeriesOptions, breathe: Callable[[str], None]
) -> None:
    lights, seen = [found.lights[i] for i in able], [views[i] for i in able]
    order = list(able)
    free = _free(able, options)
    first = order.index(_given(options.reference, able)) if options.reference is not None else free[len(free) // 2]
    judged = against(lights, seen, first, options.align != "none", breathe)
    sharpest = max(free, key=lambda k: judged.figures[k].sharpness)
    if options.reference is None and judged.figures[first].sharpness < UNSHARP:
        first = sharpest
        judged = against(lights, seen, first, options.align != "none", breathe)
    found.reference = able[first]
    for k, i in enumerate(able):
        found.placements[i], found.exposure[i] = judged.placements[k], judged.exposure[k]
        own, figure = judged.figures[k], found.figures[i]
        figure.told_ev, figure.exposure_ev, figure.sharpness = own.told_ev, own.exposure_ev, own.sharpness
        figure.shift_px, figure.residual_px = own.shift_px, own.residual_px
        if own.reason:
            figure.reason = own.reason
        elif options.align != "none" and i != found.reference and own.residual_px == 0:
            figure.reason = APART  # not one tile of it says that it lies there
        elif own.sharpness < UNSHARP:
            length = own.shake.length_px if own.shake else 0.0
            less = f"{1 - own.sharpness:.0%} less sharp".replace("%", " %")
            figure.reason = f"shaken by {length:.0f} px, {less}" if length >= 2 else f"{less}: out of focus"


def _leave_out(found: SeriesJudgement, able: Sequence[int], options: SeriesOptions) -> None:
    for i in able:
        if i in options.leave_out:
            found.figures[i].reason = BY_HAND
        elif i in options.take and found.figures[i].reason != APART:
            found.figures[i].reason = ""
    found.members = [i for i in able if not found.figures[i].reason]
    if found.reference not in found.members:
        figure = found.figures[found.reference]
        raise MergeError(f"{figure.name}: It is the reference and cannot be left out ({figure.reason}).")
    if len(found.members) < FEWEST:
        raise nothing_left("combine", [(f.name, f.reason) for f in found.figures])


def sky_powers(x: Float64, y: Float64, width: int) -> Float64:
    """(SKY_TERMS, ...) of places of the reference, for the sky's differences."""
    u, v = x / width - 0.5, y / width - 0.5
    return np.stack([np.ones_like(u), u, v, u * u, u * v, v * v])


def _even_skies(found: SeriesJudgement, views: Sequence[View]) -> None:
    """Smooth differences of the frames' skies against the reference's: a quadratic each, stars and land not counted."""
    base = views[found.reference]
    every = 6
    small = _soft(base, found.lights[found.reference], 1.0)
    xx, yy = np.meshgrid(np.arange(every // 2, base.size[1], every), np.arange(every // 2, base.size[0], every))
    full_x, full_y = (
        v.astype(np.float64) * base.step + (base.step - 1) / 2 + o for v, o in zip((xx, yy), base.origin, strict=True)
    )
    powers = sky_powers(full_x, full_y, found.placements[found.reference].width).reshape(SKY_TERMS, -1).T
    out = list(found.sky)
    for i in found.members:
        if i == found.reference:
            continue
        soft = _soft(views[i], found.lights[i], found.exposure[i])
        laid, there = laid_on(soft, *found.placements[i].reduced(base.step, base.origin, base.size))
        rest = (laid - small)[:, yy, xx].reshape(3, -1).astype(np.float64)
        inside = there[yy, xx].ravel()
        terms = np.zeros((3, SKY_TERMS))
        for c in range(3):
            weight = inside.astype(np.float64)
            for _ in range(8):
                w = np.sqrt(weight)
                terms[c] = np.linalg.lstsq(powers * w[:, None], rest[c] * w, rcond=None)[0]
                left = rest[c] - powers @ terms[c]
                scale = 4 * 1.4826 * float(np.median(np.abs(left[inside]))) + 1e-9
                weight = np.where(inside & (np.abs(left) < scale), (1 - (left / scale) ** 2) ** 2, 0.0)
        out[i] = terms
    found.sky = out


def _soft(view: View, frame: Opened, exposure: float) -> Float32:
    """(3, h, w) reduced camera values in the reference's light, without stars."""
    planes = view.planes * np.asarray(frame.source.as_shot_neutral, np.float32)[:, None, None] / np.float32(exposure)
    return np.stack([cv2.medianBlur(np.ascontiguousarray(p), 5) for p in planes])
