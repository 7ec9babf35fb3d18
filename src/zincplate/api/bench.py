"""One frame: versions, views, pixel values, the neutral picker, the schema of the controls."""

from typing import Any

from flask import Response
from flask_openapi3 import APIBlueprint

from zincplate.api import models as m
from zincplate.api.context import context
from zincplate.formats.turns import Urgency
from zincplate.recipe.schema import panel
from zincplate.services import changes, version_list, versions, views
from zincplate.services.changes import Change
from zincplate.services.framing import lens_search

api = APIBlueprint("bench", __name__, url_prefix="/api", abp_responses={422: m.ErrorOut})


@api.get("/schema", responses={200: m.SchemaOut})
def schema() -> Any:
    """Controls with their words and ranges."""
    return panel()


@api.get("/versions/<int:id>", responses={200: m.VersionOut})
def get_version(path: m.Id) -> Any:
    """Recipe, revision and history."""
    return versions.state(versions.get(path.id))


@api.delete("/versions/<int:id>", responses={200: m.CoverChangeOut})
def delete_version(path: m.Id) -> Any:
    """Takes a version away; it can be brought back."""
    return version_list.delete(context(), path.id)


@api.post("/versions/<int:id>/changes", responses={200: m.VersionOut, 409: m.ErrorOut})
def post_change(path: m.Id, body: Change) -> Any:
    """Makes one change; refused with the current state when based on an older revision, made once when sent twice."""
    return changes.make(context(), path.id, body)


@api.post("/frames/<int:id>/view")
def view(path: m.Id, body: m.ViewIn) -> Any:
    """A rendered window: header, JPEG and clipping map in one binary answer."""
    turn = context().lines.turn(body.line, Urgency[body.urgency.upper()], body.number)
    answer = views.render(context(), path.id, body.recipe, body.request(), turn)
    return Response(answer, mimetype="application/octet-stream")


@api.post("/frames/<int:id>/pixel", responses={200: m.PixelOut})
def pixel(path: m.Id, body: m.PixelIn) -> Any:
    """Values under the pointer at full precision."""
    return views.pixel(context(), path.id, body.recipe, body.x, body.y, body.radius)


@api.post("/frames/<int:id>/neutral", responses={200: m.NeutralOut})
def neutral(path: m.Id, body: m.PixelIn) -> Any:
    """Temperature and tint that make an area grey."""
    return views.pick_neutral(context(), path.id, body.recipe, body.x, body.y, body.radius)


@api.post("/frames/<int:id>/key", responses={200: m.KeyOut})
def key(path: m.Id, body: m.PixelIn) -> Any:
    """The colour about a place, as the centre of a picked key."""
    return views.pick_key(context(), path.id, body.recipe, body.x, body.y, body.radius)


@api.post("/frames/<int:id>/suggest", responses={200: m.ProposalsOut})
def suggest(path: m.Id, body: m.SuggestIn) -> Any:
    """Measured proposals, each value with its reason."""
    return {"proposals": views.suggest(context(), path.id, body.recipe, body.of)}


@api.post("/frames/<int:id>/framing", responses={200: m.FramingOut})
def framing(path: m.Id, body: m.FramingIn) -> Any:
    """What a tool of the framing step sets."""
    return views.framing_action(context(), path.id, body.recipe, body.action)


@api.get("/frames/<int:id>/lens", responses={200: m.LensOut})
def lens(path: m.Id) -> Any:
    """Lens profiles that fit a frame."""
    return views.lens_of(context(), path.id)


@api.get("/frames/<int:id>/facts", responses={200: m.FactsOut})
def facts(path: m.Id) -> Any:
    """What is known of a frame's file, in words, and what was ignored, repaired or assumed in it."""
    return views.facts_of(context(), path.id)


@api.get("/lenses", responses={200: m.LensesOut})
def lenses(query: m.LensQuery) -> Any:
    """Lens profiles by name."""
    return {"lenses": lens_search(context(), query.text)}
