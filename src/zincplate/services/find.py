"""Finding frames across all shoots, and searches that are kept under a name.

What is searched stands in memory (some 400 bytes a frame): a hundred thousand frames are looked through in a few hundredths of a
second, without reading a row. Before every search what changed since the last one is read.
"""

import json
import threading
import unicodedata
from datetime import date, datetime, timedelta
from typing import Any, Literal

from peewee import chunked
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from zincplate.formats.files import write_file
from zincplate.services.context import UserError
from zincplate.services.pictures import thumb_name
from zincplate.services.versions import live
from zincplate.store.home import Home
from zincplate.store.models import Delivered, Frame, Shoot, Version, now

MOST_WORDS = 20
MOST_KEPT = 100
SAFE = timedelta(seconds=5)
"""Changes are read this long again: one that was stamped earlier may be committed later than another."""
WHOLE_FROM = 2_000
"""Changed frames from which on adjusted and delivered ones are asked for all at once."""


class Search(BaseModel):
    """What is looked for; everything that is given has to hold."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(default="", max_length=200)
    """Words, each of which occurs in the name, the title, caption, keywords, camera or lens; case and accents do not matter."""
    mark: Literal["any", "keep", "maybe", "drop", "unmarked"] = "any"
    stars: int = Field(default=0, ge=0, le=5)
    label: str = Field(default="", max_length=40)
    camera: str = Field(default="", max_length=120)
    lens: str = Field(default="", max_length=200)
    first_day: date | None = None
    last_day: date | None = None
    adjusted: bool | None = None
    delivered: bool | None = None


def folded(text: str) -> str:
    """Without case and accents."""
    return "".join(c for c in unicodedata.normalize("NFKD", text.casefold()) if not unicodedata.combining(c))


_FIELDS = ("id", "shoot", "captured_at", "mark", "stars", "label", "camera", "lens", "words", "removed_at")
Row = tuple[int, int, datetime | None, str, int, str, str, str, str, bool, bool]
"""Id, shoot, when, mark, stars, label, camera, lens, folded words, adjusted, delivered."""


class Catalogue:
    """Every frame of the library; one per process, safe to use from several threads."""

    def __init__(self) -> None:
        self._rows: dict[int, Row] = {}
        self._shoots: set[int] = set()
        self._stamp: datetime | None = None
        self._lock = threading.Lock()

    def rows(self) -> list[Row]:
        """Up to date, and the caller's own: others go on refreshing while they are gone through."""
        with self._lock:
            self._refresh()
            return list(self._rows.values())

    def _refresh(self) -> None:
        since, stamp = self._stamp, now() - SAFE
        if since is not None and since > stamp + SAFE:
            since = None  # the clock was set back: everything may have changed
        fields = [getattr(Frame, name) for name in _FIELDS]
        query = Frame.select(*fields)
        if since is not None:
            query = query.where(Frame.changed_at > since)
        changed = list(query.tuples())
        ids = [row[0] for row in changed]
        adjusted, delivered = _flags(ids)
        for row in changed:
            if row[-1] is not None:
                self._rows.pop(row[0], None)
                continue
            words = folded(row[8])
            self._rows[row[0]] = (*row[:8], words, row[0] in adjusted, row[0] in delivered)
        shoots = {i for (i,) in Shoot.select(Shoot.id).tuples()}
        if not self._shoots <= shoots:  # frames of deleted shoots are gone without a change
            self._rows = {i: row for i, row in self._rows.items() if row[1] in shoots}
        self._shoots = shoots
        self._stamp = stamp


def _flags(ids: list[int]) -> tuple[set[int], set[int]]:
    """Which frames are adjusted, and which were delivered."""
    adjusted, delivered = set[int](), set[int]()
    for part in [None] if len(ids) >= WHOLE_FROM else chunked(ids, 1000):
        versions = Version.select(Version.frame).where(Version.adjusted, live()).distinct()
        deliveries = Delivered.select(Version.frame).join(Version).distinct()
        if part is not None:
            versions, deliveries = versions.where(Version.frame.in_(part)), deliveries.where(Version.frame.in_(part))
        adjusted.update(i for (i,) in versions.tuples())
        delivered.update(i for (i,) in deliveries.tuples())
    return adjusted, delivered


def _matching(search: Search, rows: list[Row]) -> list[Row]:
    found = rows
    for word in folded(search.text).split()[:MOST_WORDS]:
        found = [row for row in found if word in row[8]]
    if search.mark != "any":
        mark = "" if search.mark == "unmarked" else search.mark
        found = [row for row in found if row[3] == mark]
    if search.stars:
        found = [row for row in found if row[4] >= search.stars]
    for place, wanted in ((5, search.label), (6, search.camera), (7, search.lens)):
        if wanted:
            found = [row for row in found if row[place] == wanted]
    if search.first_day is not None:
        first = datetime.combine(search.first_day, datetime.min.time())
        found = [row for row in found if row[2] is not None and row[2] >= first]
    if search.last_day is not None:
        end = datetime.combine(search.last_day, datetime.min.time()) + timedelta(days=1)
        found = [row for row in found if row[2] is not None and row[2] < end]
    for place, state in ((9, search.adjusted), (10, search.delivered)):
        if state is not None:
            found = [row for row in found if row[place] == state]
    return found


def find(catalogue: Catalogue, search: Search, limit: int = 60, start: int = 0) -> dict[str, Any]:
    """Frames that answer a search, newest first: a page of them, and how many there are in all."""
    if search.first_day and search.last_day and search.first_day > search.last_day:
        raise UserError("The first day lies after the last one.")
    found = _matching(search, catalogue.rows())
    found.sort(key=lambda row: (row[2] or datetime.min, row[0]), reverse=True)
    ids = [row[0] for row in found[start : start + limit]]
    frames = {f.id: f for f in Frame.select(*_SHOWN).where(Frame.id.in_(ids))} if ids else {}
    names = dict(Shoot.select(Shoot.id, Shoot.name).where(Shoot.id.in_({f.shoot_id for f in frames.values()})).tuples())
    covers = Version.select(Version.id, Version.recipe_hash, Version.adjusted).where(
        Version.id.in_([f.cover_id for f in frames.values()])
    )
    shown = {version: (recipe_hash, bool(adjusted)) for version, recipe_hash, adjusted in covers.tuples()} if ids else {}
    return {"total": len(found), "frames": [_as_dict(frames[i], names, shown) for i in ids if i in frames]}


_SHOWN = tuple(
    getattr(Frame, name)
    for name in (
        "id", "name", "shoot", "captured_at", "mark", "stars", "label", "width", "height", "content_hash", "thumb_state",
        "cover_id",
    )
)  # fmt: skip


def _as_dict(f: Frame, names: dict[int, str], covers: dict[int, tuple[str, bool]]) -> dict[str, Any]:
    return {
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


def known(catalogue: Catalogue) -> dict[str, list[str]]:
    """Cameras, lenses and labels that occur, for choosing from."""
    rows = catalogue.rows()
    return {
        name: sorted({str(row[place]) for row in rows} - {""}) for name, place in (("cameras", 6), ("lenses", 7), ("labels", 5))
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
