"""Repairs of one frame on another: places stay, what was looked for on the first frame's pixels does not."""

from collections.abc import Sequence
from typing import Any, Literal

RepairValue = dict[str, Any]


def carried_repairs(
    repairs: Sequence[RepairValue], theirs: Sequence[RepairValue], joining: Literal["replace", "add"]
) -> list[RepairValue]:
    """The list of a frame that gets repairs: instead of its own, or added to them (the same one carried again is replaced). Fills
    are looked for again there."""
    coming = [{**one, "fill": ""} for one in repairs]
    if joining == "replace":
        return coming
    ids = {one["id"]: one for one in coming}
    kept = [ids.pop(one["id"], one) for one in theirs]
    return [*kept, *ids.values()]
