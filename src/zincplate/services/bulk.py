"""One thing done to many versions at once: set-based in the database, one entry in each history, undone for all in one step.

Rows of versions are locked in the order of their numbers, so that two such changes, or one and a page's own, wait for each other.
"""

import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from peewee import chunked

from zincplate.ops.order import ORDER
from zincplate.recipe.document import CONTROLS, FORMAT, Recipe, RecipeError
from zincplate.recipe.pass_carry import along as passes_along
from zincplate.recipe.relative import moved
from zincplate.services import history
from zincplate.services.context import Context, NotFound, UserError
from zincplate.services.framing import size_of
from zincplate.services.plates import as_shot_of
from zincplate.services.versions import live, recipe_hash
from zincplate.store.database import database, write_many
from zincplate.store.models import Bulk, Frame, HistoryEntry, Version, now

Document = dict[str, Any]
Values = Mapping[str, Mapping[str, Any]]

_ENTRIES = (
    "INSERT INTO history_entry (version_id, position, words, gesture, recipe, difference, bulk_id, created_at) "
    "VALUES (%s, %s, %s, %s, %s, %s, %s, %s)"
)
_VERSIONS = (
    "INSERT INTO version (id, frame_id, number, name, readable_revision, recipe, recipe_hash, revision, position, adjusted) "
    "VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s) ON DUPLICATE KEY UPDATE recipe = VALUES(recipe), "
    "recipe_hash = VALUES(recipe_hash), revision = VALUES(revision), position = VALUES(position), adjusted = VALUES(adjusted)"
)

_NUMBERS = {o.id: o.version for o in ORDER}
_WHOLE = {o.id: frozenset(o.parameters.model_fields) for o in ORDER}


def begin(kind: str, shoot_id: int | None, words: str, request_key: str = "") -> int:
    """A new row for what is to be done to many; its number stands in the histories."""
    row: Bulk = Bulk.create(kind=kind, shoot=shoot_id, words=words[:250], request_key=request_key or None)
    number: int = row.id
    return number


def locked(version_ids: Iterable[int]) -> list[Version]:
    """Versions that are there, locked until the transaction ends."""
    found: list[Version] = []
    for part in chunked(sorted(set(version_ids)), 1000):
        found.extend(Version.select().where(Version.id.in_(part), live()).order_by(Version.id).for_update())
    return found


def put(context: Context, bulk_id: int, words: str, wanted: Mapping[int, Values]) -> dict[str, Any]:
    """Sets controls of many versions, each its own values (step -> control -> value), as one entry of each history.

    Returns ``changed`` (ids), ``unchanged`` (ids of those that were so already) and ``refused`` (id -> sentence). Nothing is
    written for those.
    """
    with database.atomic():
        versions = locked(wanted)
        valid = _Valid()
        initial = _initial(versions)
        changes: list[tuple[Version, Document, bool]] = []
        unchanged, refused = [], dict.fromkeys(set(wanted) - {v.id for v in versions}, "It is not there any more.")
        for version in versions:
            try:
                document = valid.changed(version.recipe, wanted[version.id])
                if document is not version.recipe and _moves(wanted[version.id]):
                    size_of(context, version.frame, document)
            except (RecipeError, UserError) as error:
                refused[version.id] = str(error)
                continue
            if document is version.recipe:
                unchanged.append(version.id)
            else:
                changes.append((version, document, valid.differs(document, initial[version.id])))
        _write(changes, words, "", bulk_id)
    return {"changed": [v.id for v, _, _ in changes], "unchanged": unchanged, "refused": refused}


def _moves(values: Values) -> bool:
    return bool(values.get("framing"))


class _Valid:
    """Changes documents; values that name all controls of an operation are checked once, however many frames they go to."""

    def __init__(self) -> None:
        self._known: dict[tuple[str, str], Document] = {}

    def changed(self, document: Document, values: Values) -> Document:
        """The document with values set; the very same object when nothing changes. Raises :class:`RecipeError`."""
        grouped: dict[str, dict[str, Any]] = {}
        for step, controls in values.items():
            for name, value in controls.items():
                owner = CONTROLS.get((step, name))
                if owner is None:
                    raise RecipeError(f'There is no control "{step}.{name}".')
                grouped.setdefault(owner, {})[name] = value
        plain = document.get("recipe") == FORMAT and document.get("versions") == _NUMBERS
        if not plain or any(set(given) != _WHOLE[owner] for owner, given in grouped.items()):
            old = Recipe.from_document(document)
            new = old.with_values({step: dict(controls) for step, controls in values.items()})
            return document if new == old else new.to_document()
        out = document
        for owner, given in grouped.items():
            step, section = self._checked(owner, given)
            if any(out[step].get(name) != value for name, value in section.items()):
                out = {**out, step: {**out[step], **section}}
        return out

    def _checked(self, owner: str, given: dict[str, Any]) -> tuple[str, Document]:
        operation = next(o for o in ORDER if o.id == owner)
        key = (owner, repr(sorted(given.items())))
        if key not in self._known:
            checked = Recipe.neutral(False).with_values({operation.step: given})
            self._known[key] = checked.parameters[owner].model_dump(mode="json")
        return operation.step, self._known[key]

    @staticmethod
    def differs(document: Document, initial: Document) -> bool:
        """Whether a recipe is another than the one a version began with."""
        if document.get("versions") == initial.get("versions"):
            return document != initial
        return Recipe.from_document(document) != Recipe.from_document(initial)


def _initial(versions: Sequence[Version]) -> dict[int, Document]:
    found: dict[int, Document] = {}
    for part in chunked(versions, 1000):
        rows = HistoryEntry.select(HistoryEntry.version, HistoryEntry.recipe).where(
            HistoryEntry.version.in_([v.id for v in part]), HistoryEntry.position == 0
        )
        found.update(rows.tuples())
    return found


def _write(changes: Sequence[tuple[Version, Document, bool]], words: str, gesture: str, bulk_id: int) -> None:
    """New entries after each version's current one, and the versions as they are then."""
    for part in chunked([v.id for v, _, _ in changes], 1000):
        marks = ", ".join(["%s"] * len(part))
        database.execute_sql(
            "DELETE history_entry FROM history_entry JOIN version ON version.id = history_entry.version_id "
            f"WHERE version.id IN ({marks}) AND history_entry.position > version.position",
            part,
        )
    written = now()
    rows = []
    for version, document, _ in changes:
        row = history.row(version, version.recipe, document, version.position + 1, words, gesture, bulk_id)
        whole, difference = (None if part is None else _json(part) for part in (row["recipe"], row["difference"]))
        rows.append((version.id, row["position"], row["words"], gesture, whole, difference, bulk_id, written))
    write_many(_ENTRIES, rows)
    _store([(v, document, v.position + 1, adjusted) for v, document, adjusted in changes])


def _store(states: Sequence[tuple[Version, Document, int, bool]]) -> None:
    """Makes documents current."""
    rows = []
    for version, document, position, adjusted in states:
        values = (_json(document), recipe_hash(document), version.revision + 1, position, adjusted)
        rows.append((version.id, version.frame_id, version.number, version.name, version.readable_revision, *values))
    write_many(_VERSIONS, rows)
    for part in chunked([v.frame_id for v, _, _, _ in states], 1000):
        Frame.update(changed_at=now()).where(Frame.id.in_(part)).execute()


def _json(document: Document) -> str:
    return json.dumps(document, ensure_ascii=False, separators=(",", ":"))


def along(
    context: Context,
    bulk_id: int,
    version_ids: Sequence[int],
    before: Document,
    values: Values,
    switches: Mapping[str, bool],
    gesture: str,
    *,
    as_change: bool,
) -> None:
    """Edits further versions along with one whose recipe was ``before``: what was set there is set, or numbers change by as much.
    Further parts of one gesture stay one entry. Those that refuse the values keep what they have."""
    changes: list[tuple[Version, Document, bool]] = []
    again: list[tuple[Version, Document, int, bool]] = []
    versions = locked(version_ids)
    initial, valid = _initial(versions), _Valid()
    for version in versions:
        given = moved(values, before, version.recipe, as_shot_of(context, version.frame)) if as_change else values
        # a repair is of one frame's pixels: the others keep theirs
        given = {step: controls for step, controls in given.items() if step != "repair"}
        if "passes" in given:
            was, theirs = (document.get("passes", {}).get("passes", []) for document in (before, version.recipe))
            given = {**given, "passes": {"passes": passes_along(was, given["passes"]["passes"], theirs)}}
        try:
            recipe = Recipe.from_document(valid.changed(version.recipe, given))
            for step, on in switches.items():
                recipe = recipe.with_switch(step, on)
            document = recipe.to_document()
            if _moves(values):
                size_of(context, version.frame, document)
        except (RecipeError, UserError):
            continue
        adjusted = valid.differs(document, initial[version.id])
        entry = history.entry(version, version.position) if gesture and version.position > 0 else None
        if entry is not None and entry.gesture == gesture and entry.bulk_id == bulk_id:
            earlier = history.document_at(version, version.position - 1)
            row = history.row(version, earlier, document, version.position, entry.words, gesture, bulk_id)
            HistoryEntry.update(recipe=row["recipe"], difference=row["difference"]).where(HistoryEntry.id == entry.id).execute()
            again.append((version, document, version.position, adjusted))
        elif document != version.recipe:
            changes.append((version, document, adjusted))
    _write(changes, Bulk.get_by_id(bulk_id).words, gesture, bulk_id)
    _store(again)
    if not HistoryEntry.select().where(HistoryEntry.bulk == bulk_id).exists():
        Bulk.delete().where(Bulk.id == bulk_id).execute()  # nothing changed anywhere: there is no step to take back


def move(bulk_id: int, *, undo: bool, but: int = 0) -> dict[str, Any]:
    """Takes back, or makes again, what was done to many. Versions that were changed since are left as they are and named.

    Returns ``changed`` (ids) and ``left`` (frame names). ``but`` is a version whose step was taken already.
    """
    with database.atomic():
        bulk = Bulk.select().where(Bulk.id == bulk_id).for_update().get_or_none()
        if bulk is None:
            raise NotFound("There is no such step any more.")
        at = dict(HistoryEntry.select(HistoryEntry.version, HistoryEntry.position).where(HistoryEntry.bulk == bulk_id).tuples())
        versions = [v for v in locked(at) if v.id != but]
        ready = [v for v in versions if v.position == at[v.id] - (0 if undo else 1)]
        there = {v.id for v in ready}
        goal = {v.id: at[v.id] - (1 if undo else 0) for v in ready}
        initial, valid = _initial(ready), _Valid()
        documents = history.documents_at(goal)
        _store([(v, documents[v.id], goal[v.id], valid.differs(documents[v.id], initial[v.id])) for v in ready])
        Bulk.update(undone=undo).where(Bulk.id == bulk_id).execute()
        # one where the step is not in force any more needs no undoing, one where it is needs no redoing
        left = [v.frame_id for v in versions if v.id not in there and (v.position >= at[v.id]) == undo]
        names = [row.name for row in Frame.select(Frame.name).where(Frame.id.in_(left)).order_by(Frame.name)] if left else []
    return {"bulk": bulk_id, "words": bulk.words, "changed": sorted(there), "left": names}
