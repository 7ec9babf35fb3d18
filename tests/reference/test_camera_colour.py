"""Colour of 24 patches through the simulated camera, against the truth and against LibRaw.

Spectra: "BabelColor Average", CIE 1931 observer, CIE illuminants A and D65, all from colour-science 0.4.7.
"""

from pathlib import Path

import colour
import numpy as np
import pytest
import rawpy

from zincplate.core.colour.adaptation import D65_XY, bradford, xyz_to_xy
from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.core.colour.colour_spaces import REC2020, SPACES
from zincplate.core.colour.lab import delta_e_2000, xyz_to_lab
from zincplate.demo.camera import EXACT_MATRIX, CameraModel, Exposure, Settings
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ideal
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe
from zincplate.sources.file import Source

CELL = 40
CAMERA = CameraModel("Pennick", "Pennick Field 6", 6 * CELL, 4 * CELL)
MATRIX = np.reshape(EXACT_MATRIX, (3, 3))
SHAPE = colour.SpectralShape(380, 780, 5)


def patches_xyz(illuminant: str) -> tuple[np.ndarray, np.ndarray]:
    """XYZ of the 24 patches under a light, and of its white, Y of white = 1."""
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(SHAPE).values
    light = colour.SDS_ILLUMINANTS[illuminant].copy().align(SHAPE).values
    reflectance = np.array([s.copy().align(SHAPE).values for s in colour.SDS_COLOURCHECKERS["BabelColor Average"].values()])
    k = 1 / (light @ observer[:, 1])
    return (reflectance * light) @ observer * k, light @ observer * k


def photograph(tmp_path: Path, illuminant: str, decoder: Decoder) -> tuple[Source, Path, np.ndarray]:
    """A noise-free raw of the target under a light; returns the opened source, the file and the truth adapted to D65."""
    xyz, white = patches_xyz(illuminant)
    camera_values = xyz @ MATRIX.T
    scale = 0.85 / max(camera_values.max(), (MATRIX @ white).max())
    planes = np.zeros((3, CAMERA.height, CAMERA.width), np.float32)
    for i, value in enumerate(camera_values * scale):
        y, x = divmod(i, 6)
        planes[:, y * CELL : (y + 1) * CELL, x * CELL : (x + 1) * CELL] = value[:, None, None]
    mosaic = np.empty(planes.shape[1:], np.float64)
    for place, channel in enumerate(CAMERA.cfa):
        mosaic[place // 2 :: 2, place % 2 :: 2] = planes[channel, place // 2 :: 2, place % 2 :: 2]
    codes = np.rint(mosaic * (CAMERA.white - CAMERA.black) + CAMERA.black).astype(np.uint16)
    neutral = MATRIX @ white
    neutral = tuple(float(v) for v in neutral / neutral.max())
    path = tmp_path / f"target_{illuminant}.dng"
    exposure = Exposure(CAMERA, codes, planes, neutral)  # type: ignore[arg-type]
    settings = Settings(1 / 60, 8, as_shot_xy=xyz_to_xy(white))
    path.write_bytes(dng_bytes(CAMERA, ideal(), settings, exposure, "2026-05-12T09:00:00"))
    return Source(decoder.decode(path)), path, xyz @ bradford(xyz_to_xy(white), D65_XY).T


def patch_means(image: np.ndarray) -> np.ndarray:
    """(h, w, 3) -> (24, 3), middle of each patch."""
    m = CELL // 4
    return np.array(
        [
            image[y * CELL + m : (y + 1) * CELL - m, x * CELL + m : (x + 1) * CELL - m].reshape(-1, 3).mean(0)
            for y in range(4)
            for x in range(6)
        ]
    )


def developed_xyz(source: Source) -> np.ndarray:
    """The patches through plate, balance and matrix to linear Rec.2020, as XYZ."""
    from zincplate.core.kernels.light import to_float

    planes = source.window(0, 0, source.width, source.height)
    recipe = Recipe.neutral(True).with_values({"tone": {"view": "linear"}})
    out = np.empty_like(planes)
    to_float(planes, source.tables(recipe, "rec2020", linear_output=True), out)
    return patch_means(np.moveaxis(out, 0, -1).astype(np.float64)) @ REC2020.to_xyz.T


def difference(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """CIEDE2000 after one common exposure is taken out (at neutral 5, patch 22)."""
    a = a * (b[21, 1] / a[21, 1])
    return delta_e_2000(xyz_to_lab(a), xyz_to_lab(b))


@pytest.mark.parametrize("illuminant", ["D65", "A"])
def test_exact_camera_against_the_truth(illuminant: str, tmp_path: Path, decoder: Decoder) -> None:
    source, _, truth = photograph(tmp_path, illuminant, decoder)
    d = difference(developed_xyz(source), truth)
    assert d.mean() <= 0.05
    assert d.max() <= 0.15


def test_against_libraw_under_d65(tmp_path: Path, decoder: Decoder) -> None:
    source, path, _ = photograph(tmp_path, "D65", decoder)
    with rawpy.imread(str(path)) as raw:
        theirs = raw.postprocess(
            use_camera_wb=True, no_auto_bright=True, gamma=(1, 1), output_bps=16, adjust_maximum_thr=0.0, user_flip=0,
            output_color=rawpy.ColorSpace.ProPhoto, demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD,
        )  # fmt: skip
    romm = SPACES["romm"]
    their_xyz = patch_means(theirs / 65535.0) @ (REC2020.to_xyz @ romm.to_working).T
    assert difference(developed_xyz(source), their_xyz).mean() <= 0.05


def test_two_matrices_are_mixed_by_reciprocal_temperature() -> None:
    # DNG 1.7.0.0, chapter 6: linear interpolation in 1/T, clipped outside
    a, d = np.diag([1.0, 2.0, 3.0]), np.diag([2.0, 4.0, 6.0])
    two = CameraMatrices.plain(tuple(a.ravel()), 2856.0, tuple(d.ravel()), 6504.0)
    half = 2 / (1 / 2856 + 1 / 6504)
    assert two.xyz_to_camera(colour.CCT_to_xy(half, method="Kang 2002")) == pytest.approx((a + d) / 2, abs=0.02)
    assert two.xyz_to_camera((0.4476, 0.4074)) == pytest.approx(a, abs=2e-3)
    assert two.xyz_to_camera((0.26, 0.27)) == pytest.approx(d)


def test_neutral_and_white_go_both_ways() -> None:
    matrices = CameraMatrices.plain(EXACT_MATRIX, 2856.0, tuple(0.9 * v for v in EXACT_MATRIX), 6504.0)
    for xy in ((0.4476, 0.4074), (0.3457, 0.3585), (0.3127, 0.329), (0.29, 0.33)):
        assert matrices.white_of(matrices.neutral_of(xy)) == pytest.approx(xy, abs=1e-6)
        assert matrices.balanced_to_working(xy) @ np.ones(3) == pytest.approx(np.ones(3), abs=1e-9)


def test_senseless_matrices_are_refused() -> None:
    with pytest.raises(ValueError, match="invertible"):
        CameraMatrices.plain((1.0,) * 9, 6504.0)
    with pytest.raises(ValueError, match="positive"):
        CameraMatrices.plain(EXACT_MATRIX, 6504.0).white_of((0.0, 1.0, 1.0))
