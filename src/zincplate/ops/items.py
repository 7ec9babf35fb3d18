"""Lists of a recipe whose items have ids, so that history, carrying and two pages at once speak of the right one."""

from collections.abc import Sequence
from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from zincplate.ops.base import Parameters

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9-]{1,36}$")]


class Item(Parameters):
    """One of a list. Its id stays when the others come, go or change places."""

    id: Id


def _with_ids(given: Any) -> Any:
    """Items without an id (written by hand, or before there were ids) get the smallest number that is free, in their order."""
    if not isinstance(given, Sequence) or isinstance(given, str):
        return given
    ids = [item.get("id") if isinstance(item, dict) else getattr(item, "id", None) for item in given]
    named = [i for i in ids if i is not None]
    if len(set(map(str, named))) < len(named):
        raise ValueError("two items have the same id")
    free = (str(n) for n in range(1, 10_000) if str(n) not in named)
    return [
        {**item, "id": next(free)} if isinstance(item, dict) and i is None else item for item, i in zip(given, ids, strict=True)
    ]


WITH_IDS = BeforeValidator(_with_ids)
"""For ``Annotated[tuple[SomeItem, ...], WITH_IDS, Field(max_length=n)]``."""
