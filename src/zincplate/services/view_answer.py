"""A rendered view as it goes to the page: what is told of it, the picture and the clipping map in one answer."""

import struct
from concurrent.futures import ThreadPoolExecutor

import cv2
import imagecodecs
import numpy as np
import simplejpeg
from numpy.typing import NDArray
from pydantic import BaseModel

from zincplate.core.colour.temperature import temperature_and_tint
from zincplate.pipeline import framing_actions as actions
from zincplate.pipeline.framing import Framed
from zincplate.recipe.document import Recipe
from zincplate.render.finders import notes_of_areas
from zincplate.render.view import View
from zincplate.services.framing import Bent, Line, Place
from zincplate.sources.file import Source

JPEG_QUALITY, MOVING_QUALITY = 93, 85
STRIP_PIXELS = 600_000
"""Pictures from twice this size on are coded in two strips at once, and decoded so on the page."""
PLAIN_PIXELS = 400_000
"""Pictures up to this size go as they are where that is asked for: coding and decoding take longer than handing on bytes."""
_CODERS = ThreadPoolExecutor(2, thread_name_prefix="coder")


class FramingFacts(BaseModel):
    """Where things lie on the corrected plane, in its pixels (0 = where the picture's middle went)."""

    plane: tuple[float, float, float, float]
    """What of the plane is shown: left, top, width, height."""
    left: float
    top: float
    outline: list[Place]
    corners: list[Place]
    around: tuple[float, float, float, float]
    lines: list[Line]
    bent_lines: list[Bent]
    source_width: int
    source_height: int
    beyond: float
    """Share of the finished picture that lies beyond the file's."""
    bare: float
    """How much of that is neither filled by repairs nor has the border stretched to it."""
    shrunk: bool
    profile: str
    focal_known: bool


class AsShot(BaseModel):
    """Temperature and tint that "as shot" stands for."""

    temperature_kelvin: float
    tint: float


class ViewHeader(BaseModel):
    """What is told of a view: its window, its measurements, and how its bytes are divided."""

    scaled_width: int
    scaled_height: int
    x: int
    y: int
    width: int
    height: int
    full_width: int
    full_height: int
    framing: FramingFacts | None
    """Only when the plane was asked for."""
    histogram: list[list[int]]
    clipped: tuple[float, float, float]
    """Shares 0..1 of the window: delivered highlights, shadows, raw."""
    channels: list[list[float]]
    """Shares at the top, at zero, sensor full, by R, G, B."""
    raw_histogram: list[list[int]] | None
    outside_gamut: float
    hot_pixels: int | None
    """Sites of the file that were replaced; null when that is off."""
    render_ms: float
    plain: bool
    """The picture is not coded: its one strip has red, green, blue and 255 of every pixel."""
    strips: list[int]
    """Bytes of each strip of rows that the picture is coded in."""
    clipping_bytes: int
    as_shot: AsShot
    notes: list[str]
    bare: float
    """Share of the finished picture that lies beyond the file's and that no repair has filled."""


def _place(at: list[float]) -> Place:
    return at[0], at[1]


def framing_facts(framed: Framed, recipe: Recipe, shown: tuple[float, float, float, float]) -> FramingFacts:
    """Plane coordinates of the crop, of the area that the picture covers, of its corners and of what was drawn; what lens and
    focal length stand for."""
    corners = np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) * [framed.source.width, framed.source.height]
    around = framed.around()
    lines = recipe.value("framing", "drawn_lines")
    bent = recipe.value("framing", "bent_lines")
    ends = actions.on_plane(framed, [p for line in lines for p in ((line.x0, line.y0), (line.x1, line.y1))])
    return FramingFacts(
        plane=shown,
        left=framed.left,
        top=framed.top,
        outline=framed.map.outline.round(2).tolist(),
        corners=framed.map.to_plane(corners).round(2).tolist(),
        around=(around.x - around.width / 2, around.y - around.height / 2, around.width, around.height),
        lines=[Line(id=k.id, along=k.along, start=_place(ends[2 * i]), end=_place(ends[2 * i + 1])) for i, k in enumerate(lines)],
        bent_lines=[Bent(id=line.id, points=[_place(p) for p in actions.on_plane(framed, line.points)]) for line in bent],
        source_width=framed.source.width,
        source_height=framed.source.height,
        beyond=round(framed.beyond, 5),
        bare=round(framed.bare, 5),
        shrunk=framed.shrunk,
        profile=framed.profile,
        focal_known=framed.focal_known,
    )


def pack(view: View, source: Source, recipe: Recipe) -> bytes:
    """Length of a JSON header, the :class:`ViewHeader`, the picture as JPEG in one or two strips of rows (or, small and asked for
    so, as plain pixels), and (when asked) the clipping map as PNG.

    One answer, so that picture, histogram and clipping always belong together.
    """
    r = view.request
    plain = r.plain and r.quick and r.width * r.height <= PLAIN_PIXELS
    strips = [_plain(view.picture)] if plain else _coded(np.ascontiguousarray(view.picture), r.quick)
    mask = imagecodecs.png_encode(view.clipping, level=1) if r.clipping else b""
    kelvin, tint = temperature_and_tint(source.as_shot_xy)
    header = ViewHeader(
        scaled_width=r.scaled_width,
        scaled_height=r.scaled_height,
        x=r.x,
        y=r.y,
        width=r.width,
        height=r.height,
        full_width=view.framed.width,
        full_height=view.framed.height,
        framing=None if r.plane is None else framing_facts(view.framed, recipe, r.plane),
        histogram=view.histogram.tolist(),
        clipped=view.clipped,
        channels=view.channels.round(5).tolist(),
        raw_histogram=None if view.raw_histogram is None else view.raw_histogram.tolist(),
        outside_gamut=view.outside_gamut,
        hot_pixels=view.hot_pixels,
        render_ms=round(view.render_ms, 1),
        plain=plain,
        strips=[len(strip) for strip in strips],
        clipping_bytes=len(mask),
        as_shot=AsShot(temperature_kelvin=round(kelvin), tint=round(tint, 1)),
        notes=[*source.notes, *view.framed.notes(), *view.framed.source.notes_of_repairs(), *notes_of_areas(source, recipe)],
        bare=round(view.framed.bare, 5),
    )
    text = header.model_dump_json().encode()
    return b"".join((struct.pack("<I", len(text)), text, *strips, mask))


def _plain(picture: NDArray[np.uint8]) -> bytes:
    """Red, green, blue and 255 of every pixel, as a canvas has them."""
    return cv2.cvtColor(picture, cv2.COLOR_RGB2RGBA).tobytes()


def _coded(picture: NDArray[np.uint8], quick: bool) -> list[bytes]:
    """JPEG of a picture; large ones in two strips that are coded at the same time. While a hand moves colour at half size."""
    quality, sampling = (MOVING_QUALITY, "420") if quick else (JPEG_QUALITY, "444")

    def code(rows: NDArray[np.uint8]) -> bytes:
        return simplejpeg.encode_jpeg(rows, quality, "RGB", sampling, fastdct=True)

    height, width = picture.shape[:2]
    if height * width < 2 * STRIP_PIXELS:
        return [code(picture)]
    middle = height // 2 // 16 * 16
    return list(_CODERS.map(code, (picture[:middle], picture[middle:])))
