"""Sets among the frames of a shoot: frames that were taken to be one picture, told from how and when they were taken and from
what they show.

Frames of one camera, one focal length and one way up that follow each other closely are a run; what kind it is, if any:

- *bracket*: the same view, at least three exposures that differ by two thirds of a stop or more;
- *focus*: the same view and exposure, the focus distance moved on (as told by the camera, or seen by where it is sharp);
- *sky*: the same view and exposure, four frames or more of at least two seconds each;
- *sweep*: each frame goes on where the one before it ends, in one direction; turned once more for each exposure, there and back
  or the same way again, it is still one;
- *burst*: the same exposure, two seconds apart at most.

A frame that shows the view of the one before it, but turned by a quarter, is taken to be held as that one was.

Frames that show nothing (a capped lens, an even field) belong to no set.
"""

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from zincplate.core.measure.same_light import EDGE_PX, Likeness
from zincplate.render.fit import pair
from zincplate.render.light_plate import LightPlate

Kind = Literal["bracket", "sweep", "focus", "burst", "sky"]
GAP_S = 16.0
"""From the end of one exposure to the beginning of the next, at most: longer, and the hand has done something else between."""
BURST_S = 2.0
STEP_EV = 0.6
SAME_EV = 0.2
STILL = 0.05
"""Of the long edge: a view that moves less is the same view."""
OVERLAP = 0.4
"""Neighbours of a sweep share this much at least."""
SKY_S = 2.0
FOCUS_LOG2 = 0.35
"""How much sharper (log2) parts of a picture become and blurred again while the focus is moved."""


@dataclass(frozen=True)
class Proposed:
    """A set: its kind and its frames' places in the list that was given."""

    kind: Kind
    members: tuple[int, ...]


def propose(frames: Sequence[LightPlate], breathe: Callable[[], None] = lambda: None) -> list[Proposed]:
    """Sets among frames in any order; each frame is in one at most. ``breathe`` is called between comparisons."""
    found = []
    frames = _as_before(frames, breathe)
    for run in _runs(frames):
        if len(run) < 3:
            continue
        pairs = []
        for a, b in itertools.pairwise(run):
            breathe()
            pairs.append(pair(frames[a], frames[b])[0])
        own = []
        for part in _parts(run, pairs):
            kind = _kind([frames[i] for i in part.members], part.pairs)
            own += [Proposed(kind, part.members)] if kind is not None else _turns_within(frames, part, breathe)
        found += _turns_joined(frames, run, own, breathe)
    return sorted(found, key=lambda s: frames[s.members[0]].settings.seconds or 0.0)


def _as_before(frames: Sequence[LightPlate], breathe: Callable[[], None]) -> list[LightPlate]:
    """The same frames, those turned back that are told to stand where the one just before them lies (or the other way round) and
    that show the same view: pointed straight down or up, a camera cannot tell how it is held."""
    out = list(frames)
    times = [f.settings.seconds for f in frames]
    before: dict[tuple[str, bool, float], int] = {}
    for i in sorted((i for i, t in enumerate(times) if t is not None), key=lambda i: (times[i] or 0.0, i)):
        s = frames[i].settings
        last = before.get((s.camera, s.raw, round(s.focal_length_mm, 1)))
        before[s.camera, s.raw, round(s.focal_length_mm, 1)] = i
        if last is None or s.upright != out[last].settings.upright[::-1] or s.upright[0] == s.upright[1]:
            continue
        if _gap_s(out[last], frames[i]) > GAP_S or not (_shows_something(out[last]) and _shows_something(frames[i])):
            continue
        for quarter in (1, 3):
            breathe()
            turned = frames[i].turned(quarter)
            likeness = pair(out[last], turned)[0]
            if likeness.same_subject and _still(likeness):
                out[i] = turned
                break
    return out


def _runs(frames: Sequence[LightPlate]) -> list[list[int]]:
    """Frames that follow each other closely, by camera, focal length and way up; each run in the order it was taken."""
    groups: dict[tuple[str, bool, tuple[int, int], float], list[int]] = {}
    for i, frame in enumerate(frames):
        s = frame.settings
        if s.seconds is not None and _shows_something(frame):
            groups.setdefault((s.camera, s.raw, s.upright, round(s.focal_length_mm, 1)), []).append(i)
    runs = []
    for group in groups.values():
        group.sort(key=lambda i: (frames[i].settings.seconds or 0.0, i))
        run: list[int] = []
        for i in group:
            if run and _gap_s(frames[run[-1]], frames[i]) > GAP_S:
                runs.append(run)
                run = []
            run.append(i)
        runs.append(run)
    return runs


def _gap_s(before: LightPlate, after: LightPlate) -> float:
    a, b = before.settings, after.settings
    return (b.seconds or 0.0) - (a.seconds or 0.0) - a.exposure_time_s


def _shows_something(frame: LightPlate) -> bool:
    """Neither dark all over nor even: something to lay over another frame."""
    low, high = np.quantile(frame.planes[1], (0.02, 0.995))
    return bool(high > 0.004 and high > 1.5 * max(low, 1e-4))


@dataclass(frozen=True)
class _Part:
    members: tuple[int, ...]
    pairs: tuple[Likeness, ...]


def _parts(run: list[int], pairs: list[Likeness]) -> list[_Part]:
    """A run cut where one frame shows nothing of the next, and where a view that stood still moves on or the other way round."""
    parts: list[_Part] = []
    members, kept = [run[0]], list[Likeness]()
    for i, likeness in zip(run[1:], pairs, strict=True):
        fits = likeness.same_subject and (not kept or _still(kept[-1]) == _still(likeness))
        if not fits:
            parts.append(_Part(tuple(members), tuple(kept)))
            members, kept = [], []
        members.append(i)
        if fits:
            kept.append(likeness)
    parts.append(_Part(tuple(members), tuple(kept)))
    return [p for p in parts if len(p.members) >= 3 and len(p.pairs) == len(p.members) - 1]


def _still(likeness: Likeness) -> bool:
    return float(np.hypot(*likeness.shift_px)) < STILL * EDGE_PX


def _kind(frames: list[LightPlate], pairs: Sequence[Likeness]) -> Kind | None:
    exposures = [f.settings.exposure_ev for f in frames]
    if any(e is None for e in exposures):
        return None
    levels = np.array([e for e in exposures if e is not None])
    if not all(_still(p) for p in pairs):
        return "sweep" if _goes_on(frames, pairs) else None
    apertures = {f.settings.f_number for f in frames}
    distinct = 1 + int((np.diff(np.sort(levels)) >= STEP_EV).sum())
    if distinct >= 3 and len(apertures) == 1:
        return "bracket"
    if np.ptp(levels) > SAME_EV or len({f.settings.iso for f in frames}) > 1:
        return None
    if len(frames) >= 4 and all(f.settings.exposure_time_s >= SKY_S for f in frames):
        return "sky"
    if _focus_moves(frames):
        return "focus"
    gaps = [_gap_s(a, b) for a, b in itertools.pairwise(frames)]
    return "burst" if max(gaps) <= BURST_S else None


def _goes_on(frames: list[LightPlate], pairs: Sequence[Likeness]) -> bool:
    """Steps of one direction, each with enough overlap."""
    steps = np.array([p.shift_px for p in pairs])
    height, width = frames[0].planes.shape[1:]
    overlap = (1 - np.abs(steps[:, 0]) / width) * (1 - np.abs(steps[:, 1]) / height)
    direction = steps.sum(0) / max(float(np.hypot(*steps.sum(0))), 1e-9)
    along = steps @ direction
    return bool((overlap >= OVERLAP).all() and (along > 0.6 * np.hypot(*steps.T)).all())


def _focus_moves(frames: list[LightPlate]) -> bool:
    """The distance is told and goes one way; or no distance is told, and parts become sharp one after the other."""
    distances = np.array([f.settings.focus_distance_m for f in frames])
    if (distances > 0).all():
        steps = np.diff(distances)
        return bool((steps > 0).all() or (steps < 0).all())
    if (distances > 0).any() or len(frames) < 4:
        return False
    grids = np.stack([f.sharpness.ravel() for f in frames])
    swing = grids.max(0) - np.maximum(grids[0], grids[-1])
    peaks = grids.argmax(0)[np.ptp(grids, 0) > FOCUS_LOG2]
    return bool((swing > FOCUS_LOG2).sum() >= 6 and len(peaks) and len(np.unique(peaks)) >= 3)


def _turns_within(frames: Sequence[LightPlate], part: _Part, breathe: Callable[[], None]) -> list[Proposed]:
    """The one set of a part that goes over the same places again and again, where the end of a turn still shows something of the
    beginning of the next."""
    levels = np.array([frames[i].settings.exposure_ev or 0.0 for i in part.members])
    ends = [0, *(np.flatnonzero(np.abs(np.diff(levels)) > SAME_EV) + 1), len(levels)]
    turns = []
    for a, b in itertools.pairwise(ends):
        if b - a < 3 or not _goes_on([frames[i] for i in part.members[a:b]], part.pairs[a : b - 1]):
            return []
        turns.append(Proposed("sweep", part.members[a:b]))
    joined = _turns_joined(frames, list(part.members), turns, breathe)
    return joined if len(turns) > 1 and len(joined) == 1 else []


def _turns_joined(
    frames: Sequence[LightPlate], run: list[int], found: Sequence[Proposed], breathe: Callable[[], None]
) -> list[Proposed]:
    """Sets of a run; sweeps over the same places, one right after the other and each at an exposure of its own, are one."""
    out: list[Proposed] = []
    for one in found:
        before = out[-1] if out else None
        if before is not None and before.kind == one.kind == "sweep" and _another_turn(frames, run, before, one, breathe):
            out[-1] = Proposed("sweep", before.members + one.members)
        else:
            out.append(one)
    return out


def _another_turn(
    frames: Sequence[LightPlate], run: list[int], before: Proposed, one: Proposed, breathe: Callable[[], None]
) -> bool:
    count = len(one.members)
    turns = [before.members[at : at + count] for at in range(0, len(before.members), count)] + [one.members]
    if len(before.members) % count or run.index(one.members[0]) != run.index(before.members[-1]) + 1:
        return False
    levels = []
    for turn in turns:
        own = [frames[i].settings.exposure_ev or 0.0 for i in turn]
        if np.ptp(own) > SAME_EV:
            return False
        levels.append(own[0])
    if (np.diff(np.sort(levels)) < STEP_EV).any():
        return False
    last = turns[-2]
    for way in (one.members, one.members[::-1]):
        breathe()
        ends = [pair(frames[a], frames[b])[0] for a, b in ((last[0], way[0]), (last[-1], way[-1]))]
        if all(e.same_subject and _still(e) for e in ends):
            return True
    return False


WORDS: dict[Kind, str] = {
    "bracket": "bracket",
    "sweep": "sweep",
    "focus": "focus series",
    "burst": "burst",
    "sky": "series of one sky",
}
