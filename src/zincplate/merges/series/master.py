"""From a judged series to the master's file and the report of what was done."""

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.formats.dng.master import MasterWriter
from zincplate.formats.preview import jpeg_from
from zincplate.merges.file import PREVIEW_PX, Master, colour_as_master, reduced_rows, shown
from zincplate.merges.series.judge import Figures, SeriesJudgement
from zincplate.merges.series.options import SeriesOptions
from zincplate.merges.series.parts import Land, land_of, parts, preview_values
from zincplate.merges.view import View
from zincplate.sources.readers import HEADROOM

Float32 = NDArray[np.float32]


def _lighter(judged: SeriesJudgement) -> float:
    """Stops by which values of strips are darker than the reference's camera values."""
    darkest = min(judged.exposure[i] for i in judged.members)
    masters = judged.masters
    calibrated = masters.dark is not None or masters.flat is not None or masters.bias is not None
    return -math.log2(darkest) + (math.log2(HEADROOM) if calibrated else 0.0)


def merge_series(
    judged: SeriesJudgement, land: Land | None, options: SeriesOptions, software: str, sources: Sequence[dict[str, Any]],
    breathe: Callable[[float], None] = lambda _: None,
) -> Master:  # fmt: skip
    """Combines a judged series at full size; ``land`` as :func:`land_of` finds it. ``sources`` says of each frame what is to be
    kept with the master."""
    source = judged.lights[judged.reference].source
    writer = MasterWriter(source.width, source.height)
    reduce = 1
    while max(source.width, source.height) / reduce > PREVIEW_PX:
        reduce *= 2
    small, refused = [], np.zeros(len(judged.members), np.int64)
    for strip in parts(judged, options, land, breathe):
        writer.add(strip.camera_values)
        small.append(reduced_rows(strip.camera_values, reduce))
        refused += strip.refused
    colour = colour_as_master(source, _lighter(judged))
    preview = shown(np.concatenate(small, 1), colour)
    report = report_of(judged, options, land, refused / (source.width * source.height))
    capture = replace(source.capture, orientation=1, width=source.width, height=source.height, notes=(), own_lens="")
    told = {"kind": "series", "sources": list(sources), "options": options.model_dump(mode="json"), "report": report}
    dng = writer.finish(capture, colour, jpeg_from(preview), (preview.shape[1], preview.shape[0]), software, told)
    return Master(dng, report, judged.reference)


def preview_of(judged: SeriesJudgement, views: Sequence[View], options: SeriesOptions) -> tuple[NDArray[np.uint8], Land | None]:
    """(h, w, 3) sRGB, as the master would be shown, reduced; and what was found to be land."""
    land = land_of(judged, views, options)
    colour = colour_as_master(judged.lights[judged.reference].source, _lighter(judged))
    return shown(np.ascontiguousarray(preview_values(judged, views, options, land)), colour), land


def outlines_of(land: Land) -> list[list[tuple[float, float]]]:
    """Where the land ends, in shares of width and height."""
    h, w = land.share.shape
    lines, _ = cv2.findContours((land.share > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    simple = [cv2.approxPolyDP(line, 1.0, True)[:, 0] for line in lines]
    return [[(round((x + 0.5) / w, 4), round((y + 0.5) / h, 4)) for x, y in line.tolist()] for line in simple if len(line) > 2]


def report_of(
    judged: SeriesJudgement, options: SeriesOptions, land: Land | None, refused: NDArray[np.float64] | None
) -> dict[str, Any]:
    """What was found and done, as numbers and in words."""
    at = {i: k for k, i in enumerate(judged.members)}
    rows = [
        {
            "name": f.name,
            "role": f.role,
            "takes_part": i in at or (f.role != "light" and not _why_not(f, land)),
            "reference": i == judged.reference,
            "exposure_ev": round(f.exposure_ev, 3),
            "told_ev": None if f.told_ev is None else round(f.told_ev, 3),
            "sharpness": round(f.sharpness, 3),
            "stars": f.stars,
            "moved_px": round(f.shift_px, 2),
            "residual_px": round(f.residual_px, 3),
            "clipped": round(f.clipped, 4),
            "refused": None if refused is None or i not in at else round(float(refused[at[i]]), 6),
            "reason": f.reason,
        }
        for i, f in enumerate(judged.figures)
    ]
    return {
        "kind": "series",
        "frames": rows,
        "aligned_by": judged.by,
        "done": _done(judged, options, land, refused),
        "left_out": [f"{f.name}: {reason}." for f in judged.figures if (reason := _why_not(f, land))],
    }


def _why_not(figure: Figures, land: Land | None) -> str:
    """Why a frame does not take part; empty where it does."""
    idle = figure.role == "land" and land is None and not figure.reason
    return "it shows the land, and counts where the land stays still" if idle else figure.reason


_WORDS = {"clip": "the mean of what agrees", "median": "their median", "mean": "their mean"}
_BY = {"stars": "by their stars", "features": "by what they show", "none": "as they were taken"}


def _done(judged: SeriesJudgement, options: SeriesOptions, land: Land | None, refused: NDArray[np.float64] | None) -> list[str]:
    figures = [judged.figures[i] for i in judged.members]
    frames = sum(f.role == "light" for f in judged.figures)
    words = [
        f"{len(figures)} of {frames} frames are combined, {_WORDS[options.method]}; "
        f"{judged.figures[judged.reference].name} is the reference."
    ]
    moved = max(f.shift_px for f in figures)
    residual = max(f.residual_px for f in figures)
    if judged.by == "none" or moved < 0.05:
        words.append("They lie on each other as they were taken.")
    else:
        words.append(f"Laid on each other {_BY[judged.by]}: moved by up to {moved:.1f} px, within {max(residual, 0.01):.2f} px.")
    fewer = math.sqrt(sum(judged.exposure[i] for i in judged.members) / judged.exposure[judged.reference])
    words.append(f"Noise is about {fewer:.1f} times less than one frame's.")
    counts = {role: sum(f.role == role and not f.reason for f in judged.figures) for role in ("dark", "flat", "bias")}
    named = [f"{n} {role if n == 1 or role == 'bias' else role + 's'}" for role, n in counts.items() if n]
    if named:
        words.append(f"Calibrated by {' and '.join(named)}.")
    if judged.masters.hot is not None and judged.masters.hot.any():
        words.append(f"{int(judged.masters.hot.sum()):,} hot sites are mapped.")
    if refused is not None and options.method == "clip":
        most = int(np.argmax(refused))
        if refused[most] > 1e-5:
            share = f"{refused[most]:.2%}".replace("%", " %")
            words.append(f"Trails and what moved are left out; most of it in {figures[most].name} ({share}).")
    if land is not None:
        by = ", ".join(judged.figures[i].name for i in judged.land) if judged.land else "all of them"
        verb = "shows" if len(judged.land) == 1 else "show"
        words.append(f"The land stays still ({100 * float(land.share.mean()):.0f} % of the picture), as {by} {verb} it.")
    elif options.still_land:
        words.append("There are no stars to tell the land by.")
    return [*words, *judged.notes]
