"""A cache bounded by bytes: least recently used entries go first."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

T = TypeVar("T")


class ByteCache:
    """Thread-safe. An entry larger than the whole cache is made and returned, but not kept."""

    def __init__(self, limit_bytes: int) -> None:
        self.limit_bytes = limit_bytes
        self._entries: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._total = 0
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], T], size_of: Callable[[T], int]) -> T:
        """The entry under ``key``, made by ``make`` when it is not there."""
        with self._lock:
            if key in self._entries:
                self._entries.move_to_end(key)
                value: T = self._entries[key][0]
                return value
        value = make()
        size = size_of(value)
        with self._lock:
            if key not in self._entries and size <= self.limit_bytes:
                self._entries[key] = (value, size)
                self._total += size
                while self._total > self.limit_bytes:
                    _, (_, gone) = self._entries.popitem(last=False)
                    self._total -= gone
        return value

    def drop(self, matching: Callable[[Hashable], bool]) -> None:
        """Removes every entry whose key matches."""
        with self._lock:
            for key in [k for k in self._entries if matching(k)]:
                self._total -= self._entries.pop(key)[1]

    @property
    def total_bytes(self) -> int:
        """Bytes held now."""
        return self._total
