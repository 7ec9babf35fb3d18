"""Compiles every kernel for the types it is used with, so that the first picture does not wait for it."""

import contextlib
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.areas.found_subject import regions
from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.core.repair.fill import blended, found
from zincplate.core.repair.fill_map import fill_from_text
from zincplate.demo.camera import CameraModel, Settings, expose
from zincplate.demo.lens import ZOOM
from zincplate.demo.scenes import even_field
from zincplate.formats import icc
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.errors import FileError
from zincplate.formats.isolated import Decoder
from zincplate.merges.warm import warm_merges
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.suggest import Suggester
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source

_FORMS = {"noise": 10, "sharper": 10, "even_colour": 10, "even_light": 10, "shine": 10, "glow": 10}
"""Of a pass: what looks at forms, grain and lamps."""
_EVERYTHING: dict[str, dict[str, Any]] = {
    "tone": {"shadows": 20.0, "contrast": 5.0, "curve_rgb": [[0, 0], [0.5, 0.6], [1, 1]]},
    "colour": {
        "saturation": 5.0,
        "toning_shadows": 5.0,
        "own_keys": [{"name": "warm", "centre_lightness": 0.5, "centre_a": 0.1, "centre_b": 0.1}],
    },
    "definition": {
        "haze": 20.0,
        "clarity": 10.0,
        "sharpen_amount": 50.0,
        "sharpen_edges": 50.0,
        "luminance_noise": 20.0,
        "colour_noise": 20.0,
        "hot_pixels": True,
    },
    "repair": {
        "repairs": [
            {"kind": "heal", "strokes": [{"points": [6000, 6000], "size": 0.1}], "dx": 0.2},
            {"kind": "removal", "strokes": [{"points": [10000, 10000], "size": 0.15}]},
        ]
    },
    "passes": {
        "passes": [
            {
                "name": "scene",
                "area": {
                    "terms": [
                        {"kind": "ring", "x": 0.4, "y": 0.4, "radius_x": 0.3, "radius_y": 0.2},
                        {"kind": "tone", "join": "only", "low": 10},
                        {"kind": "near", "x": 0.5, "y": 0.5},
                        {"kind": "band", "join": "without", "x0": 0.1, "y0": 0.1, "x1": 0.1, "y1": 0.3},
                        {
                            "kind": "brush",
                            "strokes": [
                                {"points": [2000, 2000, 9000, 9000], "size": 0.2},
                                {"points": [2000, 2000, 9000, 9000], "size": 0.2, "build_up": True, "near_edges": True},
                            ],
                        },
                    ],
                },
                "controls": {"exposure_ev": 0.5, "shadows": 10, "haze": 10, "contrast": 10, **_FORMS},
            },
            {"name": "display", "blend": "overlay", "controls": {"saturation": 10, "level_middle": 1.1}},
        ]
    },
    "finish": {"edge_light_ev": -0.5, "grain": 10.0, "border_percent": 1.0},
}
"""A recipe that runs through every stage."""
_FRAMED = {"framing": {"angle": 3.0, "fringe_red": 0.5, "corner_light": 0.3, "bend": -2.0}}


def warm(decoder: Decoder | None = None) -> None:
    """Renders a tiny picture of every kind, every way; starts the decoding child when one is given."""
    if decoder is not None:
        with contextlib.suppress(FileError):
            decoder.facts(Path(__file__))
    for part in parts():
        part()


def parts() -> list[Callable[[], object]]:
    """Everything that is compiled, in pieces: the picture first, what only some work needs last."""
    colour = CameraColour(CameraMatrices.plain((0.8, -0.2, -0.1, -0.4, 1.2, 0.2, -0.1, 0.2, 0.7), 6504.0), (0.5, 1.0, 0.7))
    raw = CaptureData(width=64, height=64, raw=True)
    renderer = Renderer(Decoder())
    pictures = [Decoded("mosaic", _mosaic(), raw, colour, black=(512.0,) * 4, white=16383.0)]
    for dtype in (np.uint8, np.uint16, np.float32):
        pictures.append(Decoded("rendered", np.zeros((64, 64, 3), dtype), CaptureData(), profile=icc.of_space("srgb")))
    mosaic = Source(pictures[0])
    neutral = Recipe.neutral(True)
    views = (ViewRequest(20, 20), ViewRequest(64, 64), ViewRequest(64, 64, 5, 5, 20, 20))
    # a step at a time, so that what one of two processes has compiled is there for the other
    made: list[Callable[[], object]] = [partial(renderer.view, mosaic, "warm", neutral, request) for request in views]
    for step, controls in _EVERYTHING.items():
        recipe = neutral.with_values({step: controls})
        made += [partial(renderer.view, mosaic, "warm", recipe, request) for request in views]
    made += [partial(renderer.view, mosaic, "warm", neutral.with_values(_FRAMED), ViewRequest(20, 20, box=True))]
    made += [partial(_every_way, renderer, Source(decoded), f"warm {n}") for n, decoded in enumerate(pictures)]
    made += [lambda: regions(np.zeros((3, 32, 48), np.float32)), _warm_camera, warm_merges, _warm_repairs]
    return made


def _every_way(renderer: Renderer, source: Source, key: str) -> None:
    recipe = Recipe.neutral(source.raw)
    for request in (ViewRequest(20, 20), ViewRequest(64, 64), ViewRequest(64, 64, 5, 5, 20, 20)):
        renderer.view(source, key, recipe, request)
    renderer.sample(source, key, recipe, 10, 10, 1, "srgb")
    everything = recipe.with_values(_EVERYTHING)
    for request in (ViewRequest(20, 20), ViewRequest(64, 64), ViewRequest(64, 64, 5, 5, 20, 20, gamut=True)):
        renderer.view(source, key, everything, request)
    framed = everything.with_values(_FRAMED)
    renderer.view(source, key, framed, ViewRequest(20, 20, box=True))
    renderer.view(source, key, framed, ViewRequest(40, 40, box=True, around=True))
    renderer.view(source, key, everything, ViewRequest(64, 64, show="edges"))
    renderer.view(source, key, everything, ViewRequest(64, 64, show="reach", raw_histogram=True))
    for used in (recipe, everything):
        for bits in (8, 16):
            renderer.deliver(source, used, space="srgb", bits=bits)
            renderer.deliver(source, used, space="romm", bits=bits, long_edge=32)
    renderer.on_render_thread(Suggester(renderer, source, key, recipe).whole)


def _warm_repairs() -> None:
    """Fills of a hole that is looked at in several sizes."""
    rng = np.random.default_rng(1)
    roots = rng.random((3, 200, 200), np.float32)
    hole = np.zeros((200, 200), np.bool_)
    hole[50:130, 50:130] = True
    for quick in (True, False):
        blended(roots, hole, fill_from_text(found(roots, hole, ~hole, quick=quick).to_text()))


def _mosaic() -> NDArray[np.uint16]:
    """Dark to blown, so that no stage is left out."""
    ramp = np.linspace(600, 16383, 64)
    return np.broadcast_to(ramp, (64, 64)).astype(np.uint16)


def _warm_camera() -> None:
    """The simulated camera's kernels: every lens and sensor pass, and the stars."""
    body = CameraModel("Pennick", "Pennick Warm", 64, 48, dust_spots=1)
    scene = replace(even_field(64, 48), sky=np.ones((48, 64), np.float32), depth_m=np.full((48, 64), 3.0, np.float32))
    expose(scene, body, ZOOM.at(28, 8), Settings(0.1, 8, focus_distance_m=2.0))
