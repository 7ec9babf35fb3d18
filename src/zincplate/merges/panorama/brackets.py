"""Panoramas whose places were taken at several exposures each: every place is merged first, then the places.

A place's plates stand in a file, as floats, so that memory need not hold them, and are kept for the next look at the same frames.
"""

import pickle
import shutil
from collections import Counter
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.files import sweep_parts, whole_file, write_file
from zincplate.formats.parked import mapped
from zincplate.merges.belong import BY_HAND
from zincplate.merges.bracket import ROWS, colour_of, strips
from zincplate.merges.errors import MergeError
from zincplate.merges.file import colour_as_master
from zincplate.merges.judge import MOST, judge, metered_ev
from zincplate.merges.options import BracketOptions
from zincplate.merges.response import found_response, responding
from zincplate.merges.view import Opened, opened
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
Words = Callable[[str], None]

SAME_EV = 0.15
"""Exposures nearer than that are one: with it the next place begins."""
LEAST_SPAN_EV = 0.9
"""Of a place's exposures: what changes less is an exposure that followed the light."""
MOSTLY = 0.6
"""Of the places, at least, have as many exposures as most."""
FORM = 5
"""Of what is kept: others are merged again."""


@dataclass(frozen=True)
class PlaceRow:
    """What was found about one frame of a place."""

    takes_part: bool
    exposure_ev: float
    """Against the place's reference."""
    sharpness: float
    clipped: float
    reason: str


@dataclass(frozen=True)
class Place:
    """Frames of one place (by the numbers that were given), merged."""

    frames: tuple[int, ...]
    reference: int
    """The number of the frame whose place and colour count."""
    name: str
    rows: tuple[PlaceRow, ...]
    opened: Opened
    responding: bool
    """Whether what light their codes stand for was found from the exposures."""


@dataclass(frozen=True)
class _Told:
    """A place without its planes."""

    frames: tuple[int, ...]
    reference: int
    rows: tuple[PlaceRow, ...]
    colour: CameraColour
    light_ev: float | None
    planes: bool
    """Whether there is a file of them; a place of one frame is taken as it is."""
    responding: bool
    """Whether what light their codes stand for was found from the exposures."""


def groups_of(told_ev: Sequence[float | None]) -> list[list[int]] | None:
    """Frames of each place, in the order in which they were taken: a place ends where an exposure comes again. None when these
    are no brackets."""
    if any(ev is None for ev in told_ev):
        return None
    groups: list[list[int]] = []
    for i, ev in enumerate(told_ev):
        again = groups and any(abs(ev - told_ev[k]) < SAME_EV for k in groups[-1])  # type: ignore[operator]
        if not groups or again or len(groups[-1]) == MOST:
            groups.append([])
        groups[-1].append(i)
    most, count = Counter(len(g) for g in groups).most_common(1)[0]
    usual = [[told_ev[i] for i in g] for g in groups if len(g) == most]
    spans = [max(g) - min(g) for g in usual]  # type: ignore[type-var, operator]
    # a place of one frame spans nothing
    if len(groups) < 2 or count < MOSTLY * len(groups) or min(spans) < LEAST_SPAN_EV:
        return None
    return groups


def places_of(
    frames: Sequence[Opened], groups: Sequence[Sequence[int]], leave_out: Sequence[int], folder: Path, key: str, breathe: Words
) -> list[Place]:
    """Every place merged (those of which all frames are left out by hand are missing); raises :class:`MergeError`. ``folder``
    keeps each under ``key``, which names the frames, in place of what was kept for other frames."""
    target = folder / f"{key}.places"
    linear: Sequence[Opened] | None = None
    found = []
    try:
        _sweep(folder, target)
        target.mkdir(parents=True, exist_ok=True)
        for group in groups:
            able = [i for i in group if i not in leave_out]
            if not able:
                continue
            file = target / "-".join(str(i) for i in (group[0], *able))
            for again in (False, True):
                told = _kept(file)
                try:
                    if told is None:
                        linear = _linear(frames, groups, breathe) if linear is None else linear
                        told = replace(_merged(linear, group, able, file, breathe), responding=linear is not frames)
                        write_file(file.with_suffix(".told"), pickle.dumps((FORM, told), protocol=5))
                    found.append(_place(frames, told, file))
                    break
                except FileNotFoundError:  # another process made the master meanwhile, or looked at other places
                    if again:
                        raise
                    target.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise MergeError(f"The merged places could not be kept: {error.strerror}.") from error
    finally:
        with suppress(OSError):
            target.rmdir()  # nothing came of it
    return found


def forget(folder: Path, key: str) -> None:
    """Removes what is kept under ``key``."""
    shutil.rmtree(folder / f"{key}.places", ignore_errors=True)


def _kept(file: Path) -> _Told | None:
    try:
        form, told = pickle.loads(file.with_suffix(".told").read_bytes())
    except Exception:  # not there, cut off, or by another version of the program: it is merged again
        return None
    return told if form == FORM and (not told.planes or file.is_file()) else None


def _sweep(folder: Path, target: Path) -> None:
    """Room for new planes: those of other frames, and what killed processes had begun. Who has them open still reads them."""
    for old in folder.glob("*.places"):
        if old != target:
            shutil.rmtree(old, ignore_errors=True)
    sweep_parts(folder)


def _linear(frames: Sequence[Opened], groups: Sequence[Sequence[int]], breathe: Words) -> Sequence[Opened]:
    """Frames with the one response that finished pictures have: of the first place that tells it, from the middle on."""
    for group in sorted((g for g in groups if len(g) > 1), key=lambda g: abs(g[0] - len(frames) / 2)):
        try:
            table = found_response([frames[i] for i in group], breathe)
        except MergeError as error:
            failed = error
            continue
        return frames if table is None else responding(frames, table)
    raise failed


def _merged(frames: Sequence[Opened], group: Sequence[int], able: Sequence[int], file: Path, breathe: Words) -> _Told:
    if len(able) == 1:
        one = frames[able[0]]
        rows = tuple(PlaceRow(i in able, 0.0, 1.0, 0.0, "" if i in able else BY_HAND) for i in group)
        colour = colour_as_master(one.source, 0.0)
        finished = one.source.camera is None  # the other places are camera values
        if finished:
            with whole_file(file, replace=True) as planes:
                for top in range(0, one.source.height, ROWS):
                    part = one.source.window(0, top, one.source.width, min(ROWS, one.source.height - top))
                    planes.write(np.ascontiguousarray(part.transpose(1, 2, 0)).data)
        return _Told(tuple(group), able[0], rows, colour, one.told_ev, finished, False)
    mine = [frames[i] for i in group]
    options = BracketOptions(leave_out=tuple(k for k, i in enumerate(group) if i not in able))
    try:
        judged = judge(mine, options, breathe)
    except MergeError as error:
        raise MergeError(f"{_called(mine)}: {error}") from error
    reference = mine[judged.reference]
    # all places are shown as bright as one exposure of each, whatever each of them shows most with
    metered = metered_ev(mine, judged)
    judged.shown_ev = float(np.median(judged.members_ev)) if metered is None else metered
    colour = colour_of(mine, judged)
    scale = 1 / np.asarray(colour.as_shot_neutral, np.float32)
    # written, not mapped: a full disk is an error then, and not the end of the process
    with whole_file(file, replace=True) as planes:
        for strip in strips(mine, judged, lambda _: breathe(f"merging {_called(mine)}")):
            planes.write(np.ascontiguousarray(strip.camera_values.transpose(1, 2, 0) * scale).data)
    rows = tuple(PlaceRow(not f.reason, f.exposure_ev, f.sharpness, f.clipped, f.reason) for f in judged.figures)
    # 1 is where the darkest exposure clips: its light is what the planes' values are told in
    darkest = min(judged.exposure[k] for k in judged.members)
    told = None if reference.told_ev is None else reference.told_ev + float(np.log2(darkest))
    return _Told(tuple(group), group[judged.reference], rows, colour, told, True, False)


def _called(frames: Sequence[Opened]) -> str:
    return f"{frames[0].name} to {frames[-1].name}"


def _place(frames: Sequence[Opened], told: _Told, file: Path) -> Place:
    reference = frames[told.reference]
    name = _called([frames[i] for i in told.frames]) if len(told.frames) > 1 else reference.name
    if not told.planes:
        return Place(told.frames, told.reference, name, told.rows, replace(reference, name=name), told.responding)
    source = reference.source
    with open(file, "rb") as opened_file:
        planes, rest = mapped(opened_file.fileno(), np.dtype(np.float32), (source.height, source.width, 3))
    capture = replace(source.capture, orientation=1, width=source.width, height=source.height, notes=())
    decoded = Decoded("camera", planes, capture, told.colour, white=1.0, balanced=True, rest=rest)
    one = opened([(name, Source(decoded))])[0]
    return Place(told.frames, told.reference, name, told.rows, replace(one, light_ev=told.light_ev), told.responding)


def as_told(report: dict[str, Any], places: Sequence[Place], frames: Sequence[Opened]) -> dict[str, Any]:
    """The report of a panorama of places as one of all their frames: a row for each frame that was given, its light against that
    of the frame that counts."""
    light = [float(frame.told_ev or 0.0) for frame in frames]  # all tell it: else there were no places
    reference = next(p.reference for p, whole in zip(places, report["frames"], strict=True) if whole["reference"])
    told = [round(ev - light[reference], 3) for ev in light]
    rows: list[dict[str, Any]] = [
        {
            "name": frame.name, "takes_part": False, "reference": False, "exposure_ev": ev, "told_ev": ev, "sharpness": 0.0,
            "residual_px": 0.0, "neighbours": 0, "clipped": 0.0, "reason": BY_HAND,
        }
        for frame, ev in zip(frames, told, strict=True)
    ]  # fmt: skip
    measured: dict[int, float] = {}
    for place, whole in zip(places, report["frames"], strict=True):
        # a place's own exposure is that of its darkest frame
        darkest = min(row.exposure_ev for row in place.rows if row.takes_part)
        for i, row in zip(place.frames, place.rows, strict=True):
            measured[i] = whole["exposure_ev"] + row.exposure_ev - darkest
            rows[i] = {
                **whole,
                "name": frames[i].name,
                "takes_part": row.takes_part and whole["takes_part"],
                "reference": whole["reference"] and i == place.reference,
                "told_ev": told[i],
                "sharpness": round(min(row.sharpness, whole["sharpness"]), 3),
                "clipped": round(row.clipped, 4),
                "reason": row.reason or whole["reason"],
            }
    for i, ev in measured.items():
        rows[i]["exposure_ev"] = round(ev - measured[reference], 3)
    left_out = [f"{row['name']}: {row['reason']}." for row in rows if row["reason"]]
    most = Counter(len(p.frames) for p in places).most_common(1)[0][0]
    first = f"{len(frames)} frames are {len(places)} places with {most} exposures each, merged first."
    if any(p.responding for p in places):
        first += " What light their codes stand for was found from the exposures."
    done = [sentence.replace(" frames take part", " places take part") for sentence in report["done"]]
    return {**report, "frames": rows, "left_out": left_out, "done": [first, *done]}
