"""Finding frames across all shoots, and searches that are kept under a name."""

import json
from datetime import date, datetime, time
from typing import Any, Literal

import peewee
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from zincplate.formats.files import write_file
from zincplate.services.context import UserError
from zincplate.services.pictures import thumb_name
from zincplate.services.versions import live
from zincplate.store.home import Home
from zincplate.store.models import Delivered, Frame, Shoot, Version

MOST_WORDS = 20
MOST_KEPT = 100


class Search(BaseModel):
    """What is looked for; everything that is given has to hold."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(default="", max_length=200)
    """Words, each of which occurs in the name, the title, caption, keywords, camera or lens."""
    mark: Literal["any", "keep", "maybe", "drop", "unmarked"] = "any"
    stars: int = Field(default=0, ge=0, le=5)
    label: str = Field(default="", max_length=40)
    camera: str = Field(default="", max_length=120)
    lens: str = Field(default="", max_length=200)
    first_day: date | None = None
    last_day: date | None = None
    adjusted: bool | None = None
    delivered: bool | None = None

    @property
    def nothing(self) -> bool:
        """Nothing was asked for."""
        return self == Search()


def _where(search: Search) -> list[Any]:
    found: list[Any] = [Frame.removed_at.is_null()]
    for word in search.text.split()[:MOST_WORDS]:
        found.append(Frame.words.contains(word))
    if search.mark != "any":
        found.append(Frame.mark == ("" if search.mark == "unmarked" else search.mark))
    if search.stars:
        found.append(Frame.stars >= search.stars)
    for column, wanted in ((Frame.label, search.label), (Frame.camera, search.camera), (Frame.lens, search.lens)):
        if wanted:
            found.append(column == wanted)
    if search.first_day is not None:
        found.append(Frame.captured_at >= datetime.combine(search.first_day, time.min))
    if search.last_day is not None:
        found.append(Frame.captured_at <= datetime.combine(search.last_day, time.max))
    mine = Version.frame == Frame.id
    for wanted_state, query in (
        (search.adjusted, Version.select(Version.id).where(mine, Version.adjusted, live())),
        (search.delivered, Delivered.select(Delivered.id).join(Version).where(mine)),
    ):
        if wanted_state is not None:
            there = peewee.fn.EXISTS(query)
            found.append(there if wanted_state else ~there)
    return found


def find(search: Search, limit: int = 60, start: int = 0) -> dict[str, Any]:
    """Frames that answer a search, newest first: a page of them, and how many there are in all."""
    if search.first_day and search.last_day and search.first_day > search.last_day:
        raise UserError("The first day lies after the last one.")
    where = _where(search)
    total = Frame.select().where(*where).count()
    rows = (
        Frame.select(
            Frame.id, Frame.name, Frame.shoot, Frame.captured_at, Frame.mark, Frame.stars, Frame.label, Frame.width, Frame.height,
            Frame.content_hash, Frame.thumb_state, Frame.cover_id,
        )
        .where(*where)
        .order_by(Frame.captured_at.desc(), Frame.id.desc())
        .limit(limit)
        .offset(start)
    )  # fmt: skip
    frames = list(rows)
    names = dict(Shoot.select(Shoot.id, Shoot.name).where(Shoot.id.in_({f.shoot_id for f in frames})).tuples()) if frames else {}
    covers = {
        version: (recipe_hash, bool(adjusted))
        for version, recipe_hash, adjusted in Version.select(Version.id, Version.recipe_hash, Version.adjusted)
        .where(Version.id.in_([f.cover_id for f in frames]))
        .tuples()
    }
    return {
        "total": total,
        "frames": [
            {
                "id": f.id,
                "name": f.name,
                "shoot": f.shoot_id,
                "shoot_name": names.get(f.shoot_id, ""),
                "captured_at": f.captured_at.isoformat() if f.captured_at else "",
                "mark": f.mark,
                "stars": f.stars,
                "label": f.label,
                "width": f.width,
                "height": f.height,
                "version": f.cover_id,
                "thumb_state": f.thumb_state,
                "thumb": thumb_name(f.content_hash, f.thumb_state, *covers.get(f.cover_id, ("", False))),
            }
            for f in frames
        ],
    }


def known() -> dict[str, list[str]]:
    """Cameras, lenses and labels that occur, for choosing from."""
    return {
        name: sorted(v for (v,) in Frame.select(column).where(column != "").distinct().tuples())
        for name, column in (("cameras", Frame.camera), ("lenses", Frame.lens), ("labels", Frame.label))
    }


class Kept(BaseModel):
    """A search under a name."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=80)
    search: Search


_LIST = TypeAdapter(list[Kept])


def kept_searches(home: Home) -> list[Kept]:
    """Searches of the library's file; none when it cannot be read."""
    try:
        return _LIST.validate_json(home.searches.read_bytes())
    except (OSError, ValidationError):
        return []


def keep_searches(home: Home, searches: list[Kept]) -> list[Kept]:
    """Replaces them; raises :class:`UserError` for doubled names."""
    if len({k.name for k in searches}) != len(searches):
        raise UserError("Every kept search needs a name of its own.")
    text = json.dumps([k.model_dump(mode="json") for k in searches], indent=1, ensure_ascii=False)
    write_file(home.searches, (text + "\n").encode())
    return searches
