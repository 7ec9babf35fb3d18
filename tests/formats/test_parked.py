"""Pixels laid on disk: read as before, memory given back, nothing left behind, no room on the disk."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.formats import icc
from zincplate.formats import parked as parking
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.parked import held, parked
from zincplate.sources.file import Source

NEUTRAL = (0.5, 1.0, 0.8)


def mosaic(width: int = 240, height: int = 160) -> Decoded:
    sites = np.random.default_rng(1).integers(600, 16_000, (height, width)).astype(np.uint16)
    colour = CameraColour(CameraMatrices.plain((1, 0, 0, 0, 1, 0, 0, 0, 1), 5000.0), NEUTRAL)
    return Decoded("mosaic", sites, CaptureData(width=width, height=height, raw=True), colour, black=(512.0,) * 4, white=16383.0)


def camera_floats() -> Decoded:
    values = np.random.default_rng(2).uniform(0, 1.5, (160, 240, 3)).astype(np.float32)
    return replace(mosaic(), kind="camera", pixels=values, white=2.0)


def codes() -> Decoded:
    values = np.random.default_rng(3).integers(0, 256, (160, 240, 3)).astype(np.uint8)
    return Decoded("rendered", values, CaptureData(width=240, height=160), profile=icc.of_space("srgb"))


def all_that_is_read(source: Source) -> list[Any]:
    read = [source.window(20, 30, 90, 70), source.window(20, 30, 90, 70, True), source.reduced(4, True).planes]
    read += [source.trust(0, 0, 100, 100), source.white_limits, np.array(source.hot_pixels)]
    return read + ([source.site_values()] if source.mosaic else [])


@pytest.mark.parametrize("file", [mosaic, camera_floats, codes])
def test_parked_pixels_read_as_they_did_again_and_again(file: Callable[[], Decoded], tmp_path: Path) -> None:
    wanted = all_that_is_read(Source(file()))
    there = Source(parked(file(), tmp_path))
    assert not list(tmp_path.iterdir()), "their file has no name"
    for _ in range(2):
        for found, asked in zip(all_that_is_read(there), wanted, strict=True):
            assert np.array_equal(found, asked)


def of_files_kb() -> int:
    """Memory of this process that files' pages take."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("RssFile"))


def test_memory_is_given_back_after_every_reading(tmp_path: Path) -> None:
    source = Source(parked(mosaic(6000, 4000), tmp_path))
    before = of_files_kb()
    for top in range(0, 4000, 1000):
        source.window(0, top, 2000, 1000)
    source.reduced(8)
    assert source.hot_pixels >= 0
    assert of_files_kb() - before < 12_000, "of 48 MB"


def test_few_frames_stay_in_memory_and_so_do_many_where_the_disk_is_full(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    one = mosaic()
    assert held(one, 40, tmp_path) is one
    monkeypatch.setattr(parking, "MOST_IN_MEMORY", 20 * one.pixels.nbytes)
    assert held(one, 20, tmp_path) is one
    assert held(one, 21, tmp_path).rest is not None

    def full(*_: Any, **__: Any) -> Any:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(parking.tempfile, "TemporaryFile", full)
    assert held(one, 21, tmp_path) is one
