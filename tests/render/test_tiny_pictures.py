"""Raw pictures of one pixel, one row, one column and a few more: everything on, every orientation, nothing breaks."""

import numpy as np
import pytest

from zincplate.cli.bench import EVERYTHING
from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.core.colour.colour_spaces import SRGB
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.render import Renderer
from zincplate.render.suggest import Suggester
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source

SIZES = [(1, 1), (1, 7), (7, 1), (2, 2), (2, 1), (3, 3), (5, 2), (16, 9), (33, 31)]


def mosaic(width: int, height: int, orientation: int = 1, full: float = 0.0) -> Source:
    """A raw file of random sites, a share of them filled to the sensor's limit."""
    random = np.random.default_rng(width * 100 + height)
    sites = random.integers(300, 9000, (height, width)).astype(np.uint16)
    sites[random.random(sites.shape) < full] = 16383
    camera = CameraColour(CameraMatrices.plain(tuple(SRGB.from_xyz.ravel()), 6504.0), (0.5, 1.0, 0.7))
    capture = CaptureData(width=width, height=height, raw=True, orientation=orientation, bits=14)
    return Source(Decoded("mosaic", sites, capture, camera, None, (0, 1, 1, 2), (256.0,) * 4, 16383.0))


@pytest.mark.parametrize("full", [0.0, 0.5, 1.0])
@pytest.mark.parametrize(("width", "height"), SIZES)
def test_a_tiny_raw_is_shown_and_delivered_with_everything_on(width: int, height: int, full: float) -> None:
    renderer = Renderer(Decoder())
    for orientation in (1, 6):
        source = mosaic(width, height, orientation, full)
        size = (source.height, source.width)
        assert size == ((height, width) if orientation == 1 else (width, height))
        for number, values in enumerate(({}, EVERYTHING, {"framing": {"quarter_turn": "90", "mirror": True}})):
            recipe = Recipe.neutral(True).with_values(values)
            key = f"{width} {height} {orientation} {full} {number}"
            shown = size[::-1] if number == 2 else size
            view = renderer.view(source, key, recipe, ViewRequest(300, 300, box=True, raw_histogram=True))
            assert view.picture.shape[:2] == shown
            delivered = renderer.deliver(source, recipe, space="srgb", bits=16)
            assert delivered.shape[:2] == shown
            sample = renderer.sample(source, key, recipe, 0, 0, 2, "srgb")
            assert np.isfinite(sample["rgb"]).all() and np.isfinite(sample["lab"]).all()


@pytest.mark.parametrize(("width", "height"), SIZES)
def test_a_tiny_raw_may_be_turned_and_measured(width: int, height: int) -> None:
    renderer, source = Renderer(Decoder()), mosaic(width, height)
    for values in ({"angle": 12.0}, {"tilt": 9.0, "swing": -7.0}, {"bend": -5.0}, {"rise": 50.0}, {"ratio": "4:5"}):
        try:
            picture = renderer.deliver(source, Recipe.neutral(True).with_values({"framing": values}), space="srgb", bits=8)
        except RecipeError as error:  # nothing is left of one pixel that is turned: that is a sentence
            assert len(str(error)) > 30
        else:
            assert min(picture.shape[:2]) >= 1
    for proposal in renderer.on_render_thread(Suggester(renderer, source, "suggest", Recipe.neutral(True)).whole):
        Recipe.neutral(True).with_values(proposal.values)
