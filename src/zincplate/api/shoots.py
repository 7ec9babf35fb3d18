"""Shoots, frames, marks, bringing in."""

import json
import re
import secrets
from pathlib import Path
from typing import Any

from flask import Response, current_app, request, send_file
from flask_openapi3 import APIBlueprint

from zincplate.api import models as m
from zincplate.api.context import context
from zincplate.formats.files import whole_file
from zincplate.services import (
    bring_in,
    describing,
    frame_lists,
    labels,
    originals,
    overview,
    pictures,
    recipe_presets,
    sets,
    shoots,
    versions,
    views,
    watching,
    work,
)
from zincplate.services.context import UserError
from zincplate.services.watching import Watched

KEPT_FOR_GOOD = "max-age=31536000, immutable"
"""Of what an address names by its content (RFC 8246)."""

api = APIBlueprint("shoots", __name__, url_prefix="/api", abp_responses={422: m.ErrorOut})


def _card() -> dict[str, Any]:
    folder = context().home.card
    if not folder.is_dir():
        return {"present": False}
    files = [p for p in folder.rglob("*") if p.is_file() and not p.name.startswith(".")]
    return {"present": bool(files), "name": "HARROW", "files": len(files)}


@api.get("/shoots", responses={200: m.ShootsOut})
def list_shoots() -> Any:
    """All shoots with counts and covers, and the memory card if one is in."""
    return {"shoots": _overviews().all(), "card": _card()}


def _overviews() -> overview.Overviews:
    """One for the process."""
    found: overview.Overviews = current_app.extensions.setdefault("zincplate-overviews", overview.Overviews())
    return found


def _lists() -> frame_lists.KeptLists:
    """One for the process."""
    found: frame_lists.KeptLists = current_app.extensions.setdefault("zincplate-lists", frame_lists.KeptLists())
    return found


@api.get("/shoots/<int:id>/frames", responses={200: m.FramesOut})
def frames(path: m.Id, query: m.SinceQuery) -> Any:
    """Frames of a shoot in columns, or what changed of them, and the files that were refused."""
    beside = {
        "sets": sets.of_shoot(path.id),
        "watched": watching.of_shoot(context().home, path.id),
        "refusals": shoots.refusals(path.id),
    }
    if query.since is not None:
        return {**frame_lists.columns(path.id, query.since.replace(tzinfo=None)), **beside}
    text = json.dumps({**frame_lists.about(path.id), "removed": [], **beside})
    return Response(f'{text[:-1]}, "columns": {_lists().columns(path.id)}}}', mimetype="application/json")


@api.post("/frames/remove", responses={200: m.CountOut})
def remove(body: m.FramesIn) -> Any:
    """Takes frames out of their shoot; nothing is deleted."""
    return {"frames": shoots.remove(body.frames)}


@api.post("/frames/restore", responses={200: m.CountOut})
def restore(body: m.FramesIn) -> Any:
    """Brings frames back that were taken out."""
    return {"frames": shoots.restore(body.frames)}


@api.get("/shoots/<int:id>/find", responses={200: m.FoundOut})
def find(path: m.Id, query: m.FindQuery) -> Any:
    """Frames by what is written about them."""
    return {"frames": shoots.find(path.id, query.text)}


@api.put("/uploads/<string:batch>/<path:name>", responses={201: m.UploadOut})
def upload(path: m.UploadPath) -> Any:
    """One dropped file, as raw body; kept until the batch is brought in."""
    name = re.sub(r"[\x00-\x1f/\\]", "_", Path(path.name).name).lstrip(".") or "unnamed"
    # a folder for each: two files of one name, from different folders, are two files
    folder = context().home.cache / "incoming" / path.batch / secrets.token_hex(8)
    folder.mkdir(parents=True)
    size = 0
    with whole_file(folder / name, replace=False) as file:
        while block := request.stream.read(1 << 20):
            size += file.write(block)
        if request.content_length is not None and size != request.content_length:
            raise UserError(f"{name}: Only {size:,} of {request.content_length:,} bytes came. Drop it again.")
    return {"name": name, "size_bytes": size}, 201


def _at_home(text: str) -> Path:
    """A folder as a person writes it."""
    if "\0" in text:
        raise UserError("A folder's name has no such characters.")
    try:
        return Path(text).expanduser()
    except RuntimeError as error:
        raise UserError(f"{text.split('/')[0]}: There is no such user.") from error


@api.post("/bring-in", responses={202: m.BringInOut})
def start_bring_in(body: m.BringInIn) -> Any:
    """Starts the job that brings files in. A new shoot is made only when there is something to bring into it."""
    if (known := work.of_request(body.request_key)) is not None:
        return {"shoot": known.arguments["shoot_id"], "job": work.as_dict(known)}, 202
    home = context().home
    if body.source == "uploads":
        folder = home.cache / "incoming" / body.batch
        if not body.batch or not folder.is_dir():
            raise UserError("The dropped files are not there any more. Drop them again.")
        paths = bring_in.beside_dropped(folder)
    else:
        folder = home.card if body.source == "card" else _at_home(body.folder.strip())
        if body.source == "folder" and not body.folder.strip():
            raise UserError("Name the folder to bring in.")
        if not folder.is_absolute():
            raise UserError(f"{body.folder}: Give the whole path of the folder, starting with /.")
        paths = bring_in.files_in(folder)
    if body.preset:
        recipe_presets.get(home, body.preset)  # refused before anything is made
    shoot = shoots.get(body.shoot) if body.shoot is not None else shoots.create(body.name)
    job = bring_in.start(
        context(),
        shoot,
        paths,
        reference=body.reference,
        move=body.source == "uploads",
        preset=body.preset,
        folders_from=str(folder) if body.keep_folders and body.source != "uploads" else "",
        request_key=body.request_key,
    )
    if body.watch and body.source == "folder":
        watched = Watched(
            shoot=shoot.id, folder=str(folder), reference=body.reference, preset=body.preset, keep_folders=body.keep_folders
        )
        watching.watch(home, watched)
    if job.arguments["shoot_id"] != shoot.id and body.shoot is None:
        shoot.delete_instance()  # the same request, sent twice at once: the other one's shoot gets the frames
    return {"shoot": job.arguments["shoot_id"], "job": work.as_dict(job)}, 202


@api.post("/shoots/<int:id>/sets", responses={202: m.JobOut})
def propose_sets(path: m.Id) -> Any:
    """Proposes sets among frames about which nothing was decided."""
    return sets.start(context(), path.id), 202


@api.delete("/shoots/<int:id>/watch", responses={200: m.WatchOut})
def leave_watching(path: m.Id) -> Any:
    """No longer watches a folder for a shoot."""
    watching.leave(context().home, path.id)
    return {"folder": ""}


@api.post("/sets", responses={201: m.SetMadeOut})
def make_set(body: m.SetIn) -> Any:
    """A set made by hand."""
    return sets.make(body.frames, body.kind, body.name), 201


@api.post("/sets/keep", responses={200: m.CountOut})
def keep_sets(body: m.SetsIn) -> Any:
    """Accepts proposed sets."""
    return {"frames": sets.keep(body.sets)}


@api.patch("/sets/<int:id>", responses={200: m.SetMadeOut})
def change_set(path: m.Id, body: m.SetChangeIn) -> Any:
    """Another kind or name."""
    return sets.change(path.id, body.kind, body.name)


@api.post("/sets/leave", responses={200: m.CountOut})
def leave_sets(body: m.FramesIn) -> Any:
    """Frames leave their sets."""
    return {"frames": sets.take_out(body.frames)}


@api.post("/frames/description", responses={200: m.DescriptionOut})
def description(body: m.FramesIn) -> Any:
    """What frames have in common of what is written about them."""
    return describing.summary(body.frames)


@api.patch("/frames/description", responses={200: m.DescribedOut})
def describe(body: m.DescribeIn) -> Any:
    """Writes about many frames; the answer undoes it."""
    return {"before": describing.describe(body.frames, body.description)}


@api.post("/frames/description/undo", responses={200: m.CountOut})
def undo_description(body: m.DescribedIn) -> Any:
    """Takes back what was written."""
    return {"frames": describing.put_back(body.before)}


@api.get("/labels", responses={200: m.LabelsOut})
def get_labels() -> Any:
    """Labels in the user's words."""
    return {"labels": [label.model_dump() for label in labels.labels(context().home)]}


@api.put("/labels", responses={200: m.LabelsOut})
def put_labels(body: m.LabelsIn) -> Any:
    """Replaces them; what frames carry stays."""
    return {"labels": [label.model_dump() for label in labels.set_labels(context().home, body.labels)]}


@api.patch("/frames/marks", responses={200: m.CountOut})
def set_marks(body: m.MarksIn) -> Any:
    """Mark, stars or label of many frames."""
    return {"frames": shoots.mark_frames(body.frames, mark=body.mark, stars=body.stars, label=body.label)}


@api.get("/versions/<int:id>/thumb")
def thumb(path: m.Id) -> Any:
    """The small picture of a version. Its address names what it shows, so that it may be kept for good."""
    key = request.args.get("shows", "")
    if (kept := pictures.kept_picture(context().home, path.id, key)) is not None:
        return Response(kept, mimetype="image/jpeg", headers={"Cache-Control": KEPT_FOR_GOOD})
    version = versions.get(path.id)
    asked_for = key == pictures.thumb_key(version.frame, version)
    jpeg, current = pictures.small_picture(context(), version)
    return Response(
        jpeg, mimetype="image/jpeg", headers={"Cache-Control": KEPT_FOR_GOOD if asked_for and current else "no-store"}
    )


@api.get("/frames/<int:id>/preview")
def preview(path: m.Id) -> Any:
    """The camera's own preview, upright; 204 when the file holds none."""
    frame = views.frame_of(path.id)
    file = originals.preview_path(context().home, frame.content_hash)
    return send_file(file, mimetype="image/jpeg", max_age=86_400) if file.is_file() else ("", 204)
