"""The one thread on which views are computed, and the order in which it takes them up.

Every thread that runs a parallel kernel gets a team of OpenMP threads of its own, and dozens of teams on a web server's request
threads would fight for the cores. So there is one; what the hand moves goes before the visible picture, that before the rest, and
what nobody waits for any more is not computed.
"""

import heapq
import itertools
import threading
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass
from typing import Any, TypeVar

from zincplate.formats.turns import AT_ONCE, Superseded, Turn

T = TypeVar("T")
_Entry = tuple[int, int, "_Task"]


@dataclass
class _Task:
    work: Callable[[], Any]
    turn: Turn
    answer: "Future[Any]"


class RenderThread:
    """Started with its first task; ends with the process."""

    def __init__(self) -> None:
        self._waiting: list[_Entry] = []
        self._condition = threading.Condition()
        self._count = itertools.count()
        self._thread: threading.Thread | None = None
        self._urgency = int(AT_ONCE.urgency)
        """Of the task that runs."""

    def run(self, work: Callable[[], T], turn: Turn = AT_ONCE) -> T:
        """Does some work on the thread and waits for it; on the thread itself at once. Raises :class:`Superseded` when it was not
        wanted any more when its turn came."""
        if threading.current_thread() is self._thread:
            return work()
        task = _Task(work, turn, Future())
        with self._condition:
            if self._thread is None:
                self._thread = threading.Thread(target=self._serve, name="render", daemon=True)
                self._thread.start()
            heapq.heappush(self._waiting, (int(turn.urgency), next(self._count), task))
            self._condition.notify()
        result: T = task.answer.result()
        return result

    def breathe(self) -> None:
        """Called between the parts of long work: what is more urgent and waits is done now. Does nothing on other threads.

        Never called while an entry of a cache is being made: the urgent work may need that entry.
        """
        if threading.current_thread() is not self._thread:
            return
        while True:
            with self._condition:
                if not self._waiting or self._waiting[0][0] >= self._urgency:
                    return
                task = heapq.heappop(self._waiting)[2]
            self._do(task)

    def _serve(self) -> None:
        while True:
            with self._condition:
                while not self._waiting:
                    self._condition.wait()
                task = heapq.heappop(self._waiting)[2]
            self._do(task)

    def _do(self, task: _Task) -> None:
        before, self._urgency = self._urgency, int(task.turn.urgency)
        try:
            if not task.turn.wanted():
                raise Superseded
            task.answer.set_result(task.work())
        except BaseException as error:  # whoever waits gets it
            task.answer.set_exception(error)
        finally:
            self._urgency = before
