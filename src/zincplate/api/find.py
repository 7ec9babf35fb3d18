"""Finding frames across shoots."""

from typing import Any, Literal

from flask import current_app
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field

from zincplate.api import models as m
from zincplate.api.context import context
from zincplate.services import find as search
from zincplate.services.find import MOST_KEPT, Catalogue, Kept, Search

api = APIBlueprint("find", __name__, url_prefix="/api", abp_responses={422: m.ErrorOut})


def _catalogue() -> Catalogue:
    """The one of this process."""
    found: Catalogue = current_app.extensions.setdefault("zincplate-catalogue", Catalogue())
    return found


class FindIn(m.In):
    search: Search
    limit: int = Field(default=60, ge=1, le=500)
    start: int = Field(default=0, ge=0, le=10_000_000)


class FoundFrame(BaseModel):
    id: int
    name: str
    shoot: int
    shoot_name: str
    captured_at: str
    mark: Literal["", "keep", "maybe", "drop"]
    stars: int
    label: str
    width: int
    height: int
    version: int
    thumb_state: Literal["none", "embedded", "own", "failed"]
    thumb: str


class FoundFramesOut(BaseModel):
    total: int
    frames: list[FoundFrame]


class KnownOut(BaseModel):
    cameras: list[str]
    lenses: list[str]
    labels: list[str]


class SearchesIn(m.In):
    searches: list[Kept] = Field(max_length=MOST_KEPT)


class SearchesOut(BaseModel):
    searches: list[Kept]


@api.post("/find", responses={200: FoundFramesOut})
def find(body: FindIn) -> Any:
    """Frames of all shoots, newest first."""
    return search.find(_catalogue(), body.search, body.limit, body.start)


@api.get("/find/known", responses={200: KnownOut})
def known() -> Any:
    """Cameras, lenses and labels to choose from."""
    return search.known(_catalogue())


@api.get("/searches", responses={200: SearchesOut})
def searches() -> Any:
    """Kept searches."""
    return {"searches": [k.model_dump(mode="json") for k in search.kept_searches(context().home)]}


@api.put("/searches", responses={200: SearchesOut})
def keep_searches(body: SearchesIn) -> Any:
    """Replaces the kept searches."""
    kept = search.keep_searches(context().home, body.searches)
    return {"searches": [k.model_dump(mode="json") for k in kept]}
