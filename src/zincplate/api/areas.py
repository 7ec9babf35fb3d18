"""Areas of passes on the bench."""

from typing import Any, Literal

from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field

from zincplate.api import models as m
from zincplate.api.base_models import In, RecipeDocument
from zincplate.api.context import context
from zincplate.ops.areas import FoundKind
from zincplate.services import areas

api = APIBlueprint("areas", __name__, url_prefix="/api", abp_responses={422: m.ErrorOut})


class FindOnFrameIn(In):
    what: FoundKind


class FoundAreaOut(BaseModel):
    """What was found: a small picture of it as text, how sure it is in percent, and its share of the frame; of skin also the
    size of what uneven skin is made of, in percent of the long edge."""

    what: str
    raster: str
    sure: float
    cover: float
    blotch_percent: float | None


class AreasIn(In):
    recipe: RecipeDocument


class AreaOut(BaseModel):
    """A pass's area: the share of the picture that it covers, and a small grey PNG in base 64."""

    id: str
    cover: float
    picture: str


class AreasOut(BaseModel):
    areas: list[AreaOut]


class PlacesIn(In):
    """Places of the finished picture in its full-size pixels (``to`` frame), or frame coordinates (``to`` picture)."""

    recipe: RecipeDocument
    points: list[tuple[float, float]] = Field(max_length=20_000)
    to: Literal["frame", "picture"]


class PlacesOut(BaseModel):
    """Null for places out of sight; ``scale`` is how many pixels of the picture a long edge of the frame is about each."""

    points: list[list[float] | None]
    scale: list[float | None]
    width: int
    height: int


class LookIn(In):
    recipe: RecipeDocument
    x: int
    y: int


class LookOut(BaseModel):
    """A place in frame coordinates, the Oklab colour of the frame as it came in there, its depth (0 nearest to 1 farthest;
    null without a depth map), and the linear values that the recipe's passes receive there."""

    x: float
    y: float
    lightness: float
    a: float
    b: float
    depth: float | None
    plate: tuple[float, float, float]


@api.post("/frames/<int:id>/find", responses={200: FoundAreaOut})
def find_on_frame(path: m.Id, body: FindOnFrameIn) -> Any:
    """Looks for sky, land, people, their faces or skin, or the main subject."""
    return areas.find(context(), path.id, body.what)


@api.post("/frames/<int:id>/areas", responses={200: AreasOut})
def tiny_areas(path: m.Id, body: AreasIn) -> Any:
    """Small pictures of the areas of a recipe's passes, and how much they cover."""
    return {"areas": areas.tiny(context(), path.id, body.recipe)}


@api.post("/frames/<int:id>/places", responses={200: PlacesOut})
def convert_places(path: m.Id, body: PlacesIn) -> Any:
    """Places between the finished picture and the frame."""
    return areas.places(context(), path.id, body.recipe, body.points, body.to)


@api.post("/frames/<int:id>/look", responses={200: LookOut})
def look_at(path: m.Id, body: LookIn) -> Any:
    """What the frame as it came in looks like at a place."""
    return areas.look(context(), path.id, body.recipe, body.x, body.y)
