"""Framing for the bench: what the page draws over the picture, what its tools do, and sizes of frames that are not open."""

from dataclasses import asdict
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from zincplate.core.geometry.projective import FramingError
from zincplate.formats.capture import CaptureData
from zincplate.pipeline import framing_actions as actions
from zincplate.pipeline.framing import Framed, framing
from zincplate.pipeline.lens_of import Shape
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.suggest_framing import suggest_framing
from zincplate.services.context import Context, UserError
from zincplate.sources.file import Source
from zincplate.store.models import Frame
from zincplate.tables.light_plan import plan_of

Place = tuple[float, float]


class Line(BaseModel):
    """A drawn line, its ends in plane pixels."""

    model_config = ConfigDict(extra="forbid")

    id: str = Field(max_length=36)
    along: Literal["level", "plumb"]
    start: Place
    end: Place


class Bent(BaseModel):
    """Points along a bent edge in plane pixels."""

    model_config = ConfigDict(extra="forbid")

    id: str = Field(max_length=36)
    points: list[Place]


class Action(BaseModel):
    """What a tool of the framing step did. Places are in plane pixels (0 = where the picture's middle went)."""

    model_config = ConfigDict(extra="forbid")

    do: Literal["turn_right", "turn_left", "mirror", "lines", "lines_again", "bent_lines", "crop"]
    lines: list[Line] = Field(default=[], max_length=4)
    bent_lines: list[Bent] = Field(default=[], max_length=6)
    rectangle: tuple[float, float, float, float] | None = None
    """Left, top, width, height of a crop."""
    ratio: str = "free"


def act(context: Context, source: Source, key: str, recipe: Recipe, action: Action) -> dict[str, Any]:
    """The controls that a tool sets, and a sentence where there is something to say."""
    try:
        framed = context.renderer.framed(source, key, source.plan(recipe).frame)
        return _done(recipe, framed, action)
    except (FramingError, RecipeError) as error:
        raise UserError(str(error)) from error


def _done(recipe: Recipe, framed: Framed, action: Action) -> dict[str, Any]:
    note = ""
    if action.do in ("turn_right", "turn_left"):
        values = actions.turn_quarter(recipe, action.do == "turn_right")
    elif action.do == "mirror":
        values = actions.mirror(recipe)
    elif action.do == "lines":
        drawn: list[tuple[str, Any, Place, Place]] = []
        for line in action.lines:
            (x0, y0), (x1, y1) = (actions.to_frame(framed, [end])[0].tolist() for end in (line.start, line.end))
            drawn.append((line.id, line.along, (x0, y0), (x1, y1)))
        values, turns = actions.lines(recipe, framed, drawn)
        if turns.left_degrees > 0.05:
            note = f"The lines do not agree fully: up to {turns.left_degrees:.1f} degrees are left."
    elif action.do == "lines_again":
        kept = recipe.value("framing", "drawn_lines")
        values, _ = actions.lines(recipe, framed, [(k.id, k.along, (k.x0, k.y0), (k.x1, k.y1)) for k in kept])
    elif action.do == "bent_lines":
        places = [(b.id, [tuple(p) for p in actions.to_frame(framed, b.points).tolist()]) for b in action.bent_lines]
        values = actions.bent(framed, places)
    else:
        if action.rectangle is None:
            raise FramingError("A crop needs a rectangle.")
        values = actions.crop(framed, *action.rectangle, action.ratio)
    # what a tool sets has to be a recipe that can be shown
    recipe.with_values(values)
    return {"values": values, "note": note}


def suggested(context: Context, source: Source, key: str, recipe: Recipe) -> list[dict[str, Any]]:
    """Level, uprights, horizontals and both, where the picture has lines for them."""
    try:
        # not on the render thread: seeking lines takes a while, and only its picture is a rendering
        found = suggest_framing(context.renderer, source, key, recipe)
    except (FramingError, RecipeError) as error:
        raise UserError(str(error)) from error
    return [{"name": p.name, "summary": p.summary, "values": p.values, "reasons": p.reasons} for p in found]


def lens_choice(context: Context, source: Source) -> dict[str, Any]:
    """The profile that fits a file, and the ones that might."""
    c = source.capture
    match = context.renderer.lenses.match(c.camera_make, c.camera_model, c.lens, c.focal_length_mm)
    return {
        "camera": c.camera_model if c.camera_model.startswith(c.camera_make) else f"{c.camera_make} {c.camera_model}".strip(),
        "lens": c.lens,
        "certain": None if match.certain is None else asdict(match.certain),
        "others": [asdict(p) for p in match.others],
        "refused": list(context.renderer.lenses.refused),
    }


def lens_search(context: Context, text: str) -> list[dict[str, Any]]:
    """Profiles whose name holds every word."""
    return [asdict(p) for p in context.renderer.lenses.search(text)]


def size_of(context: Context, frame: Frame, document: dict[str, Any]) -> tuple[int, int]:
    """Size of a frame's finished picture under a recipe, without opening the file."""
    capture = CaptureData.of(frame.capture)
    plan = plan_of(Recipe.from_document(document), capture.raw, (0.3127, 0.329))
    try:
        found = framing(Shape(capture.width, capture.height, capture), plan.frame, context.renderer.lenses)
    except FramingError as error:
        raise UserError(f"{frame.name}: {error}") from error
    return found.width, found.height
