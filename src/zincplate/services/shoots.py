"""Shoots and their frames: list, make, mark."""

import json
import re
import unicodedata
from datetime import datetime, timedelta
from typing import Any

import peewee

from zincplate.services.context import NotFound, UserError
from zincplate.services.pictures import thumb_key, thumb_name
from zincplate.services.versions import live
from zincplate.store.database import database
from zincplate.store.models import Delivered, Frame, Refusal, Shoot, Version, now

MARKS = ("", "keep", "maybe", "drop")


def folder_name(name: str) -> str:
    """A shoot's name -> a plain folder name."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:80] or "shoot"


def create(name: str) -> Shoot:
    """A new, empty shoot."""
    name = name.strip()
    if not name or len(name) > 120:
        raise UserError("A shoot needs a name of 1 to 120 characters.")
    base, number = folder_name(name), 1
    while True:
        folder = base if number == 1 else f"{base}-{number}"
        try:
            with database.atomic():
                return Shoot.create(name=name, folder=folder)
        except peewee.IntegrityError:
            number += 1


def get(shoot_id: int) -> Shoot:
    """One shoot; raises :class:`NotFound`."""
    shoot = Shoot.get_or_none(Shoot.id == shoot_id)
    if shoot is None:
        raise NotFound("There is no such shoot.")
    return shoot


def overview() -> list[dict[str, Any]]:
    """All shoots, newest first, with counts and covers."""
    counts = {
        row["shoot"]: row
        for row in Frame.select(
            Frame.shoot,
            peewee.fn.COUNT(Frame.id).alias("frames"),
            peewee.fn.SUM(peewee.Case(None, [(Frame.mark == "keep", 1)], 0)).alias("kept"),
            peewee.fn.MIN(Frame.captured_at).alias("first"),
            peewee.fn.MAX(Frame.captured_at).alias("last"),
            peewee.fn.SUM(Frame.size_bytes).alias("bytes"),
        )
        .where(Frame.removed_at.is_null())
        .group_by(Frame.shoot)
        .dicts()
    }
    adjusted = dict(
        Version.select(Frame.shoot, peewee.fn.COUNT(peewee.fn.DISTINCT(Frame.id)))
        .join(Frame)
        .where(Version.adjusted, live(), Frame.removed_at.is_null())
        .group_by(Frame.shoot)
        .tuples()
    )
    delivered = dict(
        Delivered.select(Frame.shoot, peewee.fn.COUNT(peewee.fn.DISTINCT(Frame.id)))
        .join(Version)
        .join(Frame)
        .group_by(Frame.shoot)
        .tuples()
    )
    refused = dict(Refusal.select(Refusal.shoot, peewee.fn.COUNT(Refusal.id)).group_by(Refusal.shoot).tuples())
    result = []
    for shoot in Shoot.select().order_by(Shoot.created_at.desc(), Shoot.id.desc()):
        row = counts.get(shoot.id, {})
        result.append(
            {
                "id": shoot.id,
                "name": shoot.name,
                "created_at": shoot.created_at.isoformat(),
                "frames": int(row.get("frames") or 0),
                "kept": int(row.get("kept") or 0),
                "adjusted": adjusted.get(shoot.id, 0),
                "delivered": delivered.get(shoot.id, 0),
                "refused": refused.get(shoot.id, 0),
                "size_bytes": int(row.get("bytes") or 0),
                "first_at": row["first"].isoformat() if row.get("first") else "",
                "last_at": row["last"].isoformat() if row.get("last") else "",
                "covers": _covers(shoot.id),
            }
        )
    return result


def _covers(shoot_id: int, number: int = 6) -> list[dict[str, Any]]:
    """Kept frames first, spread over the shoot."""
    here = (Frame.shoot == shoot_id) & (Frame.mark != "drop") & Frame.removed_at.is_null()
    order = (peewee.Case(None, [(Frame.mark == "keep", 0)], 1), Frame.captured_at, Frame.name)
    ids = [i for (i,) in Frame.select(Frame.cover_id).where(here).order_by(*order).tuples()]
    step = max(len(ids) / number, 1)
    picked = [ids[int(i * step)] for i in range(min(number, len(ids)))]
    fields = (Version.id, Version.recipe_hash, Version.adjusted, Version.frame, Frame.content_hash, Frame.thumb_state)
    versions = {v.id: v for v in Version.select(*fields).join(Frame).where(Version.id.in_(picked))} if picked else {}
    return [{"version": i, "thumb": thumb_key(versions[i].frame, versions[i])} for i in picked if i in versions]


COLUMNS = (
    "id", "name", "folder", "hand_place", "content_hash", "size_bytes", "raw", "mark", "stars", "label", "thumb_state", "camera",
    "lens", "file_type", "bits", "colour_space", "width", "height", "exposure_time_s", "f_number", "iso", "focal_length_mm",
    "own_lens", "captured_at", "changed_at", "made",
)  # fmt: skip
"""What a list tells of a frame from its own row; recipes and capture data are not read for it."""
SAFE_S = 5.0
"""Changes are told this long again: one that was stamped earlier may be committed later than another."""


def columns(shoot_id: int, since: datetime | None = None) -> dict[str, Any]:
    """The frames of a shoot in the order they were taken, as one list for each fact; ``since`` leaves out what has not changed.

    ``stamp`` is to be given as ``since`` the next time, ``removed`` names frames that are no longer there.
    """
    shoot = get(shoot_id)
    stamp = now() - timedelta(seconds=SAFE_S)
    mine = Frame.shoot == shoot_id
    if since is not None:
        mine &= Frame.changed_at > since
    order = (Frame.captured_at.is_null(), Frame.captured_at, Frame.name, Frame.id)
    fields = [getattr(Frame, name) for name in COLUMNS]
    query = (
        # one JSON array a row: ten thousand rows of thirty fields would take the driver half a second to take apart
        Frame.select(peewee.fn.JSON_ARRAY(*fields, Frame.set_id, Frame.cover_id, Version.recipe_hash, Version.adjusted))
        .join(Version, peewee.JOIN.LEFT_OUTER, on=(Version.id == Frame.cover_id))
        .where(mine, Frame.removed_at.is_null())
        .order_by(*order)
    )
    # straight from the driver: made into rows by peewee they take twice as long
    rows: list[list[Any]] = json.loads(f"[{','.join(text for (text,) in database.execute(query).fetchall())}]")
    lists: dict[str, list[Any]] = {name: [row[i] for row in rows] for i, name in enumerate(COLUMNS)}
    for name in ("captured_at", "changed_at"):
        lists[name] = [_iso(value) for value in lists[name]]
    for name in ("raw", "own_lens"):
        lists[name] = [bool(value) for value in lists[name]]
    here: Any = Version.frame.in_(lists["id"]) if since is not None else Frame.shoot == shoot_id
    several = _several(here) if rows else {}
    delivered = dict(_delivered(here).tuples()) if rows else {}
    lists["version"] = [row[-3] for row in rows]
    lists["versions"] = [several.get(i, (1, False))[0] for i in lists["id"]]
    lists["adjusted"] = [bool(row[-1]) or several.get(row[0], (1, False))[1] for row in rows]
    lists["set"] = [row[-4] or 0 for row in rows]
    lists["delivered"] = [delivered.get(i, 0) for i in lists["id"]]
    lists["thumb"] = [
        thumb_name(content_hash, state, row[-2] or "", bool(row[-1]))
        for content_hash, state, row in zip(lists["content_hash"], lists["thumb_state"], rows, strict=True)
    ]
    gone = Frame.select(Frame.id).where(Frame.shoot == shoot_id, Frame.removed_at.is_null(False))
    if since is not None:
        gone = gone.where(Frame.changed_at > since)
    return {
        "id": shoot.id,
        "name": shoot.name,
        "stamp": stamp.isoformat(),
        "columns": lists,
        "removed": [row.id for row in gone] if since is not None else [],
    }


def _iso(stamp: str | None) -> str:
    """A time as MariaDB writes it in JSON -> ISO 8601, without a fraction of zero."""
    return (stamp or "").replace(" ", "T").removesuffix(".000000")


def _several(here: Any) -> dict[int, tuple[int, bool]]:
    """Frames with more than one version: how many, and whether any is adjusted."""
    count = peewee.fn.COUNT(Version.id)
    rows = (
        Version.select(Version.frame, count, peewee.fn.MAX(Version.adjusted))
        .join(Frame)
        .where(here, live())
        .group_by(Version.frame)
        .having(count > 1)
    )
    return {frame: (int(number), bool(adjusted)) for frame, number, adjusted in rows.tuples()}


def _delivered(here: Any) -> Any:
    return Delivered.select(Frame.id, peewee.fn.COUNT(Delivered.id)).join(Version).join(Frame).where(here).group_by(Frame.id)


def frames(shoot_id: int) -> list[dict[str, Any]]:
    """The same, a row for each frame."""
    lists = columns(shoot_id)["columns"]
    return [dict(zip(lists, values, strict=True)) for values in zip(*lists.values(), strict=True)]


def find(shoot_id: int, text: str) -> list[int]:
    """Frames of a shoot in whose name, facts or description every word occurs; case and accents do not matter."""
    get(shoot_id)
    query = Frame.select(Frame.id).where(Frame.shoot == shoot_id, Frame.removed_at.is_null())
    for word in text.split()[:MOST_WORDS]:
        query = query.where(Frame.words.contains(word))
    return [row.id for row in query.order_by(Frame.id)]


MOST_WORDS = 20


def refusals(shoot_id: int) -> list[dict[str, Any]]:
    """Files that could not be brought in."""
    get(shoot_id)
    rows = Refusal.select().where(Refusal.shoot == shoot_id).order_by(Refusal.id)
    return [{"name": r.name, "reason": r.reason, "created_at": r.created_at.isoformat()} for r in rows]


def mark_frames(frame_ids: list[int], *, mark: str | None = None, stars: int | None = None, label: str | None = None) -> int:
    """Sets mark, stars or label of many frames at once; None leaves as it is. Returns the number of frames."""
    values: dict[str, Any] = {}
    if mark is not None:
        if mark not in MARKS:
            raise UserError(f'There is no mark "{mark}"; there are keep, maybe and drop, or nothing.')
        values["mark"] = mark
    if stars is not None:
        if not 0 <= stars <= 5:
            raise UserError("Stars run from 0 to 5.")
        values["stars"] = stars
    if label is not None:
        values["label"] = label[:40]
    if not values:
        raise UserError("Nothing to mark with: give a mark, stars or a label.")
    found = Frame.select().where(Frame.id.in_(frame_ids)).count() if frame_ids else 0
    if found != len(set(frame_ids)) or not found:
        raise NotFound("One of these frames is not there any more.")
    Frame.update(changed_at=now(), **values).where(Frame.id.in_(frame_ids)).execute()
    return found


def remove(frame_ids: list[int]) -> int:
    """Takes frames out of their shoot; their originals, versions and deliveries stay, and :func:`restore` brings them back."""
    return Frame.update(removed_at=now(), changed_at=now()).where(Frame.id.in_(frame_ids), Frame.removed_at.is_null()).execute()


def restore(frame_ids: list[int]) -> int:
    """Frames that were taken out are there again."""
    return Frame.update(removed_at=None, changed_at=now()).where(Frame.id.in_(frame_ids)).execute()


def put_back(frame: Frame) -> Version:
    """A removed frame that is brought in once more is the same frame, with all that was done to it."""
    restore([frame.id])
    version: Version = Version.get_by_id(frame.cover_id)
    return version
