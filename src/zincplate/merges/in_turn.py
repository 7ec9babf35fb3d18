"""Work on the frames of a merge, some at once: kernels share the cores among themselves, what lies between them does not."""

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from typing import TypeVar

from zincplate.core.kernels import memory

Item = TypeVar("Item")
Result = TypeVar("Result")

AT_ONCE = min(os.cpu_count() or 1, 4)


@contextmanager
def workers() -> Iterator[ThreadPoolExecutor]:
    """Threads for work on frames; what one part of a frame has held there is taken for the next."""
    pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="merge", initializer=memory.take_again)
    try:
        yield pool
    finally:
        pool.shutdown(cancel_futures=True)


@contextmanager
def in_turn(work: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Iterator[Result]]:
    """Results in the order of the items, few of them ahead of who takes them: a strip of a frame is large. At the end of the
    context, however it comes, work that has not begun is called off."""

    def results(pool: ThreadPoolExecutor) -> Iterator[Result]:
        waiting: deque[Future[Result]] = deque()
        for item in items:
            waiting.append(pool.submit(work, item))
            if len(waiting) > AT_ONCE:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()

    with workers() as pool:
        yield results(pool)


def all_of(work: Callable[[Item], Result], items: Iterable[Item], pool: ThreadPoolExecutor | None = None) -> list[Result]:
    """Every result; by the ``pool`` of who asks for many after each other."""
    if pool is not None:
        return list(pool.map(work, items))
    with in_turn(work, items) as results:
        return list(results)
