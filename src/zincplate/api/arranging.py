"""Names, folders and the order by hand of frames, and those that were taken out."""

from typing import Any

from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field

from zincplate.api import models as m
from zincplate.api.context import context
from zincplate.services import arranging
from zincplate.services.arranging import LONGEST_FOLDER, LONGEST_NAME, Arranged

api = APIBlueprint("arranging", __name__, url_prefix="/api", abp_responses={422: m.ErrorOut})


class NamesIn(m.FramesIn):
    """A pattern, with {name}, {number}, {date}, {time} and {shoot}."""

    pattern: str = Field(min_length=1, max_length=LONGEST_NAME)
    first_number: int = Field(default=1, ge=0, le=1_000_000)


class NamesOut(BaseModel):
    names: list[str]


class FolderIn(m.FramesIn):
    folder: str = Field(max_length=LONGEST_FOLDER)


class PlaceIn(m.FramesIn):
    """In this order, before a frame; null is the end."""

    before: int | None = None


class ArrangedOut(BaseModel):
    """How those that changed were before: undoes it."""

    before: list[Arranged]


class ArrangedIn(m.In):
    before: list[Arranged] = Field(min_length=1, max_length=20_000)


class TakenOutRow(BaseModel):
    id: int
    name: str
    version: int
    thumb_state: str
    thumb: str
    size_bytes: int
    referenced: bool
    removed_at: str


class TakenOutOut(BaseModel):
    frames: list[TakenOutRow]


class EraseIn(m.FramesIn):
    originals: bool = False
    """Our copies of their files too."""


class ErasedOut(BaseModel):
    frames: int
    files: int
    freed_bytes: int


@api.post("/frames/names/preview", responses={200: NamesOut})
def preview_names(body: NamesIn) -> Any:
    """What frames would be called."""
    return {"names": arranging.names(body.frames, body.pattern, body.first_number)}


@api.patch("/frames/names", responses={200: ArrangedOut})
def rename(body: NamesIn) -> Any:
    """Calls frames by a pattern; their files keep their names."""
    return {"before": arranging.rename(body.frames, body.pattern, body.first_number)}


@api.patch("/frames/folder", responses={200: ArrangedOut})
def put_into(body: FolderIn) -> Any:
    """Puts frames into a folder of their shoot."""
    return {"before": arranging.put_into(body.frames, body.folder)}


@api.post("/shoots/<int:id>/order", responses={200: ArrangedOut})
def place(path: m.Id, body: PlaceIn) -> Any:
    """Puts frames elsewhere in the order by hand."""
    return {"before": arranging.place(path.id, body.frames, body.before)}


@api.post("/frames/arrangement/undo", responses={200: m.CountOut})
def put_back(body: ArrangedIn) -> Any:
    """Names, folders and places as they were."""
    return {"frames": arranging.put_back(body.before)}


@api.get("/shoots/<int:id>/taken-out", responses={200: TakenOutOut})
def taken_out(path: m.Id) -> Any:
    """Frames that were taken out of a shoot."""
    return {"frames": arranging.taken_out(path.id)}


@api.post("/frames/erase", responses={200: ErasedOut})
def erase(body: EraseIn) -> Any:
    """Deletes frames that were taken out, for good."""
    return arranging.erase(context(), body.frames, body.originals)
