"""From a judged focus series to the master's file, the depth map's picture and the report of what was done."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import laid_on
from zincplate.formats.dng.master import MasterWriter
from zincplate.formats.preview import jpeg_from
from zincplate.merges.file import PREVIEW_PX, Master, colour_as_master, reduced_rows, shown
from zincplate.merges.focus.judge import NOWHERE, FocusJudgement
from zincplate.merges.focus.options import FocusOptions
from zincplate.merges.focus.parts import factors_of, fill_bare, parts, touched, weights_of
from zincplate.merges.view import Opened, View
from zincplate.recipe.numbers import signed

Float32 = NDArray[np.float32]


def _lighter(judged: FocusJudgement) -> float:
    return float(-np.log2(min(judged.exposure[i] for i in judged.members)))


def merge_focus(
    frames: Sequence[Opened], judged: FocusJudgement, options: FocusOptions, software: str, sources: Sequence[dict[str, Any]],
    breathe: Callable[[float], None] = lambda _: None,
) -> Master:  # fmt: skip
    """Merges a judged focus series at full size. ``sources`` says of each frame what is to be kept with the master."""
    source = frames[judged.reference].source
    writer = MasterWriter(source.width, source.height)
    reduce = 1
    while max(source.width, source.height) / reduce > PREVIEW_PX:
        reduce *= 2
    small = []
    for strip in parts(frames, judged, options, breathe):
        writer.add(strip.camera_values)
        small.append(reduced_rows(strip.camera_values, reduce))
    colour = colour_as_master(source, _lighter(judged))
    preview = shown(np.concatenate(small, 1), colour)
    report = report_of(judged, options)
    capture = replace(source.capture, orientation=1, width=source.width, height=source.height, notes=(), own_lens="")
    told = {"kind": "focus", "sources": list(sources), "options": options.model_dump(mode="json"), "report": report}
    dng = writer.finish(
        capture,
        colour,
        jpeg_from(preview),
        (preview.shape[1], preview.shape[0]),
        software,
        told,
        depth_map(frames, judged, options),
    )
    return Master(dng, report, judged.reference)


def preview_of(
    frames: Sequence[Opened], views: Sequence[View], judged: FocusJudgement, options: FocusOptions
) -> NDArray[np.uint8]:
    """(h, w, 3) sRGB, as the master would be shown, reduced."""
    base = views[judged.reference]
    h, w = base.size
    depth = touched(judged.depth.frame, judged, options.touches)
    depth = cv2.resize(depth, (w, h), interpolation=cv2.INTER_LINEAR)
    weight = weights_of(depth, len(judged.members))
    out = np.zeros((3, h, w), np.float32)
    total = np.full((h, w), 1e-6, np.float32)

    def lay(k: int, left: int = 0, right: int = w) -> tuple[Float32, NDArray[np.bool_]]:
        i = judged.members[k]
        x, y = judged.placements[i].reduced(base.step, base.origin, base.size)
        laid, there = laid_on(views[i].planes, x[:, left:right], y[:, left:right])
        return laid * factors_of(frames, judged, i)[:, None, None], there

    for k in range(len(judged.members)):
        laid, there = lay(k)
        mine = weight[k] * there
        out += laid * mine
        total += mine
    out /= total
    fill_bare(out, total, depth, judged, lay)
    darkest = np.float32(min(judged.exposure[i] for i in judged.members))
    return shown(np.ascontiguousarray(out * darkest), colour_as_master(frames[judged.reference].source, _lighter(judged)))


def reference_of(frames: Sequence[Opened], views: Sequence[View], judged: FocusJudgement) -> NDArray[np.uint8]:
    """(h, w, 3) sRGB, the reference alone, as bright as the master would be shown."""
    source = frames[judged.reference].source
    darkest = min(judged.exposure[i] for i in judged.members)
    values = views[judged.reference].planes * (np.asarray(source.as_shot_neutral) * darkest).astype(np.float32)[:, None, None]
    return shown(np.ascontiguousarray(values), colour_as_master(source, _lighter(judged)))


def depth_map(frames: Sequence[Opened], judged: FocusJudgement, options: FocusOptions) -> Float32:
    """(h, w) 0 to 1 in the order of the frames, or from the nearest on where they tell how far away they were focused."""
    depth = touched(judged.depth.frame, judged, options.touches) / np.float32(max(len(judged.members) - 1, 1))
    first, last = (frames[judged.members[end]].source.capture.subject_distance_m for end in (0, -1))
    return 1 - depth if first > last > 0 else depth


def depth_picture(judged: FocusJudgement, options: FocusOptions) -> NDArray[np.uint8]:
    """(h, w, 3) the depth map: the first frame dark, the last light; paler where little tells."""
    depth = touched(judged.depth.frame, judged, options.touches)
    level = 30 + 200 * depth / max(len(judged.members) - 1, 1)
    return np.repeat(np.clip(level, 0, 255).astype(np.uint8)[..., None], 3, 2)


def report_of(judged: FocusJudgement, options: FocusOptions) -> dict[str, Any]:
    """What was found and done, as numbers and in words."""
    rows = [
        {
            "name": f.name,
            "takes_part": i in judged.members,
            "reference": i == judged.reference,
            "exposure_ev": round(f.exposure_ev, 3),
            "told_ev": None if f.told_ev is None else round(f.told_ev, 3),
            "sharpness": round(f.sharpest, 4),
            "moved_px": round(f.shift_px, 2),
            "scale": round(f.scale, 5),
            "residual_px": round(f.residual_px, 3),
            "clipped": round(f.clipped, 4),
            "reason": f.reason,
        }
        for i, f in enumerate(judged.figures)
    ]
    return {
        "kind": "focus",
        "frames": rows,
        "done": _done(judged, options),
        "left_out": [f"{f.name}: {f.reason}." for f in judged.figures if f.reason],
    }


def _done(judged: FocusJudgement, options: FocusOptions) -> list[str]:
    figures = [judged.figures[i] for i in judged.members]
    words = [
        f"{len(figures)} of {len(judged.figures)} frames take part; {judged.figures[judged.reference].name} is the reference."
    ]
    if options.align:
        change = 100 * (max(f.scale for f in figures) / min(f.scale for f in figures) - 1)
        moved = max(f.shift_px for f in figures)
        words.append(f"Focusing changed their size by up to {change:.2f} %; made up for, and moved by up to {moved:.1f} px.")
    idle = [f.name for f in figures if f.sharpest < NOWHERE]
    if idle:
        words.append(f"{', '.join(idle)} {'is' if len(idle) == 1 else 'are'} nowhere the sharpest.")
    odd = [f for f in figures if abs(f.exposure_ev) > 0.03]
    if odd:
        words.append(f"Made equally bright: {', '.join(f'{f.name} {signed(f.exposure_ev, 2)} EV' for f in odd)}.")
    if options.touches:
        words.append(f"{len(options.touches)} stroke{'s' if len(options.touches) > 1 else ''} by hand.")
    return [*words, *judged.notes]
