"""What is proposed for the shipped scenes at a small size: areas that are found, values, sources of repairs, dust, turns."""

import contextlib
import json
import re
from collections.abc import Callable
from functools import cache, partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tests.as_it_was.merges import bracket, panorama, series
from tests.contract.test_operations import rendered
from tests.contract.test_passes import key, renderer
from tests.contract.test_repairs import KINDS, with_repairs
from zincplate.core.areas.raster import from_text
from zincplate.core.colour.colour_spaces import SRGB
from zincplate.core.geometry.projective import FramingError
from zincplate.demo import scenes
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render import mending
from zincplate.render.finders import find
from zincplate.render.suggest import Suggester
from zincplate.render.suggest_framing import scene_of, suggest_framing
from zincplate.sources.file import Source

NAMES = ("bust", "kiln_hall", "loading_door", "works_front", "yard_dusk")
WITH_PEOPLE = ("bust", "loading_door")
LONG_EDGE = 480
Values = NDArray[np.float64]


@cache
def scene(name: str) -> Source:
    """A shipped scene as a finished picture, with dust on it."""
    light = scenes.load(name).linear_rec709
    scale = LONG_EDGE / max(light.shape[:2])
    small = cv2.resize(light.astype(np.float32), None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    small = np.clip(small / np.quantile(small, 0.99), 0, 1)
    y, x = np.mgrid[: small.shape[0], : small.shape[1]]
    for cx, cy, radius in ((90, 40, 5), (300, 60, 8), (400, 25, 4)):
        small *= 1 - 0.3 * np.exp(-((((x - cx) ** 2 + (y - cy) ** 2) / radius**2) ** 2))[..., None].astype(np.float32)
    noisy = SRGB.transfer.encode(small) + 0.003 * np.random.default_rng(6).standard_normal(small.shape)
    return rendered(np.rint(np.clip(noisy, 0, 1) * 65535).astype(np.uint16))


def area_of(name: str, what: str) -> Values:
    """The area that is found, and how sure it is; nothing where there is none."""
    source = scene(name)
    try:
        found = find(renderer(), source, key(source), what)
    except RecipeError:
        return np.zeros((1, 1, 3))
    area = np.asarray(from_text(found.raster), np.float64)
    return np.concatenate([area, np.full((8, area.shape[1]), found.sure)])


def numbers_of(made: Any) -> list[float]:
    """All numbers in something that JSON can hold, also those of its sentences, in order."""
    if isinstance(made, dict):
        return [n for name in sorted(made) for n in numbers_of(made[name])]
    if isinstance(made, list | tuple):
        return [n for one in made for n in numbers_of(one)]
    if isinstance(made, str):
        return [float(n) for n in re.findall(r"\d+(?:\.\d+)?", made)]
    return [float(made)] if isinstance(made, int | float) else []


def as_row(made: Any) -> Values:
    row = numbers_of(json.loads(json.dumps(made, default=float)))
    return np.array(row or [0.0])[None, :, None]


def proposed(source: Source) -> Values:
    """Values of balance, tone and the whole, one after the other, and how sure they are said to be."""
    suggester = Suggester(renderer(), source, key(source), Recipe.neutral(source.raw))
    ways = (suggester.balance, suggester.tone, suggester.whole)
    return as_row([[p.values, p.reasons] for way in ways for p in way()])


def framed(name: str) -> Values:
    source = scene(name)
    with contextlib.suppress(FramingError):
        asked = renderer(), source, key(source), Recipe.neutral(False)
        found, seen = suggest_framing(*asked), scene_of(*asked)[0]
        sure = [d.confidence for d in (seen.upright, seen.level) if d is not None]
        return as_row([[p.values, p.reasons] for p in found] + sure)
    return np.zeros((1, 1, 1))


def dust_of(name: str) -> Values:
    """Places, sizes, chances and sources."""
    source = scene(name)
    with contextlib.suppress(RecipeError):
        found = mending.find_dust(renderer(), source, key(source), Recipe.neutral(False), least_chance=0.3)
        return as_row([[s.x, s.y, s.size, s.dx, s.dy] for s in found[:20]])
    return np.zeros((1, 1, 1))


def taken_from(name: str, kind: str) -> Values:
    source = scene(name)
    found = mending.sources_for(renderer(), source, key(source), with_repairs({**KINDS[kind], "id": "1"}), "1")
    return as_row([[c.dx, c.dy, c.cost] for c in found])


def noise_of(made: Callable[[], list[Source]]) -> Values:
    return as_row([[s.noise(1.0).deviation, 100 * s.noise(1.0).shift] for s in made()])


def cases() -> dict[str, Callable[[], Values]]:
    """Every finder on every scene."""
    found: dict[str, Callable[[], Values]] = {}
    for name in NAMES:
        for what in ("sky", "subject", *(("person", "faces", "skin") if name in WITH_PEOPLE else ())):
            found[f"{what} in {name}"] = partial(area_of, name, what)
        found[f"values for {name}"] = lambda name=name: proposed(scene(name))
        found[f"framing of {name}"] = partial(framed, name)
        found[f"dust in {name}"] = partial(dust_of, name)
        for kind in ("spot", "heal", "patch"):
            found[f"source of a {kind} in {name}"] = partial(taken_from, name, kind)
    for made in (bracket, panorama, series):
        found[f"noise of a {made.__name__}"] = partial(noise_of, made)
        found[f"values for a raw of a {made.__name__}"] = lambda made=made: proposed(made()[0])
    return found
