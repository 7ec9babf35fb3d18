"""What the two ends of the decoder's pipe agree on: messages, names of shared memory, limits."""

import pickle
import struct
from pathlib import Path
from typing import Any

MEMORY_LIMIT = 6 << 30
SHARED, SEGMENT = Path("/dev/shm"), "zincplate-"  # noqa: S108  (where POSIX shared memory stands on Linux)
"""Segments are named for the process that takes them over and the one that made them."""


def send(stream: Any, message: Any) -> None:
    """One message, led by its length."""
    data = pickle.dumps(message)
    stream.write(struct.pack("<Q", len(data)) + data)
    stream.flush()


def receive(stream: Any) -> Any:
    """The next message; None when there is no other end any more."""
    head = stream.read(8)
    if len(head) < 8:
        return None
    data = stream.read(struct.unpack("<Q", head)[0])
    return pickle.loads(data) if data else None  # our own child's messages only
