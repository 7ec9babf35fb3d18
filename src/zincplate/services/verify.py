"""Is everything here that came in, as it came in, and readable? The folder alone is enough; a database is held against it.

Three accounts are kept of the originals: the files themselves, the list beside them (``originals.jsonl``), and the database. Each
is counted against the others, so that the loss of one is seen. Every fault is told and the check goes on.
"""

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from zincplate.formats.files import write_file
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.services.originals import hash_of
from zincplate.services.versions import live, readable_path, write_readable
from zincplate.store.home import Home
from zincplate.store.models import Delivered, Frame, Version

Entry = dict[str, Any]


@dataclass
class Report:
    """What was counted, and a sentence for everything that is not right or was put right."""

    originals: int = 0
    recipes: int = 0
    deliveries: int = 0
    database: bool = False
    problems: list[str] = field(default_factory=list)
    repaired: list[str] = field(default_factory=list)

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready."""
        return dict(vars(self))


def verify(home: Home, database: bool = False) -> Report:
    """Checks a library; with ``database`` (connected by the caller) against its rows too."""
    report = Report(database=database)
    if not home.root.is_dir():
        report.problems.append(f"{home.root}: There is no library here.")
        return report
    listed = _listed(home, report)
    found = {p: hash_ for p in _files(home.originals, report) if (hash_ := _try_hash(p, report)) is not None}
    _compare_files(home, listed, found, report)
    _readable_recipes(home, report)
    if database:
        _against_database(home, listed, report)
    return report


def _files(folder: Path, report: Report, ending: str = "") -> list[Path]:
    if not folder.is_dir():
        report.problems.append(f"{folder.name}: The folder is gone.")
        return []
    return sorted(p for p in folder.rglob(f"*{ending}") if p.is_file() and not p.name.startswith("."))


def _try_hash(path: Path, report: Report) -> str | None:
    try:
        return hash_of(path)
    except OSError as error:
        report.problems.append(f"{path.name}: It cannot be read: {error.strerror}.")
        return None


def _listed(home: Home, report: Report) -> dict[str, Entry]:
    """The list of originals by path; the last line of a path counts."""
    found: dict[str, Entry] = {}
    if not home.manifest.is_file():
        if home.originals.is_dir() and any(p.is_file() for p in home.originals.rglob("*")):
            report.problems.append(f"{home.manifest.name}: The list of originals is gone.")
        return found
    for number, line in enumerate(home.manifest.read_bytes().splitlines(), 1):
        try:
            entry = json.loads(line.decode("utf-8"))
            if isinstance(entry, dict) and entry.get("deleted") and isinstance(entry.get("path"), str):
                found.pop(entry["path"], None)
                continue
            path, hash_ = entry["path"], entry["sha256"]
            if not (isinstance(path, str) and path and isinstance(hash_, str)) or "\0" in path:
                raise TypeError
        except (ValueError, KeyError, TypeError, RecursionError):
            report.problems.append(f"{home.manifest.name}: Line {number} cannot be read.")
            continue
        if not entry.get("referenced") and (Path(path).is_absolute() or ".." in Path(path).parts):
            report.problems.append(f"{home.manifest.name}: Line {number} names a place outside the library.")
            continue
        found[path] = entry
    return found


def _place(home: Home, entry: Entry) -> Path:
    return Path(entry["path"]) if entry.get("referenced") else home.originals / entry["path"]


def _compare_files(home: Home, listed: dict[str, Entry], found: dict[Path, str], report: Report) -> None:
    known = set()
    for entry in listed.values():
        path = _place(home, entry)
        known.add(path)
        if path not in found and not path.is_file():
            report.problems.append(f"{path.name}: The original is not where it was ({path.parent}).")
            continue
        report.originals += 1
        hash_ = found.get(path) or _try_hash(path, report)
        if hash_ is not None and hash_ != entry["sha256"]:
            report.problems.append(f"{path.name}: The original is not what it was when it came in; its content hash differs.")
    for path in found:
        if path not in known:
            report.originals += 1
            report.problems.append(f"{path.relative_to(home.originals)}: The file is here, but not in the list of originals.")


def _readable_recipes(home: Home, report: Report) -> None:
    if not home.recipes.is_dir():
        report.problems.append(f"{home.recipes.name}: The folder is gone.")
        return
    for path in _files(home.recipes, report, ".json"):
        report.recipes += 1
        try:
            Recipe.from_document(json.loads(path.read_bytes().decode("utf-8"))["recipe"])
        except RecipeError as error:
            report.problems.append(f"{path.name}: The recipe cannot be read: {error}")
        except (ValueError, KeyError, TypeError, RecursionError, AttributeError):
            report.problems.append(f"{path.name}: The recipe cannot be read: it is no JSON document of ours.")
        except OSError as error:
            report.problems.append(f"{path.name}: The recipe cannot be read: {error.strerror}.")


def _against_database(home: Home, listed: dict[str, Entry], report: Report) -> None:
    for frame in Frame.select():
        entry = listed.get(frame.path)
        path = Path(frame.path) if frame.referenced else home.originals / frame.path
        if entry is None:
            report.problems.append(f"{frame.name}: The frame's original is not in the list of originals ({frame.path}).")
            if not path.is_file():
                report.problems.append(f"{frame.name}: The original is not where it was ({path.parent}).")
        elif entry["sha256"] != frame.content_hash:
            report.problems.append(f"{frame.name}: The list of originals has another content hash than the database.")
    for version in Version.select().where(live()):
        path = readable_path(home, version)
        # one that was never changed has none
        if version.revision and _stored_recipe(path) != version.recipe:
            report.problems.append(f"{path.name}: The readable recipe is not the one in the database.")
    for row in Delivered.select():
        path = home.deliveries / row.path
        report.deliveries += 1
        if not path.resolve().is_relative_to(home.deliveries.resolve()):
            report.problems.append(f"{Path(row.path).name}: The ledger names a place outside the deliveries.")
        elif not path.is_file():
            report.problems.append(f"{path.name}: The delivered file is not in the deliveries folder any more.")
        elif _try_hash(path, report) not in (row.content_hash, None):
            report.problems.append(f"{path.name}: The delivered file was changed after it was delivered.")


def _stored_recipe(path: Path) -> Any:
    try:
        return json.loads(path.read_bytes().decode("utf-8"))["recipe"]
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return None


def repair(home: Home) -> Report:
    """Rebuilds from the database and the files what can be: the list of originals, readable recipes, small pictures. Then checks.
    Originals, deliveries and rows are never touched."""
    home.make()
    done: list[str] = []
    _rebuild_list(home, done.append)
    written = 0
    for version in Version.select().where(live()):
        if version.revision and _stored_recipe(readable_path(home, version)) != version.recipe:
            trouble = write_readable(home, version)
            if trouble:
                done.append(trouble)
            else:
                written += 1
    if written:
        done.append(f"{written} readable recipe{'s' if written > 1 else ''} written from the database.")
    report = verify(home, database=True)
    report.repaired = done
    return report


def _rebuild_list(home: Home, tell: Callable[[str], None]) -> None:
    """The list anew: what it says of files that are as it says, and every frame whose file has the content that its row names."""
    unreadable = Report()
    before = _listed(home, unreadable)
    entries: dict[str, Entry] = {}
    for path, entry in before.items():
        place = _place(home, entry)
        if not place.is_file() or hash_of(place) == entry["sha256"]:
            entries[path] = entry  # what is missing stays listed: it is to be told
    added = 0
    for frame in Frame.select():
        if frame.path in entries and entries[frame.path]["sha256"] == frame.content_hash:
            continue
        entries[frame.path] = {
            "path": frame.path,
            "referenced": bool(frame.referenced),
            "sha256": frame.content_hash,
            "size": frame.size_bytes,
        }
        added += 1
    if not (added or unreadable.problems) and entries == before and home.manifest.is_file():
        return
    write_file(home.manifest, b"".join(json.dumps(e).encode() + b"\n" for e in entries.values()))
    tell(f"{home.manifest.name}: The list of originals was written anew with {len(entries)} lines.")
