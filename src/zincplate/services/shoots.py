"""Shoots and their frames: list, make, mark."""

import re
import unicodedata
from typing import Any

import peewee

from zincplate.services.context import NotFound, UserError
from zincplate.store.database import database
from zincplate.store.models import Frame, Refusal, Shoot, Version, now

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
