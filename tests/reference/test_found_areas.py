"""What is found, against what is known: depth of the demo's world, a photograph that a package carries, pictures without any."""

from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data

from zincplate.core.areas.found_person import find_people
from zincplate.core.areas.found_sky import find_sky
from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SPACES, SRGB
from zincplate.demo import truth
from zincplate.demo.card import frame_bytes
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.finders import find, found_again
from zincplate.render.render import Renderer
from zincplate.sources.file import Source


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("found")


@lru_cache(maxsize=1)
def renderer() -> Renderer:
    return Renderer(Decoder())


def opened(folder: Path, number: int) -> Source:
    path = folder / f"TW-{number:04d}.dng"
    if not path.exists():
        path.write_bytes(frame_bytes(truth.of(number).frame))
    return renderer().open(path, str(number))


def lab(folder: Path, number: int) -> np.ndarray:
    return renderer().stages.areas.lab(opened(folder, number), str(number))


def overlap(area: np.ndarray, known: np.ndarray) -> float:
    """Intersection over union at the size of what was found."""
    height, width = area.shape
    there = cv2.resize(known.astype(np.float32), (width, height), interpolation=cv2.INTER_AREA) > 0.5
    here = area > 0.5
    return float((here & there).sum() / (here | there).sum())


# the works front by day and at a wrong balance; the clay pit; dusk; much noise; night
SKIES = [(1, 0.95), (6, 0.97), (43, 0.95), (91, 0.90), (96, 0.75), (60, 0.85)]


@pytest.mark.parametrize(("number", "least"), SKIES)
def test_the_sky_is_where_nothing_stands(folder: Path, number: int, least: float) -> None:
    found = find_sky(lab(folder, number))
    assert found is not None
    assert overlap(found[0], truth.of(number).depth_m() == 0) >= least


@pytest.mark.parametrize("number", [30, 80, 90])
def test_no_sky_is_found_indoors(folder: Path, number: int) -> None:
    """The kiln hall, the bust; the loading door, whose sky is white and below a wall."""
    assert find_sky(lab(folder, number)) is None


def srgb(folder: Path, number: int) -> np.ndarray:
    light = oklab.to_working(np.moveaxis(lab(folder, number), 0, -1)) @ SPACES["srgb"].from_working.T
    return SRGB.transfer.encode(np.clip(light, 0, 1)).astype(np.float32)


@pytest.mark.parametrize("number", [89, 90])
def test_the_worker_is_found_in_deep_shade(folder: Path, number: int) -> None:
    """He stands some seven metres away in front of a door to a yard: what is between four and nine metres, about him, is he."""
    found = find_people(srgb(folder, number))
    assert found is not None and found[1] > 0.9
    area = found[0]
    depth = cv2.resize(truth.of(number).depth_m(), (area.shape[1], area.shape[0]), interpolation=cv2.INTER_NEAREST)
    rows, columns = np.nonzero(area > 0.5)
    assert 0.02 < (area > 0.5).mean() < 0.06
    own = np.median(depth[rows, columns])
    body = (np.abs(depth - own) < 0.45) & (np.abs(np.arange(area.shape[1]) - columns.mean()) < 90)
    body[int(rows.max()) + 4 :] = False
    body[: max(int(rows.min()) - 12, 0)] = False
    # the floor that he stands on is as far away as he is: only his height above it counts
    body[int(rows.min() + 0.93 * np.ptp(rows)) :] = False
    area = area.copy()
    area[int(rows.min() + 0.93 * np.ptp(rows)) :] = 0
    assert overlap(area, body) > 0.8


def test_a_photographed_person_is_found() -> None:
    """scikit-image's astronaut (NASA, public domain): hair, face and suit are in it, flag and shuttle are not."""
    found = find_people(skimage.data.astronaut().astype(np.float32) / 255)
    assert found is not None
    area = found[0]
    assert area[60:200, 180:260].mean() > 0.97 and area[350:450, 120:220].mean() > 0.97
    assert area[0:200, 0:60].mean() < 0.05 and area[60:300, 400:460].mean() < 0.05


@pytest.mark.parametrize("name", ["coffee", "chelsea", "rocket"])
def test_a_cup_a_cat_and_a_rocket_are_nobody(name: str) -> None:
    assert find_people(getattr(skimage.data, name)().astype(np.float32) / 255) is None


@pytest.mark.parametrize("number", [1, 43, 91])
def test_nobody_is_found_where_nobody_is(folder: Path, number: int) -> None:
    assert find_people(srgb(folder, number)) is None


@pytest.mark.parametrize("shape", [(8, 8), (3, 400), (400, 3), (64, 64)])
@pytest.mark.parametrize("level", [0.0, 0.5, 1.0])
def test_pictures_of_nothing_hold_nothing(shape: tuple[int, int], level: float) -> None:
    flat = np.zeros((3, *shape), np.float32)
    flat[0] = level
    assert find_sky(flat) is None
    assert find_people(np.full((*shape, 3), level, np.float32)) is None


def test_what_is_found_goes_into_a_recipe_and_is_found_again(folder: Path) -> None:
    source = opened(folder, 89)
    found = find(renderer(), source, "89", "person")
    term = {"kind": "found", "what": "person", "raster": found.raster, "sure": round(100 * found.sure)}
    recipe = Recipe.neutral(True).with_values({"passes": {"passes": [{"name": "worker", "area": {"terms": [term]}}]}})
    other, told = found_again(renderer(), opened(folder, 90), "90", recipe)
    terms = other.value("passes", "passes")[0].area.terms
    assert not told and terms[0].raster != found.raster and terms[0].sure > 80
    nowhere, told = found_again(renderer(), opened(folder, 91), "91", recipe)
    assert told == ["worker: no person was found here, so that part of it acts nowhere."]
    assert nowhere.value("passes", "passes")[0].area.terms[0].sure == 0
    with pytest.raises(RecipeError, match="No person was found"):
        find(renderer(), opened(folder, 91), "91", "person")
    land, sky = (find(renderer(), opened(folder, 91), "91", what) for what in ("land", "sky"))
    assert land.cover + sky.cover == pytest.approx(1, abs=0.01)
