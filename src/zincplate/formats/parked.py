"""Pixels of many frames laid on disk while they are held: the memory that reading takes is given back after each reading.

Forty frames of 24 megapixels are two gigabytes. On disk they lie in the system's cache as long as there is room for them, and
whoever needs the room gets it.
"""

import mmap
import tempfile
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.formats.decoded import Decoded

MOST_IN_MEMORY = 1 << 30
"""Bytes of pixels that the frames of one job may hold in memory."""


def parked(decoded: Decoded, folder: Path | None = None) -> Decoded:
    """The same with its pixels in a file of ``folder`` (the system's own for temporary files when None) that has no name: it is
    gone when the pixels are, or the process. Raises ``OSError`` when there is no room for it."""
    pixels, balanced = np.ascontiguousarray(decoded.pixels), decoded.balanced
    if decoded.kind == "camera" and pixels.dtype.kind == "f" and not balanced:
        # whoever reads them would do it in place, and what is written into parked pixels is lost
        assert decoded.camera is not None
        pixels, balanced = pixels / np.asarray(decoded.camera.as_shot_neutral, np.float32), True
    with tempfile.TemporaryFile(dir=folder) as file:
        file.write(pixels.reshape(-1).view(np.uint8).data)
        file.flush()
        laid, rest = mapped(file.fileno(), pixels.dtype, pixels.shape)
    return replace(decoded, pixels=laid, balanced=balanced, rest=rest)


def mapped(file: int, dtype: np.dtype[Any], shape: tuple[int, ...]) -> tuple[NDArray[Any], Callable[[], None]]:
    """Pixels of an open file of theirs alone, and what gives back the memory that reading them took."""
    # copied on writing, which nobody does: kernels take arrays that cannot be written for another kind
    memory = mmap.mmap(file, 0, access=mmap.ACCESS_COPY)
    return np.frombuffer(memory, dtype).reshape(shape), partial(memory.madvise, mmap.MADV_DONTNEED)


def held(decoded: Decoded, count: int, folder: Path | None = None) -> Decoded:
    """One of ``count`` frames that are held at once: parked where all of them together would take too much memory. Where the disk
    has no room either they stay in memory, which gives the same pixels."""
    if decoded.pixels.nbytes * count <= MOST_IN_MEMORY:
        return decoded
    try:
        return parked(decoded, folder)
    except OSError:
        return decoded
