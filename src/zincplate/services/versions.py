"""The recipe of a version: changes with a base revision, undo, redo, history in words, and the readable copy on disk."""

import json
import os
from typing import Any

from zincplate.engine.recipe import Recipe, RecipeError
from zincplate.services import pictures
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.framing import size_of
from zincplate.services.words import describe
from zincplate.store.database import database
from zincplate.store.home import Home
from zincplate.store.models import HistoryEntry, NamedState, Version


class Stale(UserError):
    """A change was based on an older revision than the current one; nothing was changed."""

    def __init__(self, current: dict[str, Any]) -> None:
        self.current = current
        super().__init__("This version was changed elsewhere meanwhile. What you see now is the current state.")


def get(version_id: int) -> Version:
    """One version; raises :class:`NotFound`."""
    version = Version.get_or_none(Version.id == version_id)
    if version is None:
        raise NotFound("There is no such version.")
    return version


def state(version: Version) -> dict[str, Any]:
    """JSON-ready: recipe, revision, what can be undone and redone, history."""
    entries = list(HistoryEntry.select().where(HistoryEntry.version == version).order_by(HistoryEntry.position))
    return {
        "id": version.id,
        "frame": version.frame_id,
        "number": version.number,
        "name": version.name,
        "revision": version.revision,
        "position": version.position,
        "adjusted": version.adjusted,
        # an older version of the program may have written it: the page gets every control that there is now
        "recipe": Recipe.from_document(version.recipe).to_document(),
        "states": [
            {"id": n.id, "name": n.name, "at": n.created_at.isoformat()}
            for n in NamedState.select().where(NamedState.version == version).order_by(NamedState.created_at)
        ],
        "history": [{"position": e.position, "words": e.words, "at": e.created_at.isoformat()} for e in entries],
    }


def _locked(version_id: int, revision: int) -> Version:
    version = Version.select().where(Version.id == version_id).for_update().get_or_none()
    if version is None:
        raise NotFound("There is no such version.")
    if version.revision != revision:
        raise Stale(state(version))
    return version


def _store(version: Version, recipe: Recipe, position: int) -> None:
    initial = HistoryEntry.get(HistoryEntry.version == version, HistoryEntry.position == 0)
    version.recipe = recipe.to_document()
    version.revision += 1
    version.position = position
    version.adjusted = recipe != Recipe.from_document(initial.recipe)
    version.save()


def set_recipe(context: Context, version_id: int, revision: int, document: dict[str, Any]) -> dict[str, Any]:
    """Replaces the whole recipe; the history entry says what is different."""
    try:
        recipe = Recipe.from_document(document)
    except RecipeError as error:
        raise UserError(str(error)) from error
    with database.atomic():
        version = _locked(version_id, revision)
        old = Recipe.from_document(version.recipe)
        if recipe == old:
            return state(version)
        if recipe.framing() != old.framing():
            size_of(context, version.frame, document)  # refuses a framing that cannot be shown
        position = version.position + 1
        HistoryEntry.delete().where(HistoryEntry.version == version, HistoryEntry.position >= position).execute()
        HistoryEntry.create(version=version, position=position, words=describe(old, recipe)[:250], recipe=recipe.to_document())
        _store(version, recipe, position)
    return _after(context, version)


def change(context: Context, version_id: int, revision: int, values: dict[str, dict[str, Any]]) -> dict[str, Any]:
    """Changes some controls: step -> control -> value."""
    try:
        recipe = Recipe.from_document(get(version_id).recipe).with_values(values)
    except RecipeError as error:
        raise UserError(str(error)) from error
    return set_recipe(context, version_id, revision, recipe.to_document())


def go_to(context: Context, version_id: int, revision: int, position: int) -> dict[str, Any]:
    """Undo and redo: makes another history entry current, later ones stay."""
    with database.atomic():
        version = _locked(version_id, revision)
        entry = HistoryEntry.get_or_none(HistoryEntry.version == version, HistoryEntry.position == position)
        if entry is None:
            raise UserError("There is nothing further to undo." if position < 0 else "There is nothing to redo.")
        _store(version, Recipe.from_document(entry.recipe), position)
    return _after(context, version)


def name_state(version_id: int, name: str) -> dict[str, Any]:
    """Keeps the current recipe under a name; the same name again replaces what it stood for."""
    version, name = get(version_id), name.strip()
    if not name:
        raise UserError("A state needs a name.")
    with database.atomic():
        NamedState.delete().where(NamedState.version == version, NamedState.name == name).execute()
        NamedState.create(version=version, name=name[:60], recipe=version.recipe)
    return state(version)


def _named(version: Version, state_id: int) -> NamedState:
    found = NamedState.get_or_none(NamedState.id == state_id, NamedState.version == version)
    if found is None:
        raise NotFound("There is no such state.")
    return found


def return_to(context: Context, version_id: int, revision: int, state_id: int) -> dict[str, Any]:
    """Makes a named state current, as a change that can be undone."""
    return set_recipe(context, version_id, revision, _named(get(version_id), state_id).recipe)


def forget_state(version_id: int, state_id: int) -> dict[str, Any]:
    """Takes a name away; the recipe of the version is not touched."""
    version = get(version_id)
    _named(version, state_id).delete_instance()
    return state(version)


def _after(context: Context, version: Version) -> dict[str, Any]:
    write_readable(context.home, version)
    pictures.refresh_thumb(context, version)
    return state(version)


def readable_path(home: Home, version: Version) -> Any:
    """Where the readable copy of a version's recipe stands."""
    frame = version.frame
    return home.recipes / frame.shoot.folder / f"{frame.name}.{version.number}.json"


def write_readable(home: Home, version: Version) -> None:
    """The recipe as a file, with the name and hash of its original."""
    path = readable_path(home, version)
    path.parent.mkdir(parents=True, exist_ok=True)
    document = {
        "original": {"name": version.frame.name, "sha256": version.frame.content_hash},
        "version": version.number,
        "revision": version.revision,
        "recipe": version.recipe,
    }
    temporary = path.with_name(f".{path.name}.{os.getpid()}")
    temporary.write_text(json.dumps(document, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
    os.replace(temporary, path)
