"""Small pictures that all parts of a delivery need are made before its parts, and no others."""

from typing import Any

import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.contract.test_passes import with_passes
from zincplate.core.areas.raster import to_text
from zincplate.formats.isolated import Decoder
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.finishing import margin_of
from zincplate.pipeline.passes import lit
from zincplate.pipeline.stages import Stages
from zincplate.pipeline.windows import Window
from zincplate.recipe.document import Recipe
from zincplate.render.read_again import ReadAgain
from zincplate.render.render import SMALL_OF_A_DELIVERY, Renderer
from zincplate.sources.file import Source

WIDTH, HEIGHT = 1700, 1300
WHOLE = Window(WIDTH, HEIGHT, 0, 0, WIDTH, HEIGHT)
FOUND = to_text(np.tile(np.linspace(0, 1, 40, dtype=np.float32), (30, 1)))
STROKE = {"points": [1000, 2000, 9000, 9000], "size": 0.1}


def source() -> Source:
    """Larger than any small picture, so that windows of parts are told from those."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    light = 20_000 + 12_000 * np.sin(x / 90) + 12_000 * np.cos(y / 70)
    return rendered(np.stack([light, light * 0.9, light * 0.7], -1).astype(np.uint16))


def one(terms: list[dict[str, Any]], controls: dict[str, Any], **area: float) -> dict[str, Any]:
    return {"area": {"terms": terms, **area}, "controls": controls}


TONE = [{"kind": "tone", "low": 40}]
RING = [{"kind": "ring", "x": 0.5, "y": 0.5, "radius_x": 0.3, "radius_y": 0.2}]
NEAR = {"kind": "near", "x": 0.3, "y": 0.6}
RECIPES = {
    "light": with_passes(one(TONE, {"exposure_ev": 1.0}), one(RING, {"clarity": 30})),
    "haze of a pass": with_passes(one(RING, {"haze": 40})),
    "colour": with_passes(one([*TONE, NEAR | {"join": "without"}], {"saturation": 30})),
    "shaped": with_passes(one([*TONE, NEAR], {"saturation": 30}, cling=60), one(TONE, {"contrast": 20}, soften_px=40)),
    "found, edges, colour": with_passes(
        one([{"kind": "found", "what": "sky", "raster": FOUND}], {"exposure_ev": -1}),
        one([{"kind": "edges"}], {"sharper": 30}),
        one([{"kind": "colour", "lightness": 0.6, "a": 0.02, "b": 0.03}], {"saturation": 20}),
    ),
    "tones of strokes": with_passes(
        one(
            [{"kind": "brush", "strokes": [STROKE | {"tones": "shadows"}, STROKE | {"tones": "highlights"}]}],
            {"exposure_ev": 1.0},
        )
    ),
    "forms and glow": with_passes(one(RING, {"even_light": 40, "even_colour": 30}), one(RING, {"glow": 40})),
    "whole picture": Recipe.neutral(False).with_values({"tone": {"shadows": 30}, "definition": {"haze": 20}}),
    "whole picture and a pass": with_passes(one(TONE, {"exposure_ev": 1.0})).with_values({"definition": {"clarity": 20}}),
    "turned": with_passes(one(TONE, {"exposure_ev": 1.0})).with_values({"framing": {"angle": 2.0}, "tone": {"shadows": 30}}),
}


@pytest.mark.parametrize("name", RECIPES)
def test_after_it_parts_make_no_small_picture(name: str) -> None:
    recipe, picture, renderer = RECIPES[name], source(), Renderer(Decoder())
    asked: list[Window] = []

    def read(source: Source, key: str, window: Window, hot_pixels: bool, shift: object = None) -> np.ndarray:
        asked.append(window)
        return renderer.plates.read_once(source, key, window, hot_pixels, shift)  # type: ignore[arg-type]

    stages, plan = Stages(ReadAgain(read), ByteCache(SMALL_OF_A_DELIVERY), 1 << 20), picture.plan(recipe)
    framed = renderer.framed(picture, "key", plan.frame)
    jobs = stages.beforehand(framed, "key", plan)
    assert jobs
    for job in jobs:
        before = len(asked)
        job()
        assert all(max(window.full_width, window.full_height) <= 1024 for window in asked[before:])
    assert asked
    asked.clear()
    for y in range(0, framed.height, 500):
        window = Window(framed.width, framed.height, 0, y, framed.width, min(500, framed.height - y))
        outer = window.grown(stages.margin(framed, plan) + margin_of(plan.finish, 1.0))
        planes = stages.local(framed, "key", plan, outer, keep=False)
        lit(stages.areas, framed, "key", recipe, plan, planes, outer, "srgb", keep=False).to_float()
    assert asked and all(window.full_width == WIDTH for window in asked)


def test_nothing_is_made_that_no_part_needs() -> None:
    picture, renderer = source(), Renderer(Decoder())

    def jobs(recipe: Recipe) -> int:
        plan = picture.plan(recipe)
        stages = Stages(ReadAgain(renderer.plates.read_once), ByteCache(1), 1 << 20)
        return len(stages.beforehand(renderer.framed(picture, "key", plan.frame), "key", plan))

    assert jobs(Recipe.neutral(False)) == 0
    assert jobs(Recipe.neutral(False).with_values({"tone": {"exposure_ev": 1.0, "contrast": 30}})) == 0
    assert jobs(with_passes(one(RING, {"saturation": 30}))) == 0  # drawn, and over finished light
    assert jobs(with_passes(one(RING, {"exposure_ev": 1.0}))) == 1  # what local light reads
    assert jobs(with_passes(one(TONE, {"saturation": 30}), one(TONE, {"vibrance": 30}))) == 1  # one look of both
    assert jobs(with_passes(one([*TONE, NEAR], {"saturation": 30}))) == 2  # two looks side by side
    assert jobs(RECIPES["shaped"]) == 3  # two areas put together as wholes, and local light
    assert jobs(RECIPES["forms and glow"]) == 2  # no local light
