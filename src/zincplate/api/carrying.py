"""Across a shoot: versions of a frame, carrying, fit check, evening out, presets of adjustments."""

from typing import Any

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import Field

from zincplate.api import frame_models as f
from zincplate.api import models as m
from zincplate.api.context import context
from zincplate.services import carry, carry_areas, comparing, light, recipe_presets, version_list, work
from zincplate.services.carry import Carry
from zincplate.services.light import Compare

api = APIBlueprint("carrying", __name__, url_prefix="/api", abp_responses={422: m.ErrorOut})


class NewVersionIn(m.In):
    """``like`` is the version to copy; null begins as the frame came in."""

    like: int | None = None
    name: str = Field(default="", max_length=200)


class NameIn(m.In):
    name: str = Field(max_length=200)


class CompareIn(m.In):
    source: int
    versions: list[int] = Field(min_length=1, max_length=5_000)
    balance: bool = True


class BulkQuery(m.In):
    shoot: int | None = None


class PresetIdQuery(m.In):
    id: str = Field(max_length=200)


class SavePresetIn(m.In):
    version: int
    operations: list[str] = Field(min_length=1, max_length=100)
    name: str = Field(max_length=200)
    folder: str = Field(default="", max_length=200)
    note: str = Field(default="", max_length=300)
    replace: bool = False


class PresetTextIn(m.In):
    text: str = Field(max_length=1 << 20)
    replace: bool = False


class RenamePresetIn(m.In):
    id: str = Field(max_length=200)
    name: str = Field(max_length=200)
    folder: str = Field(default="", max_length=200)


class PresetValuesIn(m.In):
    id: str = Field(max_length=200)
    version: int
    strength: float = Field(default=1.0, ge=0, le=1.5)


@api.get("/frames/<int:id>/versions", responses={200: f.VersionsOut})
def versions(path: m.Id) -> Any:
    """All versions of a frame."""
    return {"versions": version_list.of_frame(path.id)}


@api.post("/frames/<int:id>/versions", responses={201: f.VersionRowOut})
def new_version(path: m.Id, body: NewVersionIn) -> Any:
    """A new version, as the frame came in or like another."""
    return version_list.create(context(), path.id, body.like, body.name), 201


@api.post("/versions/of-frames", responses={200: f.VersionsOfOut})
def versions_of(body: m.FramesIn) -> Any:
    """Every version of many frames."""
    return {"versions": version_list.of_frames(body.frames)}


@api.patch("/versions/<int:id>/name", responses={200: f.VersionRowOut})
def name_version(path: m.Id, body: NameIn) -> Any:
    """Gives a version a name."""
    return version_list.rename(path.id, body.name)


@api.post("/versions/<int:id>/cover", responses={200: f.VersionRowOut})
def cover(path: m.Id) -> Any:
    """Makes a version stand for its frame."""
    return version_list.choose_cover(path.id)


@api.post("/versions/<int:id>/restore", responses={200: f.VersionRowOut})
def restore_version(path: m.Id) -> Any:
    """Brings a deleted version back."""
    return version_list.restore(context(), path.id)


class OtherPath(m.Id):
    other: int = Field(ge=1)


@api.get("/versions/<int:id>/against/<int:other>", responses={200: f.WordsOut})
def against(path: OtherPath) -> Any:
    """How the other version shows the frame differently, in words."""
    return {"words": version_list.compared(path.id, path.other)}


@api.get("/versions/<int:id>/adjustments", responses={200: f.AdjustmentsOut})
def adjustments(path: m.Id) -> Any:
    """The adjustments of a version, in words."""
    return recipe_presets.adjustments(path.id)


class SideIn(m.In):
    frames: list[int] = Field(min_length=2, max_length=8)
    spot: tuple[float, float] | None = None
    """In shares of width and height; null measures the whole pictures."""


@api.post("/side-by-side", responses={200: f.SideOut})
def side_by_side(body: SideIn) -> Any:
    """Sharpness and exposure of frames against each other."""
    return {"frames": comparing.compare(context(), body.frames, body.spot)}


@api.post("/fit", responses={202: m.JobOut})
def fit(body: CompareIn) -> Any:
    """Starts a fit check; its result stands in the job."""
    asked = Compare(source=body.source, versions=tuple(body.versions), balance=body.balance)
    return work.as_dict(light.FIT.submit(context(), f"Fit check: {len(body.versions)} frames", asked)), 202


@api.post("/even", responses={202: m.JobOut})
def even(body: CompareIn) -> Any:
    """Starts the measuring for evening out; its result stands in the job and changes nothing by itself."""
    asked = Compare(source=body.source, versions=tuple(body.versions), balance=body.balance)
    return work.as_dict(light.EVEN.submit(context(), f"Even out: {len(body.versions)} frames", asked)), 202


@api.post("/carry/found", responses={202: m.JobOut})
def carry_found(body: Carry) -> Any:
    """Starts carrying passes whose areas are found again on every frame: a job with the same result."""
    return work.as_dict(carry_areas.start(context(), body)), 202


@api.post("/carry", responses={200: f.CarriedOut})
def carry_over(body: Carry) -> Any:
    """Puts adjustments on many versions as one step."""
    return carry.carry(context(), body)


@api.get("/bulk", responses={200: f.BulksOut})
def bulk_steps(query: BulkQuery) -> Any:
    """The newest steps over many frames."""
    return {"steps": carry.recent(query.shoot)}


@api.post("/bulk/<int:id>/undo", responses={200: f.MovedOut})
def undo_bulk(path: m.Id) -> Any:
    """Takes a step over many frames back."""
    return carry.undo(path.id)


@api.post("/bulk/<int:id>/redo", responses={200: f.MovedOut})
def redo_bulk(path: m.Id) -> Any:
    """Makes it again."""
    return carry.redo(path.id)


@api.get("/recipe-presets", responses={200: f.RecipePresetsOut})
def presets() -> Any:
    """Presets of adjustments, with what they set in words."""
    return recipe_presets.listed(context())


@api.post("/recipe-presets", responses={201: f.RecipePresetOut})
def save_preset(body: SavePresetIn) -> Any:
    """Keeps adjustments of a version as a preset."""
    answer = recipe_presets.save(context(), body.version, body.operations, body.name, body.folder, body.note, body.replace)
    return answer, 201


@api.post("/recipe-presets/import", responses={201: f.RecipePresetOut})
def import_preset(body: PresetTextIn) -> Any:
    """Takes in a preset from a file."""
    return recipe_presets.take_in(context(), body.text.encode(), body.replace), 201


@api.patch("/recipe-presets", responses={200: f.RecipePresetOut})
def rename_preset(body: RenamePresetIn) -> Any:
    """Another name or folder."""
    return recipe_presets.rename(context(), body.id, body.name, body.folder)


@api.delete("/recipe-presets", responses={200: f.PresetTextOut})
def delete_preset(query: PresetIdQuery) -> Any:
    """Takes a preset away; the answer is what it was, to put it back."""
    return {"text": recipe_presets.delete(context(), query.id)}


@api.post("/recipe-presets/values", responses={200: f.PresetValuesOut})
def preset_values(body: PresetValuesIn) -> Any:
    """What a preset sets on a version at a strength, and what that changes."""
    return recipe_presets.values(context(), body.id, body.version, body.strength)


@api.get("/recipe-presets/file")
def preset_file(query: PresetIdQuery) -> Any:
    """A preset as a file, to pass on."""
    preset = recipe_presets.get(context().home, query.id)
    answer = Response(preset.to_json(), mimetype="application/json")
    answer.headers.set("Content-Disposition", "attachment", filename=f"{preset.name}.json")
    return answer
