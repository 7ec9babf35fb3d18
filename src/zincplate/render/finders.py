"""Looking for what areas can be made of: sky, land, people; and how much of a picture areas cover."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.areas import raster
from zincplate.core.areas.found_faces import find_faces, find_skin
from zincplate.core.areas.found_person import find_people
from zincplate.core.areas.found_sky import find_sky
from zincplate.core.areas.found_subject import find_subject
from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SPACES, SRGB
from zincplate.pipeline.framing import Framed
from zincplate.pipeline.windows import Window, fitted_size
from zincplate.plan.passes import USUAL_PERCENT, AreaPlan
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.render import Renderer
from zincplate.render.strips import STRIP_ROWS
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]

WORDS = {"faces": "face", "subject": "main subject"}
TINY_LONG_EDGE = 132
"""Of the small picture of an area."""
FINE_LONG_EDGE, FINE_STEPS = 512, 15
"""Of what is kept of faces and skin, which have small parts: size, and steps of its soft places."""
BLOTCH = 0.12
"""Widths of a face: radius of the region against which blotches of skin are seen (common practice: a tenth to an eighth)."""
LEAST_PERSON = 0.01
"""Share of the frame from which on people are its subject."""
NO_DEPTH = "this frame has no depth map, so the part of its area that goes by depth acts nowhere."
NONE = {
    "sky": "No sky was found on this frame. Draw a band from above, or pick its colour.",
    "land": "No sky was found on this frame, so nothing parts it from the land. Draw a band instead.",
    "person": "No person was found on this frame. Paint them with the brush.",
    "faces": "No face was found on this frame. Paint it with the brush, or draw a ring about it.",
    "skin": "No face was found on this frame, so nobody's skin can be told. Paint it with the brush, or pick its colour.",
    "subject": "Nothing stands out of this frame clearly enough. Paint the subject with the brush, near edges.",
}


@dataclass(frozen=True)
class FoundArea:
    """Something that was found, in the geometry of the upright frame."""

    what: str
    raster: str
    """:func:`zincplate.core.areas.raster.to_text`."""
    sure: float
    """0..1."""
    cover: float
    """Share 0..1 of the frame."""
    blotch_percent: float | None = None
    """Of skin: how large its blotches are, by the size of the face, in percent of the long edge."""


@dataclass(frozen=True)
class TinyArea:
    """One pass's area over the finished picture."""

    id: str
    cover: float
    picture: NDArray[np.uint8]
    """(h, w) grey."""


def find(renderer: Renderer, source: Source, key: str, what: str) -> FoundArea:
    """Looks for something on a frame as it came in; raises :class:`RecipeError` with a sentence when it is not there."""
    if what not in NONE:
        raise RecipeError(f'There is no finder for "{what}"; there are {", ".join(NONE)}.')
    lab = renderer.on_render_thread(lambda: renderer.stages.areas.lab(source, key))
    found, blotch = _looked_for(what, lab)
    if found is None:
        raise RecipeError(NONE[what])
    area, sure = found
    long_edge = FINE_LONG_EDGE if what in ("faces", "skin") else raster.LONG_EDGE
    width, height = fitted_size(lab.shape[2], lab.shape[1], long_edge)
    area = np.asarray(cv2.resize(area, (width, height), interpolation=cv2.INTER_AREA), np.float32)
    area = 1 - area if what == "land" else area
    if long_edge == FINE_LONG_EDGE:
        area = np.asarray(np.rint(area * FINE_STEPS) / FINE_STEPS, np.float32)
    return FoundArea(what, raster.to_text(area), sure, float(area.mean()), blotch)


def _looked_for(what: str, lab: Float32) -> tuple[tuple[Float32, float] | None, float | None]:
    """What was found on a picture, Oklab (3, h, w), and of skin the size of its blotches in percent of the long edge."""
    if what in ("sky", "land"):
        return find_sky(lab), None
    srgb = _srgb(lab)
    if what == "person":
        return find_people(srgb), None
    if what == "faces":
        return find_faces(srgb), None
    if what == "skin":
        skin = find_skin(srgb, lab)
        if skin is None:
            return None, None
        area, sure, face_px = skin
        return (area, sure), round(float(np.clip(100 * BLOTCH * face_px / max(lab.shape[1:]), 0.2, 5.0)), 1)
    # people are what a picture of people is about
    people = find_people(srgb)
    return (people if people is not None and float(people[0].mean()) > LEAST_PERSON else find_subject(lab, srgb)), None


def notes_of_areas(source: Source, recipe: Recipe) -> list[str]:
    """Sentences about parts of areas that have nothing to go by on a frame."""
    if "passes" in recipe.off:
        return []
    asking = [p.name for p in recipe.value("passes", "passes") if p.on and any(t.kind == "depth" for t in p.area.terms)]
    return [f"{name}: {NO_DEPTH}" for name in asking] if asking and source.depth is None else []


def found_again(renderer: Renderer, source: Source, key: str, recipe: Recipe) -> tuple[Recipe, list[str]]:
    """A recipe whose found areas were looked for anew on this frame. What is not there any more becomes nothing, and is told."""
    told = notes_of_areas(source, recipe)
    known: dict[str, FoundArea | None] = {}
    passes = []
    for one in recipe.value("passes", "passes"):
        terms = []
        for term in one.area.terms:
            if term.kind == "found":
                if term.what not in known:
                    known[term.what] = _or_none(renderer, source, key, term.what)
                found = known[term.what]
                if found is None:
                    told.append(
                        f"{one.name}: no {WORDS.get(term.what, term.what)} was found here, so that part of it acts nowhere."
                    )
                elif found.blotch_percent is not None and one.controls.forms_percent != USUAL_PERCENT:
                    one = one.model_copy(  # a face of another size has blotches of another size
                        update={"controls": one.controls.model_copy(update={"forms_percent": found.blotch_percent})}
                    )
                text, sure = (found.raster, found.sure) if found else (raster.to_text(np.zeros((2, 2), np.float32)), 0.0)
                term = term.model_copy(update={"raster": text, "sure": round(100 * sure)})
            terms.append(term)
        passes.append(one.model_copy(update={"area": one.area.model_copy(update={"terms": tuple(terms)})}))
    return recipe.with_values({"passes": {"passes": [p.model_dump() for p in passes]}}), told


def _or_none(renderer: Renderer, source: Source, key: str, what: str) -> FoundArea | None:
    try:
        return find(renderer, source, key, what)
    except RecipeError:
        return None


def tiny_areas(renderer: Renderer, source: Source, key: str, recipe: Recipe) -> list[TinyArea]:
    """Areas of all passes of a recipe over the finished picture, small, and how much of it each covers."""
    framed = renderer.framed(source, key, source.plan(recipe).frame)
    width, height = fitted_size(framed.width, framed.height, TINY_LONG_EDGE)

    def work() -> list[TinyArea]:
        out = []
        for one in recipe.value("passes", "passes"):
            area = _seen(renderer, framed, key, one.area.planned(), width, height) * np.float32(one.strength / 100)
            out.append(TinyArea(one.id, float(area.mean()), np.rint(255 * area).astype(np.uint8)))
        return out

    return renderer.on_render_thread(work)


def whole_area(renderer: Renderer, source: Source, key: str, recipe: Recipe, name: str) -> Float32:
    """(h, w) 0..1 of one pass, by its name or id, over the whole finished picture at full size."""
    passes = recipe.value("passes", "passes")
    chosen = next((p for p in passes if name in (p.name, p.id)), None)
    if chosen is None:
        listed = ", ".join(p.name for p in passes) or "none"
        raise RecipeError(f'There is no pass "{name}". The recipe has {listed}.')
    framed = renderer.framed(source, key, source.plan(recipe).frame)
    out = np.empty((framed.height, framed.width), np.float32)
    for y in range(0, framed.height, 4 * STRIP_ROWS):
        rows = min(4 * STRIP_ROWS, framed.height - y)
        window = Window(framed.width, framed.height, 0, y, framed.width, rows)
        out[y : y + rows] = renderer.stages.areas.plane(framed, key, chosen.area.planned(), window, keep=False)
    return out * np.float32(chosen.strength / 100)


def _seen(renderer: Renderer, framed: Framed, key: str, area: AreaPlan, width: int, height: int) -> Float32:
    """An area at a small size, averaged from one four times as large, so that thin parts count."""
    big = Window(4 * width, 4 * height, 0, 0, 4 * width, 4 * height)
    if big.full_width > framed.width or big.full_height > framed.height:
        big = Window(framed.width, framed.height, 0, 0, framed.width, framed.height)
    plane = renderer.stages.areas.plane(framed, key, area, big)
    return np.asarray(cv2.resize(plane, (width, height), interpolation=cv2.INTER_AREA), np.float32)


def _srgb(lab: Float32) -> Float32:
    """Oklab (3, h, w) -> sRGB (h, w, 3), 0..1."""
    linear = oklab.to_working(np.moveaxis(lab, 0, -1)) @ SPACES["srgb"].from_working.T
    return np.asarray(SRGB.transfer.encode(np.clip(linear, 0, 1)), np.float32)
