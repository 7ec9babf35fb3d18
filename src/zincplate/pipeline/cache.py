"""A cache bounded by bytes: least recently used entries go first, and what is being made is made once."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

T = TypeVar("T")


class _Making:
    """Somebody is making an entry; the others wait for it."""

    def __init__(self) -> None:
        self.thread = threading.get_ident()
        self.done = threading.Event()
        self.value: Any = None
        self.made = False


class ByteCache:
    """Thread-safe. The newest entry always stays, also when it is larger than the whole cache: it is what is being worked on."""

    def __init__(self, limit_bytes: int) -> None:
        self.limit_bytes = limit_bytes
        self._entries: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._making: dict[Hashable, _Making] = {}
        self._total = 0
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], T], size_of: Callable[[T], int]) -> T:
        """The entry under ``key``, made by ``make`` when it is not there. Asked for by several threads at once it is made by the
        first; when that one fails, the next tries."""
        while True:
            with self._lock:
                if key in self._entries:
                    value: T = self._entries[key][0]
                    # measured again: what hangs on an entry may have grown since it was made
                    self._keep(key, value, size_of(value))
                    return value
                other = self._making.get(key)
                mine = None
                if other is None or other.thread == threading.get_ident():
                    mine = self._making[key] = _Making()
            if mine is not None:
                return self._make(key, mine, make, size_of)
            assert other is not None
            other.done.wait()
            if other.made:
                shared: T = other.value
                return shared

    def _make(self, key: Hashable, mine: _Making, make: Callable[[], T], size_of: Callable[[T], int]) -> T:
        try:
            value = make()
            size = size_of(value)
            mine.value, mine.made = value, True
        finally:
            with self._lock:
                if self._making.get(key) is mine:
                    del self._making[key]
                if mine.made:
                    self._keep(key, value, size)
            mine.done.set()
        return value

    def _keep(self, key: Hashable, value: Any, size: int) -> None:
        before = self._entries.pop(key, None)
        self._total += size - (before[1] if before else 0)
        self._entries[key] = (value, size)
        while self._total > self.limit_bytes and len(self._entries) > 1:
            _, (_, gone) = self._entries.popitem(last=False)
            self._total -= gone

    def kept(self, key: Hashable, otherwise: Any) -> Any:
        """The entry under a key, or something else where there is none; nothing is made."""
        with self._lock:
            if key not in self._entries:
                return otherwise
            self._entries.move_to_end(key)
            return self._entries[key][0]

    def drop(self, matching: Callable[[Hashable], bool]) -> None:
        """Removes every entry whose key matches."""
        with self._lock:
            for key in [k for k in self._entries if matching(k)]:
                self._total -= self._entries.pop(key)[1]

    @property
    def total_bytes(self) -> int:
        """Bytes held now."""
        return self._total
