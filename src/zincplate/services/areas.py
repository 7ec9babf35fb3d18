"""Areas of passes for the bench: finding, places between picture and frame, what a place looks like, and small pictures of
areas."""

import base64
from dataclasses import dataclass
from typing import Any, Literal

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.projective import FramingError
from zincplate.formats.capture import CaptureData
from zincplate.pipeline.framing import Framing, framing
from zincplate.pipeline.lens_of import Shape
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render import finders
from zincplate.services.context import Context, UserError
from zincplate.services.views import frame_of, opened, parsed
from zincplate.store.models import Frame
from zincplate.tables.light_plan import plan_of

PICKED_RADIUS_PX = 4
"""Of the square that a place is looked at in, in pixels of the full picture."""


def find(context: Context, frame_id: int, what: str) -> dict[str, Any]:
    """Looks for what an area can be made of on a frame; :class:`UserError` when it is not there."""
    frame = frame_of(frame_id)
    source = opened(context, frame)
    try:
        found = finders.find(context.renderer, source, frame.content_hash, what)
    except RecipeError as error:
        raise UserError(str(error)) from error
    return {
        "what": what,
        "raster": found.raster,
        "sure": round(100 * found.sure),
        "cover": round(found.cover, 4),
        "blotch_percent": found.blotch_percent,
    }


def tiny(context: Context, frame_id: int, recipe: dict[str, Any]) -> list[dict[str, Any]]:
    """Small grey pictures (PNG, base 64) of the areas of a recipe's passes, and the share of the picture that each covers."""
    frame = frame_of(frame_id)
    source, asked = opened(context, frame), parsed(recipe)
    try:
        found = finders.tiny_areas(context.renderer, source, frame.content_hash, asked)
    except RecipeError as error:
        raise UserError(str(error)) from error
    return [
        {"id": a.id, "cover": round(a.cover, 5), "picture": base64.b64encode(imagecodecs.png_encode(a.picture, level=1)).decode()}
        for a in found
    ]


def places(
    context: Context, frame_id: int, recipe: dict[str, Any], points: list[tuple[float, float]], to: Literal["frame", "picture"]
) -> dict[str, Any]:
    """Places of the finished picture (its full-size pixels) in frame coordinates, or back; None where a place is out of sight.

    ``scale``: how many pixels of the finished picture a long edge of the frame is about each place.
    """
    frame = frame_of(frame_id)
    try:
        found = _framing(context, frame, parsed(recipe))
    except (FramingError, RecipeError) as error:
        raise UserError(str(error)) from error
    given = np.asarray(points, np.float64).reshape(-1, 2)
    return _told(found, given, to)


@dataclass(frozen=True)
class _Place:
    picture: NDArray[np.float64]
    frame: NDArray[np.float64]


def _told(found: Framing, given: NDArray[np.float64], to: Literal["frame", "picture"]) -> dict[str, Any]:
    with np.errstate(all="ignore"):
        place = _Place(given, found.to_frame(given)) if to == "frame" else _Place(found.from_frame(given), given)
        step = 1e-3
        beside = [found.from_frame(place.frame + np.array(by)) - place.picture for by in ((step, 0.0), (0.0, step))]
        gaps = [np.hypot(*gap.T) / step for gap in beside]
        scale = np.sqrt(gaps[0] * gaps[1])
    answer = place.frame if to == "frame" else place.picture
    told: list[list[float] | None] = []
    scales: list[float | None] = []
    for point, one in zip(answer, scale, strict=True):
        known = bool(np.isfinite(point).all() and np.isfinite(one))
        told.append([round(float(v), 6 if to == "frame" else 2) for v in point] if known else None)
        scales.append(float(one) if known else None)
    return {"points": told, "scale": scales, "width": found.width, "height": found.height}


def _framing(context: Context, frame: Frame, recipe: Recipe) -> Framing:
    capture = CaptureData.of(frame.capture)
    plan = plan_of(recipe.with_switch("passes", False), capture.raw, (0.3127, 0.329))
    return framing(Shape(capture.width, capture.height, capture), plan.frame, context.renderer.lenses)


def look(context: Context, frame_id: int, recipe: dict[str, Any], x: int, y: int) -> dict[str, Any]:
    """Oklab colour of the frame as it came in about a place of the finished picture, where that is, its depth, and the plate
    values that passes receive there."""
    frame = frame_of(frame_id)
    source, asked = opened(context, frame), parsed(recipe)
    try:
        framed = context.renderer.framed(source, frame.content_hash, source.plan(asked).frame)
        plate = context.renderer.plate_at(source, frame.content_hash, asked, x, y, PICKED_RADIUS_PX)
    except RecipeError as error:
        raise UserError(str(error)) from error
    place = framed.to_frame(np.array([[x + 0.5, y + 0.5]]))[0]
    if not np.isfinite(place).all():
        raise UserError("That place lies outside the picture.")
    areas = context.renderer.stages.areas
    lab = context.renderer.on_render_thread(lambda: areas.lab(source, frame.content_hash))
    long_edge = max(source.width, source.height)
    shares = float(place[0]) * long_edge / source.width, float(place[1]) * long_edge / source.height
    column, row = (min(max(int(v * n), 1), n - 2) for v, n in zip(shares, (lab.shape[2], lab.shape[1]), strict=True))
    lightness, a, b = lab[:, row - 1 : row + 2, column - 1 : column + 2].reshape(3, -1).mean(1)
    return {
        "x": round(float(place[0]), 6),
        "y": round(float(place[1]), 6),
        "lightness": round(float(np.clip(lightness, 0, 1)), 4),
        "a": round(float(a), 4),
        "b": round(float(b), 4),
        "depth": _depth_at(source.depth, *shares),
        "plate": [round(v, 6) for v in plate],
    }


def _depth_at(depth: NDArray[np.float32] | None, x: float, y: float) -> float | None:
    """The middle one of the depths about a place (shares of width and height); None without a map."""
    if depth is None:
        return None
    column, row = (min(max(int(v * n), 0), n - 1) for v, n in zip((x, y), (depth.shape[1], depth.shape[0]), strict=True))
    return round(float(np.median(depth[max(row - 2, 0) : row + 3, max(column - 2, 0) : column + 3])), 4)
