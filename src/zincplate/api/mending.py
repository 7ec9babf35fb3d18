"""Repairs on the bench."""

from typing import Any

from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field

from zincplate.api import models as m
from zincplate.api.base_models import In, RecipeDocument
from zincplate.api.context import context
from zincplate.services import mending

api = APIBlueprint("mending", __name__, url_prefix="/api", abp_responses={422: m.ErrorOut})


class RepairIn(In):
    recipe: RecipeDocument
    repair: str


class RepairSourceOut(BaseModel):
    """From the place to where it may be taken from, in long edges, and how ill that fits."""

    dx: float
    dy: float
    cost: float


class RepairSourcesOut(BaseModel):
    sources: list[RepairSourceOut]


class RepairFillOut(BaseModel):
    fill: str


class DustIn(In):
    """``light_too``: light spots as well; ``least_chance`` in percent."""

    recipe: RecipeDocument
    light_too: bool = False
    least_chance: float = Field(default=50, ge=1, le=99)


class DustSpotOut(BaseModel):
    """Middle and diameter in long edges, the chance in percent that it is dust, and where it may be taken from."""

    x: float
    y: float
    size: float
    chance: float
    dx: float
    dy: float


class DustOut(BaseModel):
    spots: list[DustSpotOut]


class BeyondIn(In):
    recipe: RecipeDocument


class BeyondOut(BaseModel):
    """x, y, x, y ... in 1/20,000 of the long edge, frame coordinates."""

    outlines: list[list[int]]


class PlateColourIn(In):
    """A place in frame coordinates, and the half side of the square that is averaged."""

    recipe: RecipeDocument
    x: float
    y: float
    radius_px: int = Field(default=4, ge=0, le=100)


class PlateColourOut(BaseModel):
    """Linear values of the frame itself."""

    colour: list[float]


class RepairPicturesIn(In):
    recipe: RecipeDocument
    repairs: list[str] = Field(max_length=60)


class RepairPictureOut(BaseModel):
    """Small PNGs in base 64."""

    id: str
    before: str
    after: str


class RepairPicturesOut(BaseModel):
    pictures: list[RepairPictureOut]


@api.post("/frames/<int:id>/repairs/sources", responses={200: RepairSourcesOut})
def repair_sources(path: m.Id, body: RepairIn) -> Any:
    """Where a repair may be taken from, the best first."""
    return {"sources": mending.sources(context(), path.id, body.recipe, body.repair)}


@api.post("/frames/<int:id>/repairs/fill", responses={200: RepairFillOut})
def repair_fill(path: m.Id, body: RepairIn) -> Any:
    """Looks for what goes into the hole of a removal."""
    return {"fill": mending.fill(context(), path.id, body.recipe, body.repair)}


@api.post("/frames/<int:id>/repairs/dust", responses={200: DustOut})
def find_dust(path: m.Id, body: DustIn) -> Any:
    """All dust that the recipe's repairs leave, the surest first."""
    return {"spots": mending.dust(context(), path.id, body.recipe, body.light_too, body.least_chance / 100)}


@api.post("/frames/<int:id>/repairs/beyond", responses={200: BeyondOut})
def beyond(path: m.Id, body: BeyondIn) -> Any:
    """What the crop shows beyond the picture and nothing has filled, as outlines for removals."""
    return {"outlines": mending.beyond(context(), path.id, body.recipe)}


@api.post("/frames/<int:id>/repairs/colour", responses={200: PlateColourOut})
def plate_colour(path: m.Id, body: PlateColourIn) -> Any:
    """What a cover has to be to look like a place."""
    return {"colour": mending.colour(context(), path.id, body.recipe, body.x, body.y, body.radius_px)}


@api.post("/frames/<int:id>/repairs/pictures", responses={200: RepairPicturesOut})
def repair_pictures(path: m.Id, body: RepairPicturesIn) -> Any:
    """Small pictures of repairs' places before and after each."""
    return {"pictures": mending.pictures(context(), path.id, body.recipe, body.repairs)}
