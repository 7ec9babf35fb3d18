"""Long parts of a recipe (strokes, outlines, areas that were found, fills) that the page sends once and names afterwards.

While a hand moves, twenty requests a second carry the same recipe; a painting in it is a megabyte of numbers that have not
changed. A page therefore sends ``{"piece": name, "is": part}`` the first time and ``{"piece": name}`` from then on. Names are the
page's own. What is not known any more (the program was started anew, or much was painted since) is answered by 428, upon which
the page sends everything. Requests without pieces are requests like any other.
"""

import threading
from collections import OrderedDict
from typing import Any

from flask import Flask
from flask.json.provider import DefaultJSONProvider
from werkzeug.exceptions import PreconditionRequired

from zincplate.ops.drawn_places import checked

KEPT_BYTES = 60_000_000
MOST_NAME = 80


class Pieces(DefaultJSONProvider):
    """Reads requests, and keeps their pieces."""

    def __init__(self, app: Flask) -> None:
        super().__init__(app)
        self._kept: OrderedDict[str, Any] = OrderedDict()
        self._lock = threading.Lock()
        self._total = 0

    def loads(self, s: str | bytes, **kwargs: Any) -> Any:
        """JSON with every piece in its place; raises ``PreconditionRequired`` for one that is not known."""
        marked = '"piece"' in s if isinstance(s, str) else b'"piece"' in s
        return super().loads(s, object_hook=self._placed, **kwargs) if marked else super().loads(s, **kwargs)

    def _placed(self, found: dict[str, Any]) -> Any:
        name = found.get("piece")
        if not isinstance(name, str) or len(name) > MOST_NAME or not found.keys() <= {"piece", "is"}:
            return found
        with self._lock:
            if "is" not in found:
                if name not in self._kept:
                    raise PreconditionRequired(f'"{name}" is not known any more')
                self._kept.move_to_end(name)
                return self._kept[name]
        part = found["is"] if isinstance(found["is"], str) else checked(found["is"])
        if isinstance(part, str | tuple):
            with self._lock:
                self._total += _size(part) - _size(self._kept.pop(name, ()))
                self._kept[name] = part
                while self._total > KEPT_BYTES and len(self._kept) > 1:
                    self._total -= _size(self._kept.popitem(last=False)[1])
        return part


def _size(part: str | tuple[int, ...]) -> int:
    return len(part) if isinstance(part, str) else 36 * len(part)
