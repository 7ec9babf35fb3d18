"""Names of sources with repairs and of single repairs, for caches; and fills that were read."""

import hashlib
from functools import lru_cache

from zincplate.core.repair.fill_map import Fill, fills_from_text
from zincplate.plan.repairs import RepairPlan

MARK = "\0repaired "
"""Between the key of a source and that of its repairs; no path has it."""
_DIGITS = 20


def repaired_key(key: str, name: str) -> str:
    """Key of a source with repairs that ``name`` tells apart (20 digits)."""
    return f"{key}{MARK}{name[:_DIGITS]}"


def plain_key(key: str) -> str:
    """The key of the same source without its repairs, turned as it is."""
    first, mark, rest = key.partition(MARK)
    return first + rest[_DIGITS:] if mark else key


@lru_cache(maxsize=64)
def fills_of_text(text: str) -> tuple[Fill | None, ...]:
    """:func:`fills_from_text`, kept."""
    return fills_from_text(text)


@lru_cache(maxsize=4096)
def digest_of(repair: RepairPlan) -> str:
    """A name that tells a repair's plan from every other."""
    return hashlib.sha256(repr(repair).encode()).hexdigest()
