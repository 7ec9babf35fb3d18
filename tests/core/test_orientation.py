"""All eight orientations of EXIF 2.32, against Pillow's own transposition as second reader."""

import numpy as np
import pytest
from PIL import Image, ImageOps

from zincplate.core.geometry.orientation import to_sensor, upright, upright_size


@pytest.mark.parametrize("orientation", range(1, 9))
def test_against_pillow(orientation: int) -> None:
    pixels = np.random.default_rng(orientation).integers(0, 256, (20, 30, 3)).astype(np.uint8)
    image = Image.fromarray(pixels)
    image.getexif()[0x0112] = orientation
    theirs = np.asarray(ImageOps.exif_transpose(image))
    assert (upright(pixels, orientation) == theirs).all()
    assert upright_size(30, 20, orientation) == (theirs.shape[1], theirs.shape[0])


@pytest.mark.parametrize("orientation", range(1, 9))
def test_rectangles_lead_to_the_same_pixels(orientation: int) -> None:
    pixels = np.arange(20 * 30).reshape(20, 30)
    whole = upright(pixels, orientation)
    height, width = whole.shape
    x, y, w, h = 3, 4, 7, 5
    sx, sy, sw, sh = to_sensor(x, y, w, h, width, height, orientation)
    assert (upright(pixels[sy : sy + sh, sx : sx + sw], orientation) == whole[y : y + h, x : x + w]).all()
