"""Evening out on the demo's glazed bust: blotches of colour go, drawing and pores stay."""

import cv2
import numpy as np
import pytest

from tests.conftest import demo_dng
from zincplate.core.areas.raster import from_text
from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SPACES, SRGB
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe
from zincplate.render.finders import find
from zincplate.render.render import Renderer

CHEST = (slice(0.60, 0.76), slice(0.15, 0.75))
"""Rows and columns of the upright picture, in shares of its sides."""


@pytest.fixture(scope="module")
def pictures(tmp_path_factory: pytest.TempPathFactory) -> list[np.ndarray]:
    """Oklab of the chest at full size: as it is, colours evened, colours and light evened."""
    path = tmp_path_factory.mktemp("bust") / "TW-0080.dng"
    path.write_bytes(demo_dng(80))
    renderer = Renderer(Decoder())
    source, neutral = renderer.open(path, "k"), Recipe.neutral(True)
    found = []
    for controls in ({"even_colour": 0, "exposure_ev": 0.001}, {"even_colour": 100}, {"even_colour": 100, "clarity": -55}):
        recipe = neutral.with_values({"passes": {"passes": [{"name": "skin", "controls": controls}]}})
        picture = renderer.deliver(source, recipe, space="srgb", bits=16) / 65535
        height, width = picture.shape[:2]
        rows, columns = (slice(int(s.start * n), int(s.stop * n)) for s, n in zip(CHEST, (height, width), strict=True))
        found.append(oklab.from_working(SRGB.transfer.decode(picture[rows, columns]) @ SPACES["srgb"].to_working.T))
    return found


BLOTCHES = 10.0, 38.0
"""Pixels between which blotches lie on it: a fiftieth to a fifteenth of the face."""


def between(plane: np.ndarray, fine_px: float, coarse_px: float) -> np.ndarray:
    """What lies between two sizes."""
    plane = plane.astype(np.float32)
    fine = cv2.GaussianBlur(plane, (0, 0), fine_px) if fine_px else plane
    return fine - cv2.GaussianBlur(plane, (0, 0), coarse_px)


def band(plane: np.ndarray, fine_px: float, coarse_px: float) -> float:
    """Deviation of what lies between two sizes."""
    return float(between(plane, fine_px, coarse_px).std())


def test_blotches_of_colour_go_and_texture_stays(pictures: list[np.ndarray]) -> None:
    plain, even, both = pictures
    blotches = [sum(band(p[..., c], 8, 50) for c in (1, 2)) for p in pictures]
    # by more than a third, shading that has a colour of its own included
    assert blotches[1] < 0.65 * blotches[0] and blotches[2] < 0.65 * blotches[0]
    # pores: what is finer than two pixels, as energy
    texture = [float(np.square(p[..., 0] - cv2.GaussianBlur(p[..., 0], (0, 0), 2)).mean()) for p in pictures]
    assert texture[1] == pytest.approx(texture[0], rel=0.05) and texture[2] == pytest.approx(texture[0], rel=0.1)
    # the colour of the whole and its light are as they were
    assert np.abs(even.mean((0, 1)) - plain.mean((0, 1))).max() < 0.004
    assert np.abs(even[..., 0] - plain[..., 0]).mean() < 0.004
    # clarity below zero evens light out the same way
    assert band(both[..., 0], 8, 50) < 0.92 * band(plain[..., 0], 8, 50)


def test_light_is_evened_for_itself_by_the_size_of_the_face(tmp_path_factory: pytest.TempPathFactory) -> None:
    """Found skin says how large its blotches are. Contrast of blotches on the chest goes down by two fifths, that of texture
    (pores; finer than two pixels) stays within a twentieth, modelling and specks stay, and beyond the skin nothing moves."""
    path = tmp_path_factory.mktemp("skin") / "TW-0080.dng"
    path.write_bytes(demo_dng(80))
    renderer = Renderer(Decoder())
    source, neutral = renderer.open(path, "k"), Recipe.neutral(True)
    found = find(renderer, source, "k", "skin")
    assert found.blotch_percent is not None and 1.5 < found.blotch_percent < 4  # the face is a quarter of the long edge wide
    terms = [{"kind": "found", "what": "skin", "raster": found.raster, "sure": 90}]
    seen = []
    for amount in (0, 100):
        controls = {"even_light": amount, "even_colour": amount, "forms_percent": found.blotch_percent, "exposure_ev": 1e-3}
        recipe = neutral.with_values({"passes": {"passes": [{"name": "skin", "area": {"terms": terms}, "controls": controls}]}})
        picture = renderer.deliver(source, recipe, space="srgb", bits=16) / 65535
        seen.append(oklab.from_working(SRGB.transfer.decode(picture) @ SPACES["srgb"].to_working.T))
    height, width = seen[0].shape[:2]
    chest = tuple(slice(int(s.start * n), int(s.stop * n)) for s, n in zip(CHEST, (height, width), strict=True))
    blotches, texture = ([np.abs(between(p[chest][..., 0], *sizes)) for p in seen] for sizes in (BLOTCHES, (0, 2)))
    assert np.median(blotches[1]) < 0.6 * np.median(blotches[0])
    assert np.median(texture[1]) == pytest.approx(np.median(texture[0]), rel=0.05)
    # the collar bones' shadows, and the chip in the glaze
    assert np.quantile(blotches[1], 0.98) > 0.75 * np.quantile(blotches[0], 0.98)
    assert np.quantile(texture[1], 0.999) > 0.85 * np.quantile(texture[0], 0.999)
    raster = cv2.resize(from_text(found.raster), (width, height), interpolation=cv2.INTER_LINEAR)
    beyond = cv2.dilate((raster > 0.02).astype(np.uint8), np.ones((25, 25))) == 0
    moved = np.abs(seen[1] - seen[0])[beyond]
    assert beyond.mean() > 0.4 and np.quantile(moved, 0.9999) < 1e-3 and moved.max() < 0.006
