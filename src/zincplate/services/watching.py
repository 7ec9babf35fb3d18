"""Watched folders: what a camera or another program writes there is brought in, each file when it is complete.

A file is complete when neither its size nor its time has changed over two looks. Which folders are watched for which shoot
stands in a file of the library; the launcher looks every few seconds.
"""

import json
import threading
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

import peewee
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from zincplate.formats.files import write_file
from zincplate.services import bring_in, shoots
from zincplate.services.context import Context, NotFound, UserError
from zincplate.store.home import Home
from zincplate.store.models import Frame, Refusal

AT_ONCE = 200
"""Files of one job, so that the first of many are there soon."""


class Watched(BaseModel):
    """A folder whose new files come into a shoot."""

    model_config = ConfigDict(extra="forbid")

    shoot: int
    folder: Annotated[str, Field(min_length=1, max_length=4000)]
    reference: bool = False
    preset: str = ""
    keep_folders: bool = False


_LIST = TypeAdapter(list[Watched])
_changing = threading.Lock()


def watched(home: Home) -> list[Watched]:
    """All of them; none when the file cannot be read."""
    try:
        return _LIST.validate_json(home.watched.read_bytes())
    except (OSError, ValidationError):
        return []


def _write(home: Home, folders: list[Watched]) -> None:
    text = json.dumps([w.model_dump() for w in folders], indent=1, ensure_ascii=False)
    write_file(home.watched, (text + "\n").encode())


def watch(home: Home, wanted: Watched) -> None:
    """Watches a folder for a shoot; a shoot has one."""
    folder = Path(wanted.folder)
    if not folder.is_absolute():
        raise UserError(f"{wanted.folder}: Give the whole path of the folder, starting with /.")
    if not folder.is_dir():
        raise UserError(f"{folder}: There is no such folder.")
    shoots.get(wanted.shoot)
    with _changing:
        _write(home, [*(w for w in watched(home) if w.shoot != wanted.shoot), wanted])


def leave(home: Home, shoot_id: int) -> None:
    """No longer watches for a shoot."""
    with _changing:
        _write(home, [w for w in watched(home) if w.shoot != shoot_id])


def of_shoot(home: Home, shoot_id: int) -> str:
    """The folder that is watched for a shoot; empty when there is none."""
    return next((w.folder for w in watched(home) if w.shoot == shoot_id), "")


Stamp = tuple[int, int]


class Watcher:
    """Looks into the watched folders; one per installation, in the launcher."""

    def __init__(self) -> None:
        self._seen: dict[tuple[int, str], Stamp] = {}
        """Size and time of each file at the last look."""
        self._taken: dict[tuple[int, str], Stamp] = {}
        """Files that were handed on as they were."""

    def look(self, context: Context) -> int:
        """Hands complete new files on; returns how many."""
        count = 0
        for one in watched(context.home):
            try:
                shoot = shoots.get(one.shoot)
            except NotFound:
                leave(context.home, one.shoot)
                continue
            ready = self._ready(one)
            fresh = self._fresh(one, ready) if ready else []
            for at in range(0, len(fresh), AT_ONCE):
                part = fresh[at : at + AT_ONCE]
                folders_from = one.folder if one.keep_folders else ""
                bring_in.start(context, shoot, part, reference=one.reference, preset=one.preset, folders_from=folders_from)
            count += len(fresh)
        return count

    def _ready(self, one: Watched) -> list[Path]:
        """Files that have not changed since the last look and were not handed on like this."""
        try:
            paths = bring_in.files_in(Path(one.folder))
        except UserError:
            return []  # empty, or gone for a while: a card that was pulled may come back
        ready = []
        for path in paths:
            try:
                stat = path.stat()
            except OSError:
                continue
            key, stamp = (one.shoot, str(path)), (stat.st_size, stat.st_mtime_ns)
            if stat.st_size and self._seen.get(key) == stamp and self._taken.get(key) != stamp:
                ready.append(path)
                self._taken[key] = stamp
            self._seen[key] = stamp
        return ready

    @staticmethod
    def _fresh(one: Watched, paths: list[Path]) -> list[Path]:
        """Files that are neither in the shoot nor were refused as they are: after a new start of the program nothing is
        brought in twice. What was written since it was refused comes again."""
        root = Path(one.folder) if one.keep_folders else None
        fields = (Frame.file_name, Frame.size_bytes, Frame.folder if root else peewee.Value(""))
        here = set(Frame.select(*fields).where(Frame.shoot == one.shoot).tuples())
        rows = Refusal.select(Refusal.name, Refusal.created_at).where(Refusal.shoot == one.shoot).order_by(Refusal.created_at)
        refused = dict(rows.tuples())
        fresh = []
        for path in paths:
            try:
                stat = path.stat()
            except OSError:
                continue  # gone since the look
            told = refused.get(path.name[:250])
            written = datetime.fromtimestamp(stat.st_mtime, UTC).replace(tzinfo=None)
            subfolder = bring_in.subfolder(path, root) if root else ""
            if (path.name[:200], stat.st_size, subfolder) not in here and (told is None or written > told):
                fresh.append(path)
        return fresh
