"""What is kept of a fill: which whole translation goes to which place. Without kernels, since every reading of a recipe
checks it."""

import base64
import binascii
import struct
import zlib
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_LARGEST = 20_000
_HEAD = "<iiHHH"
BETWEEN, NONE = ".", "-"
"""Between the fills of sections, and for a section with nothing to fill: no digits of base 64."""


@dataclass(frozen=True)
class Fill:
    """``labels`` (h, w) uint16 of a rectangle whose first row and column are ``top`` and ``left``, and ``offsets`` (n, 2):
    rows and columns from a place to what goes there. Places outside the hole count nothing."""

    left: int
    top: int
    labels: NDArray[np.uint16]
    offsets: NDArray[np.int64]

    def to_text(self) -> str:
        """As the recipe keeps it: numbers, then the labels' differences along each row, deflated, in base 64."""
        h, w = self.labels.shape
        steps = np.diff(self.labels, axis=1, prepend=np.uint16(0))
        head = struct.pack(_HEAD, self.left, self.top, w, h, len(self.offsets))
        halves = (steps & 255).astype(np.uint8).tobytes() + (steps >> 8).astype(np.uint8).tobytes()
        body = zlib.compress(np.ascontiguousarray(self.offsets, "<i4").tobytes() + halves, 9)
        return base64.b64encode(head + body).decode()


def text_of(fills: Sequence[Fill | None]) -> str:
    """Fills of the sections of one removal as the recipe keeps them; empty when there is none in any."""
    if not any(fills):
        return ""
    return BETWEEN.join(NONE if fill is None else fill.to_text() for fill in fills)


def fills_from_text(text: str) -> tuple[Fill | None, ...]:
    """The opposite of :func:`text_of`; raises ``ValueError`` with a sentence when the text is none."""
    return tuple(None if part == NONE else fill_from_text(part) for part in text.split(BETWEEN)) if text else ()


def fill_from_text(text: str) -> Fill:
    """The opposite of :meth:`Fill.to_text`; raises ``ValueError`` with a sentence when the text is none."""
    try:
        data = base64.b64decode(text, validate=True)
        left, top, w, h, n = struct.unpack_from(_HEAD, data)
        if not (0 < w <= _LARGEST and 0 < h <= _LARGEST and n > 0):
            raise ValueError
        unpacker = zlib.decompressobj()
        body = unpacker.decompress(data[struct.calcsize(_HEAD) :], 8 * n + 2 * w * h + 1)
        if len(body) != 8 * n + 2 * w * h:
            raise ValueError
    except (binascii.Error, struct.error, zlib.error, ValueError) as error:
        raise ValueError("the fill of a removal is damaged; fill it again") from error
    offsets = np.frombuffer(body[: 8 * n], "<i4").reshape(n, 2).astype(np.int64)
    low, high = np.frombuffer(body[8 * n :], np.uint8).reshape(2, h, w).astype(np.uint16)
    labels = np.cumsum(low | (high << 8), axis=1, dtype=np.uint16)
    if int(labels.max()) >= n:
        raise ValueError("the fill of a removal is damaged; fill it again")
    return Fill(left, top, labels, offsets)
