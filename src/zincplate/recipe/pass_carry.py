"""Passes of one frame on another: what is bound to pixels, what is found again, and how lists are put together."""

from collections.abc import Mapping, Sequence
from typing import Any, Literal

Areas = Literal["as_drawn", "found_again", "leave_bound"]
Joining = Literal["replace", "add"]
PassValue = dict[str, Any]

BOUND = frozenset({"brush", "near"})
"""Kinds of terms that mean these very pixels of one frame."""


def is_bound(one: Mapping[str, Any]) -> bool:
    """Whether a pass was painted or picked on one frame."""
    return any(term["kind"] in BOUND for term in one["area"]["terms"])


def is_found(one: Mapping[str, Any]) -> bool:
    """Whether something of a pass's area was found."""
    return any(term["kind"] == "found" for term in one["area"]["terms"])


def carried(passes: Sequence[PassValue], theirs: Sequence[PassValue], areas: Areas, joining: Joining) -> list[PassValue]:
    """The list of a frame that gets passes: instead of its own, or added to them (the same pass carried again is replaced)."""
    coming = [one for one in passes if areas != "leave_bound" or not is_bound(one)]
    if joining == "replace":
        return coming
    ids = {one["id"]: one for one in coming}
    kept = [ids.pop(one["id"], one) for one in theirs]
    return [*kept, *ids.values()]


def along(before: Sequence[PassValue], after: Sequence[PassValue], theirs: Sequence[PassValue]) -> list[PassValue]:
    """Another frame's list after the changes that led from one list to another: passes added, changed and taken away there
    are added, changed and taken away here. What was found on the other frame stays as it was found."""
    was, is_now = {p["id"]: p for p in before}, {p["id"]: p for p in after}
    out = []
    for one in theirs:
        name = one["id"]
        if name in was and name not in is_now:
            continue
        changed = name in is_now and is_now[name] != was.get(name)
        out.append(_with_own_findings(is_now[name], one) if changed else one)
    there = {one["id"] for one in theirs}
    return [*out, *(p for name, p in is_now.items() if name not in was and name not in there)]


def _with_own_findings(one: PassValue, own: PassValue) -> PassValue:
    found = {t["id"]: t for t in own["area"]["terms"] if t["kind"] == "found"}
    terms = [
        {**t, "raster": found[t["id"]]["raster"], "sure": found[t["id"]]["sure"]}
        if t["kind"] == "found" and t["id"] in found and found[t["id"]]["what"] == t["what"]
        else t
        for t in one["area"]["terms"]
    ]
    return {**one, "area": {**one["area"], "terms": terms}}
