"""Whose turn it is: urgency of work that people wait for, and work that nobody waits for any more.

What the hand moves comes first, then the visible picture, then the rest (small pictures, suggestions). A *line* is one place on
one page that shows one answer at a time: a newer request of a line makes the older ones unwanted.
"""

import heapq
import itertools
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from enum import IntEnum
from typing import TypeVar

T = TypeVar("T")


class Urgency(IntEnum):
    """Lower goes first."""

    HAND = 0
    SEEN = 1
    REST = 2


class Superseded(Exception):
    """A newer request of the same line has come: nobody waits for this one."""


@dataclass(frozen=True)
class Turn:
    """One request's urgency, and whether its answer is still wanted."""

    urgency: Urgency = Urgency.SEEN
    wanted: Callable[[], bool] = field(default=lambda: True)

    def check(self) -> None:
        """Raises :class:`Superseded` when nobody waits for the answer."""
        if not self.wanted():
            raise Superseded


AT_ONCE = Turn()


class Lines:
    """The newest request of every line. Lines that were not used for longest are forgotten first."""

    def __init__(self, kept: int = 512) -> None:
        self._newest: dict[str, int] = {}
        self._kept = kept
        self._lock = threading.Lock()

    def turn(self, line: str, urgency: Urgency, number: int = 0) -> Turn:
        """The turn of a new request; the older ones of its line are unwanted from now on. An empty line is nobody's.

        ``number`` is the request's place in its line as the asker counts: one that was called off may arrive after the one that
        took its place, on another connection. Without it (0) they are as old as they arrive.
        """
        if not line:
            return Turn(urgency)
        with self._lock:
            newest = self._newest.pop(line, 0)
            own = number or newest + 1
            self._newest[line] = max(newest, own)
            while len(self._newest) > self._kept:
                self._newest.pop(next(iter(self._newest)))
        return Turn(urgency, lambda: self._newest.get(line, own) <= own)


class TurnLock:
    """A lock that goes to the most urgent waiter, among equals to the one that waits longest."""

    def __init__(self) -> None:
        self._condition = threading.Condition()
        self._waiting: list[tuple[int, int]] = []
        self._count = itertools.count()
        self._held = False

    @contextmanager
    def held(self, turn: Turn = AT_ONCE) -> Iterator[None]:
        """Waits for the lock; raises :class:`Superseded` when the work is not wanted any more once it is its turn."""
        place = (int(turn.urgency), next(self._count))
        with self._condition:
            heapq.heappush(self._waiting, place)
            while self._held or self._waiting[0] != place:
                self._condition.wait()
            heapq.heappop(self._waiting)
            self._held = True
        try:
            turn.check()
            yield
        finally:
            with self._condition:
                self._held = False
                self._condition.notify_all()
