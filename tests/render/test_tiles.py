"""Deliveries in tiles are the pictures they would be in one piece: no context is missing at any edge between them."""

from collections.abc import Iterator

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.contract.test_operations import rendered
from zincplate.cli.bench import EVERYTHING
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe
from zincplate.render import strips
from zincplate.render.render import Renderer
from zincplate.sources.file import Source

WIDTH, HEIGHT = 610, 430
RECIPES = {
    "sharpened far": {"definition": {"sharpen_amount": 300.0, "sharpen_radius_px": 5.0}},
    "sharpened on edges": {"definition": {"sharpen_amount": 200.0, "sharpen_radius_px": 2.0, "sharpen_edges": 100}},
    "calmed": {"definition": {"luminance_noise": 80, "colour_noise": 80}},
    "turned": {"framing": {"angle": 3.0, "bend": -4.0, "fringe_red": 0.8}},
    "turned, calmed and sharpened": {
        "framing": {"angle": -2.0, "tilt": 5.0},
        "definition": {"luminance_noise": 60, "sharpen_amount": 150.0, "sharpen_radius_px": 3.0},
    },
    "grain and border": {"finish": {"grain": 60, "border_percent": 3.0, "edge_light_ev": -1.0}},
    "everything": {k: v for k, v in EVERYTHING.items() if k != "framing"},
}


@pytest.fixture(scope="module")
def picture() -> Source:
    """Edges and noise everywhere."""
    random = np.random.default_rng(8)
    coarse = np.repeat(np.repeat(random.random((HEIGHT // 10 + 1, WIDTH // 10 + 1, 3)), 10, 0), 10, 1)[:HEIGHT, :WIDTH]
    return rendered(np.rint(np.clip(0.8 * coarse + 0.2 * random.random(coarse.shape), 0, 1) * 65535).astype(np.uint16))


@pytest.fixture
def small_parts(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Tiles and strips so small that every kind of edge is in the picture."""
    monkeypatch.setattr(strips, "TILE_WIDTH", 160)
    monkeypatch.setattr(strips, "TILE_HEIGHT", 96)
    monkeypatch.setattr(strips, "STRIP_ROWS", 64)
    yield


def delivered(source: Source, recipe: Recipe, long_edge: int | None = None) -> NDArray[np.int64]:
    picture = Renderer(Decoder()).deliver(source, recipe, space="srgb", bits=16, long_edge=long_edge)
    return picture.astype(np.int64)


@pytest.mark.parametrize("name", RECIPES)
@pytest.mark.parametrize("long_edge", [None, 333])
def test_tiles_fit_together(
    picture: Source, monkeypatch: pytest.MonkeyPatch, small_parts: None, name: str, long_edge: int | None
) -> None:
    recipe = Recipe.neutral(False).with_values(RECIPES[name])
    tiled = delivered(picture, recipe, long_edge)
    for setting in ("TILE_WIDTH", "TILE_HEIGHT", "STRIP_ROWS"):
        monkeypatch.setattr(strips, setting, 5000)
    whole = delivered(picture, recipe, long_edge)
    assert tiled.shape == whole.shape
    assert np.abs(tiled - whole).max() < 200, "of 65535: less than a step of 8 bit, not a missing neighbour"
