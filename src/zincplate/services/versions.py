"""Versions as they stand: their state for the page, and the readable copy of their recipe on disk."""

import hashlib
import json
import logging
from pathlib import Path
from typing import Any

from zincplate.formats.files import write_file
from zincplate.recipe.document import Recipe
from zincplate.services import history, pictures
from zincplate.services.context import NotFound
from zincplate.store.home import Home
from zincplate.store.models import AppliedChange, Frame, HistoryEntry, NamedState, Version, now

log = logging.getLogger(__name__)

KNOWN_STEPS = 15
"""As many undos and redos a page can show before the server has answered."""


def get(version_id: int) -> Version:
    """One version; raises :class:`NotFound`."""
    version = Version.get_or_none(Version.id == version_id, live())
    if version is None:
        raise NotFound("There is no such version. It may have been deleted.")
    return version


def live() -> Any:
    """Versions that are there: neither they nor their frames were taken away."""
    return Version.deleted_at.is_null()


def touch(version: Version) -> None:
    """Lists of frames are told that something of this one changed."""
    Frame.update(changed_at=now()).where(Frame.id == version.frame_id).execute()


def recipe_hash(document: dict[str, Any]) -> str:
    """Short hash of a recipe document, the same for the same values."""
    text = json.dumps(document, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def state(version: Version, notes: tuple[str, ...] = (), near: bool = False) -> dict[str, Any]:
    """JSON-ready: recipe, revision, what can be undone and redone, history. ``notes`` are sentences for the user. With ``near``
    the history has only the entries about the current one: who holds the revision before knows the others."""
    recipe = Recipe.from_document(version.recipe)
    last = AppliedChange.select().where(AppliedChange.version == version).order_by(AppliedChange.id.desc()).first()
    return {
        "id": version.id,
        "frame": version.frame_id,
        "number": version.number,
        "name": version.name,
        "revision": version.revision,
        "position": version.position,
        "adjusted": version.adjusted,
        "thumb": pictures.thumb_key(version.frame, version),
        # an older version of the program may have written it: the page gets every control that there is now
        "recipe": recipe.to_document(),
        "states": [
            {"id": n.id, "name": n.name, "at": n.created_at.isoformat()}
            for n in NamedState.select().where(NamedState.version == version).order_by(NamedState.created_at)
        ],
        "history": _history(version, near),
        "entries": HistoryEntry.select().where(HistoryEntry.version == version).count(),
        "last_change": last.change_id if last else "",
        "notes": list(notes),
        "remarks": list(recipe.notes),
    }


def _history(version: Version, near: bool) -> list[dict[str, Any]]:
    """Every entry in words, or those ``near`` the current one; these also with what they put and what stood there before, so that
    a page shows undo and redo at once."""
    low, high = max(version.position - KNOWN_STEPS - 1, 0), version.position + KNOWN_STEPS
    recipes = history.documents(version, low, high)
    rows = HistoryEntry.select(
        HistoryEntry.position, HistoryEntry.words, HistoryEntry.gesture, HistoryEntry.created_at, HistoryEntry.bulk
    )
    wanted = HistoryEntry.version == version
    if near:
        wanted &= HistoryEntry.position.between(low, high)
    found = []
    for e in rows.where(wanted).order_by(HistoryEntry.position):
        before, after = recipes.get(e.position - 1), recipes.get(e.position)
        forth = back = None
        if before is not None and after is not None:
            forth, back = difference(before, after), difference(after, before)
        found.append(
            {
                "position": e.position,
                "words": e.words,
                "at": e.created_at.isoformat(),
                "gesture": e.gesture,
                "forth": forth,
                "back": back,
                "bulk": e.bulk_id,
            }
        )
    return found


def difference(before: dict[str, Any], after: dict[str, Any]) -> dict[str, Any]:
    """Controls and switches that lead from one recipe document to another. A control that only one of them has is left out: it
    belongs to another version of the program."""
    values: dict[str, dict[str, Any]] = {}
    for step, controls in after.items():
        old = before.get(step)
        if step == "versions" or not isinstance(controls, dict) or not isinstance(old, dict):
            continue
        changed = {name: value for name, value in controls.items() if name in old and old[name] != value}
        if changed:
            values[step] = changed
    was, now = set(before.get("off", ())), set(after.get("off", ()))
    return {"values": values, "switches": {**dict.fromkeys(sorted(was - now), True), **dict.fromkeys(sorted(now - was), False)}}


def readable_path(home: Home, version: Version) -> Path:
    """Where the readable copy of a version's recipe stands. Of frames whose files have one name (from different folders) the
    later ones carry a piece of their content's hash; the first keeps the plain name."""
    frame = version.frame
    earlier = Frame.select().where(Frame.shoot == frame.shoot_id, Frame.file_name == frame.file_name, Frame.id < frame.id)
    tag = f"~{frame.content_hash[:10]}" if earlier.exists() else ""
    ending = f"{tag}.{version.number}.json"
    # a name may have 255 bytes, and the original's may have them all
    kept = frame.file_name.encode()[: 255 - len(ending)].decode("utf-8", "ignore")
    return home.recipes / frame.shoot.folder / f"{kept}{ending}"


def write_readable(home: Home, version: Version) -> str:
    """The recipe as a file, with the name and hash of its original. Never decides about a change that is saved already: what went
    wrong is returned as a sentence, once for each folder until it goes well again, and :func:`catch_up` tries again."""
    path = readable_path(home, version)
    try:
        while True:
            _write(path, version)
            mine = (Version.id == version.id) & (Version.readable_revision < version.revision)
            Version.update(readable_revision=version.revision).where(mine).execute()
            # of two who write at once the later state has to be the one that stays
            newest = get(version.id)
            if newest.revision == version.revision:
                break
            version = newest
    except OSError as error:
        log.warning("%s: %s", path, error)
        told = path.parent in _told
        _told.add(path.parent)
        words = f"The change is saved, but its readable copy could not be written to {path.parent.name}: {error.strerror}."
        return "" if told else f"{words} It is tried again by itself."
    _told.discard(path.parent)
    return ""


_told: set[Path] = set()
"""Folders that cannot be written and were told."""


def _write(path: Path, version: Version) -> None:
    document = {
        "original": {"name": version.frame.file_name, "sha256": version.frame.content_hash},
        "version": version.number,
        "revision": version.revision,
        "recipe": version.recipe,
    }
    write_file(path, (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode())


def catch_up(home: Home, most: int = 2_000) -> int:
    """Writes readable copies that are missing: a process was killed, or a folder could not be written. Returns how many."""
    behind = Version.select().where(Version.readable_revision < Version.revision).order_by(Version.id).limit(most)
    written = 0
    for version in list(behind):
        before = version.readable_revision
        write_readable(home, version)
        written += get(version.id).readable_revision > before
    return written
