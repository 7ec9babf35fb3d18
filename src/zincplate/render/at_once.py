"""Parts of a picture, two at once: between compiled kernels there is work for one processor only, which another part fills."""

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import numba

from zincplate.core.kernels import memory

T = TypeVar("T")


def each(parts: Sequence[T], work: Callable[[T], None], tell: Callable[[int], None]) -> None:
    """Calls ``work`` with every part, on this thread and on another one that share the processors between them.

    ``tell`` is called on this thread only, with the number of parts that are done; what it raises, or ``work``, ends everything.
    """
    threads = numba.get_num_threads()
    lock, stopped = threading.Lock(), threading.Event()
    left, done = iter(parts), 0

    def worked() -> bool:
        nonlocal done
        with lock:
            part = None if stopped.is_set() else next(left, None)
        if part is None:
            return False
        work(part)
        with lock:
            done += 1
        return True

    def beside() -> None:
        numba.set_num_threads(threads - threads // 2)
        try:
            with memory.taken_again():
                while worked():
                    pass
        finally:
            stopped.set()

    if threads == 1 or len(parts) == 1:
        with memory.taken_again():
            while worked():
                tell(done)
        return
    with ThreadPoolExecutor(1, "part") as other:
        ended = other.submit(beside)
        numba.set_num_threads(threads // 2)
        try:
            with memory.taken_again():
                while worked():
                    tell(done)
        finally:
            stopped.set()
            numba.set_num_threads(threads)
    ended.result()
    tell(done)
