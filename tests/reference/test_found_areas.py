"""What is found, against what is known: depth of the demo's world, a photograph that a package carries, pictures without any."""

from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data

from tests.conftest import demo_dng
from zincplate.core.areas.found_faces import faces, find_faces, find_skin
from zincplate.core.areas.found_person import find_people
from zincplate.core.areas.found_sky import find_sky
from zincplate.core.areas.found_subject import find_subject
from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SPACES, SRGB
from zincplate.demo import truth
from zincplate.formats.isolated import Decoder
from zincplate.plan.passes import USUAL_PERCENT
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
        path.write_bytes(demo_dng(number))
    return renderer().open(path, str(number))


def lab(folder: Path, number: int) -> np.ndarray:
    return renderer().stages.areas.lab(opened(folder, number), str(number))


def overlap(area: np.ndarray, known: np.ndarray) -> float:
    """Intersection over union at the size of what was found."""
    height, width = area.shape
    there = cv2.resize(known.astype(np.float32), (width, height), interpolation=cv2.INTER_AREA) > 0.5
    here = area > 0.5
    return float((here & there).sum() / (here | there).sum())


# the works front by day and at a wrong balance; the clay pit; dusk; much noise and more of it; night
SKIES = [(1, 0.97), (6, 0.98), (43, 0.99), (91, 0.96), (96, 0.96), (97, 0.96), (60, 0.98)]


@pytest.mark.parametrize(("number", "least"), SKIES)
def test_the_sky_is_where_nothing_stands(folder: Path, number: int, least: float) -> None:
    found = find_sky(lab(folder, number))
    assert found is not None
    assert overlap(found[0], truth.of(number).depth_m() == 0) >= least


@pytest.mark.parametrize(
    ("number", "top", "left", "share", "exposure_ev", "least"),
    [
        (1, 0.1, 0.3, 0.7, -0.9, 0.97),
        (43, 0.15, 0.1, 0.65, 0.4, 0.97),
        (60, 0.0, 0.15, 0.85, 0.3, 0.97),
        (91, 0.0, 0.0, 0.8, -0.4, 0.95),
    ],
)
def test_the_sky_of_another_pose_and_light(
    folder: Path, number: int, top: float, left: float, share: float, exposure_ev: float, least: float
) -> None:
    """A part of the frame, mirrored, otherwise exposed (Oklab goes with the cube root of light)."""
    planes, known = lab(folder, number) * np.float32(2 ** (exposure_ev / 3)), truth.of(number).depth_m() == 0
    parts = []
    for plane in (*planes, known):
        height, width = plane.shape
        y, x = round(top * height), round(left * width)
        parts.append(plane[y : y + round(share * height), x : x + round(share * width)][:, ::-1])
    found = find_sky(np.stack(parts[:3]))
    assert found is not None
    assert overlap(found[0], parts[3]) >= least


@pytest.mark.parametrize("number", [30, 80, 82, 85, 90])
def test_no_sky_is_found_indoors(folder: Path, number: int) -> None:
    """The kiln hall, the bust before its backdrop; the loading door, whose sky is white and below a wall."""
    assert find_sky(lab(folder, number)) is None


@pytest.mark.parametrize("name", ["chelsea", "coffee", "immunohistochemistry", "page", "brick"])
def test_what_is_smooth_above_is_no_sky(name: str) -> None:
    """A cat, a cup, tissue, a page, a wall of scikit-image's."""
    assert find_sky(oklab_of(shown(name))) is None


def test_the_cameramans_sky() -> None:
    """scikit-image's cameraman, who is dark before a grey sky; the horizon is in the fifth tenth, grass below it."""
    found = find_sky(oklab_of(shown("camera")))
    assert found is not None
    area = found[0]
    rows, columns = area.shape
    assert area[: rows // 4, : columns // 4].mean() > 0.99 and area[: rows // 4, -columns // 4 :].mean() > 0.97
    assert (
        area[round(0.7 * rows) :].max() < 0.01
        and area[rows // 4 : rows // 2, round(0.36 * columns) : round(0.44 * columns)].mean() < 0.05
    )


def shown(name: str) -> np.ndarray:
    """A picture of scikit-image's, 0..1, three channels."""
    picture = getattr(skimage.data, name)().astype(np.float32) / 255
    return np.repeat(picture[..., None], 3, 2) if picture.ndim == 2 else picture[..., :3]


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


def oklab_of(picture: np.ndarray) -> np.ndarray:
    linear = SRGB.transfer.decode(picture) @ SPACES["srgb"].to_working.T
    return np.ascontiguousarray(np.moveaxis(oklab.from_working(linear), -1, 0), np.float32)


def test_the_astronauts_face_and_skin() -> None:
    """Face: brow to chin, about the nose. Skin: cheeks, chin and neck, not eyes, teeth, hair, suit, flag, nor the light wall."""
    picture = skimage.data.astronaut().astype(np.float32) / 255
    found = faces(picture)
    assert len(found) == 1 and found[0].sure > 0.95 and 80 < found[0].width_px < 110
    assert np.abs(found[0].middle - [222, 120]).max() < 12
    area, _ = find_faces(picture)
    assert area[150, 225] > 0.99 and area[60, 220] < 0.01 and area[230, 225] < 0.01
    skin, _, width_px = find_skin(picture, oklab_of(picture))
    assert width_px == found[0].width_px
    left, right, chin, mouth = skin[122:136, 190:202], skin[122:136, 246:256], skin[168:176, 208:232], skin[142:148, 214:230]
    assert min(left.mean(), right.mean(), chin.mean()) > 0.97 and mouth.mean() < 0.1
    hair, wall, suit = skin[20:50, 190:260], skin[20:200, 300:370], skin[330:480, 60:330]
    assert hair.mean() < 0.05 and wall.mean() < 0.02 and suit.mean() < 0.05  # orange in the light is not far from skin


def test_two_who_look_at_once_find_what_each_finds_alone() -> None:
    astronaut = skimage.data.astronaut().astype(np.float32) / 255
    pictures = [astronaut, skimage.data.coffee().astype(np.float32) / 255, np.ascontiguousarray(astronaut[:, ::-1])] * 3
    with ThreadPoolExecutor(4) as pool:
        found = list(pool.map(faces, pictures))
    alone = [faces(p) for p in pictures[:3]]
    for k, there in enumerate(found):
        assert len(there) == len(alone[k % 3])
        assert all(np.abs(a.points - b.points).max() < 1e-3 for a, b in zip(there, alone[k % 3], strict=True))


def test_two_hundred_small_pictures_of_which_half_are_faces() -> None:
    """scikit-image's subset of Labeled Faces in the Wild, 25 pixels each, enlarged: nothing is taken for a face that is none."""
    pictures = skimage.data.lfw_subset().astype(np.float32)
    found = []
    for grey in pictures:
        large = cv2.resize(np.repeat(grey[..., None], 3, 2), (100, 100), interpolation=cv2.INTER_CUBIC)
        found.append(bool(faces(np.clip(cv2.copyMakeBorder(large, 60, 60, 60, 60, cv2.BORDER_REPLICATE), 0, 1))))
    assert sum(found[:100]) >= 80 and sum(found[100:]) == 0


@pytest.mark.parametrize("turned", [-20, 15])
def test_a_tilted_face_is_a_face(turned: float) -> None:
    picture = skimage.data.astronaut().astype(np.float32) / 255
    matrix = cv2.getRotationMatrix2D((225, 130), turned, 1)
    found = faces(cv2.warpAffine(picture, matrix, (512, 512), borderMode=cv2.BORDER_REPLICATE))
    assert found and np.abs(found[0].middle - [224, 122]).max() < 16
    across = found[0].points[263] - found[0].points[33]
    assert np.degrees(np.arctan2(across[1], across[0])) == pytest.approx(-turned, abs=6)


def depth_of_bust() -> np.ndarray:
    """Upright: the camera was held on its side."""
    return np.ascontiguousarray(np.rot90(truth.of(80).depth_m(), -1))


def test_the_glazed_bust_has_a_face_and_skin_down_to_its_chest(folder: Path) -> None:
    """Of the demo's world: what is as near as the bust is its; the teal hair, dark shelf and table are not skin."""
    picture, oklab_ = srgb(folder, 80), lab(folder, 80)
    found = faces(picture)
    assert len(found) == 1
    skin, _, width_px = find_skin(picture, oklab_)
    depth = cv2.resize(depth_of_bust(), (skin.shape[1], skin.shape[0]), interpolation=cv2.INTER_NEAREST)
    nose = found[0].points[1].astype(int)
    bust = np.abs(depth - depth[nose[1], nose[0]]) < 0.3
    light = bust & (oklab_[0] > 0.6) & (np.abs(oklab_[1:]).max(0) < 0.06)  # its unpainted glaze in the light
    assert skin[light].mean() > 0.85
    assert skin[~bust].mean() < 0.02 and skin[bust & (oklab_[1] < -0.06)].mean() < 0.02
    assert 0.2 < width_px / max(skin.shape) < 0.28


@pytest.mark.parametrize("number", [89, 90])
def test_the_workers_small_face_is_found(folder: Path, number: int) -> None:
    """Twenty-five pixels of a thousand."""
    found = faces(srgb(folder, number))
    people, _ = find_people(srgb(folder, number))
    assert len(found) == 1
    x, y = found[0].middle.astype(int)
    assert people[y, x] > 0.9 and (people.max(1) > 0.5).argmax() < y < (people.max(1) > 0.5).argmax() + 60


@pytest.mark.parametrize("name", ["coffee", "chelsea", "rocket"])
def test_a_cup_a_cat_and_a_rocket_have_no_face_of_ours(name: str) -> None:
    picture = getattr(skimage.data, name)().astype(np.float32) / 255
    assert find_faces(picture) is None and find_skin(picture, oklab_of(picture)) is None


def test_the_main_subject_is_what_stands_out_or_a_person(folder: Path) -> None:
    """The bust by the depth of the demo's world; the cat that fills most of its picture; of the loading door the worker."""
    area, sure = find_subject(lab(folder, 80), srgb(folder, 80))
    depth = depth_of_bust()
    near = (depth < 1.2) & (np.arange(depth.shape[0]) < 0.88 * depth.shape[0])[:, None]  # its foot and the table are as near
    assert sure > 0.35 and overlap(area, near) > 0.6
    cat = skimage.data.chelsea().astype(np.float32) / 255
    found = find_subject(oklab_of(cat), cat)
    assert found is not None and found[0][100:200, 130:250].mean() > 0.95 and found[0][0:60, 400:].mean() < 0.05
    worker = find(renderer(), opened(folder, 89), "89", "subject")
    assert worker.cover == pytest.approx(find(renderer(), opened(folder, 89), "89", "person").cover)


@pytest.mark.parametrize("number", [1, 91])
def test_a_view_without_a_subject_has_none(folder: Path, number: int) -> None:
    """The works front and its yard at dusk fill their pictures."""
    with pytest.raises(RecipeError, match="Nothing stands out"):
        find(renderer(), opened(folder, number), str(number), "subject")


@pytest.mark.parametrize("number", [1, 43, 91])
def test_nobody_is_found_where_nobody_is(folder: Path, number: int) -> None:
    assert find_people(srgb(folder, number)) is None


@pytest.mark.parametrize("shape", [(8, 8), (3, 400), (400, 3), (64, 64)])
@pytest.mark.parametrize("level", [0.0, 0.5, 1.0])
def test_pictures_of_nothing_hold_nothing(shape: tuple[int, int], level: float) -> None:
    flat = np.zeros((3, *shape), np.float32)
    flat[0] = level
    assert find_sky(flat) is None
    plain = np.full((*shape, 3), level, np.float32)
    assert find_people(plain) is None and find_faces(plain) is None and find_subject(flat, plain) is None


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
    # skin: the size of its blotches goes with the face, where the pass looks at a size of its own
    skin = find(renderer(), opened(folder, 80), "80", "skin")
    term = {"kind": "found", "what": "skin", "raster": skin.raster, "sure": 90}
    for size, expected in ((skin.blotch_percent, 0.3), (USUAL_PERCENT, USUAL_PERCENT)):
        one = {"name": "skin", "area": {"terms": [term]}, "controls": {"even_light": 50, "forms_percent": size}}
        recipe = Recipe.neutral(True).with_values({"passes": {"passes": [one]}})
        again, told = found_again(renderer(), source, "89", recipe)
        assert not told and again.value("passes", "passes")[0].controls.forms_percent == pytest.approx(expected, abs=0.051)
    _, told = found_again(renderer(), opened(folder, 91), "91", recipe)
    assert told == ["skin: no skin was found here, so that part of it acts nowhere."]
    land, sky = (find(renderer(), opened(folder, 91), "91", what) for what in ("land", "sky"))
    assert land.cover + sky.cover == pytest.approx(1, abs=0.01)
