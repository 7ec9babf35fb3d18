"""The frames of a shoot as lists show them: in columns, whole, or what changed of them."""

import json
import threading
from datetime import datetime, timedelta
from functools import reduce
from operator import or_
from typing import Any

import peewee

from zincplate.services.pictures import thumb_name
from zincplate.services.shoots import get
from zincplate.services.versions import live
from zincplate.store.database import database
from zincplate.store.models import Delivered, Frame, ShownVersion, Version, now

COLUMNS = (
    "id", "name", "folder", "hand_place", "content_hash", "size_bytes", "raw", "mark", "stars", "label", "thumb_state", "camera",
    "lens", "file_type", "bits", "colour_space", "width", "height", "exposure_time_s", "f_number", "iso", "focal_length_mm",
    "own_lens", "depth_map", "captured_at", "changed_at", "made",
)  # fmt: skip
"""What a list tells of a frame from its own row; recipes and capture data are not read for it."""
SAFE_S = 5.0
"""Changes are told this long again: one that was stamped earlier may be committed later than another."""


ORDER = (Frame.captured_at.is_null(), Frame.captured_at, Frame.name, Frame.id)
BESIDE = ("version", "versions", "adjusted", "passes", "repairs", "set", "delivered", "thumb")
"""What a list tells of a frame from elsewhere, behind :data:`COLUMNS`."""
NAMES = (*COLUMNS, *BESIDE)
ID, NAME, CAPTURED = (NAMES.index(name) for name in ("id", "name", "captured_at"))
Row = list[Any]
"""Values of one frame, in the order of :data:`NAMES`."""


def columns(shoot_id: int, since: datetime | None = None) -> dict[str, Any]:
    """The frames of a shoot in the order they were taken, as one list for each fact; ``since`` leaves out what has not changed.

    ``stamp`` is to be given as ``since`` the next time, ``removed`` names frames that are no longer there.
    """
    told = about(shoot_id)
    mine, gone = Frame.shoot == shoot_id, list[int]()
    if since is not None:
        if since <= now():  # else the clock was set back meanwhile: everything may have changed
            mine &= Frame.changed_at > since
        gone = [i for (i,) in Frame.select(Frame.id).where(mine, Frame.removed_at.is_null(False)).tuples()]
    return {**told, "columns": _as_columns(_rows(mine, since is None)), "removed": gone}


def about(shoot_id: int) -> dict[str, Any]:
    """What goes with a list: whose it is, and what to ask with the next time."""
    shoot = get(shoot_id)
    return {"id": shoot.id, "name": shoot.name, "stamp": (now() - timedelta(seconds=SAFE_S)).isoformat()}


def _as_columns(rows: list[Row]) -> dict[str, list[Any]]:
    return {name: [row[i] for row in rows] for i, name in enumerate(NAMES)}


def _rows(mine: Any, whole: bool) -> list[Row]:
    """Frames that are there, in the order they were taken. ``whole``: ``mine`` says nothing about frames but their shoot."""
    fields = [getattr(Frame, name) for name in COLUMNS]
    shown = [getattr(ShownVersion, name) for name in ("recipe_hash", "adjusted", "passes", "repairs")]
    query = (
        # one JSON array a row: ten thousand rows of thirty fields would take the driver half a second to take apart
        Frame.select(peewee.fn.JSON_ARRAY(*fields, Frame.set_id, Frame.cover_id, *shown))
        .join(ShownVersion, peewee.JOIN.LEFT_OUTER, on=(ShownVersion.id == Frame.cover_id))
        .where(mine, Frame.removed_at.is_null())
        .order_by(*ORDER)
    )
    # straight from the driver: made into rows by peewee they take twice as long
    rows: list[Row] = json.loads(f"[{','.join(text for (text,) in database.execute(query).fetchall())}]")
    if not rows:
        return []
    here = mine if whole else Version.frame.in_([row[ID] for row in rows])
    several, delivered = _several(here), dict(_delivered(here).tuples())
    content, state, changed = (COLUMNS.index(name) for name in ("content_hash", "thumb_state", "changed_at"))
    switches = [COLUMNS.index(name) for name in ("raw", "own_lens", "depth_map")]
    for row in rows:
        frame = row[ID]
        set_id, cover, recipe_hash, adjusted, passes, repairs = row[len(COLUMNS) :]
        versions, any_adjusted = several.get(frame, (1, False))
        row[CAPTURED], row[changed] = _iso(row[CAPTURED]), _iso(row[changed])
        for at in switches:
            row[at] = bool(row[at])
        thumb = thumb_name(row[content], row[state], recipe_hash or "", bool(adjusted))
        states = (bool(adjusted) or any_adjusted, bool(passes), bool(repairs))
        row[len(COLUMNS) :] = [cover, versions, *states, set_id or 0, delivered.get(frame, 0), thumb]
    return rows


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


PART = 256
"""Frames whose changes are looked for together."""
MOST_KEPT = 4
Sum = tuple[int, int]
"""Of some frames: how many, and the sum of checksums over when each changed. Those taken out count."""
Sums = dict[int, Sum]


class _Kept:
    """One shoot's list as it was read last, in rows and as JSON."""

    def __init__(self, sums: Sums, rows: list[Row]) -> None:
        self.sums, self.rows = sums, rows
        self.text = json.dumps(_as_columns(rows), separators=(",", ":"))


class KeptLists:
    """Whole lists as JSON; one object per process, safe to use from several threads.

    A list of ten thousand frames takes half a second to read and to write as JSON, a hundredth to be compared: checksums over
    when each frame changed, for every :data:`PART` frames. Only parts that have another one are read anew. No clock is
    trusted here: one that was set back would hide changes for ever.
    """

    def __init__(self) -> None:
        self._kept: dict[int, _Kept] = {}
        self._lock = threading.Lock()

    def columns(self, shoot_id: int) -> str:
        """The columns of a shoot's frames, as :func:`columns` tells them."""
        with self._lock:
            # checksums first: what changes while rows are read is read once more the next time
            found, kept = sums(peewee.SQL(f"id DIV {PART}"), Frame.shoot == shoot_id), self._kept.pop(shoot_id, None)
            if kept is None or kept.sums != found:
                rows = _brought(shoot_id, kept, found) if kept is not None else None
                kept = _Kept(found, _rows(Frame.shoot == shoot_id, True) if rows is None else rows)
            self._kept[shoot_id] = kept
            for oldest in list(self._kept)[:-MOST_KEPT]:
                del self._kept[oldest]
            return kept.text


def sums(by: Any, where: Any = True) -> Sums:
    """For frames that have something in common, which stands before each sum. Read from an index alone."""
    told = peewee.fn.CRC32(peewee.fn.CONCAT(Frame.id, " ", Frame.changed_at))
    query = Frame.select(by, peewee.fn.COUNT(Frame.id), peewee.fn.SUM(told)).where(where).group_by(by)
    return {int(number): (int(count), int(sum_)) for number, count, sum_ in database.execute(query).fetchall()}


def _brought(shoot_id: int, kept: _Kept, found: Sums) -> list[Row] | None:
    """The rows with those of changed parts read anew; None where the order may have changed or most of them have."""
    changed = {part for part in kept.sums.keys() | found.keys() if kept.sums.get(part) != found.get(part)}
    if len(changed) * 2 > len(found):
        return None
    mine = (Frame.shoot == shoot_id) & reduce(or_, (Frame.id.between(i * PART, i * PART + PART - 1) for i in changed))
    news, rows = {row[ID]: row for row in _rows(mine, False)}, list[Row]()
    for row in kept.rows:
        new = news.pop(row[ID], None) if row[ID] // PART in changed else row
        if new is None:
            continue  # taken out
        if (new[NAME], new[CAPTURED]) != (row[NAME], row[CAPTURED]):
            return None
        rows.append(new)
    return None if news else rows
