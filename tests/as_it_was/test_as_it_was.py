"""A recipe shows tomorrow what it showed yesterday.

Photographers have agreed pictures with their clients: no change of the program may alter them without a word. Every control,
area, repair and kind of merge has records here of what it gave. Where a change is meant, the operation gets a new version and
an ``upgrade`` that says so (docs/architecture.md), and ``python -m tests.as_it_was.renew GROUP`` writes the new records.
"""

from typing import Any

import numpy as np
import pytest

from tests.as_it_was.groups import GROUPS, TOLERANCES
from tests.as_it_was.record import difference, kept, recorded

NAMES = [(group, name) for group in GROUPS for name in kept(group)]


def test_the_records_are_of_all_that_there_is() -> None:
    for group, cases in GROUPS.items():
        assert set(kept(group)) == set(cases()), f"python -m tests.as_it_was.renew {group}"


@pytest.mark.parametrize(("group", "name"), NAMES)
def test_it_is_as_it_was(group: str, name: str) -> None:
    before, now = kept_of(group)[name], recorded(name, cases_of(group)[name]())
    why = difference(before, now, TOLERANCES[group])
    assert not why, f"{group}, {name}: {why}. If that is meant, give the operation a new version and renew the record."


@pytest.mark.parametrize("how", ["a size", "a mean", "places", "no number"])
def test_a_record_notices_what_it_should(how: str) -> None:
    picture = np.random.default_rng(1).random((60, 80, 3))
    other: Any = picture.copy()
    if how == "a size":
        other = other[:, :-1]
    elif how == "a mean":
        other[:30] += 3e-4
    elif how == "no number":
        other[7, 9] = np.nan
    else:
        other += np.where(np.random.default_rng(2).random((60, 80, 1)) < 0.5, 8e-4, -8e-4)
    before = recorded("x", picture)
    assert difference(before, recorded("x", picture + 5e-5), 1e-4) == ""
    assert difference(before, recorded("x", other), 1e-4)


_KEPT: dict[str, dict[str, Any]] = {}
_CASES: dict[str, dict[str, Any]] = {}


def kept_of(group: str) -> dict[str, Any]:
    """Read once."""
    return _KEPT.setdefault(group, kept(group))


def cases_of(group: str) -> dict[str, Any]:
    return _CASES.setdefault(group, GROUPS[group]())
