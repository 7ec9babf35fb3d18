"""From a laid out panorama to the master's file, its preview and the report of what was done."""

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.projections import to_plane
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour
from zincplate.formats.dng.master import MasterWriter
from zincplate.formats.preview import jpeg_from
from zincplate.formats.sphere import Sphere
from zincplate.merges.file import PREVIEW_PX, Master, colour_as_master, reduced_rows, shown
from zincplate.merges.panorama.canvas import Canvas
from zincplate.merges.panorama.judge import PanoramaJudgement
from zincplate.merges.panorama.layout import Layout
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.panorama.parts import parts
from zincplate.merges.view import Opened
from zincplate.recipe.numbers import signed

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

DIAGONAL_MM = math.hypot(36, 24)
MOST_POINTS = 400
LAID = {"flat": "laid out flat", "straightened": "straightened", "cylinder": "on a cylinder", "sphere": "on a sphere"}


def colour_of(frames: Sequence[Opened], judged: PanoramaJudgement, layout: Layout) -> CameraColour:
    """Colour of the master: the reference's, with the stops by which it is to be shown lighter."""
    return colour_as_master(frames[judged.members[judged.reference]].source, float(np.log2(layout.white)))


def capture_of(frames: Sequence[Opened], judged: PanoramaJudgement, canvas: Canvas) -> CaptureData:
    """What is told of the master: the reference's data; the lens no longer fits the picture, its focal length only a flat one."""
    capture = frames[judged.members[judged.reference]].source.capture
    diagonal = math.hypot(canvas.width, canvas.height)
    equivalent = canvas.focal_px / diagonal * DIAGONAL_MM if canvas.kind == "flat" and canvas.bend is None else 0.0
    return replace(
        capture, orientation=1, width=canvas.width, height=canvas.height, notes=(), own_lens="", lens="", lens_make="",
        focal_length_35mm=equivalent, sphere=sphere_of(canvas),
    )  # fmt: skip


def sphere_of(canvas: Canvas) -> Sphere:
    """Where the master lies on the whole view; empty for other projections, and for outlines that were bent."""
    if canvas.kind != "sphere" or canvas.bend is not None:
        return ()
    full_width, full_height = round(2 * math.pi * canvas.focal_px), round(math.pi * canvas.focal_px)
    left, top = max(round(full_width / 2 + canvas.left), 0), max(round(full_height / 2 + canvas.top), 0)
    return max(full_width, left + canvas.width), max(full_height, top + canvas.height), left, top, canvas.width, canvas.height


def merge_panorama(
    frames: Sequence[Opened], judged: PanoramaJudgement, layout: Layout, options: PanoramaOptions, software: str,
    sources: Sequence[dict[str, Any]], breathe: Callable[[float], None] = lambda _: None,
    tell: Callable[[dict[str, Any]], dict[str, Any]] | None = None,
) -> Master:  # fmt: skip
    """Works a panorama at full size. ``sources`` says of each frame what is to be kept with the master; ``tell`` makes the report
    one of other frames than these."""
    canvas = layout.canvas
    writer = MasterWriter(canvas.width, canvas.height)
    reduce = 1
    while max(canvas.width, canvas.height) / reduce > PREVIEW_PX:
        reduce *= 2
    small = []
    for strip in parts(frames, judged, layout, breathe):
        writer.add(strip.camera_values)
        small.append(reduced_rows(strip.camera_values, reduce))
    colour = colour_of(frames, judged, layout)
    preview = shown(np.concatenate(small, 1), colour)
    report = report_of(frames, judged, layout, options)
    report = tell(report) if tell is not None else report
    told = {"kind": "panorama", "sources": list(sources), "options": options.model_dump(mode="json"), "report": report}
    size = (preview.shape[1], preview.shape[0])
    dng = writer.finish(capture_of(frames, judged, canvas), colour, jpeg_from(preview), size, software, told)
    return Master(dng, report, judged.members[judged.reference])


def preview_of(frames: Sequence[Opened], judged: PanoramaJudgement, layout: Layout) -> NDArray[np.uint8]:
    """(h, w, 3) sRGB, as the master would be shown, of the reduced size."""
    values = layout.coarse * np.float32(1 / layout.white)
    return shown(np.ascontiguousarray(values), colour_of(frames, judged, layout))


def before_of(frames: Sequence[Opened], judged: PanoramaJudgement, layout: Layout) -> NDArray[np.uint8]:
    """The same if frames were laid over each other in the light in which they were taken: their mean wherever several show
    something."""
    total, count = np.zeros_like(layout.coarse), np.full(layout.labels.shape, 1e-6, np.float32)
    light = np.exp(judged.evenness.log_gain - judged.evenness.log_gain[judged.reference])
    for piece, taken in zip(layout.pieces, light, strict=True):
        h, w = piece.shown.shape
        at = slice(piece.y, piece.y + h), slice(piece.x, piece.x + w)
        total[:, at[0], at[1]] += piece.planes * taken.astype(np.float32)[:, None, None] * piece.shown
        count[at] += piece.shown
    values = total / count * np.float32(1 / layout.white)
    return shown(np.ascontiguousarray(values, np.float32), colour_of(frames, judged, layout))


def seams_of(layout: Layout) -> list[list[tuple[float, float]]]:
    """Outlines of what each frame gives, in shares of width and height."""
    h, w = layout.labels.shape
    out = []
    for k in range(len(layout.pieces)):
        mask = (layout.labels == k).astype(np.uint8)
        lines, _ = cv2.findContours(mask, cv2.RETR_LIST, cv2.CHAIN_APPROX_SIMPLE)
        for line in lines:
            simple = cv2.approxPolyDP(line, 1.0, True)[:, 0]
            if len(simple) > 2:
                out.append([(round(float((x + 0.5) / w), 4), round(float((y + 0.5) / h), 4)) for x, y in simple])
    return out


def points_of(judged: PanoramaJudgement, canvas: Canvas) -> list[tuple[float, float, float]]:
    """Places by which frames were laid on each other: x and y in shares of the canvas, and how far they lie apart, in pixels."""
    out = []
    for shared, apart in zip(judged.shared, judged.errors, strict=True):
        flat = judged.fields[shared.first].unmoved(shared.places_1) if judged.fields else shared.places_1
        rays = judged.cameras[shared.first].rays(flat) @ canvas.turn
        plane = to_plane(canvas.kind, rays) * canvas.focal_px - (canvas.left, canvas.top)
        for (x, y), e in zip(_bent_back(canvas, plane), apart, strict=True):
            if 0 <= x < canvas.width and 0 <= y < canvas.height:
                out.append((round(float(x / canvas.width), 4), round(float(y / canvas.height), 4), round(float(e), 2)))
    every = max(math.ceil(len(out) / MOST_POINTS), 1)
    return out[::every]


def _bent_back(canvas: Canvas, plane: Float64) -> Float64:
    """Places of the canvas before its bend -> places after it, by a few steps towards them."""
    if canvas.bend is None:
        return plane
    at = plane - canvas.bend.off
    for _ in range(8):
        x, y = canvas.bend.at(at[:, 0], at[:, 1])
        at = at + (plane - np.stack([x, y], 1))
    return np.asarray(at)


def report_of(frames: Sequence[Opened], judged: PanoramaJudgement, layout: Layout, options: PanoramaOptions) -> dict[str, Any]:
    """What was found and done, as numbers and in words."""
    reference = judged.members[judged.reference]
    rows = [
        {
            "name": f.name,
            "takes_part": i in judged.members,
            "reference": i == reference,
            "exposure_ev": round(f.exposure_ev, 3),
            "told_ev": None if f.told_ev is None else round(f.told_ev, 3),
            "sharpness": round(f.sharpness, 3),
            "residual_px": round(f.residual_px, 3),
            "neighbours": f.neighbours,
            "clipped": round(f.clipped, 4),
            "reason": f.reason,
        }
        for i, f in enumerate(judged.figures)
    ]
    canvas = layout.canvas
    return {
        "kind": "panorama",
        "frames": rows,
        "projection": canvas.kind,
        "size": [canvas.width, canvas.height],
        "across_degrees": round(canvas.across_degrees, 1),
        "up_degrees": round(canvas.up_degrees, 1),
        "residual_px": round(judged.residual_px, 3),
        "focal_px": round(canvas.focal_px, 1),
        "uncovered": round(layout.uncovered, 5),
        "uncovered_outlines": layout.outlines,
        "done": _done(judged, layout, options),
        "left_out": [f"{f.name}: {f.reason}." for f in judged.figures if f.reason],
    }


def _done(judged: PanoramaJudgement, layout: Layout, options: PanoramaOptions) -> list[str]:
    canvas = layout.canvas
    figures = [judged.figures[i] for i in judged.members]
    words = [
        f"{len(figures)} of {len(judged.figures)} frames take part: {canvas.across_degrees:.0f} degrees across, "
        f"{canvas.up_degrees:.0f} high, {LAID[canvas.kind]}, {canvas.width:,} x {canvas.height:,} pixels."
    ]
    lens = f"The lens was straightened by its profile ({judged.lens.split(' / ')[1]})." if judged.lens else ""
    if layout.wide is not None:
        words.append("The view closes: the picture's ends meet.")
    words.append(
        f"They lie on each other within {max(judged.residual_px, 0.01):.2f} px. {lens or 'The lens was found from the frames.'}"
    )
    if judged.fields:
        most = max(field.most_px for field in judged.fields)
        words.append(f"The camera moved between frames: near things were bent by up to {most:.0f} px to meet.")
    if not judged.focal_told:
        words.append("The focal length was found from the frames: the files do not tell it.")
    if options.even:
        odd = [f for f in figures if abs(f.exposure_ev) > 0.05]
        names = ", ".join(f"{f.name} {signed(f.exposure_ev, 1)} EV" for f in odd)
        words.append(f"Made equally bright: {names}." if odd else "They are equally bright.")
    for figure in figures:
        if figure.told_ev is not None and abs(figure.exposure_ev - figure.told_ev) > 0.08:
            words.append(f"{figure.name}: {signed(figure.exposure_ev, 2)} EV measured, its data say {signed(figure.told_ev, 2)}.")
    soft = [f for f in figures if f.sharpness < 0.8]
    for figure in soft:
        words.append(
            f"{figure.name} is {1 - figure.sharpness:.0%} less sharp; where others show the same they count.".replace("%", " %")
        )
    if layout.uncovered > 0:
        words.append(f"{layout.uncovered:.1%} of the picture is not covered.".replace("%", " %"))
    return words
