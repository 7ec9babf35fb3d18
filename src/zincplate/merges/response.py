"""Brackets of finished pictures: what light their codes stand for, before they are added up like camera data."""

import math
from collections.abc import Callable, Collection, Sequence

import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import laid_on
from zincplate.core.merging.response import LEVELS, response_of
from zincplate.merges.belong import aside_of, belong
from zincplate.merges.errors import MergeError
from zincplate.merges.judge import against
from zincplate.merges.view import Noise, Opened, opened, views_of

Float64 = NDArray[np.float64]

CODES_OFF = 1.0
"""Standard deviation of a code of 256: rounding, compression and what is left of the sensor's noise."""
ALIKE_EV = 0.006
"""By which light of one place differs in several frames, beyond their exposures, from dark to light: as long as it is less, root
mean square, the light that files say their codes stand for is right."""
PARTS, FEWEST_OF_PART = 8, 10
TOLD_TO_EV = 0.07
"""As well as capture data tell exposures."""
MIDTONES = 16, 240
"""Codes of 256 by which that is judged."""
PLACES = 500
"""Where codes are compared: spread over what the middle exposure shows, dark to light."""


def linear_frames(
    frames: Sequence[Opened], breathe: Callable[[str], None], left_out: Collection[int] = ()
) -> tuple[Sequence[Opened], bool]:
    """Frames as they are when they are camera files or floating point, or when the light that files of 16 bits tell is right;
    other finished ones with the response that they have in common; and whether it is such a one. By frames that were
    ``left_out`` by hand it is not found; those that do not belong to the others stay as they are. Raises :class:`MergeError`."""
    aside = aside_of(frames, left_out, "bracket")
    table = found_response([frame for i, frame in enumerate(frames) if i not in left_out] or frames, breathe)
    if table is None:
        return frames, False
    linear = iter(responding([frame for i, frame in enumerate(frames) if i not in aside], table))
    return [frame if i in aside else next(linear) for i, frame in enumerate(frames)], True


def responding(frames: Sequence[Opened], table: Float64) -> list[Opened]:
    """Finished pictures with a response (3, 256); those of 65,536 codes read it between those of 256."""
    deep = np.linspace(0, LEVELS - 1, 65536)
    between = np.exp([np.interp(deep, np.arange(LEVELS), np.log(channel)) for channel in table])
    sources = [(f.name, f.source.with_response(table if f.source.levels == LEVELS else between)) for f in frames]
    measured = opened(sources)
    return [f if f.source.levels != LEVELS else Opened(f.name, f.source, _noise(table)) for f in measured]


def found_response(frames: Sequence[Opened], breathe: Callable[[str], None]) -> Float64 | None:
    """(3, 256) light of each code of finished pictures of one subject; None where no response is looked for, or files of 16 bits
    are right about theirs. Raises :class:`MergeError`."""
    if frames[0].source.camera is not None:
        return None
    belong(frames, "bracket")
    for frame in frames:
        if frame.told_ev is None:
            raise MergeError(
                f"{frame.name}: It does not tell how it was exposed; finished pictures cannot be merged without that."
            )
    told = np.array([f.told_ev or 0.0 for f in frames])
    if not all(f.source.levels for f in frames) or np.ptp(told) < 0.5:
        return None
    views = list(views_of(frames, breathe))
    middle = int(np.argmin(np.abs(told - np.median(told))))
    judged = against(frames, views, middle, True, breathe)
    members = [i for i, f in enumerate(judged.figures) if not f.reason]
    base = views[middle]
    tables = [f.source.code_table() for f in frames]
    laid = []
    for i in members:
        planes, there = laid_on(views[i].planes, *judged.placements[i].reduced(base.step, base.origin, base.size))
        codes = np.stack([np.interp(planes[c], tables[i][c], np.linspace(0, LEVELS - 1, tables[i].shape[1])) for c in range(3)])
        laid.append(np.where(there, codes, np.nan))
    calm = base.calm & np.isfinite(np.stack(laid)).all((0, 1))
    places = np.flatnonzero(calm)
    if len(places) < PLACES // 4:
        raise MergeError("Too little of these pictures is even enough to find what light their codes stand for.")
    order = places[np.argsort(base.green.ravel()[places])]
    chosen = order[np.linspace(0, len(order) - 1, PLACES).astype(int)]
    if all(f.source.levels > LEVELS for f in frames) and _alike(
        [p[1].ravel()[chosen] for p in laid], tables[0][1], told[members]
    ):
        return None
    exposure = told[members] * math.log(2)
    try:
        found = np.stack([
            response_of(np.stack([p[c].ravel()[chosen] for p in laid], 1), exposure) for c in range(3)
        ])  # fmt: skip
    except ValueError as error:
        raise MergeError(f"What light their codes stand for cannot be found: {error}.") from error
    # the lightest code of the lightest channel is white
    return np.asarray(found / found[:, -1].max(), np.float64)


def _alike(codes: Sequence[Float64], table: Float64, told_ev: Float64) -> bool:
    """Whether the light of codes (frames, places) of green, by the table that the files have, is the same in all frames but for
    their exposures."""
    every = np.stack(codes)
    light = np.log2(np.maximum(np.interp(every, np.linspace(0, LEVELS - 1, len(table)), table), 1e-9)) - told_ev[:, None]
    light[(every < MIDTONES[0]) | (every > MIDTONES[1])] = np.nan
    seen = np.isfinite(light).sum(0) > 1
    light = light[:, seen]
    if not light.size:
        return True
    # an exposure that is not quite what it is told to be is no matter of the curve
    off = light - np.nanmean(light, 0)
    offset = np.nanmedian(off, 1, keepdims=True)
    if np.ptp(offset[np.isfinite(offset)]) > TOLD_TO_EV:
        return False
    off -= offset
    # from dark to light, each part's median: noise says nothing
    parts = np.array_split(off[:, np.argsort(np.nanmean(every[:, seen], 0))], PARTS, axis=1)
    medians = [np.median(v) for part in parts for row in part if (v := row[np.isfinite(row)]).size >= FEWEST_OF_PART]
    return not medians or float(np.sqrt(np.mean(np.square(medians)))) < ALIKE_EV


def _noise(table: Float64) -> Noise:
    """Slope and offset of the variance of light where a code is off by about one: curves that pictures have make that nearly
    proportional to light."""
    step = np.gradient(table, axis=1) * CODES_OFF
    inner = slice(24, 232)
    slope = np.median(step[:, inner] ** 2 / np.maximum(table[:, inner], 1e-9), 1)
    return slope, np.maximum((step[:, 4:12] ** 2).mean(1), 1e-10)
