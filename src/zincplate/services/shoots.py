"""Shoots and their frames: list, make, mark."""

import re
import unicodedata
from typing import Any

import peewee

from zincplate.formats.capture import CaptureData
from zincplate.services.context import NotFound, UserError
from zincplate.services.pictures import thumb_key
from zincplate.store.database import database
from zincplate.store.models import Delivered, Frame, Refusal, Shoot, Version

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
        .group_by(Frame.shoot)
        .dicts()
    }
    adjusted = dict(
        Version.select(Frame.shoot, peewee.fn.COUNT(peewee.fn.DISTINCT(Frame.id)))
        .join(Frame)
        .where(Version.adjusted)
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
    query = (
        Version.select(Version.id, Version.recipe_hash, Version.adjusted, Version.frame, Frame.content_hash, Frame.thumb_state)
        .join(Frame)
        .where(Frame.shoot == shoot_id, Version.number == 1, Frame.mark != "drop")
        .order_by(peewee.Case(None, [(Frame.mark == "keep", 0)], 1), Frame.captured_at, Frame.name)
    )
    rows = list(query)
    step = max(len(rows) / number, 1)
    picked = [rows[int(i * step)] for i in range(min(number, len(rows)))]
    return [{"version": v.id, "thumb": thumb_key(v.frame, v)} for v in picked]


def frames(shoot_id: int) -> list[dict[str, Any]]:
    """All frames of a shoot in the order they were taken, each with its first version."""
    get(shoot_id)
    delivered: dict[int, int] = dict(
        Delivered.select(Frame.id, peewee.fn.COUNT(Delivered.id))
        .join(Version)
        .join(Frame)
        .where(Frame.shoot == shoot_id)
        .group_by(Frame.id)
        .tuples()
    )
    rows = (
        Version.select(Version, Frame)
        .join(Frame)
        .where(Frame.shoot == shoot_id, Version.number == 1)
        .order_by(Frame.captured_at, Frame.name, Frame.id)
    )
    return [frame_dict(v.frame, v, delivered.get(v.frame.id, 0)) for v in rows]


def find(shoot_id: int, text: str) -> list[int]:
    """Frames of a shoot in whose name, facts or description every word occurs; case and accents do not matter."""
    get(shoot_id)
    query = Frame.select(Frame.id).where(Frame.shoot == shoot_id)
    for word in text.split()[:MOST_WORDS]:
        query = query.where(Frame.words.contains(word))
    return [row.id for row in query.order_by(Frame.id)]


_PLAIN = CaptureData()
MOST_WORDS = 20
_LISTED = {
    name: getattr(_PLAIN, name)
    for name in (
        "file_type", "width", "height", "bits", "channels", "raw", "orientation", "colour_space", "camera_make", "camera_model",
        "lens", "exposure_time_s", "f_number", "iso", "focal_length_mm", "captured_at", "own_lens",
    )
}  # fmt: skip
"""Facts that lists of frames hold; all of them are told one frame at a time."""


def frame_dict(frame: Frame, version: Version, delivered: int) -> dict[str, Any]:
    """JSON-ready facts of a frame."""
    return {
        "id": frame.id,
        "shoot": frame.shoot_id,
        "name": frame.name,
        "content_hash": frame.content_hash,
        "size_bytes": frame.size_bytes,
        "capture": {name: frame.capture.get(name, empty) for name, empty in _LISTED.items()},
        "raw": frame.raw,
        "mark": frame.mark,
        "stars": frame.stars,
        "label": frame.label,
        "thumb_state": frame.thumb_state,
        "version": version.id,
        "thumb": thumb_key(frame, version),
        "adjusted": version.adjusted,
        "delivered": delivered,
    }


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
    Frame.update(**values).where(Frame.id.in_(frame_ids)).execute()
    return found
