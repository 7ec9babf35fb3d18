"""Pictures for the screen: windows of a frame under a recipe, pixel values, and the neutral picker."""

import math
from typing import Any

import numpy as np

from zincplate.core.colour.temperature import KELVIN_MAX, KELVIN_MIN, temperature_and_tint
from zincplate.formats.capture import CaptureData
from zincplate.formats.errors import FileError
from zincplate.formats.facts_in_words import in_words, searched
from zincplate.formats.turns import AT_ONCE, Turn, Urgency
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.suggest import Proposal, Suggester
from zincplate.render.view import ViewRequest
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.describing import as_written
from zincplate.services.framing import Action, act, lens_choice, suggested
from zincplate.services.originals import original_path
from zincplate.services.view_answer import pack
from zincplate.sources.file import Source
from zincplate.store.database import let_go
from zincplate.store.models import Frame, HistoryEntry, Version


def facts_of(context: Context, frame_id: int) -> dict[str, Any]:
    """Facts of a frame in words, by groups, and the notes about its file."""
    frame = frame_of(frame_id)
    capture = CaptureData.of(frame.capture)
    if "notes" not in frame.capture:
        capture = _read_again(context, frame) or capture
    groups = [{"title": title, "facts": [{"name": n, "text": t} for n, t in rows]} for title, rows in in_words(capture)]
    return {"groups": groups, "notes": list(capture.notes)}


def _read_again(context: Context, frame: Frame) -> CaptureData | None:
    """Facts of a file that an older program brought in, which knew fewer: read and kept; None when the file is away."""
    path = original_path(context.home, frame)
    let_go()
    try:
        capture, _ = context.decoder.facts(path)
    except FileError:
        return None
    capture = as_written(capture, frame.written)
    Frame.update(
        capture=capture.as_dict(), words="\n".join((*dict.fromkeys((frame.name, frame.file_name)), searched(capture)))
    ).where(Frame.id == frame.id).execute()
    return capture


def frame_of(frame_id: int) -> Frame:
    """One frame; raises :class:`NotFound`."""
    frame = Frame.get_or_none(Frame.id == frame_id)
    if frame is None:
        raise NotFound("There is no such frame.")
    return frame


def _lately(context: Context, frame_id: int) -> Frame:
    """A frame for a hand that moves, over a control or over the picture: it may be as it was two seconds ago."""
    return context.lately.frame(frame_id) or context.lately.keep(frame_of(frame_id))


def opened(context: Context, frame: Frame, turn: Turn = AT_ONCE) -> Source:
    """The frame's decoded source; raises ``FileError`` when the original is gone or damaged, ``Superseded`` when nobody waits for
    it any more when its turn comes."""
    path = original_path(context.home, frame)
    let_go()  # decoding and rendering take long, and need no database
    return context.renderer.open(path, frame.content_hash, turn)


def parsed(document: dict[str, Any]) -> Recipe:
    """Recipe or :class:`UserError`."""
    try:
        return Recipe.from_document(document)
    except RecipeError as error:
        raise UserError(str(error)) from error


def original_recipe(frame: Frame) -> Recipe:
    """How the frame came in."""
    entry = (
        HistoryEntry.select()
        .join(Version)
        .where(Version.frame == frame, HistoryEntry.position == 0)
        .order_by(Version.number)
        .get()
    )
    return Recipe.from_document(entry.recipe)


def render(
    context: Context,
    frame_id: int,
    recipe: dict[str, Any] | None,
    request: ViewRequest,
    turn: Turn = AT_ONCE,
) -> bytes:
    """A window of a frame under a recipe (None: as it came in), packed by :func:`pack`."""
    moving = turn.urgency is Urgency.HAND and recipe is not None
    frame = _lately(context, frame_id) if moving else context.lately.keep(frame_of(frame_id))
    used = original_recipe(frame) if recipe is None else parsed(recipe)
    source = opened(context, frame, turn)
    try:
        view = context.renderer.view(source, frame.content_hash, used, request, turn=turn)
    except RecipeError as error:
        raise UserError(str(error)) from error
    return pack(view, source, used)


def pixel(context: Context, frame_id: int, recipe: dict[str, Any], x: int, y: int, radius: int) -> dict[str, Any]:
    """Delivered values, L*a*b* and camera values about a place of the full-size picture."""
    frame = _lately(context, frame_id)
    try:
        return context.renderer.sample(
            opened(context, frame), frame.content_hash, parsed(recipe), x, y, min(max(radius, 0), 50), "srgb"
        )
    except RecipeError as error:
        raise UserError(str(error)) from error


def pick_key(context: Context, frame_id: int, recipe: dict[str, Any], x: int, y: int, radius: int) -> dict[str, float]:
    """Centre of a picked key: the mean Oklab colour about a place, as the colour step receives it."""
    frame = frame_of(frame_id)
    source, radius = opened(context, frame), min(max(radius, 0), 50)
    try:
        lightness, a, b = context.renderer.colour_at(source, frame.content_hash, parsed(recipe), x, y, radius)
    except RecipeError as error:
        raise UserError(str(error)) from error
    if math.hypot(a, b) < 0.012:
        raise UserError("This place is grey: a key needs a colour to hold on to. Pick a stronger colour.")
    return {"centre_lightness": round(lightness, 4), "centre_a": round(a, 4), "centre_b": round(b, 4)}


def suggest(context: Context, frame_id: int, recipe: dict[str, Any], of: str) -> list[dict[str, Any]]:
    """Proposals for balance, tone, one end of the scale, or the whole; each with values and reasons."""
    frame = frame_of(frame_id)
    source, parsed_recipe = opened(context, frame), parsed(recipe)
    if of == "framing":
        return suggested(context, source, frame.content_hash, parsed_recipe)

    def work() -> list[Proposal]:
        suggester = Suggester(context.renderer, source, frame.content_hash, parsed_recipe)
        if of in ("black_point", "white_point"):
            return [suggester.end(of)]
        return {"balance": suggester.balance, "tone": suggester.tone, "whole": suggester.whole}[of]()

    return [
        {"name": p.name, "summary": p.summary, "values": p.values, "reasons": p.reasons}
        for p in context.renderer.on_render_thread(work, Turn(Urgency.REST))
    ]


def framing_action(context: Context, frame_id: int, recipe: dict[str, Any], action: Action) -> dict[str, Any]:
    """What a tool of the framing step sets."""
    frame = frame_of(frame_id)
    return act(context, opened(context, frame), frame.content_hash, parsed(recipe), action)


def lens_of(context: Context, frame_id: int) -> dict[str, Any]:
    """Lens profiles that fit a frame."""
    return lens_choice(context, opened(context, frame_of(frame_id)))


def pick_neutral(context: Context, frame_id: int, recipe: dict[str, Any], x: int, y: int, radius: int) -> dict[str, Any]:
    """Temperature and tint that make an area of the finished picture grey. Refuses clipped, dark or impossible areas with a
    sentence."""
    frame = frame_of(frame_id)
    source = opened(context, frame)
    try:
        planes = context.renderer.recorded_at(source, frame.content_hash, parsed(recipe), x, y, radius)
    except RecipeError as error:
        raise UserError(str(error)) from error
    clipped = float((planes >= source.white_limits[:, None, None]).any(0).mean())
    if not source.raw:
        clipped = float((planes.max(0) >= 0.995).mean())
    if clipped > 0.01:
        raise UserError(f"{clipped:.0%} of this area is clipped, so its colour is not known. Pick a darker neutral.")
    mean = planes.reshape(3, -1).mean(1).astype(np.float64)
    if float(source.camera_values(planes).reshape(3, -1).mean(1).max()) < 0.002:
        raise UserError("This area is too dark to measure its colour. Pick a lighter neutral.")
    try:
        white_xy = source.white_of_plate(mean)
    except ValueError as error:
        raise UserError("No light could make this colour neutral. Pick a grey or white surface.") from error
    kelvin, tint = temperature_and_tint(white_xy)
    if not KELVIN_MIN + 20 < kelvin < KELVIN_MAX - 200 or abs(tint) > 150:
        raise UserError("No light could make this colour neutral. Pick a grey or white surface.")
    return {"temperature_kelvin": round(kelvin), "tint": round(tint, 1), "clipped": clipped}
