"""Places that were drawn: the recipe's long rows of whole numbers, and the same in long edges of the frame.

A painting has a hundred thousand of them, every view reads its recipe anew, and what the stages keep is found by comparing
plans. So a row keeps its hash, a row that was checked is not checked again, and equal rows give the same places.
"""

import threading
from collections import OrderedDict
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError, ValidatorFunctionWrapHandler, WrapValidator

from zincplate.plan.passes import KeepsHash, Places

POINT_SCALE = 20_000
"""Places of strokes and outlines are whole numbers of this part of the long edge: a third of a pixel of 6,000."""
MOST_NUMBERS = 8_000
KEPT_NUMBERS = 400_000
"""How many numbers are kept converted: about 30 MB, three large paintings."""


class Row(KeepsHash, tuple[int, ...]):
    """A row that was checked."""


def unless_checked(least: int, most: int) -> WrapValidator:
    """For fields of so many numbers: a :class:`Row` is taken as it is."""

    def taken(value: Any, check: ValidatorFunctionWrapHandler) -> tuple[int, ...]:
        return value if isinstance(value, Row) and least <= len(value) <= most else Row(check(value))

    return WrapValidator(taken)


Number = Annotated[int, Field(ge=-40_000, le=60_000)]
"""A place's x or y, in 20,000ths of the long edge."""
_ROW: TypeAdapter[tuple[int, ...]] = TypeAdapter(Annotated[tuple[Number, ...], unless_checked(0, MOST_NUMBERS)])


def checked(value: Any) -> Any:
    """A list of numbers as a :class:`Row`, when it is one; else as it is, for the recipe to complain of."""
    try:
        return _ROW.validate_python(value)
    except ValidationError:
        return value


_kept: OrderedDict[tuple[int, ...], Places] = OrderedDict()
_lock = threading.Lock()
_total = 0


def places_of(points: tuple[int, ...]) -> Places:
    """x and y in turn, as the recipe has them -> places in long edges; a number without a partner is left out. Equal rows give
    the same object again."""
    global _total
    with _lock:
        if points in _kept:
            _kept.move_to_end(points)
            return _kept[points]
    flat = [p / POINT_SCALE for p in points[: len(points) // 2 * 2]]
    places = Places(zip(flat[::2], flat[1::2], strict=True))
    with _lock:
        if points not in _kept:
            _kept[points] = places
            _total += len(points)
        while _total > KEPT_NUMBERS and len(_kept) > 1:
            _total -= len(_kept.popitem(last=False)[0])
        return _kept.get(points, places)
