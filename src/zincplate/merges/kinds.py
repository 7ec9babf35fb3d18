"""The kinds of merges, each looked at and made in one way."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.file import Master
from zincplate.merges.judge import judge
from zincplate.merges.master import merge_bracket, report_of
from zincplate.merges.options import BracketOptions
from zincplate.merges.panorama import master as panorama
from zincplate.merges.panorama.judge import PanoramaJudgement, judge_panorama
from zincplate.merges.panorama.layout import laid_out
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.preview import outlines, preview_of
from zincplate.merges.series import master as series
from zincplate.merges.series.judge import judge_series
from zincplate.merges.series.options import SeriesOptions
from zincplate.merges.view import Opened, View

Words = Callable[[str], None]
Share = Callable[[float], None]
Kind = Literal["bracket", "panorama", "series"]
Options = BracketOptions | PanoramaOptions | SeriesOptions
MergeOptions = Annotated[Options, Field(discriminator="kind")]
OPTIONS: dict[Kind, type[Options]] = {"bracket": BracketOptions, "panorama": PanoramaOptions, "series": SeriesOptions}
MOST: dict[Kind, int] = {"bracket": 9, "panorama": 40, "series": 100}


class Kept:
    """The frames that were judged last, so that a picture that is only laid out otherwise is there at once. One process's own."""

    MOST_BYTES = 400 * 2**20

    def __init__(self) -> None:
        self._key: object = None
        self._found: tuple[PanoramaJudgement, list[View]] | None = None

    def panorama(
        self, key: str, frames: Sequence[Opened], options: PanoramaOptions, lenses: LensDatabase, breathe: Words
    ) -> tuple[PanoramaJudgement, list[View]]:
        """Judged anew when ``key`` (the files) or what judging depends on is another."""
        whole = (key, tuple(f.name for f in frames), options.even, options.profile, options.leave_out)
        if self._found is None or self._key != whole:
            self._found = None
            views: list[View] = []
            judged = judge_panorama(frames, options, lenses, breathe, views)
            if sum(v.planes.nbytes * 2 for v in views) > self.MOST_BYTES:
                return judged, views
            self._key, self._found = whole, (judged, views)
        return self._found


@dataclass(frozen=True)
class Look:
    """What a merge would be."""

    report: dict[str, Any]
    picture: NDArray[np.uint8]
    """(h, w, 3) sRGB."""
    drawn: dict[str, Any]
    """What may be drawn over it, in shares of its width and height."""


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
        found, views = kept.panorama(key, frames, options, lenses, breathe)
        layout = laid_out(frames, views, found, options, breathe)
        drawn = {"seams": panorama.seams_of(layout), "points": panorama.points_of(found, layout.canvas), "outlines": {}}
        return Look(panorama.report_of(frames, found, layout, options), panorama.preview_of(frames, found, layout), drawn)
    if isinstance(options, SeriesOptions):
        combined = judge_series(frames, options, lenses, breathe, views)
        picture, land = series.preview_of(combined, views, options)
        borders = [] if land is None else series.outlines_of(land)
        drawn = {"seams": borders, "points": [], "outlines": {}}
        return Look(series.report_of(combined, options, land, None), picture, drawn)
    judged = judge(frames, options, breathe, views)
    moved = {str(number): lines for number, lines in outlines(judged).items()}
    drawn = {"seams": [], "points": [], "outlines": moved}
    return Look(report_of(frames, judged, options, None), preview_of(frames, views, judged), drawn)


def merged(
    frames: Sequence[Opened], options: Options, lenses: LensDatabase, software: str,
    sources: Sequence[dict[str, Any]], breathe: Words = lambda _: None, share: Share = lambda _: None, kept: Kept | None = None,
    key: str = "",
) -> Master:  # fmt: skip
    """The master; raises :class:`MergeError`. ``share`` is told how much of the adding up is done."""
    if isinstance(options, PanoramaOptions):
        found, views = (kept or Kept()).panorama(key, frames, options, lenses, breathe)
        layout = laid_out(frames, views, found, options, breathe)
        del views
        return panorama.merge_panorama(frames, found, layout, options, software, sources, share)
    if isinstance(options, SeriesOptions):
        looked: list[View] = []
        combined = judge_series(frames, options, lenses, breathe, looked)
        return series.merge_series(combined, looked, options, software, sources, share)
    judged = judge(frames, options, breathe)
    return merge_bracket(frames, judged, options, software, sources, share)


def steps_of(options: Options, frames: int) -> int:
    """About how often ``breathe`` is called."""
    return 8 * frames + 6 if isinstance(options, PanoramaOptions) else 3 * frames + 2
