"""Changes of a version: controls, undo and redo, named states. Each is made once and on the revision it was based on."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from zincplate.recipe.document import Recipe, RecipeError
from zincplate.recipe.words import describe
from zincplate.services import bulk, history
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.framing import size_of
from zincplate.services.versions import live, recipe_hash, state, touch, write_readable
from zincplate.store.database import database
from zincplate.store.models import AppliedChange, HistoryEntry, NamedState, Version, now

REMEMBERED = timedelta(days=30)
"""How long a change that is sent again is known to be made already."""


class Change(BaseModel):
    """One thing that was done to a version.

    ``set`` puts controls (step -> control -> value) and switches (step -> on); changes of one ``gesture`` that follow each other
    are one entry of the history. ``undo``, ``redo`` and ``go`` (to ``position``) move in the history. ``keep`` names the current
    recipe, ``return`` makes the named state ``state`` current again, ``forget`` takes its name away.

    ``together`` names further versions that are edited along: what is set here is set there (``as_change``: numbers change there
    by as much), as one thing that undo and redo take back and make again for all of them.

    With ``near`` the answer's history has only the entries about the current one: a page that holds ``revision`` knows the rest,
    and a long history takes longer to tell than to make. Who has to be told of somebody else's change is told all of it.
    """

    model_config = ConfigDict(extra="forbid")

    id: str = Field(default="", max_length=40)
    """Given by the page: the same id again is not made twice."""
    revision: int = Field(ge=0)
    do: Literal["set", "undo", "redo", "go", "keep", "return", "forget"]
    values: dict[str, dict[str, Any]] = {}
    switches: dict[str, bool] = {}
    gesture: str = Field(default="", max_length=40)
    position: int = 0
    state: int = 0
    name: str = Field(default="", max_length=60)
    together: list[int] = Field(default=[], max_length=5_000)
    as_change: bool = False
    near: bool = False


class Stale(UserError):
    """A change was based on an older revision than the current one; nothing was changed."""

    def __init__(self, current: dict[str, Any]) -> None:
        self.current = current
        super().__init__("This version was changed elsewhere meanwhile. What you see now is the current state.")


def make(context: Context, version_id: int, change: Change) -> dict[str, Any]:
    """Makes a change and returns the version's new state.

    Raises :class:`Stale` with the current state when it was based on an older revision, :class:`UserError` when it makes no
    sense, :class:`NotFound`. The version's row is locked first, whatever is changed: callers wait for each other, never in a
    circle.
    """
    act = _ACTS[change.do]
    with database.atomic():
        if change.together:
            bulk.locked({version_id, *change.together})  # all in one order, whichever of them is on a bench
        version = Version.select().where(Version.id == version_id, live()).for_update().get_or_none()
        if version is None:
            raise NotFound("There is no such version. It may have been deleted.")
        if change.id and AppliedChange.select().where(_applied(version, change.id)).exists():
            return state(version)
        if version.revision != change.revision:
            raise Stale(state(version))
        before = version.revision
        try:
            act(context, version, change)
        except RecipeError as error:
            raise UserError(str(error)) from error
        if change.id:
            AppliedChange.delete().where(
                AppliedChange.version == version, AppliedChange.created_at < now() - REMEMBERED
            ).execute()
            AppliedChange.create(version=version, change_id=change.id)
        if version.revision != before:
            touch(version)
    trouble = write_readable(context.home, version) if version.revision != before else ""
    return state(version, (trouble,) if trouble else (), change.near)


def _applied(version: Version, change_id: str) -> Any:
    return (AppliedChange.version == version) & (AppliedChange.change_id == change_id)


def _store(version: Version, document: dict[str, Any], position: int) -> None:
    version.recipe = document
    version.recipe_hash = recipe_hash(document)
    version.revision += 1
    version.position = position
    version.adjusted = Recipe.from_document(document) != Recipe.from_document(history.initial(version))
    version.save()


def _put(context: Context, version: Version, recipe: Recipe, gesture: str = "", bulk_id: int | None = None) -> None:
    """Makes a recipe current as a new entry of the history, or as a further part of the newest one's gesture."""
    before = version.recipe
    old = Recipe.from_document(before)
    if recipe == old:
        return
    document = recipe.to_document()
    if recipe.framing() != old.framing():
        size_of(context, version.frame, document)  # refuses a framing that cannot be shown
    position = version.position
    current = history.entry(version, position)
    if gesture and position > 0 and current is not None and current.gesture == gesture:
        before = history.document_at(version, position - 1)
        old = Recipe.from_document(before)
    else:
        position += 1
    history.drop_from(version, position)
    if recipe == old:  # the gesture came back to where it began: nothing was done
        _store(version, before, position - 1)
        return
    HistoryEntry.create(**history.row(version, before, document, position, describe(old, recipe), gesture, bulk_id))
    _store(version, document, position)


def _go(version: Version, position: int) -> None:
    """Undo and redo: makes another history entry current, later ones stay."""
    document = history.document_at(version, position)
    if position != version.position:
        _store(version, document, position)


def _step(version: Version, change: Change, by: int) -> None:
    """One step back or forth; for all versions that are edited together, where the step was theirs too."""
    at = history.entry(version, version.position + max(by, 0))
    _go(version, version.position + by)
    if change.together and at is not None and at.bulk_id is not None:
        bulk.move(at.bulk_id, undo=by < 0, but=version.id)


def _set(context: Context, version: Version, change: Change) -> None:
    before = version.recipe
    recipe = Recipe.from_document(before).with_values(change.values)
    for step, on in change.switches.items():
        recipe = recipe.with_switch(step, on)
    others = [i for i in change.together if i != version.id]
    if not others:
        _put(context, version, recipe, change.gesture)
        return
    current = history.entry(version, version.position)
    goes_on = change.gesture and version.position > 0 and current is not None and current.gesture == change.gesture
    known = current.bulk_id if goes_on and current is not None else None
    together = (
        bulk.begin("together", version.frame.shoot_id, f"Edited together: {len(others) + 1} frames") if known is None else known
    )
    _put(context, version, recipe, change.gesture, together)
    bulk.along(context, together, others, before, change.values, change.switches, change.gesture, as_change=change.as_change)


def _keep(_context: Context, version: Version, change: Change) -> None:
    """Keeps the current recipe under a name; the same name again replaces what it stood for."""
    name = change.name.strip()
    if not name:
        raise UserError("A state needs a name.")
    NamedState.delete().where(NamedState.version == version, NamedState.name == name).execute()
    NamedState.create(version=version, name=name, recipe=version.recipe)


def _named(version: Version, change: Change) -> NamedState:
    found = NamedState.get_or_none(NamedState.id == change.state, NamedState.version == version)
    if found is None:
        raise NotFound("There is no such state.")
    return found


_ACTS: dict[str, Callable[[Context, Version, Change], Any]] = {
    "set": _set,
    "undo": lambda _context, version, change: _step(version, change, -1),
    "redo": lambda _context, version, change: _step(version, change, 1),
    "go": lambda _context, version, change: _go(version, change.position),
    "keep": _keep,
    "return": lambda context, version, change: _put(context, version, Recipe.from_document(_named(version, change).recipe)),
    "forget": lambda _context, version, change: _named(version, change).delete_instance(),
}
