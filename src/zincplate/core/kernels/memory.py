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
MOST = 32 << 20
"""Values that a thread keeps memory for before it gives back what nobody uses: parts of other sizes come, too."""


class _Blocks(threading.local):
    """One list for each thread that keeps memory; None where memory is not kept."""

    kept: list[Float32] | None = None


_blocks = _Blocks()


def take_again() -> None:
    """From now on, until this thread ends, planes of it that nobody refers to any more give their memory to the next ones."""
    _blocks.kept = []


@contextmanager
def taken_again() -> Iterator[None]:
    """The same while inside."""
    before, _blocks.kept = _blocks.kept, []
    try:
        yield
    finally:
        _blocks.kept = before


def _unused(kept: list[Float32], i: int) -> bool:
    """Whether nobody but the list and the function that counts refers to a block: views of a block do."""
    return sys.getrefcount(kept[i]) == 2


def empty(*shape: int) -> Float32:
    """An array that is not filled."""
    count = 1
    for size in shape:
        count *= size
    kept = _blocks.kept
    if kept is None or count < LEAST:
        return np.empty(shape, np.float32)
    for i in range(len(kept)):
        if count <= kept[i].size <= LOOSE * count and _unused(kept, i):
            return kept[i][:count].reshape(shape)
    if sum(map(np.size, kept)) + count > MOST:
        kept[:] = [kept[i] for i in range(len(kept)) if not _unused(kept, i)]
    kept.append(np.empty(count, np.float32))
    return kept[-1].reshape(shape)


def zeros(*shape: int) -> Float32:
    """An array of nothing."""
    if _blocks.kept is None:
        return np.zeros(shape, np.float32)
    out = empty(*shape)
    out.fill(0)
    return out
