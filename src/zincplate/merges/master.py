"""From judged frames to the master's file and the report of what was done."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from zincplate.core.kernels import memory
from zincplate.formats.dng.master import MasterWriter
from zincplate.formats.preview import jpeg_from
from zincplate.merges.bracket import colour_of, strips
from zincplate.merges.file import PREVIEW_PX, Master, reduced_rows, shown
from zincplate.merges.judge import Judgement
from zincplate.merges.options import BracketOptions
from zincplate.merges.view import Opened
from zincplate.recipe.numbers import signed


def merge_bracket(
    frames: Sequence[Opened],
    judged: Judgement,
    options: BracketOptions,
    software: str,
    sources: Sequence[dict[str, Any]],
    breathe: Callable[[float], None] = lambda _: None,
    also_done: Sequence[str] = (),
) -> Master:
    """Adds judged frames up. ``sources`` says of each frame what is to be kept with the master (its name and hash)."""
    reference = frames[judged.reference].source
    writer = MasterWriter(reference.width, reference.height)
    reduce = 1
    while max(reference.width, reference.height) / reduce > PREVIEW_PX:
        reduce *= 2
    small, clipped = [], 0
    with memory.taken_again():
        for strip in strips(frames, judged, breathe, options.noise / 100):
            writer.add(strip.camera_values)
            clipped += int(strip.clipped.sum())
            small.append(reduced_rows(strip.camera_values, reduce))
    colour = colour_of(frames, judged)
    preview = shown(np.concatenate(small, 1), colour)
    report = report_of(frames, judged, options, clipped / (reference.width * reference.height))
    report["done"] += also_done
    capture = replace(
        reference.capture, orientation=1, width=reference.width, height=reference.height, notes=(), own_lens="",
    )  # fmt: skip
    told = {"kind": "bracket", "sources": list(sources), "options": options.model_dump(mode="json"), "report": report}
    size = (preview.shape[1], preview.shape[0])
    dng = writer.finish(capture, colour, jpeg_from(preview), size, software, told)
    return Master(dng, report, judged.reference)


def report_of(frames: Sequence[Opened], judged: Judgement, options: BracketOptions, clipped: float | None) -> dict[str, Any]:
    """What was found and done, as numbers and in words."""
    members = judged.members
    rows = []
    for i, figure in enumerate(judged.figures):
        rows.append(
            {
                "name": figure.name,
                "takes_part": i in members,
                "reference": i == judged.reference,
                "exposure_ev": round(figure.exposure_ev, 3),
                "told_ev": None if figure.told_ev is None else round(figure.told_ev, 3),
                "sharpness": round(figure.sharpness, 3),
                "shake_px": round(figure.shake.length_px, 1) if figure.shake else 0.0,
                "shake_degrees": round(figure.shake.direction_degrees) if figure.shake else 0,
                "moved_px": round(figure.shift_px, 2),
                "residual_px": round(figure.residual_px, 2),
                "clipped": round(figure.clipped, 4),
                "reason": figure.reason,
            }
        )
    regions = [
        {
            "number": region.number,
            "base": members[region.base],
            "agreeing": [members[i] for i in region.agreeing],
            "share": round(region.share, 5),
            "box": list(region.box),
        }
        for region in (judged.moved.regions if judged.moved else ())
    ]
    single, merged = ranges_ev(frames, judged)
    return {
        "kind": "bracket",
        "frames": rows,
        "regions": regions,
        "range_ev": [round(single, 1), round(merged, 1)],
        "clipped": None if clipped is None else round(clipped, 5),
        "done": _done(frames, judged, options, single, merged, clipped),
        "left_out": [f"{f.name}: {f.reason}." for f in judged.figures if f.reason],
    }


def ranges_ev(frames: Sequence[Opened], judged: Judgement) -> tuple[float, float]:
    """Stops between clipping and the noise of darkness (signal to noise 1): of the best single frame, and of the merge."""
    floor = float(np.sqrt(np.median([frames[i].noise[1][1] for i in judged.members])))
    exposure = np.array([judged.exposure[i] for i in judged.members])
    # darkness is known as well as all frames together know it
    together = floor / float(np.sqrt((exposure**2).sum()))
    return float(-np.log2(floor)), float(-np.log2(exposure.min() * together))


def _done(
    frames: Sequence[Opened], judged: Judgement, options: BracketOptions, single: float, merged: float, clipped: float | None
) -> list[str]:
    figures = [judged.figures[i] for i in judged.members]
    words = [
        f"{len(figures)} of {len(judged.figures)} frames take part; {judged.figures[judged.reference].name} is the reference."
    ]
    if options.align:
        moved = max(f.shift_px for f in figures)
        residual = max(f.residual_px for f in figures)
        if moved < 0.1:
            words.append("They lie on each other as they were taken.")
        else:
            words.append(f"Moved by up to {moved:.1f} px; they lie on each other within {max(residual, 0.1):.1f} px.")
    words.append(f"Range {single:.1f} EV of one frame, {merged:.1f} EV of all.")
    regions = judged.moved.regions if judged.moved else ()
    if regions:
        names = list(dict.fromkeys(judged.figures[judged.members[r.base]].name for r in regions))
        share = 100 * sum(r.share for r in regions)
        places = "one place" if len(regions) == 1 else f"{len(regions)} places"
        words.append(f"Something moved in {places} ({share:.1f} % of the picture); what {_and(names)} saw counts there.")
    elif options.ghosts > 0:
        words.append("Nothing moved.")
    if options.noise > 0:
        words.append(f"Noise that the frames leave is reduced, by {options.noise:.0f} of 100.")
    for figure in figures:
        if figure.told_ev is not None and abs(figure.exposure_ev - figure.told_ev) > 0.08:
            words.append(f"{figure.name}: {signed(figure.exposure_ev, 2)} EV measured, its data say {signed(figure.told_ev, 2)}.")
    if frames[judged.reference].source.capture.own_lens:
        words.append("The lens correction that the files bring is not kept; a profile of the lens can be used.")
    if clipped:
        words.append(f"{clipped:.2%} of the picture is clipped in every frame.".replace("%", " %"))
    elif clipped is not None:
        words.append("Nothing is clipped in the darkest frame.")
    return words


def _and(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
