"""Noise reduction at reduced size: what is seen in the fit view is about what is delivered at that size."""

import cv2
import numpy as np
import pytest

from tests.reference.test_noise import mosaic_of, textured
from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.core.colour.colour_spaces import SRGB
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source

NEUTRAL = (0.55, 1.0, 0.7)


@pytest.fixture(scope="module")
def noisy_grass() -> Source:
    """Grass on a mosaic of 1,024 x 1,024 sites, with much noise."""
    sites = mosaic_of(np.clip(textured("grass"), 0, 1), 4e-3, 2e-4)
    colour = CameraColour(CameraMatrices.plain(tuple(SRGB.from_xyz.ravel()), 6504.0), NEUTRAL)
    return Source(Decoded("mosaic", sites, CaptureData(), colour, cfa=(0, 1, 1, 2), black=(512,) * 4, white=16383.0))


def detail(picture: np.ndarray) -> float:
    """Root mean square of what a blur of a pixel takes out of the green, in codes, away from the border."""
    green = picture[8:-8, 8:-8, 1].astype(np.float64)
    return float(np.sqrt(np.mean((green - cv2.GaussianBlur(green, (0, 0), 1)) ** 2)))


@pytest.mark.parametrize("size", [256, 128])
def test_the_fit_view_keeps_the_drawing_that_is_delivered(noisy_grass: Source, size: int) -> None:
    renderer = Renderer(Decoder())
    calm = Recipe.neutral(True).with_values({"definition": {"luminance_noise": 100, "colour_noise": 100}})
    shown = detail(renderer.view(noisy_grass, f"grass {size}", calm, ViewRequest(size, size)).picture)
    delivered = detail(renderer.deliver(noisy_grass, calm, space="srgb", bits=8, long_edge=size))
    # with the noise of full size it would be 0.43 of it
    assert shown == pytest.approx(delivered, rel=0.05)
