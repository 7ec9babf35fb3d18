"""Whether adjustments made for one frame fit others: what each differs by in light, in its colour, in contrast, in subject.

Every frame is compared with the source directly where both show the same, else along the series in order of time: a sweep's ends
show nothing in common, its neighbours do. What drifts with the series is told but fits; what jumps out of it does not.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.temperature import temperature_and_tint
from zincplate.core.measure.course import expected
from zincplate.core.measure.same_light import Likeness, compared, reduced, spread_ev
from zincplate.render.light_plate import LightPlate

Float64 = NDArray[np.float64]
XY = tuple[float, float]

JUMP_EV, JUMP_MIRED, JUMP_TINT = 0.3, 18.0, 12.0
"""Beyond these from the course of its series a frame does not fit: a third of a stop and twenty mired are seen side by side."""
FAR_EV, FAR_MIRED, FAR_TINT = 0.75, 45.0, 30.0
"""Beyond these from the source it does not fit, however smoothly the light came there."""
CONTRAST_EV = 1.2
TOLD_EV, TOLD_MIRED, TOLD_TINT = 0.07, 4.0, 4.0
"""Smaller differences are not worth a word."""
CLOSE_S = 600.0
"""Frames this near in time are held against each other along a series."""


@dataclass(frozen=True)
class Fit:
    """One frame against the source: positive is lighter, warmer (more mired), greener light."""

    fits: bool
    exposure_ev: float
    mired: float
    tint: float
    likeness: float
    """0..1, of the frame with whatever it was compared with; below :data:`~.same_light.LIKE` another subject."""
    measured: bool
    """Whether light was compared on the same subject; else the figures are those of the whole pictures."""
    white_xy: XY
    """White point under which this frame looks as the source does under its own."""
    reasons: tuple[str, ...] = field(default=())


@dataclass(frozen=True)
class Link:
    """The light of a frame against the source's."""

    log2_rgb: tuple[float, float, float]
    """How much lighter, in stops, for each channel."""
    left_over_ev: float
    """How far another way of measuring, the median of all pairs, differs from that."""
    likeness: float
    own: bool
    """Stops of this camera's RGB, not of Rec.2020."""
    direct: bool = True
    """Compared with the source itself."""
    measured: bool = True
    """Both show the same subject; else the stops are those between the middles of the whole pictures."""


def pair(first: LightPlate, second: LightPlate) -> tuple[Likeness, bool]:
    """Compares two plates in their camera's own RGB where one camera made both, else in linear Rec.2020 (second value False). A
    longer focal length of one camera is taken into account."""
    a, b = first.settings, second.settings
    own = a.camera == b.camera and a.raw == b.raw
    scale = a.focal_length_mm / b.focal_length_mm if own and a.focal_length_mm > 0 and b.focal_length_mm > 0 else 1.0
    planes = (first.planes, second.planes) if own else (first.in_rec2020, second.in_rec2020)
    resized = reduced(planes[1], scale) if 0.4 < scale < 2.5 and abs(scale - 1) > 0.004 else planes[1]
    return compared(planes[0], resized), own


def connected(source: LightPlate, frames: Sequence[LightPlate], breathe: Callable[[], None] = lambda: None) -> list[Link]:
    """The light of each frame against the source's; not measured for those that show nothing of what the source or its
    neighbours show. ``breathe`` is called between comparisons (about 25 ms each)."""
    links: list[Link] = []
    for frame in frames:
        breathe()
        found, own = pair(source, frame)
        if found.same_subject:
            links.append(Link(found.log2_rgb, found.median_ev - found.log2_rgb[1], found.likeness, own))
        else:
            # without colour: what different subjects are painted in is not the light
            stops = frame.middle_ev - source.middle_ev
            links.append(Link((stops,) * 3, 0.0, found.likeness, False, measured=False))
    order = sorted((f.settings.seconds, i) for i, f in enumerate(frames) if f.settings.seconds is not None)
    if source.settings.seconds is not None:
        order = sorted([*order, (source.settings.seconds, -1)])
    chain = [i for _, i in order]
    for run in (chain, chain[::-1]):
        before = None
        for i in run:
            if i >= 0 and not links[i].measured and before is not None:
                breathe()
                links[i] = _along(source, frames, links, before, i) or links[i]
            before = i if i < 0 or links[i].measured else None
    return links


def _along(source: LightPlate, frames: Sequence[LightPlate], links: list[Link], before: int, i: int) -> Link | None:
    """A frame by way of its neighbour in time."""
    neighbour = source if before < 0 else frames[before]
    known = Link((0.0, 0.0, 0.0), 0.0, 1.0, True) if before < 0 else links[before]
    a, b = neighbour.settings.seconds, frames[i].settings.seconds
    if not known.own or a is None or b is None or abs(a - b) > CLOSE_S:
        return None
    found, own = pair(neighbour, frames[i])
    if not found.same_subject or not own:
        return None
    red, green, blue = (x + y for x, y in zip(known.log2_rgb, found.log2_rgb, strict=True))
    left_over = known.left_over_ev + found.median_ev - found.log2_rgb[1]
    return Link((red, green, blue), left_over, found.likeness, True, direct=False)


def check(
    source: LightPlate,
    frames: Sequence[LightPlate],
    white_xy: XY | None = None,
    links: Sequence[Link] | None = None,
) -> list[Fit]:
    """How each frame differs from the source in what would be seen after carrying.

    ``white_xy`` is the white point that the carried balance names; None when "as shot" is carried, so that every frame is shown
    under the balance its own camera was set to. ``links`` are those of :func:`connected`, where they are known.
    """
    links = links or connected(source, frames)
    white = white_xy or source.settings.as_shot_xy
    rows: list[tuple[float, float, float, XY]] = []
    for frame, link in zip(frames, links, strict=True):
        rows.append(_differs(source, frame, link, white, white_xy is None))
    values = np.array([r[:3] for r in rows]).reshape(-1, 3)
    like = np.array([link.measured for link in links], bool)
    times = np.array([f.settings.seconds or 0.0 for f in frames])
    timed = like & np.array([f.settings.seconds is not None for f in frames], bool)
    course = np.zeros_like(values)
    if timed.any():
        # a source that says when it was taken is a member of the series too: the course is known at its place
        own = [] if source.settings.seconds is None else [source.settings.seconds]
        at = np.append(times[timed], own)
        for column in range(3):
            course[timed, column] = expected(at, np.append(values[timed, column], [0.0] * len(own)))[: int(timed.sum())]
    return [
        _judged(source, frame, link, row, course[i]) for i, (frame, link, row) in enumerate(zip(frames, links, rows, strict=True))
    ]


def _differs(source: LightPlate, frame: LightPlate, link: Link, white: XY, as_shot: bool) -> tuple[float, float, float, XY]:
    """Stops, mired and tint by which a frame would be seen to differ, and the white point that undoes the last two."""
    stops = link.log2_rgb
    reference = source if link.own else frame
    try:
        matched = (
            reference.white_after(white, stops, link.own) if link.measured else frame.settings.as_shot_xy if as_shot else white
        )
    except ValueError:
        matched = white
    shown = frame.settings.as_shot_xy if as_shot else white
    (kelvin, tint), (shown_kelvin, shown_tint) = temperature_and_tint(matched), temperature_and_tint(shown)
    return stops[1], 1e6 / kelvin - 1e6 / shown_kelvin, tint - shown_tint, matched


def _judged(source: LightPlate, frame: LightPlate, link: Link, row: tuple[float, float, float, XY], course: Float64) -> Fit:
    exposure_ev, mired, tint, white = row
    reasons = []
    if not link.measured:
        reasons.append("another subject: its light cannot be compared")
    far = np.abs(row[:3]) > (FAR_EV, FAR_MIRED, FAR_TINT)
    jumps = np.abs(np.array(row[:3]) - course) > (JUMP_EV, JUMP_MIRED, JUMP_TINT)
    odd = (far | jumps) if link.measured else np.zeros(3, bool)
    if abs(exposure_ev) >= TOLD_EV and link.measured:
        a, b = source.settings.exposure_ev, frame.settings.exposure_ev
        set_otherwise = odd[0] and a is not None and b is not None and abs((b - a) - exposure_ev + course[0]) < 0.3
        drifts = not odd[0] and abs(course[0]) > TOLD_EV
        why = ": the camera was set differently" if set_otherwise else ", as the light of the series drifts" if drifts else ""
        reasons.append(f"{abs(exposure_ev):.2f} EV {'lighter' if exposure_ev > 0 else 'darker'}{why}")
    if abs(mired) >= TOLD_MIRED and link.measured:
        a, b = source.as_shot[0], frame.as_shot[0]
        set_otherwise = odd[1] and abs(1e6 / a - 1e6 / b) > JUMP_MIRED
        why = f": the camera's balance was at {b:.0f} K instead of {a:.0f} K" if set_otherwise else ""
        reasons.append(f"{abs(mired):.0f} mired {'warmer' if mired > 0 else 'cooler'}{why}")
    if abs(tint) >= TOLD_TINT and link.measured:
        reasons.append(f"{abs(tint):.0f} {'greener' if tint > 0 else 'more magenta'}")
    contrast = spread_ev(frame.planes) - spread_ev(source.planes)
    flat = link.measured and link.direct and link.likeness > 0.6 and abs(contrast) > CONTRAST_EV and abs(exposure_ev) < 2
    if flat:
        reasons.append(f"{abs(contrast):.1f} EV {'more' if contrast > 0 else 'less'} contrast")
    likeness = max(link.likeness, 0.0)
    fits = link.measured and not odd.any() and not flat
    return Fit(fits, exposure_ev, mired, tint, likeness, link.measured, white, tuple(reasons))
