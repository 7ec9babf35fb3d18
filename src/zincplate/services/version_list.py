"""The versions of a frame: new, duplicate, name, delete and bring back, the cover, and how two of them differ."""

from typing import Any

import peewee

from zincplate.recipe.document import Recipe
from zincplate.recipe.words import compared_in_words
from zincplate.services import history
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.pictures import thumb_key, thumb_name
from zincplate.services.versions import get, live, readable_path, recipe_hash, touch, write_readable
from zincplate.store.database import database
from zincplate.store.models import Frame, HistoryEntry, Version, now

MOST = 200
LONGEST_NAME = 80


def of_frame(frame_id: int) -> list[dict[str, Any]]:
    """All versions of a frame in the order of their numbers."""
    frame = Frame.get_or_none(Frame.id == frame_id)
    if frame is None:
        raise NotFound("There is no such frame.")
    versions = list(Version.select().where(Version.frame == frame, live()).order_by(Version.number))
    return [as_dict(frame, v) for v in versions]


def of_frames(frame_ids: list[int]) -> list[dict[str, Any]]:
    """Every version of many frames, frames in the order given; recipes are not read."""
    fields = (
        Version.id, Version.frame, Version.number, Version.name, Version.recipe_hash, Version.adjusted, Frame.name,
        Frame.cover_id, Frame.content_hash, Frame.thumb_state,
    )  # fmt: skip
    rows = Version.select(*fields).join(Frame).where(Version.frame.in_(frame_ids), live(), Frame.removed_at.is_null()).tuples()
    place = {frame_id: i for i, frame_id in enumerate(frame_ids)}
    return [
        {
            "id": version_id,
            "frame": frame_id,
            "frame_name": called,
            "number": number,
            "name": name,
            "cover": cover_id == version_id,
            "thumb": thumb_name(content_hash, state, recipe_hash, bool(adjusted)),
        }
        for version_id, frame_id, number, name, recipe_hash, adjusted, called, cover_id, content_hash, state in sorted(
            rows, key=lambda row: (place[row[1]], row[2])
        )
    ]


def as_dict(frame: Frame, version: Version) -> dict[str, Any]:
    """JSON-ready, with what makes it different from how the frame came in."""
    original, recipe = Recipe.from_document(history.initial(version)), Recipe.from_document(version.recipe)
    return {
        "id": version.id,
        "frame": frame.id,
        "number": version.number,
        "name": version.name,
        "revision": version.revision,
        "adjusted": version.adjusted,
        "cover": frame.cover_id == version.id,
        "thumb": thumb_key(frame, version),
        "words": compared_in_words(original, recipe),
    }


def create(context: Context, frame_id: int, like: int | None, name: str = "") -> dict[str, Any]:
    """A new version: as the frame came in, or like another of its versions. Its history begins with the frame."""
    with database.atomic():
        frame = Frame.select().where(Frame.id == frame_id).for_update().get_or_none()
        if frame is None:
            raise NotFound("There is no such frame.")
        numbers = Version.select(peewee.fn.MAX(Version.number), peewee.fn.COUNT(Version.id)).where(Version.frame == frame)
        highest, count = numbers.tuples().get()
        if count >= MOST:
            raise UserError(f"A frame has at most {MOST} versions. Delete some first.")
        first = Version.select().where(Version.frame == frame).order_by(Version.number).get()
        original = history.initial(first)
        version = Version.create(
            frame=frame, number=highest + 1, name=_name(name), recipe=original, recipe_hash=recipe_hash(original), revision=1
        )
        HistoryEntry.create(version=version, position=0, words="As it came in", recipe=original)
        if like is not None:
            model = Version.get_or_none(Version.id == like, Version.frame == frame, live())
            if model is None:
                raise NotFound("There is no such version to copy.")
            if model.recipe != original:
                words = f"Copied from {title(model)}"
                HistoryEntry.create(**history.row(version, original, model.recipe, 1, words))
                version.recipe, version.recipe_hash, version.position = model.recipe, model.recipe_hash, 1
                version.adjusted = model.adjusted
                version.save()
        touch(version)
    write_readable(context.home, version)
    return as_dict(frame, version)


def title(version: Version) -> str:
    """Its name, or its number."""
    return version.name or f"version {version.number}"


def _name(name: str) -> str:
    name = " ".join(name.split())
    if len(name) > LONGEST_NAME:
        raise UserError(f"A version's name has at most {LONGEST_NAME} characters.")
    return name


def rename(version_id: int, name: str) -> dict[str, Any]:
    """Another name; empty takes it away."""
    version = get(version_id)
    Version.update(name=_name(name)).where(Version.id == version.id).execute()
    touch(version)
    return as_dict(version.frame, get(version_id))


def choose_cover(version_id: int) -> dict[str, Any]:
    """The version that stands for its frame in lists."""
    version = get(version_id)
    Frame.update(cover_id=version.id, changed_at=now()).where(Frame.id == version.frame_id).execute()
    return as_dict(Frame.get_by_id(version.frame_id), version)


def delete(context: Context, version_id: int) -> dict[str, Any]:
    """Takes a version away; :func:`restore` brings it back with its whole history. A frame keeps one at least."""
    with database.atomic():
        version = get(version_id)
        frame = Frame.select().where(Frame.id == version.frame_id).for_update().get()
        others = list(Version.select().where(Version.frame == frame, Version.id != version.id, live()).order_by(Version.number))
        if not others:
            raise UserError("This is the frame's only version. Make another one first.")
        Version.update(deleted_at=now()).where(Version.id == version.id).execute()
        cover = others[0].id if frame.cover_id == version.id else frame.cover_id
        Frame.update(cover_id=cover, changed_at=now()).where(Frame.id == frame.id).execute()
    readable_path(context.home, version).unlink(missing_ok=True)
    return {"cover": cover}


def restore(context: Context, version_id: int) -> dict[str, Any]:
    """Brings a deleted version back."""
    Version.update(deleted_at=None).where(Version.id == version_id).execute()
    version = get(version_id)
    touch(version)
    if version.revision:
        write_readable(context.home, version)
    return as_dict(version.frame, version)


def compared(first_id: int, second_id: int) -> list[str]:
    """How the second version shows the frame differently from the first, in words."""
    first, second = get(first_id), get(second_id)
    return compared_in_words(Recipe.from_document(first.recipe), Recipe.from_document(second.recipe))
