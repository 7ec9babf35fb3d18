"""Memory for planes that live as long as a part of a picture: what the part before held is taken again.

A part of a delivery needs forty megabytes of planes for a moment. The operating system would have to clear them anew for each
part, which took a seventh of a delivery with ten passes.
"""

import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]

LEAST = 1 << 15
"""Values of a plane that is worth keeping the memory of."""
LOOSE = 1.25
"""A block of memory is taken for a plane that needs most of it."""
_HELD_HERE = 3
"""References to a block that nobody uses while it is looked at: the list's, the loop's and the counting function's."""


class _Blocks(threading.local):
    """One list for each thread that keeps memory; None where memory is not kept."""

    kept: list[Float32] | None = None


_blocks = _Blocks()


@contextmanager
def taken_again() -> Iterator[None]:
    """While inside, planes of this thread that nobody refers to any more give their memory to the next ones."""
    before, _blocks.kept = _blocks.kept, []
    try:
        yield
    finally:
        _blocks.kept = before


def empty(*shape: int) -> Float32:
    """An array that is not filled."""
    count = 1
    for size in shape:
        count *= size
    kept = _blocks.kept
    if kept is None or count < LEAST:
        return np.empty(shape, np.float32)
    for block in kept:
        if count <= block.size <= LOOSE * count and sys.getrefcount(block) == _HELD_HERE:
            return block[:count].reshape(shape)
    block = np.empty(count, np.float32)
    kept.append(block)
    return block.reshape(shape)


def zeros(*shape: int) -> Float32:
    """An array of nothing."""
    if _blocks.kept is None:
        return np.zeros(shape, np.float32)
    out = empty(*shape)
    out.fill(0)
    return out
