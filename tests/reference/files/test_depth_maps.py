"""Depth maps beside the raw picture (DNG 1.7.1, chapter 4, NewSubFileType 8 and DepthFormat): of other writers, and our own as
others read them."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import rawpy
import tifffile

from tests.formats.test_master import CASES
from tests.reference.files import writer as w
from tests.reference.files.chart import HEIGHT, WIDTH, save
from tests.reference.files.dng_kinds import Kind
from zincplate.core.geometry.orientation import upright
from zincplate.formats.capture import CaptureData
from zincplate.formats.decode import decode, facts
from zincplate.formats.decoded import CameraColour
from zincplate.formats.dng.master import MasterWriter
from zincplate.formats.preview import jpeg_from
from zincplate.sources.file import Source

ROWS, COLUMNS = 37, 50
TRUE = np.round(np.linspace(0, 1, COLUMNS) ** 2 * np.linspace(1, 0.4, ROWS)[:, None] * 255) / 255


def beside(codes: np.ndarray, order: str = "<", **more: tuple[int, Any]) -> w.Directory:
    """A directory of grey ``codes``, plain, in strips of ten rows, with what the specification asks of a depth map."""
    floating, bits = codes.dtype.kind == "f", codes.dtype.itemsize * 8
    rows, columns = codes.shape[:2]
    tags = {
        254: (w.LONG, 8), 256: (w.LONG, columns), 257: (w.LONG, rows), 258: (w.SHORT, [bits] * (codes.ndim * 2 - 3)),
        259: (w.SHORT, 1), 262: (w.SHORT, 51177), 277: (w.SHORT, codes.ndim * 2 - 3), 278: (w.LONG, 10),
        339: (w.SHORT, [3 if floating else 1] * (codes.ndim * 2 - 3)), 51177: (w.SHORT, 1), 51180: (w.SHORT, 1),
    }  # fmt: skip
    tags |= {int(name): value for name, value in more.items()}
    return w.Directory(tags=tags, pieces=w.cut(codes, lambda block: w.stored(block, order), 10))


def with_maps(path: Path, *maps: w.Directory, order: str = "<", orientation: int = 1) -> Path:
    """A camera's mosaic with directories beside it."""

    def wrap(image: w.Directory) -> tuple[w.Directory, ...]:
        image.sub = [*image.sub, *maps]
        return (image,)

    kind = Kind().but(wrap=wrap, order=order, tags={274: (w.SHORT, orientation)})
    return save(path, kind.write())


KINDS: dict[str, Callable[[], tuple[np.ndarray, str]]] = {
    "8 bit": lambda: (np.rint(TRUE * 255).astype(np.uint8), "<"),
    "16 bit": lambda: (np.rint(TRUE * 65535).astype(np.uint16), "<"),
    "16 bit, high byte first": lambda: (np.rint(TRUE * 65535).astype(np.uint16), ">"),
    "floating point": lambda: (TRUE.astype(np.float32), "<"),
}


@pytest.mark.parametrize("orientation", [1, 3, 6, 7])
@pytest.mark.parametrize("kind", KINDS)
def test_a_map_of_another_writer_is_read_and_lies_as_the_picture_does(tmp_path: Path, kind: str, orientation: int) -> None:
    codes, order = KINDS[kind]()
    path = with_maps(tmp_path / "depth.dng", beside(codes, order), order=order, orientation=orientation)
    capture, _ = facts(path)
    found = decode(path)
    assert capture.depth_map and found.depth is not None and found.pixels.shape == (HEIGHT, WIDTH)
    np.testing.assert_allclose(found.depth, TRUE, atol=1e-6)
    assert not [note for note in (*capture.notes, *found.notes) if "depth" in note]
    source = Source(found)
    assert source.depth is not None
    np.testing.assert_allclose(source.depth, upright(TRUE, orientation), atol=1e-6)
    turned = source.turned(1, True).depth
    assert turned is not None
    np.testing.assert_allclose(turned, np.rot90(source.depth, -1)[:, ::-1], atol=1e-6)


def test_the_largest_grey_one_counts_and_files_without_have_none(tmp_path: Path) -> None:
    small, other = (np.full(size, 99, np.uint8) for size in ((8, 10), (60, 80, 3)))
    path = with_maps(tmp_path / "several.dng", beside(small), beside(KINDS["8 bit"]()[0]), beside(other))
    depth = decode(path).depth
    assert depth is not None and depth.shape == TRUE.shape
    path = with_maps(tmp_path / "colours.dng", beside(other))
    assert decode(path).depth is None and not facts(path)[0].depth_map
    path = with_maps(tmp_path / "none.dng")
    assert decode(path).depth is None and not facts(path)[0].depth_map and Source(decode(path)).depth is None


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        ({"259": (w.SHORT, 8)}, "damaged"),
        ({"259": (w.SHORT, 9)}, "stored in a way that cannot be read"),
        ({"256": (w.LONG, 1)}, "1 x 37 pixels large, which cannot be"),
        ({"258": (w.SHORT, [77])}, "damaged"),
    ],
)
def test_a_map_that_cannot_be_read_is_told_and_costs_nothing_else(tmp_path: Path, wrong: dict[str, Any], words: str) -> None:
    path = with_maps(tmp_path / "wrong.dng", beside(KINDS["8 bit"]()[0], **wrong))
    found = decode(path)
    assert not facts(path)[0].depth_map  # so that no pass offers it
    assert found.depth is None and [note for note in found.notes if words in note]
    assert np.array_equal(found.pixels, decode(with_maps(tmp_path / "none.dng")).pixels)


def test_a_huge_map_is_made_smaller(tmp_path: Path) -> None:
    codes = np.tile(np.linspace(0, 255, 4100).astype(np.uint8), (60, 1))
    depth = decode(with_maps(tmp_path / "huge.dng", beside(codes))).depth
    assert depth is not None and depth.shape == (20, 1366)
    np.testing.assert_allclose(depth[7], (np.arange(1366) * 3 + 1) / 4099, atol=1 / 255)


def test_a_masters_map_is_read_by_others_and_does_not_stand_in_the_way(tmp_path: Path) -> None:
    writer = MasterWriter(300, 280)
    values = np.random.default_rng(2).uniform(0, 1, (3, 280, 300)).astype(np.float32)
    writer.add(values)
    colour = CameraColour(CASES["two"], (0.5, 1.0, 0.7), 1.25)
    preview = jpeg_from(np.full((280, 300, 3), 128, np.uint8))
    depth = np.random.default_rng(3).uniform(0, 1, (150, 75)).astype(np.float32)
    path = tmp_path / "master.dng"
    path.write_bytes(writer.finish(CaptureData(), colour, preview, (300, 280), "Test", {}, depth))
    found = decode(path)
    assert found.depth is not None and np.abs(found.depth - depth).max() <= 0.5 / 65535 + 1e-7
    with tifffile.TiffFile(path) as file:
        page = next(p for p in file.pages[0].pages if p.photometric == tifffile.PHOTOMETRIC.DEPTH_MAP)
        assert page.subfiletype == 8 and page.tags["DepthFormat"].value == 0
        np.testing.assert_array_equal(page.asarray(), np.rint(depth * 65535).astype(np.uint16))
    with rawpy.imread(str(path)) as raw:
        assert (raw.sizes.width, raw.sizes.height) == (300, 280)
    np.testing.assert_allclose(found.pixels, np.moveaxis(values, 0, -1), atol=1e-3)
