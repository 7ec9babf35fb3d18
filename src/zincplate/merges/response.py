"""Brackets of finished pictures: what light their codes stand for, before they are added up like camera data."""

import math
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import laid_on
from zincplate.core.merging.response import LEVELS, response_of
from zincplate.merges.belong import belong
from zincplate.merges.errors import MergeError
from zincplate.merges.judge import against
from zincplate.merges.view import Noise, Opened, views_of

Float64 = NDArray[np.float64]

CODES_OFF = 1.0
"""Standard deviation of a code: rounding, compression and what is left of the sensor's noise."""
PLACES = 500
"""Where codes are compared: spread over what the middle exposure shows, dark to light."""


def linear_frames(frames: Sequence[Opened], breathe: Callable[[str], None]) -> tuple[Sequence[Opened], bool]:
    """Frames as they are when they are camera files (or hold more than 8 bits); finished ones of 8 bits with the response that
    they have in common, and whether one was looked for. Raises :class:`MergeError`."""
    table = found_response(frames, breathe)
    return (frames, False) if table is None else (responding(frames, table), True)


def responding(frames: Sequence[Opened], table: Float64) -> list[Opened]:
    """Finished pictures with a response (3, 256)."""
    return [Opened(f.name, f.source.with_response(table), _noise(table)) for f in frames]


def found_response(frames: Sequence[Opened], breathe: Callable[[str], None]) -> Float64 | None:
    """(3, 256) light of each code of finished pictures of one subject; None where no response is looked for. Raises
    :class:`MergeError`."""
    if frames[0].source.camera is not None:
        return None
    belong(frames, "bracket")
    for frame in frames:
        if frame.told_ev is None:
            raise MergeError(
                f"{frame.name}: It does not tell how it was exposed; finished pictures cannot be merged without that."
            )
    told = np.array([f.told_ev or 0.0 for f in frames])
    if not all(f.source.eight_bit for f in frames) or np.ptp(told) < 0.5:
        return None
    views = list(views_of(frames, breathe))
    middle = int(np.argmin(np.abs(told - np.median(told))))
    judged = against(frames, views, middle, True, breathe)
    members = [i for i, f in enumerate(judged.figures) if not f.reason]
    base = views[middle]
    tables = np.stack([f.source.code_table() for f in frames])
    laid = []
    for i in members:
        planes, there = laid_on(views[i].planes, *judged.placements[i].reduced(base.step, base.origin, base.size))
        codes = np.stack([np.interp(planes[c], tables[i, c], np.arange(LEVELS)) for c in range(3)])
        laid.append(np.where(there, codes, np.nan))
    calm = base.calm & np.isfinite(np.stack(laid)).all((0, 1))
    places = np.flatnonzero(calm)
    if len(places) < PLACES // 4:
        raise MergeError("Too little of these pictures is even enough to find what light their codes stand for.")
    order = places[np.argsort(base.green.ravel()[places])]
    chosen = order[np.linspace(0, len(order) - 1, PLACES).astype(int)]
    exposure = told[members] * math.log(2)
    try:
        found = np.stack([
            response_of(np.stack([p[c].ravel()[chosen] for p in laid], 1), exposure) for c in range(3)
        ])  # fmt: skip
    except ValueError as error:
        raise MergeError(f"What light their codes stand for cannot be found: {error}.") from error
    # the lightest code of the lightest channel is white
    return np.asarray(found / found[:, -1].max(), np.float64)


def _noise(table: Float64) -> Noise:
    """Slope and offset of the variance of light where a code is off by about one: curves that pictures have make that nearly
    proportional to light."""
    step = np.gradient(table, axis=1) * CODES_OFF
    inner = slice(24, 232)
    slope = np.median(step[:, inner] ** 2 / np.maximum(table[:, inner], 1e-9), 1)
    return slope, np.maximum((step[:, 4:12] ** 2).mean(1), 1e-10)
