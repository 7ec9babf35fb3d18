"""Baseline JPEG (ITU-T T.81) coded in bands on several threads, and put together with restart markers (E.1.4).

A band is coded as a picture of its own; since coding begins anew after a restart marker, the bands' bits one after the other are
those of the whole picture. Every decoder reads them.
"""

import os
import struct
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

import imagecodecs
import numpy as np
from numpy.typing import NDArray

_LONGEST_INTERVAL = 65_535
"""Blocks between two restart markers that a file can tell (B.2.4.4)."""
LONGEST_SEGMENT = 65_000
"""Bytes of one segment, with room for what leads them (B.1.1.4)."""
_BAND_PX = 512
_END = b"\xff\xd9"
_FRAME, _SCAN, _JFIF, _INTERVAL, _RESTART = 0xC0, 0xDA, 0xE0, 0xDD, 0xD0


def segment(marker: int, data: bytes) -> bytes:
    """One marker segment (B.1.1.4); raises ``struct.error`` when the data are longer than one can hold."""
    return struct.pack(">BBH", 0xFF, marker, len(data) + 2) + data


def jpeg(image: NDArray[np.uint8], quality: int, full_colour: bool, extra: Sequence[bytes] = ()) -> bytes:
    """(h, w, 3) uint8 -> JPEG; ``full_colour`` 4:4:4, else 4:2:0; ``extra`` segments stand after the JFIF one."""
    block = 8 if full_colour else 16
    blocks_in_a_row = -(-image.shape[1] // block)
    rows_of_blocks = max(min(_BAND_PX // block, _LONGEST_INTERVAL // blocks_in_a_row), 1)
    step = rows_of_blocks * block
    bands = [image[top : top + step] for top in range(0, image.shape[0], step)]

    def coded(band: NDArray[np.uint8]) -> bytes:
        sampling = "444" if full_colour else "420"
        return bytes(imagecodecs.jpeg8_encode(np.ascontiguousarray(band), level=quality, subsampling=sampling))

    with ThreadPoolExecutor(min(len(bands), os.cpu_count() or 1)) as pool:
        parts = [_parted(data) for data in pool.map(coded, bands)]
    out = [b"\xff\xd8"]
    for marker, data in parts[0][0]:
        if marker == _FRAME:  # precision, then the number of lines: those of the whole picture (B.2.2)
            data = data[:1] + struct.pack(">H", image.shape[0]) + data[3:]
        if marker == _SCAN and len(bands) > 1:
            out.append(segment(_INTERVAL, struct.pack(">H", rows_of_blocks * blocks_in_a_row)))
        out.append(segment(marker, data))
        if marker == _JFIF:
            out.extend(extra)
    for i, (_, bits) in enumerate(parts):
        if i:
            out.append(bytes((0xFF, _RESTART + (i - 1) % 8)))
        out.append(bits)
    return b"".join([*out, _END])


def _parted(data: bytes) -> tuple[list[tuple[int, bytes]], bytes]:
    """Marker segments up to the scan's head, and the scan's coded bits, of a JPEG with one scan."""
    segments = []
    place = 2
    while True:
        marker, length = struct.unpack_from(">xBH", data, place)
        segments.append((marker, data[place + 4 : place + 2 + length]))
        place += 2 + length
        if marker == _SCAN:
            return segments, data[place : -len(_END)]
