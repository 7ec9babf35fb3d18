"""Frames that were asked for a moment ago: a moving hand asks for one thirty times a second."""

import threading
import time
from collections.abc import Callable

from zincplate.store.models import Frame

KEPT_S = 2.0
"""For so long a frame may be shown as it was: that it is gone, or its original elsewhere, is seen then."""
MOST = 64


class Lately:
    """One per process."""

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._lock = threading.Lock()
        self._kept: dict[int, tuple[float, Frame]] = {}

    def keep(self, frame: Frame) -> Frame:
        """Keeps what the database has just told."""
        with self._lock:
            self._kept.pop(frame.id, None)
            self._kept[frame.id] = (self._now(), frame)
            if len(self._kept) > MOST:
                del self._kept[next(iter(self._kept))]
        return frame

    def frame(self, frame_id: int) -> Frame | None:
        """A frame of the last seconds."""
        with self._lock:
            told, frame = self._kept.get(frame_id, (-KEPT_S, None))
        return frame if self._now() - told < KEPT_S else None
