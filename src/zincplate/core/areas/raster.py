"""An area that was found, as text: a small grey picture, so that the recipe holds what was found and not how."""

import base64
import binascii
import struct
import zlib
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

LONG_EDGE = 384
_LARGEST = 2048


def to_text(area: NDArray[np.float32]) -> str:
    """Values 0..1 (h, w) in 256 steps: size, then differences along each row, deflated, in base 64."""
    codes = np.clip(np.rint(area * 255), 0, 255).astype(np.uint8)
    steps = np.diff(codes, axis=1, prepend=np.uint8(0))
    head = struct.pack("<HH", codes.shape[1], codes.shape[0])
    return base64.b64encode(head + zlib.compress(steps.tobytes(), 9)).decode()


@lru_cache(maxsize=64)
def from_text(text: str) -> NDArray[np.float32]:
    """The area (h, w), 0..1; raises ``ValueError`` with a sentence when the text is none."""
    try:
        data = base64.b64decode(text, validate=True)
        width, height = struct.unpack_from("<HH", data)
        if not (0 < width <= _LARGEST and 0 < height <= _LARGEST):
            raise ValueError
        unpacker = zlib.decompressobj()
        raw = unpacker.decompress(data[4:], width * height + 1)
        if len(raw) != width * height:
            raise ValueError
    except (binascii.Error, struct.error, zlib.error, ValueError) as error:
        raise ValueError("the found area is damaged; look for it again") from error
    steps = np.frombuffer(raw, np.uint8).reshape(height, width)
    area = np.cumsum(steps, axis=1, dtype=np.uint8).astype(np.float32) / np.float32(255)
    area.setflags(write=False)
    return area
