"""Versions as they stand: their state for the page, and the readable copy of their recipe on disk."""

import hashlib
import json
import logging
from pathlib import Path
from typing import Any

from zincplate.engine.recipe import Recipe
from zincplate.formats.files import write_file
from zincplate.services import pictures
from zincplate.services.context import NotFound
from zincplate.store.home import Home
from zincplate.store.models import AppliedChange, Frame, HistoryEntry, NamedState, Version

log = logging.getLogger(__name__)


def get(version_id: int) -> Version:
    """One version; raises :class:`NotFound`."""
    version = Version.get_or_none(Version.id == version_id)
    if version is None:
        raise NotFound("There is no such version.")
    return version


def recipe_hash(document: dict[str, Any]) -> str:
    """Short hash of a recipe document, the same for the same values."""
    text = json.dumps(document, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def state(version: Version, notes: tuple[str, ...] = ()) -> dict[str, Any]:
    """JSON-ready: recipe, revision, what can be undone and redone, history. ``notes`` are sentences for the user."""
    last = AppliedChange.select().where(AppliedChange.version == version).order_by(AppliedChange.id.desc()).first()
    entries = HistoryEntry.select(HistoryEntry.position, HistoryEntry.words, HistoryEntry.created_at)
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
        "recipe": Recipe.from_document(version.recipe).to_document(),
        "states": [
            {"id": n.id, "name": n.name, "at": n.created_at.isoformat()}
            for n in NamedState.select().where(NamedState.version == version).order_by(NamedState.created_at)
        ],
        "history": [
            {"position": e.position, "words": e.words, "at": e.created_at.isoformat()}
            for e in entries.where(HistoryEntry.version == version).order_by(HistoryEntry.position)
        ],
        "last_change": last.change_id if last else "",
        "notes": list(notes),
    }


def readable_path(home: Home, version: Version) -> Path:
    """Where the readable copy of a version's recipe stands. Of frames with one name (from different folders) the later ones carry
    a piece of their content's hash; the first keeps the plain name."""
    frame = version.frame
    earlier = Frame.select().where(Frame.shoot == frame.shoot_id, Frame.name == frame.name, Frame.id < frame.id)
    tag = f"~{frame.content_hash[:10]}" if earlier.exists() else ""
    ending = f"{tag}.{version.number}.json"
    # a name may have 255 bytes, and the original's may have them all
    kept = frame.name.encode()[: 255 - len(ending)].decode("utf-8", "ignore")
    return home.recipes / frame.shoot.folder / f"{kept}{ending}"


def write_readable(home: Home, version: Version) -> str:
    """The recipe as a file, with the name and hash of its original. Never decides about a change that is saved already: what went
    wrong is returned as a sentence, and the next change writes it again."""
    path = readable_path(home, version)
    document = {
        "original": {"name": version.frame.name, "sha256": version.frame.content_hash},
        "version": version.number,
        "revision": version.revision,
        "recipe": version.recipe,
    }
    try:
        write_file(path, (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        log.warning("%s: %s", path, error)
        return f"The change is saved, but its readable copy could not be written to {path.parent.name}: {error.strerror}."
    return ""
