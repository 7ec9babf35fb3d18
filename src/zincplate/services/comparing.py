"""Frames side by side: how sharp each is, over all or at one spot, and how much lighter than the first."""

from typing import Any

import numpy as np

from zincplate.core.measure.same_light import sharpness_of
from zincplate.formats.errors import FileError
from zincplate.formats.turns import Turn, Urgency
from zincplate.render.fit import pair
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.originals import original_path
from zincplate.services.plates import plate_of
from zincplate.store.models import Frame

MOST = 8
SPOT_PX = 384
"""Side of the square about a spot in which sharpness is measured, in full-size pixels."""


def compare(context: Context, frame_ids: list[int], spot: tuple[float, float] | None) -> list[dict[str, Any]]:
    """For each frame ``sharpness`` (percent of the sharpest: twice the detail is twice the figure) and ``exposure_ev`` against
    the first (None where it shows another subject). ``spot`` is a place in shares of width and height; without one, the sharper
    parts of the whole picture count. Frames that cannot be read have a ``reason``."""
    if not 2 <= len(frame_ids) <= MOST:
        raise UserError(f"From 2 to {MOST} frames can stand side by side.")
    frames = {f.id: f for f in Frame.select().where(Frame.id.in_(frame_ids))}
    if len(frames) != len(set(frame_ids)):
        raise NotFound("One of these frames is not there any more.")
    rows: list[dict[str, Any]] = []
    first = None
    for frame_id in frame_ids:
        frame = frames[frame_id]
        row: dict[str, Any] = {"frame": frame_id, "sharpness": None, "exposure_ev": None, "reason": ""}
        rows.append(row)
        try:
            plate = plate_of(context, frame)
            row["detail"] = _whole(plate.sharpness) if spot is None else _at(context, frame, spot)
        except FileError as error:
            row["reason"] = error.reason
            continue
        if first is None:
            first, row["exposure_ev"] = plate, 0.0
        else:
            likeness, _ = pair(first, plate)
            row["exposure_ev"] = round(likeness.log2_rgb[1], 2) if likeness.same_subject else None
    best = max((r["detail"] for r in rows if "detail" in r), default=0.0)
    for row in rows:
        if "detail" in row:
            row["sharpness"] = round(100 * 2.0 ** (row.pop("detail") - best))
    return rows


def _whole(grid: np.ndarray[Any, Any]) -> float:
    """The sharper quarter of a picture: most subjects fill no more."""
    return float(np.sort(grid.ravel())[-16:].mean())


def _at(context: Context, frame: Frame, spot: tuple[float, float]) -> float:
    turn = Turn(Urgency.REST)
    source = context.renderer.open(original_path(context.home, frame), frame.content_hash, turn)
    side = min(SPOT_PX, source.width, source.height)
    x = int(min(max(spot[0] * source.width - side / 2, 0), source.width - side))
    y = int(min(max(spot[1] * source.height - side / 2, 0), source.height - side))

    def work() -> float:
        green, noise = source.window(x, y, side, side)[1], source.noise(1.0)
        # the deviation is that of the root: in light it grows with the root of what is there
        variance = 4 * np.maximum(green + noise.shift, 0) * np.float32(noise.deviation[1]) ** 2
        return float(np.log2(np.exp2(sharpness_of(green, variance)).mean()))

    return context.renderer.on_render_thread(work, turn)
