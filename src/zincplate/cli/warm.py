"""Compiles every kernel for the types it is used with, so that the first picture does not wait for it."""

import contextlib
from dataclasses import replace
from pathlib import Path

import numpy as np

from zincplate.core.camera_colour import CameraMatrices
from zincplate.demo.camera import CameraModel, Settings, expose
from zincplate.demo.lens import ZOOM
from zincplate.demo.scenes import even_field
from zincplate.engine.recipe import Recipe
from zincplate.engine.render import Renderer, ViewRequest
from zincplate.engine.source import Source
from zincplate.formats import icc
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.errors import FileError
from zincplate.formats.isolated import Decoder


def warm(decoder: Decoder | None = None) -> None:
    """Renders a tiny picture of every kind, every way; starts the decoding child when one is given."""
    if decoder is not None:
        with contextlib.suppress(FileError):
            decoder.facts(Path(__file__))
    colour = CameraColour(CameraMatrices((0.8, -0.2, -0.1, -0.4, 1.2, 0.2, -0.1, 0.2, 0.7), 6504.0), (0.5, 1.0, 0.7))
    raw = CaptureData(width=64, height=64, raw=True)
    renderer = Renderer(Decoder())
    pictures = [Decoded("mosaic", np.full((64, 64), 2000, np.uint16), raw, colour, black=(512.0,) * 4, white=16383.0)]
    for dtype in (np.uint8, np.uint16, np.float32):
        pictures.append(Decoded("rendered", np.zeros((64, 64, 3), dtype), CaptureData(), profile=icc.of_space("srgb")))
    for number, decoded in enumerate(pictures):
        source = Source(decoded)
        recipe = Recipe.neutral(source.raw)
        key = f"warm {number}"
        for request in (ViewRequest(20, 20), ViewRequest(64, 64), ViewRequest(64, 64, 5, 5, 20, 20)):
            renderer.view(source, key, recipe, request)
        renderer.sample(source, key, recipe, 10, 10, 1, "srgb")
        for bits in (8, 16):
            renderer.deliver(source, recipe, space="srgb", bits=bits)
            renderer.deliver(source, recipe, space="romm", bits=bits, long_edge=32)
    _warm_camera()


def _warm_camera() -> None:
    """The simulated camera's kernels: every lens and sensor pass, and the stars."""
    body = CameraModel("Pennick", "Pennick Warm", 64, 48, dust_spots=1)
    scene = replace(even_field(64, 48), sky=np.ones((48, 64), np.float32), depth_m=np.full((48, 64), 3.0, np.float32))
    expose(scene, body, ZOOM.at(28, 8), Settings(0.1, 8, focus_distance_m=2.0))
