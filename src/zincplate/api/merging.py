"""Merges."""

from typing import Any

from flask import send_file
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field

from zincplate.api import models as m
from zincplate.api.context import context
from zincplate.merges.kinds import MOST, Kind, MergeOptions
from zincplate.services import merges, work
from zincplate.services.context import NotFound

api = APIBlueprint("merging", __name__, url_prefix="/api", abp_responses={422: m.ErrorOut})


class MergeIn(m.In):
    """Frames of one shoot, in the order in which the options count them."""

    frames: list[int] = Field(min_length=2, max_length=max(MOST.values()))
    options: MergeOptions


class MakeIn(MergeIn):
    look: str = Field(default=merges.LOOKS[1], max_length=80)
    replaces: int | None = None
    """A master that is made again."""
    request_key: m.RequestKey = ""


class MergeFrameOut(BaseModel):
    """What was found about one frame; what was not measured is 0."""

    name: str
    takes_part: bool
    reference: bool
    exposure_ev: float
    told_ev: float | None
    sharpness: float
    shake_px: float = 0
    shake_degrees: int = 0
    moved_px: float = 0
    residual_px: float
    neighbours: int = 0
    role: str = ""
    stars: int = 0
    scale: float = 1
    refused: float | None = None
    clipped: float
    reason: str


class MergeRegionOut(BaseModel):
    """A part of the picture where something moved; frames are counted as they were given."""

    number: int
    base: int
    agreeing: list[int]
    share: float
    box: list[int]


class MergeReportOut(BaseModel):
    """What was found and done."""

    kind: Kind
    frames: list[MergeFrameOut]
    done: list[str]
    left_out: list[str]
    regions: list[MergeRegionOut] = []
    range_ev: list[float] = []
    projection: str = ""
    aligned_by: str = ""
    size: list[int] = []


class MergeSourceOut(BaseModel):
    name: str
    frame: int | None


class MadeOut(BaseModel):
    """What a master was made from, and why it should be made again."""

    kind: Kind
    sources: list[MergeSourceOut]
    options: MergeOptions
    report: MergeReportOut
    stale: list[str]


class LooksOut(BaseModel):
    looks: list[str]


class KeyPath(BaseModel):
    key: str = Field(pattern=r"^[0-9a-f]{32}$")


@api.post("/merges/judge", responses={202: m.JobOut})
def judge(body: MergeIn) -> Any:
    """Starts looking at frames of a merge; report, preview and outlines stand in the job's result."""
    return work.as_dict(merges.ask(context(), body.frames, body.options)), 202


@api.get("/merges/looks", responses={200: LooksOut})
def looks() -> Any:
    """How a master may be shown at first."""
    return {"looks": list(merges.LOOKS)}


@api.get("/merges/previews/<string:key>")
def preview(path: KeyPath) -> Any:
    """The look at a merge; its address names what it shows."""
    file = merges.preview_file(context().home, path.key)
    if not file.is_file():
        raise NotFound("This preview is not kept any more.")
    return send_file(file, mimetype="image/jpeg", max_age=86_400)


@api.post("/merges", responses={202: m.JobOut})
def make(body: MakeIn) -> Any:
    """Starts making a master."""
    job = merges.start(context(), body.frames, body.options, body.look, body.replaces, body.request_key)
    return work.as_dict(job), 202


@api.get("/frames/<int:id>/made", responses={200: MadeOut})
def made(path: m.Id) -> Any:
    """What a master was made from."""
    return merges.made_of(context(), path.id)
