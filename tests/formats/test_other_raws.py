"""Raw files that are no DNG and no TIFF, files whose tags are silent, and files that are something else: opened, or named."""

import struct
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.conftest import small_dng
from zincplate.formats.decode import facts, named
from zincplate.formats.errors import FileError
from zincplate.formats.isolated import Decoder
from zincplate.sources.file import Source

WIDTH, HEIGHT = 2568, 1928
"""Sites of the camera that the container below claims to come from: LibRaw knows its colour by make and model."""


def _tiff(texts: dict[int, str]) -> bytes:
    """A big-endian TIFF of text entries."""
    entries, extra, base = [], b"", 8 + 2 + 12 * len(texts) + 4
    for tag, text in sorted(texts.items()):
        data = text.encode() + b"\0"
        entries.append(struct.pack(">HHII", tag, 2, len(data), base + len(extra)))
        extra += data + b"\0" * (len(data) % 2)
    return b"MM\0*" + struct.pack(">IH", 8, len(entries)) + b"".join(entries) + struct.pack(">I", 0) + extra


def mrw(sites: NDArray[np.uint16], balance: tuple[int, int, int, int] = (512, 256, 256, 384)) -> bytes:
    """An MRW container: blocks PRD (sizes, bits), TTW (a TIFF of facts) and WBG (balance), then 16-bit sites, all big-endian."""
    height, width = sites.shape
    prd = b"27240001" + struct.pack(">4H4B2H", height, width, height, width, 16, 12, 0x52, 0, 0, 1)
    ttw = _tiff({271: "Minolta Co., Ltd.", 272: "DiMAGE 7", 306: "2026:05:12 07:08:09"})
    wbg = bytes(4) + struct.pack(">4H", *balance)
    blocks = b"".join(
        b"\0" + name + struct.pack(">I", len(data)) + data for name, data in ((b"PRD", prd), (b"TTW", ttw), (b"WBG", wbg))
    )
    return b"\0MRM" + struct.pack(">I", len(blocks)) + blocks + sites.astype(">u2").tobytes()


@pytest.fixture
def container(tmp_path: Path) -> Path:
    """Left half dark, right half light, in the ratio of the balance: grey."""
    sites = np.empty((HEIGHT, WIDTH), np.uint16)
    for y, x, share in ((0, 0, 256 / 512), (0, 1, 1.0), (1, 0, 1.0), (1, 1, 256 / 384)):
        sites[y::2, x::2] = np.where(np.arange(x, WIDTH, 2) < WIDTH // 2, 800 * share, 2400 * share)
    path = tmp_path / "TW-0900.mrw"
    path.write_bytes(mrw(sites))
    return path


def test_a_container_that_is_no_tiff_is_opened_by_its_content(container: Path, decoder: Decoder) -> None:
    renamed = container.with_suffix(".dng")
    renamed.write_bytes(container.read_bytes())
    for path in (container, renamed):
        capture, _ = decoder.facts(path)
        assert (capture.raw, capture.width, capture.height, capture.captured_at) == (True, WIDTH, HEIGHT, "2026-05-12T07:08:09")
    source = Source(decoder.decode(container))
    assert source.raw and (source.width, source.height) == (WIDTH, HEIGHT)
    left, right = source.window(400, 800, 64, 64), source.window(1900, 800, 64, 64)
    for planes in (left, right):
        assert np.ptp(planes.mean((1, 2))) < 1e-3 * planes.mean(), "a grey in the balance as shot is grey"
    assert right.mean() / left.mean() == pytest.approx(3.0, rel=1e-3)


def test_a_container_that_ends_early_is_refused_by_name(container: Path, decoder: Decoder) -> None:
    cut = container.with_name("TW-0901.mrw")
    cut.write_bytes(container.read_bytes()[: WIDTH * 500])
    with pytest.raises(FileError, match=r"TW-0901\.mrw: The raw data end early"):
        decoder.decode(cut)


@pytest.mark.parametrize("silent", [(33434, 33437, 34855, 34866), (36867, 306), (37386,), (42036,)])
def test_facts_that_our_tags_do_not_tell_are_not_missed(silent: tuple[int, ...], tmp_path: Path, decoder: Decoder) -> None:
    data = bytearray(small_dng())
    for tag in silent:
        for kind in (2, 3, 4, 5):  # the entry of the directory: number and kind
            entry = struct.pack("<HH", tag, kind)
            at = data.find(entry)
            if at >= 0:
                data[at : at + 2] = struct.pack("<H", 64999)
    path = tmp_path / "TW-0902.dng"
    path.write_bytes(bytes(data))
    capture, _ = decoder.facts(path)
    assert capture.camera_model == "Pennick Test 1"
    decoded = decoder.decode(path)
    assert decoded.kind == "mosaic" and decoded.capture == capture


@pytest.mark.parametrize(
    ("head", "words"),
    [
        (b"GIF89a" + bytes(10), "a GIF picture"),
        (b"\0\0\0\x18ftypisom\0\0\0\0", "a film"),
        (b"\0\0\0\x18ftypcrx \0\0\0\0", ""),
        (b"BM" + bytes(14), "a BMP picture"),
        (b"\0\0\0\x0cjP  \r\n\x87\n" + bytes(4), "a JPEG 2000 picture"),
        (b"#?RADIANCE\n\n\n\n\n\n", "a Radiance picture"),
        (b"\0MRM" + bytes(12), ""),
        (b"words words words", ""),
    ],
)
def test_other_kinds_are_refused_by_their_own_name(head: bytes, words: str, tmp_path: Path) -> None:
    assert named(head[:16]) == words
    if words:
        path = tmp_path / "TW-0903.dng"
        path.write_bytes(head + bytes(100))
        with pytest.raises(FileError, match=f"This is {words}"):
            facts(path)


def test_a_fraction_of_a_second_that_is_no_number_costs_only_itself(tmp_path: Path, decoder: Decoder) -> None:
    data = small_dng()
    assert data.count(b"250\0") >= 1
    path = tmp_path / "TW-0904.dng"
    path.write_bytes(data.replace(b"250\0", "²5".encode("latin-1") + b"\0\0"))
    assert decoder.facts(path)[0].captured_at == "2026-05-12T07:08:09"
