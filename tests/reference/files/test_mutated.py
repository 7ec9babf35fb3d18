"""Truncated and mutated files of every kind: a picture or a sentence, never an exception's name, a dead decoder, or a long wait.

``ZINCPLATE_MUTATIONS`` sets how many of each kind: 2 in the tests; thirty were run when this was written, some six thousand.
"""

import os
import re
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import small_dng
from tests.formats.test_other_raws import HEIGHT, WIDTH, mrw
from tests.reference.files import test_dng_levels as levels
from tests.reference.files import test_dng_opcodes as opcodes
from tests.reference.files import test_dng_pixels as pixels
from tests.reference.files import test_jpeg_png as jpeg_png
from tests.reference.files import test_modern as modern
from tests.reference.files import test_tiff as tiff
from zincplate.formats.errors import FileError
from zincplate.formats.isolated import Decoder

MADE: dict[str, Callable[[], bytes]] = {
    **{f"dng-{n}": k.write for n, (k, _) in pixels.KINDS.items()},
    **{f"levels-{n}": k.write for n, (k, _) in levels.LEVELS.items()},
    **{
        f"lens-{n}": opcodes.spotted(place).but(tags={opcodes.THIRD: opcodes.listed(step)}).write
        for n, (step, place) in opcodes.LENSES.items()
    },
    **{f"tiff-{n}": made for n, (made, _, _) in tiff.TIFFS.items()},
    **{f"jpeg-{n}": made for n, (made, _, _) in jpeg_png.JPEGS.items()},
    **{f"png-{n}": made for n, (made, _, _) in jpeg_png.PNGS.items()},
    **{n: made for n, (made, _, _, _) in modern.KINDS.items()},
    "camera": small_dng,
    "container": lambda: mrw(np.full((HEIGHT, WIDTH), 800, np.uint16)),
}
COUNT = int(os.environ.get("ZINCPLATE_MUTATIONS", "2"))
TEXT_OF_A_LIBRARY = re.compile(r"Error|Exception|Traceback|0x[0-9a-f]|NoneType|numpy|tifffile|imagecodecs|astropy|b'|<[a-z]|\\x")


def mutated(data: bytes, rng: np.random.Generator) -> bytes:
    """Cut off, a few bytes changed near the front or anywhere, a block of noise or zeros, or a block twice."""
    out = bytearray(data)
    way = rng.integers(0, 6)
    if way == 0:
        return bytes(out[: max(int(len(out) * rng.random()), 1)])
    if way in (1, 2):
        reach = min(len(out), 400) if way == 1 else len(out)
        for place in rng.integers(0, reach, rng.integers(1, 12)):
            out[place] = int(rng.integers(0, 256))
        return bytes(out)
    start = int(rng.integers(0, len(out)))
    length = int(rng.integers(1, 200))
    if way == 3:
        out[start : start + length] = rng.integers(0, 256, len(out[start : start + length])).astype(np.uint8).tobytes()
    elif way == 4:
        out[start : start + length] = bytes(len(out[start : start + length]))
    else:
        out[start:start] = out[start : start + length]
    return bytes(out)


@pytest.mark.parametrize("part", range(4))
def test_a_picture_or_a_sentence(part: int, tmp_path: Path, decoder: Decoder) -> None:
    child = None
    refused = opened = 0
    for index, (name, made) in enumerate(sorted(MADE.items())):
        if index % 4 != part:
            continue
        data = made()
        rng = np.random.default_rng(index)
        for number in range(COUNT):
            path = tmp_path / f"TW-{index}-{number}"
            path.write_bytes(mutated(data, rng))
            started = time.monotonic()
            for read in (decoder.facts, decoder.decode):
                try:
                    read(path)
                    opened += 1
                except FileError as error:
                    refused += 1
                    reason = error.reason
                    assert error.name == path.name and reason[0].isupper() and reason.endswith("."), (name, number, reason)
                    assert not TEXT_OF_A_LIBRARY.search(reason), (name, number, reason)
                    assert "brought the decoder down" not in reason, (name, number)
            assert time.monotonic() - started < 30, (name, number)
            path.unlink()
            child = child or decoder.process_ids
    assert decoder.process_ids == child and refused and opened
    assert child is not None
    status = Path(f"/proc/{child[0]}/status").read_text()
    peak_kb = int(re.findall(r"VmHWM:\s+(\d+) kB", status)[0])
    assert peak_kb < 1_500_000, f"{peak_kb / 1000:.0f} MB"
