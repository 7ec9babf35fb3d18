"""Demosaicing of 6 x 6 mosaics against a known scene; LibRaw's method of three passes on the same file is the mark to reach."""

from pathlib import Path

import numpy as np
import pytest
import rawpy

from tests.reference.files.chart import save
from tests.reference.files.dng_kinds import MATRIX, WHITE_XYZ, Kind
from tests.reference.files.test_dng_pixels import SIX
from tests.reference.test_demosaic import encoded, psnr
from zincplate.core.colour.colour_spaces import REC2020
from zincplate.core.sensor.demosaic_any import demosaic_any
from zincplate.demo.scenes import drawn_field, load
from zincplate.formats.decode import decode
from zincplate.sources.file import Source

EDGE = 16


def camera_picture(scene: str) -> np.ndarray:
    """(h, w, 3) camera values of a scene."""
    planes = np.asarray((drawn_field(800, 600) if scene == "drawn_field" else load(scene)).planes, np.float64)
    picture = np.moveaxis(planes, 0, -1)[:600, :800]
    picture = picture / np.quantile(picture, 0.98) * 0.7
    return np.asarray(np.clip(picture @ REC2020.to_xyz.T @ MATRIX.T / (MATRIX @ WHITE_XYZ).max(), 0, 1))


@pytest.mark.parametrize("scene", ["drawn_field", "works_front"])
def test_within_a_decibel_of_three_passes(scene: str, tmp_path: Path) -> None:
    camera = camera_picture(scene)
    path = save(tmp_path / "a.dng", Kind(pattern=SIX, values=lambda _: camera, rows_per_strip=600).write())
    source = Source(decode(path))
    neutral = np.asarray(source.as_shot_neutral)
    ours = np.moveaxis(source.window(0, 0, source.width, source.height), 0, -1)
    with rawpy.imread(str(path)) as raw:
        theirs = raw.postprocess(
            user_wb=[1 / neutral[i] for i in (0, 1, 2, 1)], no_auto_bright=True, gamma=(1, 1), output_bps=16,
            adjust_maximum_thr=0.0, user_flip=0, output_color=rawpy.ColorSpace.raw,
        ) / 65535.0  # fmt: skip
    truth = camera / neutral
    theirs = theirs * ((truth * theirs).sum((0, 1)) / (theirs * theirs).sum((0, 1)))
    inner = (slice(EDGE, -EDGE), slice(EDGE, -EDGE))
    fair = (camera < 0.98).all(-1)[inner]
    mine, libraw = (psnr(encoded(p)[inner][fair], encoded(truth)[inner][fair]) for p in (ours, theirs))
    assert mine > libraw - 1.0, f"{mine:.2f} dB against {libraw:.2f} dB"


def test_strips_fit_together() -> None:
    rng = np.random.default_rng(5)
    sites = rng.random((500, 40)).astype(np.float32)
    whole = demosaic_any(sites, SIX, 3)
    part = demosaic_any(sites[60:400], np.roll(SIX, -(60 % 6), 0), 3)
    assert np.abs(whole[90:360] - part[30:300]).max() < 1e-4


@pytest.mark.parametrize("size", [(1, 1), (1, 9), (7, 2), (5, 5)])
def test_tiny_pictures(size: tuple[int, int]) -> None:
    out = demosaic_any(np.full(size, 0.25, np.float32), SIX, 3)
    assert out.shape == (*size, 3) and np.isfinite(out).all()
