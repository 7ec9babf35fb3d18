"""The history of a version: what was done, entry by entry, kept as differences with a whole recipe at times.

``Version.recipe`` is always the recipe at ``Version.position``, as it was written: a step to a neighbour reads one small row.
"""

from collections.abc import Mapping
from typing import Any

from peewee import chunked

from zincplate.recipe.difference import applied, between
from zincplate.services.context import UserError
from zincplate.store.models import HistoryEntry, Version

WHOLE_EVERY = 32
"""Entries between whole recipes at most: as many small rows are read for any place in a history."""

Document = dict[str, Any]


def entry(version: Version, position: int) -> HistoryEntry | None:
    """One entry, if there is one."""
    return HistoryEntry.get_or_none(HistoryEntry.version == version, HistoryEntry.position == position)


def documents(version: Version, low: int, high: int) -> dict[int, Document]:
    """Recipes of the entries from ``low`` to ``high``, by position."""
    mine = HistoryEntry.version == version
    whole = (
        HistoryEntry.select(HistoryEntry.position)
        .where(mine, HistoryEntry.position <= max(low, 0), HistoryEntry.recipe.is_null(False))
        .order_by(HistoryEntry.position.desc())
        .limit(1)
        .scalar()
    )
    rows = (
        HistoryEntry.select(HistoryEntry.position, HistoryEntry.recipe, HistoryEntry.difference)
        .where(mine, HistoryEntry.position.between(whole or 0, high))
        .order_by(HistoryEntry.position)
        .tuples()
    )
    found: dict[int, Document] = {}
    current: Document = {}
    for position, recipe, difference in rows:
        current = recipe if recipe is not None else applied(current, difference)
        found[position] = current
    return {position: document for position, document in found.items() if position >= low}


def document_at(version: Version, position: int) -> Document:
    """The recipe of one entry; raises :class:`UserError` when there is none."""
    if position == version.position:
        return version.recipe
    found = documents(version, position, position).get(position)
    if found is None:
        raise UserError("There is nothing further to undo." if position < 0 else "There is nothing to redo.")
    return found


def documents_at(goals: Mapping[int, int]) -> dict[int, Document]:
    """The recipes of many versions, each at its own position (version id -> position): few queries for all of them."""
    found: dict[int, Document] = {}
    for part in chunked(list(goals), 500):
        rows = (
            HistoryEntry.select(HistoryEntry.version, HistoryEntry.position, HistoryEntry.recipe, HistoryEntry.difference)
            .where(HistoryEntry.version.in_(part))
            .order_by(HistoryEntry.version, HistoryEntry.position)
        )
        for version, position, recipe, difference in rows.tuples():
            if position <= goals[version]:
                found[version] = recipe if recipe is not None else applied(found[version], difference)
    return found


def initial(version: Version) -> Document:
    """The recipe the version began with."""
    document: Document = HistoryEntry.get(HistoryEntry.version == version, HistoryEntry.position == 0).recipe
    return document


def row(
    version: Version, before: Document, after: Document, position: int, words: str, gesture: str = "", bulk: int | None = None
) -> Document:
    """Fields of the entry that leads from ``before`` to ``after``."""
    whole = position % WHOLE_EVERY == 0
    return {
        "version": version.id,
        "position": position,
        "words": words[:250],
        "gesture": gesture,
        "recipe": after if whole else None,
        "difference": None if whole else between(before, after),
        "bulk": bulk,
    }


def drop_from(version: Version, position: int) -> None:
    """Forgets the entries from a position on: a change after undo replaces what was undone."""
    HistoryEntry.delete().where(HistoryEntry.version == version, HistoryEntry.position >= position).execute()
