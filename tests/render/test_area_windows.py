"""Areas in small windows against the same areas in one: what is passed over because nothing reaches into a window is nothing."""

from typing import Any

import numpy as np
import pytest

from tests.render.test_beforehand import FOUND, HEIGHT, NEAR, STROKE, TONE, WHOLE, WIDTH, source
from zincplate.formats.isolated import Decoder
from zincplate.ops.areas import Area
from zincplate.pipeline.areas import Areas
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.windows import Window
from zincplate.recipe.document import Recipe
from zincplate.render.read_again import ReadAgain
from zincplate.render.render import Renderer

SPOT = {"kind": "ring", "x": 0.2, "y": 0.25, "radius_x": 0.08, "radius_y": 0.05}
CLOSE = NEAR | {"reach": 6}
DAB = {"points": [3000, 3000, 3600, 3100], "size": 0.04}
TOP = {"kind": "band", "x0": 0.5, "y0": 0.05, "x1": 0.5, "y1": 0.2}


def brush(*strokes: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"kind": "brush", "strokes": list(strokes), **more}


AREAS: dict[str, tuple[dict[str, Any], bool]] = {
    # whether some of the windows are known to have nothing of it
    "ring": ({"terms": [SPOT]}, True),
    "band": ({"terms": [TOP]}, True),
    "everything but a ring": ({"terms": [SPOT], "inverted": True}, False),
    "beside a ring": ({"terms": [SPOT | {"inverted": True}]}, False),
    "a ring taken from everything": ({"terms": [SPOT | {"join": "without"}]}, False),
    "everything kept in a ring, by half": ({"terms": [SPOT | {"join": "only", "strength": 50}]}, False),
    "a ring, and not what is beside another": ({"terms": [SPOT | {"y": 0.1}, TOP | {"join": "without", "inverted": True}]}, True),
    "tone in a ring": ({"terms": [*TONE, SPOT | {"join": "only"}]}, False),
    "a ring where the tone is": ({"terms": [SPOT, TONE[0] | {"join": "only"}]}, True),
    "a band, and a ring after it": ({"terms": [TOP, SPOT]}, True),
    "near here": ({"terms": [CLOSE]}, True),
    "not near here": ({"terms": [CLOSE | {"inverted": True}]}, False),
    "near here, softened far": ({"terms": [CLOSE], "soften_px": 30}, True),
    "near here, clinging": ({"terms": [CLOSE], "cling": 30}, True),
    "grown by little": ({"terms": [SPOT], "grow_px": 3}, True),
    "shrunk by little, inverted": ({"terms": [SPOT], "grow_px": -3, "inverted": True}, False),
    "strokes": ({"terms": [brush(DAB, STROKE | {"build_up": True, "flow": 40}, DAB | {"erase": True, "flow": 50})]}, True),
    "a stroke of dark tones": ({"terms": [brush(STROKE | {"tones": "shadows"}, DAB)]}, True),
    "a stroke that keeps to what it touches": ({"terms": [brush(STROKE | {"near_edges": True})]}, True),
    "rubbed out before there is anything": ({"terms": [brush(STROKE | {"erase": True}, DAB)]}, True),
    "found": ({"terms": [{"kind": "found", "what": "sky", "raster": FOUND}]}, False),
    "everything": ({"terms": []}, False),
}


@pytest.mark.parametrize("name", AREAS)
def test_windows_show_what_the_whole_shows(name: str) -> None:
    values, passed_over = AREAS[name]
    picture, renderer = source(), Renderer(Decoder())
    plan = Area.model_validate(values).planned()
    framed = renderer.framed(picture, "key", picture.plan(Recipe.neutral(False)).frame)
    areas = Areas(ReadAgain(renderer.plates.read_once), ByteCache(1 << 28), ByteCache(1 << 20))
    whole, nothing = areas.plane(framed, "key", plan, WHOLE, keep=False), 0
    assert whole.max() > 0.4
    for y in range(0, HEIGHT, 100):
        for x in range(0, WIDTH, 170):
            window = Window(WIDTH, HEIGHT, x, y, 170, 100)
            there = areas.within(framed, "key", plan, window, keep=False)
            nothing += there is None
            shown = np.zeros((100, 170), np.float32) if there is None else there
            assert np.abs(shown - whole[y : y + 100, x : x + 170]).max() < 2e-4, (x, y)
    assert (nothing > 30) == passed_over and (passed_over or nothing == 0)
