"""Work on the frames of a merge, some at once: kernels share the cores among themselves, what lies between them does not."""

import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

Item = TypeVar("Item")
Result = TypeVar("Result")

AT_ONCE = min(os.cpu_count() or 1, 4)


def in_turn(work: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
    """Results in the order of the items. Whoever stops taking them stops the work that has not begun."""
    pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="merge")
    try:
        yield from pool.map(work, items)
    finally:
        pool.shutdown(cancel_futures=True)
