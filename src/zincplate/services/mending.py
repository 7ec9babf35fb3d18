"""Repairs for the bench: where to take from, dust, fills, colours, and small pictures of before and after."""

import base64
from typing import Any

import imagecodecs

from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render import mending
from zincplate.render.beyond import outlines_beyond
from zincplate.render.mending_pictures import before_and_after
from zincplate.services.context import Context, UserError
from zincplate.services.views import frame_of, opened, parsed
from zincplate.sources.file import Source

MOST_FOUND = 400
"""Spots that are answered with at once."""


def _asked(context: Context, frame_id: int, recipe: dict[str, Any]) -> tuple[Source, str, Recipe]:
    frame = frame_of(frame_id)
    return opened(context, frame), frame.content_hash, parsed(recipe)


def sources(context: Context, frame_id: int, recipe: dict[str, Any], repair: str) -> list[dict[str, float]]:
    """Where a repair may be taken from, the best first; :class:`UserError` when there is nothing."""
    source, key, asked = _asked(context, frame_id, recipe)
    try:
        found = mending.sources_for(context.renderer, source, key, asked, repair)
    except RecipeError as error:
        raise UserError(str(error)) from error
    return [{"dx": round(c.dx, 6), "dy": round(c.dy, 6), "cost": round(c.cost, 4)} for c in found]


def fill(context: Context, frame_id: int, recipe: dict[str, Any], repair: str) -> str:
    """The fill of a removal; :class:`UserError` when it cannot be filled."""
    source, key, asked = _asked(context, frame_id, recipe)
    try:
        return mending.fill_for(context.renderer, source, key, asked, repair)
    except RecipeError as error:
        raise UserError(str(error)) from error


def dust(context: Context, frame_id: int, recipe: dict[str, Any], light_too: bool, least_chance: float) -> list[dict[str, float]]:
    """All dust of a frame as its repairs leave it, the surest first; :class:`UserError` when there is none."""
    source, key, asked = _asked(context, frame_id, recipe)
    try:
        found = mending.find_dust(context.renderer, source, key, asked, light_too, least_chance)[:MOST_FOUND]
    except RecipeError as error:
        raise UserError(str(error)) from error
    return [
        {
            "x": round(s.x, 6),
            "y": round(s.y, 6),
            "size": round(s.size, 6),
            "chance": round(100 * s.chance),
            "dx": round(s.dx, 6),
            "dy": round(s.dy, 6),
        }
        for s in found
    ]


def beyond(context: Context, frame_id: int, recipe: dict[str, Any]) -> list[list[int]]:
    """Outlines of what the crop shows beyond the picture; :class:`UserError` when there is nothing."""
    source, key, asked = _asked(context, frame_id, recipe)
    try:
        return outlines_beyond(context.renderer, source, key, asked)
    except RecipeError as error:
        raise UserError(str(error)) from error


def colour(context: Context, frame_id: int, recipe: dict[str, Any], x: float, y: float, radius_px: int) -> list[float]:
    """Linear values of the frame about a place in frame coordinates."""
    source, key, asked = _asked(context, frame_id, recipe)
    try:
        return mending.colour_at(context.renderer, source, key, asked, (x, y), radius_px)
    except RecipeError as error:
        raise UserError(str(error)) from error


def pictures(context: Context, frame_id: int, recipe: dict[str, Any], repairs: list[str]) -> list[dict[str, str]]:
    """Small pictures (PNG, base 64) of repairs' places before and after each."""
    source, key, asked = _asked(context, frame_id, recipe)
    text = lambda picture: base64.b64encode(imagecodecs.png_encode(picture, level=1)).decode()  # noqa: E731
    try:
        made = before_and_after(context.renderer, source, key, asked, repairs)
    except RecipeError as error:
        raise UserError(str(error)) from error
    return [{"id": name, "before": text(one), "after": text(two)} for name, one, two in made]
