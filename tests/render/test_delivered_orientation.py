"""A frame that was held upright is delivered upright, and its file does not ask to be turned once more."""

import io
from pathlib import Path

import pytest
import tifffile
from PIL import Image

from tests.conftest import demo_dng
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe
from zincplate.render.develop import Delivery, develop
from zincplate.render.render import Renderer

ORIENTATION = 274
"""EXIF 2.32, 4.6.4 A: 1 is as it lies in the file."""


@pytest.mark.parametrize("file_format", ["jpeg", "tiff", "png"])
def test_turned_once(tmp_path: Path, file_format: str) -> None:
    path = tmp_path / "bust.dng"
    path.write_bytes(demo_dng(82))
    renderer = Renderer(Decoder())
    source = renderer.open(path, "bust")
    assert source.capture.orientation in (6, 8) and source.width < source.height
    delivery = Delivery(file_format=file_format, long_edge=240, bits=16 if file_format == "tiff" else 8)  # type: ignore[arg-type]
    data, size = develop(renderer, source, Recipe.neutral(True), delivery)
    assert size == (160, 240)
    if file_format == "tiff":
        page = tifffile.TiffFile(io.BytesIO(data)).pages[0]
        assert (page.imagewidth, page.imagelength) == size and page.tags[ORIENTATION].value == 1  # type: ignore[union-attr]
    else:
        picture = Image.open(io.BytesIO(data))
        assert picture.size == size and picture.getexif().get(ORIENTATION, 1) == 1
