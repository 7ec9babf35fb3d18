"""Demosaicing against a known scene, with LibRaw's AHD on the same file as the mark to reach."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import rawpy

from zincplate.core.colour.colour_spaces import SRGB
from zincplate.core.sensor.demosaic import window_of
from zincplate.demo.camera import CameraModel, Exposure, Settings, expose, metered
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ideal
from zincplate.demo.scenes import drawn_field, load
from zincplate.formats.isolated import Decoder
from zincplate.sources.file import Source

CAMERA = CameraModel("Pennick", "Pennick Test 2", 1504, 1008)
LENS = ideal()
EDGE = 16


def psnr(a: np.ndarray, b: np.ndarray) -> float:
    """Peak signal to noise ratio in dB, peak 1."""
    return float(10 * np.log10(1 / np.mean((a.astype(np.float64) - b) ** 2)))


def encoded(planes: np.ndarray) -> np.ndarray:
    """sRGB curve, as an eye would weigh the errors."""
    return SRGB.transfer.encode(np.clip(planes, 0, 1))


@pytest.mark.parametrize("scene", ["drawn_field", "works_front"])
@pytest.mark.parametrize("noise", [False, True])
def test_at_least_as_good_as_ahd(scene: str, noise: bool, tmp_path: Path, decoder: Decoder) -> None:
    picture = drawn_field(1504, 1008) if scene == "drawn_field" else load(scene)
    # the works front at one picture element a site, the drawn field as it is
    lens = LENS if scene == "drawn_field" else ideal(picture.focal * CAMERA.pixel_pitch_um / 1000)
    settings = metered(picture, Settings(1 / 125, 5.6, 100, seed=4), 0.2)
    exposure = expose(picture, CAMERA, lens, settings)
    if not noise:
        clean = np.empty(exposure.mosaic.shape, np.float64)
        for place, channel in enumerate(CAMERA.cfa):
            rows, columns = slice(place // 2, None, 2), slice(place % 2, None, 2)
            clean[rows, columns] = exposure.true_camera[channel, rows, columns]
        codes = np.rint(np.clip(clean, 0, 1) * (CAMERA.white - CAMERA.black) + CAMERA.black).astype(np.uint16)
        exposure = replace(exposure, mosaic=codes)
    path = tmp_path / "scene.dng"
    path.write_bytes(dng_bytes(CAMERA, LENS, settings, exposure, "2026-05-12T09:00:00"))
    source = Source(decoder.decode(path))
    ours = source.camera_values(source.window(0, 0, source.width, source.height))
    with rawpy.imread(str(path)) as raw:
        multipliers = [1 / exposure.as_shot_neutral[i] for i in (0, 1, 2, 1)]
        theirs = raw.postprocess(
            user_wb=multipliers, no_auto_bright=True, gamma=(1, 1), output_bps=16, adjust_maximum_thr=0.0, user_flip=0,
            output_color=rawpy.ColorSpace.raw, demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD,
        )  # fmt: skip
    ahd = np.moveaxis(theirs / 65535.0, -1, 0)
    truth = np.clip(exposure.true_camera, 0, 1)
    # LibRaw balances before demosaicing and scales so that the smallest multiplier is 1: compare in balanced values
    neutral = np.array(exposure.as_shot_neutral)[:, None, None]
    balanced = truth / neutral * min(exposure.as_shot_neutral)
    gain = (balanced * ahd).sum((1, 2), keepdims=True) / (ahd * ahd).sum((1, 2), keepdims=True)
    ours_balanced = ours / neutral * min(exposure.as_shot_neutral)
    inner = (slice(None), slice(EDGE, -EDGE), slice(EDGE, -EDGE))
    fair = (truth < 0.98).all(0)[EDGE:-EDGE, EDGE:-EDGE]
    mine = psnr(encoded(ours_balanced)[inner][:, fair], encoded(balanced)[inner][:, fair])
    libraw = psnr(encoded(ahd * gain)[inner][:, fair], encoded(balanced)[inner][:, fair])
    assert mine >= libraw, f"{mine:.2f} dB against {libraw:.2f} dB"


@pytest.mark.parametrize("cfa", [(0, 1, 1, 2), (1, 0, 2, 1), (1, 2, 0, 1), (2, 1, 1, 0)])
def test_every_order_of_the_mosaic_gives_the_same_picture(
    cfa: tuple[int, int, int, int], decoder: Decoder, tmp_path: Path
) -> None:
    camera = CameraModel("Pennick", "Pennick Test 3", 128, 80, cfa=cfa)
    planes = np.full((3, 80, 128), 0.3, np.float32) * np.array([0.5, 1.0, 0.7], np.float32)[:, None, None]
    planes[:, 20:60, 30:90] *= 0.4
    mosaic = np.empty((80, 128), np.float64)
    for place, channel in enumerate(cfa):
        mosaic[place // 2 :: 2, place % 2 :: 2] = planes[channel, place // 2 :: 2, place % 2 :: 2]
    codes = np.rint(mosaic * (camera.white - camera.black) + camera.black).astype(np.uint16)
    path = tmp_path / "order.dng"
    exposure = Exposure(camera, codes, planes, (0.5, 1.0, 0.7))
    path.write_bytes(dng_bytes(camera, LENS, Settings(1, 8), exposure, "2026-05-12T09:00:00"))
    source = Source(decoder.decode(path))
    found = source.camera_values(source.window(0, 0, 128, 80))
    flat = (slice(None), slice(26, 54), slice(36, 84))
    assert np.abs(found[flat] - planes[flat]).max() < 2e-4
    assert np.abs(found[:, :14, :] - planes[:, :14, :]).max() < 2e-4  # the very edge too
    reduced = source.reduced(4)
    assert np.abs(source.camera_values(reduced.planes)[:, 8:12, 10:20] - planes[:, 40:41, 40:41]).max() < 2e-4


@pytest.mark.parametrize("x0", [-9, -8, -1, 0, 3])
@pytest.mark.parametrize("width", [63, 64])
def test_a_window_is_filled_to_the_last_site(x0: int, width: int) -> None:
    mosaic = np.random.default_rng(1).integers(600, 16000, (40, width)).astype(np.uint16)
    out = np.full((48, 96), np.nan, np.float32)
    black, scale = np.full((2, 2), 512, np.float32), np.full((2, 2), 1 / 15000, np.float32)
    window_of(mosaic, -4, x0, black, scale, out)
    column = np.abs(np.arange(x0, x0 + 96))
    column = np.where(column >= width, 2 * width - 2 - column, column)
    row = np.abs(np.arange(-4, 44))
    row = np.where(row >= 40, 78 - row, row)
    assert out == pytest.approx(np.sqrt((mosaic[np.ix_(row, column)] - 512.0) / 15000), abs=1e-5)


def test_windows_fit_together(dng: Path, decoder: Decoder) -> None:
    source = Source(decoder.decode(dng))
    whole = source.window(0, 0, source.width, source.height)
    for x, y, w, h in ((0, 0, 64, 64), (101, 77, 90, 53), (source.width - 33, source.height - 21, 33, 21)):
        assert np.abs(source.window(x, y, w, h) - whole[:, y : y + h, x : x + w]).max() < 1e-5
