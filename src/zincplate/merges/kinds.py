"""The kinds of merges, each looked at and made in one way."""

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.belong import aside_of, one_way
from zincplate.merges.file import Master
from zincplate.merges.focus import master as focus
from zincplate.merges.focus.judge import judge_focus
from zincplate.merges.focus.options import FocusOptions
from zincplate.merges.judge import judge
from zincplate.merges.kept import Kept
from zincplate.merges.master import merge_bracket, report_of
from zincplate.merges.options import BracketOptions
from zincplate.merges.panorama import master as panorama
from zincplate.merges.panorama.brackets import Place, as_told, forget, groups_of, places_of
from zincplate.merges.panorama.judge import judge_panorama
from zincplate.merges.panorama.layout import laid_out
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.panorama.rounds import groups_in_rounds
from zincplate.merges.preview import outlines, preview_of
from zincplate.merges.response import linear_frames
from zincplate.merges.series import master as series
from zincplate.merges.series.judge import judge_series
from zincplate.merges.series.options import SeriesOptions
from zincplate.merges.series.parts import land_of
from zincplate.merges.view import Opened, View

RESPONSE = ("What light their codes stand for was found from the exposures.",)
Words = Callable[[str], None]
Share = Callable[[float], None]
Kind = Literal["bracket", "panorama", "focus", "series"]
Options = BracketOptions | PanoramaOptions | FocusOptions | SeriesOptions
MergeOptions = Annotated[Options, Field(discriminator="kind")]
OPTIONS: dict[Kind, type[Options]] = {
    "bracket": BracketOptions, "panorama": PanoramaOptions, "focus": FocusOptions, "series": SeriesOptions,
}  # fmt: skip
MOST: dict[Kind, int] = {"bracket": 9, "panorama": 9 * 40, "focus": 100, "series": 100}


def _name_of_places(frames: Sequence[Opened], key: str) -> str:
    told = f"places {key} {[f.name for f in frames]}"
    return hashlib.sha256(told.encode()).hexdigest()[:32]


def _places(
    frames: Sequence[Opened], options: PanoramaOptions, breathe: Words, kept: Kept, key: str
) -> tuple[Sequence[Opened], PanoramaOptions, list[Place] | None]:
    """Frames of a panorama, or the places that their brackets are, and options that count those."""
    groups = None
    if options.brackets:
        groups = groups_of([f.told_ev for f in frames]) or groups_in_rounds(frames, breathe)
    if groups is None:
        return frames, options, None
    aside_of(frames, options.leave_out, "panorama", one_size=False)
    name = _name_of_places(frames, key)
    places = places_of(frames, groups, options.leave_out, kept.places_folder(), name, breathe)
    return [p.opened for p in places], options.model_copy(update={"leave_out": ()}), places


def _panorama(
    frames: Sequence[Opened], options: PanoramaOptions, lenses: LensDatabase, breathe: Words, kept: Kept, key: str
) -> Any:
    told = f"panorama {key} {options.even} {options.profile} {options.near} {options.leave_out} {len(frames)}"
    return kept.judged(told, frames, lambda views: judge_panorama(frames, options, lenses, breathe, views))


def _series(frames: Sequence[Opened], options: SeriesOptions, lenses: LensDatabase, breathe: Words, kept: Kept, key: str) -> Any:
    told = f"series {key} {options.model_dump_json(exclude={'method', 'deviations', 'still_land'})}"
    return kept.judged(told, None, lambda views: judge_series(frames, options, lenses, breathe, views))


def _focus(frames: Sequence[Opened], options: FocusOptions, breathe: Words, kept: Kept, key: str) -> Any:
    told = f"focus {key} {options.model_dump_json(exclude={'touches'})}"
    return kept.judged(told, frames, lambda views: judge_focus(frames, options, breathe, views))


@dataclass(frozen=True)
class Look:
    """What a merge would be."""

    report: dict[str, Any]
    picture: NDArray[np.uint8]
    """(h, w, 3) sRGB."""
    drawn: dict[str, Any]
    """What may be drawn over it, in shares of its width and height."""
    depth: NDArray[np.uint8] | None = None
    """(h, w, 3) the depth map of a focus series."""
    before: NDArray[np.uint8] | None = None
    """(h, w, 3) what it would be without what a merge is made for: ghosts added up, frames laid over each other in their own
    light, the one frame of a focus series, trails in the mean. None where that is the same."""


def look_at(
    frames: Sequence[Opened],
    options: Options,
    lenses: LensDatabase,
    breathe: Words,
    kept: Kept,
    key: str,
) -> Look:
    """Judges frames and shows the merge small; raises :class:`MergeError`. ``key`` names the files, for ``kept``."""
    views: list[View] = []
    if isinstance(options, PanoramaOptions):
        taken, counted, places = _places(frames, options, breathe, kept, key)
        found, views = _panorama(taken, counted, lenses, breathe, kept, f"{key} {options.leave_out}")
        layout = laid_out(taken, views, found, counted, breathe)
        drawn = {"seams": panorama.seams_of(layout), "points": panorama.points_of(found, layout.canvas), "outlines": {}}
        told = panorama.report_of(taken, found, layout, options)
        if places is not None:
            told = as_told(told, places, frames)
        picture = panorama.preview_of(taken, found, layout)
        return Look(told, picture, drawn, before=panorama.before_of(taken, found, layout))
    frames = one_way(frames, options.leave_out)
    if isinstance(options, SeriesOptions):
        combined, views = _series(frames, options, lenses, breathe, kept, key)
        picture, land = series.preview_of(combined, views, options)
        borders = [] if land is None else series.outlines_of(land)
        drawn = {"seams": borders, "points": [], "outlines": {}}
        plain = options.model_copy(update={"method": "mean", "still_land": False})
        before = None if plain == options else series.preview_of(combined, views, plain)[0]
        return Look(series.report_of(combined, options, land, None), picture, drawn, before=before)
    if isinstance(options, FocusOptions):
        deep, views = _focus(frames, options, breathe, kept, key)
        drawn = {"seams": [], "points": [], "outlines": {}}
        picture = focus.preview_of(frames, views, deep, options)
        before = focus.reference_of(frames, views, deep)
        return Look(focus.report_of(deep, options), picture, drawn, focus.depth_picture(deep, options), before)
    frames, found = linear_frames(frames, breathe, options.leave_out)
    judged = judge(frames, options, breathe, views)
    moved = {str(number): lines for number, lines in outlines(judged).items()}
    drawn = {"seams": [], "points": [], "outlines": moved}
    report = report_of(frames, judged, options, None)
    report["done"] += RESPONSE if found else ()
    before = preview_of(frames, views, judged, with_ghosts=True) if moved else None
    return Look(report, preview_of(frames, views, judged), drawn, before=before)


def merged(
    frames: Sequence[Opened], options: Options, lenses: LensDatabase, software: str,
    sources: Sequence[dict[str, Any]], breathe: Words = lambda _: None, share: Share = lambda _: None, kept: Kept | None = None,
    key: str = "",
) -> Master:  # fmt: skip
    """The master; raises :class:`MergeError`. ``share`` is told how much of the adding up is done."""
    if isinstance(options, PanoramaOptions):
        kept = kept or Kept()
        taken, counted, places = _places(frames, options, breathe, kept, key)
        found, views = _panorama(taken, counted, lenses, breathe, kept, f"{key} {options.leave_out}")
        layout = laid_out(taken, views, found, counted, breathe)
        del views
        tell = None if places is None else partial(as_told, places=places, frames=frames)
        made = panorama.merge_panorama(taken, found, layout, options, software, sources, share, tell)
        if places is None:
            return made
        forget(kept.places_folder(), _name_of_places(frames, key))
        return replace(made, reference=places[made.reference].reference)
    frames = one_way(frames, options.leave_out)
    if isinstance(options, SeriesOptions):
        combined, looked = _series(frames, options, lenses, breathe, kept or Kept(), key)
        land = land_of(combined, looked, options)
        del looked  # forty frames' are a gigabyte
        return series.merge_series(combined, land, options, software, sources, share)
    if isinstance(options, FocusOptions):
        deep = _focus(frames, options, breathe, kept or Kept(), key)[0]
        return focus.merge_focus(frames, deep, options, software, sources, share)
    frames, found = linear_frames(frames, breathe, options.leave_out)
    judged = judge(frames, options, breathe)
    return merge_bracket(frames, judged, options, software, sources, share, RESPONSE if found else ())


def steps_of(options: Options, frames: int) -> int:
    """About how often ``breathe`` is called."""
    return 8 * frames + 6 if isinstance(options, PanoramaOptions) else 3 * frames + 2
