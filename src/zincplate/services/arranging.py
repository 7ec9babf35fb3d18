"""How the frames of a shoot are arranged: their names, folders, order by hand, and what becomes of those taken out.

A frame's name is what lists and deliveries call it. Its file keeps the name it came with (``file_name``): originals are not
renamed, and recipes beside them are found as before.
"""

import json
import logging
import re
from datetime import datetime
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from zincplate.formats.capture import CaptureData
from zincplate.formats.facts_in_words import searched
from zincplate.services import shoots
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.originals import forget as originals_forget
from zincplate.services.originals import preview_path
from zincplate.services.pictures import forget, thumb_name
from zincplate.services.versions import readable_path
from zincplate.store.database import database
from zincplate.store.models import Frame, Shoot, Version, now

LONGEST_NAME = 200
LONGEST_FOLDER = 400
CLOSEST = 1e-6
"""Places by hand nearer than this are dealt out anew."""
FIELDS = re.compile(r"\{(name|number|date|time|shoot)\}")
log = logging.getLogger(__name__)


class Arranged(BaseModel):
    """How a frame was arranged before."""

    model_config = ConfigDict(extra="forbid")

    frame: int
    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    folder: str = Field(max_length=LONGEST_FOLDER)
    hand_place: float | None


def _frames(frame_ids: list[int]) -> list[Frame]:
    """In the order that was given, without recipes."""
    fields = (
        Frame.id, Frame.shoot, Frame.name, Frame.file_name, Frame.folder, Frame.hand_place, Frame.captured_at, Frame.capture,
    )  # fmt: skip
    found = {f.id: f for f in Frame.select(*fields).where(Frame.id.in_(frame_ids), Frame.removed_at.is_null())}
    if len(found) != len(set(frame_ids)) or not found:
        raise NotFound("One of these frames is not there any more.")
    return [found[i] for i in dict.fromkeys(frame_ids)]


def _as_before(frame: Frame) -> dict[str, Any]:
    return {"frame": frame.id, "name": frame.name, "folder": frame.folder, "hand_place": frame.hand_place}


def names(frame_ids: list[int], pattern: str, first_number: int = 1) -> list[str]:
    """What frames would be called. In a pattern ``{name}`` stands for the name so far, ``{number}`` for a running number,
    ``{date}`` and ``{time}`` for when it was taken, ``{shoot}`` for the shoot; the file's ending stays.

    Raises ``UserError`` for a pattern that gives several frames one name, or a name that cannot be a file's.
    """
    return _names(_frames(frame_ids), pattern, first_number)


def _names(frames: list[Frame], pattern: str, first_number: int) -> list[str]:
    pattern = " ".join(pattern.split())
    if not pattern:
        raise UserError("Give a name.")
    if unknown := set(re.findall(r"\{[^{}]*\}", pattern)) - {f"{{{n}}}" for n in ("name", "number", "date", "time", "shoot")}:
        raise UserError(f"There is no {sorted(unknown)[0]}; there are {{name}}, {{number}}, {{date}}, {{time}} and {{shoot}}.")
    fields = set(FIELDS.findall(pattern))
    if len(frames) > 1 and not fields & {"name", "number"}:
        raise UserError("All of them would have one name. Put {number} or {name} into it.")
    digits = max(2, len(str(first_number + len(frames) - 1)))
    called = dict(Shoot.select(Shoot.id, Shoot.name).where(Shoot.id.in_({f.shoot_id for f in frames})).tuples())
    made = []
    for number, frame in enumerate(frames, first_number):
        taken: datetime | None = frame.captured_at
        stem, ending = Path(frame.name).stem, Path(frame.file_name or frame.name).suffix
        values = {
            "name": stem,
            "number": f"{number:0{digits}d}",
            "date": taken.strftime("%Y-%m-%d") if taken else "undated",
            "time": taken.strftime("%H%M%S") if taken else "undated",
            "shoot": called.get(frame.shoot_id, ""),
        }
        name = FIELDS.sub(lambda found: values[found[1]], pattern).strip() + ending  # noqa: B023
        if len(name) > LONGEST_NAME:
            raise UserError(f"{name[:60]}…: A name has at most {LONGEST_NAME} characters.")
        if re.search(r"[/\\\x00-\x1f\x7f]", name) or name.startswith("."):
            raise UserError(f"{name}: A name holds no / or \\ and does not begin with a dot.")
        made.append(name)
    return made


def rename(frame_ids: list[int], pattern: str, first_number: int = 1) -> list[dict[str, Any]]:
    """Calls frames by a pattern (:func:`names`). Returns how they were arranged before, for :func:`put_back`."""
    with database.atomic():
        frames = _frames(frame_ids)
        made = _names(frames, pattern, first_number)
        for frame, name in zip(frames, made, strict=True):
            _call(frame, name)
    return [_as_before(frame) for frame in frames]


def _call(frame: Frame, name: str) -> None:
    """The name it came with is still found."""
    every = dict.fromkeys((name, frame.file_name or name))
    words = "\n".join((*every, searched(CaptureData.of(frame.capture))))
    Frame.update(name=name, words=words, changed_at=now()).where(Frame.id == frame.id).execute()


def folder_text(text: str) -> str:
    """A folder of a shoot as it is kept: parts with / between. Raises ``UserError``."""
    parts = [" ".join(part.split()) for part in text.split("/")]
    parts = [part for part in parts if part]
    if any(part in (".", "..") or re.search(r"[\\\x00-\x1f\x7f]", part) for part in parts):
        raise UserError(f"{text}: A folder's name holds no \\ and is not . or ..")
    folder = "/".join(parts)
    if len(folder) > LONGEST_FOLDER:
        raise UserError(f"{folder[:60]}…: A folder's name has at most {LONGEST_FOLDER} characters.")
    return folder


def put_into(frame_ids: list[int], folder: str) -> list[dict[str, Any]]:
    """Puts frames into a folder of their shoot; empty takes them out. Returns how they were before."""
    folder = folder_text(folder)
    with database.atomic():
        frames = _frames(frame_ids)
        Frame.update(folder=folder, changed_at=now()).where(Frame.id.in_([f.id for f in frames])).execute()
    return [_as_before(frame) for frame in frames]


def in_hand_order(shoot_id: int) -> list[tuple[int, float | None]]:
    """Frames of a shoot with their places, in the order by hand; what has none yet follows in the order it was taken."""
    order = (Frame.hand_place.is_null(), Frame.hand_place, Frame.captured_at.is_null(), Frame.captured_at, Frame.name, Frame.id)
    rows = Frame.select(Frame.id, Frame.hand_place).where(Frame.shoot == shoot_id, Frame.removed_at.is_null())
    return [(int(i), place) for i, place in rows.order_by(*order).tuples()]


def place(shoot_id: int, frame_ids: list[int], before: int | None) -> list[dict[str, Any]]:
    """Puts frames, in the order that is given, before another frame of the shoot, or at the end. Only their rows change; when
    there is no room left between two, or some have no place yet, all get one. Returns how those that changed were before."""
    moved = list(dict.fromkeys(frame_ids))
    shoots.get(shoot_id)
    with database.atomic():
        Shoot.select(Shoot.id).where(Shoot.id == shoot_id).for_update().get()  # two that move at once take turns
        rows = in_hand_order(shoot_id)
        here = {i for i, _ in rows}
        if not moved or not set(moved) <= here or (before is not None and before not in here):
            raise NotFound("One of these frames is not there any more.")
        if before in moved:
            raise UserError("Frames cannot be put before one of themselves.")
        others = [(i, p) for i, p in rows if i not in set(moved)]
        at = next((k for k, (i, _) in enumerate(others) if i == before), len(others))
        low = others[at - 1][1] if at else None
        high = others[at][1] if at < len(others) else None
        known = all(p is not None for _, p in others)
        if low is None:
            low = (high if high is not None else 1.0) - len(moved) - 1.0
        if high is None:
            high = low + len(moved) + 1.0
        step = (high - low) / (len(moved) + 1)
        if known and step > CLOSEST:
            places = {i: low + step * (k + 1) for k, i in enumerate(moved)}
        else:
            order = [*(i for i, _ in others[:at]), *moved, *(i for i, _ in others[at:])]
            was = dict(rows)
            places = {i: float(k + 1) for k, i in enumerate(order) if was[i] != float(k + 1)}
        changed = list(Frame.select(Frame.id, Frame.name, Frame.folder, Frame.hand_place).where(Frame.id.in_(list(places))))
        _set_places(list(places.items()))
    return [_as_before(frame) for frame in changed]


def _set_places(places: list[tuple[int, float | None]]) -> None:
    """In one statement: ten thousand rows take a tenth of a second."""
    if not places:
        return
    table = "JSON_TABLE(%s, '$[*]' COLUMNS (id INT PATH '$[0]', place DOUBLE PATH '$[1]')) AS wanted"
    statement = f"UPDATE frame JOIN {table} ON frame.id = wanted.id SET frame.hand_place = wanted.place, frame.changed_at = %s"  # noqa: S608
    database.execute_sql(statement, (json.dumps(places), now()))


def put_back(before: list[Arranged]) -> int:
    """Undoes renaming, folders and places; returns for how many frames."""
    rows = {row.frame: row for row in before}
    with database.atomic():
        fields = (Frame.id, Frame.name, Frame.file_name, Frame.folder, Frame.capture)
        frames = list(Frame.select(*fields).where(Frame.id.in_(list(rows))))
        for frame in frames:
            row = rows[frame.id]
            if row.name != frame.name:
                _call(frame, row.name)
            if row.folder != frame.folder:
                Frame.update(folder=folder_text(row.folder)).where(Frame.id == frame.id).execute()
        _set_places([(f.id, rows[f.id].hand_place) for f in frames])
    return len(frames)


def taken_out(shoot_id: int) -> list[dict[str, Any]]:
    """Frames that were taken out of a shoot, the last one first."""
    fields = (Frame, Version.recipe_hash, Version.adjusted)
    rows = (
        Frame.select(*fields)
        .join(Version, on=(Version.id == Frame.cover_id))
        .where(Frame.shoot == shoot_id, Frame.removed_at.is_null(False))
        .order_by(Frame.removed_at.desc(), Frame.id)
    )
    return [
        {
            "id": f.id,
            "name": f.name,
            "version": f.cover_id,
            "thumb_state": f.thumb_state,
            "thumb": thumb_name(f.content_hash, f.thumb_state, f.version.recipe_hash, f.version.adjusted),
            "size_bytes": f.size_bytes,
            "referenced": f.referenced,
            "removed_at": f.removed_at.isoformat(),
        }
        for f in rows
    ]


def erase(context: Context, frame_ids: list[int], originals: bool) -> dict[str, int]:
    """Deletes frames that were taken out, with their versions and histories, for good. ``originals`` deletes our copies of their
    files too, unless another frame is made of the same; files that are only referred to are never touched. Delivered files stay.

    Returns the numbers of frames and of files deleted, and the bytes that are free now.
    """
    home, files, freed = context.home, 0, 0
    frames = list(Frame.select().where(Frame.id.in_(frame_ids), Frame.removed_at.is_null(False)))
    for frame in frames:
        versions = list(Version.select().where(Version.frame == frame))
        readable = [readable_path(home, version) for version in versions]
        with database.atomic():
            # brought back, or brought in again, by another tab meanwhile: then it stays
            if not Frame.delete().where(Frame.id == frame.id, Frame.removed_at.is_null(False)).execute():
                continue
        for path in readable:
            path.unlink(missing_ok=True)
        for version in versions:
            forget(home, version.id)
        others = Frame.select().where(Frame.content_hash == frame.content_hash).exists()
        if not others:
            preview_path(home, frame.content_hash).unlink(missing_ok=True)
        if originals and not frame.referenced and not Frame.select().where(Frame.path == frame.path).exists():
            if originals_forget(home, frame.path):
                files, freed = files + 1, freed + frame.size_bytes
            log.info("%s: the original was deleted, as asked", frame.path)
    return {"frames": len(frames), "files": files, "freed_bytes": freed}
