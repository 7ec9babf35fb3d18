"""Whole views about the camera: read from other writers, kept by deliveries where they are still part of it, read by Exiv2."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pyexiv2
import pytest
import tifffile

from tests.conftest import gradient
from zincplate.core.merging.projections import to_rays
from zincplate.formats import icc
from zincplate.formats.capture import CaptureData
from zincplate.formats.decode import facts
from zincplate.formats.decoded import Decoded
from zincplate.formats.description import facts_of_xmp
from zincplate.formats.encode import FORMATS, encode
from zincplate.formats.facts_in_words import in_words
from zincplate.formats.isolated import Decoder
from zincplate.formats.sphere import GPANO
from zincplate.merges.panorama.canvas import Canvas
from zincplate.merges.panorama.master import sphere_of
from zincplate.recipe.document import Recipe
from zincplate.render.develop import Delivery, develop
from zincplate.render.render import Renderer
from zincplate.sources.file import Source

WHOLE = (720, 360, 0, 0, 720, 360)


@pytest.mark.parametrize("file_format", FORMATS)
def test_exiv2_and_we_read_what_is_written(file_format: str, tmp_path: Path) -> None:
    path = tmp_path / f"a{FORMATS[file_format].endings[0]}"
    capture = CaptureData(sphere=(8000, 4000, 100, 200, 96, 64))
    path.write_bytes(encode(gradient(8), file_format, "srgb", capture))  # type: ignore[arg-type]
    with pyexiv2.Image(str(path)) as image:
        told = {k.removeprefix("Xmp.GPano."): v for k, v in image.read_xmp().items() if "GPano" in k}
    assert told == {
        "ProjectionType": "equirectangular", "UsePanoramaViewer": "True", "FullPanoWidthPixels": "8000",
        "FullPanoHeightPixels": "4000", "CroppedAreaLeftPixels": "100", "CroppedAreaTopPixels": "200",
        "CroppedAreaImageWidthPixels": "96", "CroppedAreaImageHeightPixels": "64",
    }  # fmt: skip
    assert facts(path)[0].sphere == capture.sphere


def packet(as_elements: bool = False, **changed: Any) -> bytes:
    values = {"ProjectionType": "equirectangular", "FullPanoWidthPixels": 720, "FullPanoHeightPixels": 360,
        "CroppedAreaLeftPixels": 0, "CroppedAreaTopPixels": 0, "CroppedAreaImageWidthPixels": 720,
        "CroppedAreaImageHeightPixels": 360} | changed  # fmt: skip
    attributes = "".join(f' g:{k}="{v}"' for k, v in values.items() if v is not None)
    elements = "".join(f"<g:{k}>{v}</g:{k}>" for k, v in values.items() if v is not None)
    inner = f">{elements}</rdf:Description>" if as_elements else f"{attributes}/>"
    return (
        f'<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        f'<rdf:Description xmlns:g="{GPANO.strip("{}")}"{inner}</rdf:RDF></x:xmpmeta>'
    ).encode()


@pytest.mark.parametrize(
    ("told", "wanted"),
    [
        ({}, WHOLE),
        ({"as_elements": True}, WHOLE),
        ({"FullPanoWidthPixels": "720.0"}, WHOLE),
        ({"ProjectionType": "cylindrical"}, ()),
        ({"ProjectionType": None}, ()),
        ({"CroppedAreaTopPixels": None}, ()),
        ({"CroppedAreaTopPixels": -3}, ()),
        ({"CroppedAreaLeftPixels": 1}, ()),
        ({"CroppedAreaImageHeightPixels": 0}, ()),
        ({"FullPanoWidthPixels": "wide"}, ()),
        ({"FullPanoWidthPixels": "inf"}, ()),
        ({"FullPanoWidthPixels": 10**9}, ()),
    ],
)
def test_what_makes_no_sense_is_passed_over(told: dict[str, Any], wanted: tuple[int, ...]) -> None:
    found, notes = facts_of_xmp(packet(**told))
    assert found.get("sphere", ()) == wanted and notes == ()


def coded(sphere: tuple[int, ...] = WHOLE, orientation: int = 1) -> Source:
    """A view whose red and green say column and row."""
    y, x = np.mgrid[0:360, 0:720]
    pixels = np.stack([x * 90, y * 180, np.full_like(x, 30_000)], -1).astype(np.uint16)
    capture = CaptureData(width=720, height=360, orientation=orientation, sphere=sphere)
    return Source(Decoded("rendered", pixels, capture, profile=icc.of_space("srgb")))


def delivered(tmp_path: Path, source: Source, framing: dict[str, Any], **how: Any) -> tuple[tuple[int, ...], np.ndarray]:
    recipe = Recipe.neutral(False).with_values({"framing": framing, **how.pop("values", {})})
    data, _ = develop(Renderer(Decoder()), source, recipe, Delivery(file_format="tiff", bits=16, **how))
    path = tmp_path / "a.tif"
    path.write_bytes(data)
    return facts(path)[0].sphere, tifffile.imread(path)


CROP = {"crop_x": 0.4, "crop_y": 0.3, "crop_width": 0.25, "crop_height": 0.2}


def test_a_crop_is_told_as_the_part_that_it_is(tmp_path: Path) -> None:
    sphere, picture = delivered(tmp_path, coded(), CROP)
    height, width = picture.shape[:2]
    left, top = round(picture[0, 0, 0] / 90), round(picture[0, 0, 1] / 180)
    assert left > 100 and top > 50 and sphere == (720, 360, left, top, width, height)
    # of a view that is a part itself, and smaller
    sphere, small = delivered(tmp_path, coded((1440, 720, 500, 90, 720, 360)), CROP, long_edge=width // 2)
    assert sphere == (720, 360, round((500 + left) / 2), round((90 + top) / 2), small.shape[1], small.shape[0])
    sphere, picture = delivered(tmp_path, coded(), {}, long_edge=301)
    assert sphere == (301, 150, 0, 0, 301, 150) == (301, 150, 0, 0, *picture.shape[1::-1])


@pytest.mark.parametrize(
    "framing",
    [{"angle": 1.0}, {"mirror": True}, {"quarter_turn": "90"}, {"tilt": 5.0}],
    ids=str,
)
def test_what_is_no_upright_part_of_it_says_nothing(framing: dict[str, Any], tmp_path: Path) -> None:
    assert delivered(tmp_path, coded(), framing)[0] == ()


def test_what_was_changed_by_a_program_that_did_not_know_says_nothing(tmp_path: Path) -> None:
    assert delivered(tmp_path, coded((720, 360, 0, 0, 700, 350)), {})[0] == ()
    assert delivered(tmp_path, coded(orientation=3), {})[0] == ()
    assert delivered(tmp_path, coded(), {}, values={"finish": {"border_percent": 4.0}})[0] == ()


def test_it_is_said_in_words() -> None:
    rows = dict(dict(in_words(CaptureData(width=720, height=360, sphere=(1440, 720, 500, 90, 720, 360))))["File"])
    assert rows["Whole view"] == "180\N{DEGREE SIGN} of 360\N{DEGREE SIGN} across, 90\N{DEGREE SIGN} of 180\N{DEGREE SIGN} high"


def test_a_master_lies_where_its_directions_say() -> None:
    canvas = Canvas("sphere", 4000 / (2 * np.pi), np.eye(3), -1500, -400, 2600, 700)
    full_width, full_height, left, top, width, height = sphere_of(canvas)
    assert (full_width, full_height, width, height) == (4000, 2000, 2600, 700)
    # the middle of a whole view looks ahead, a quarter of it to the right is to the right (equirectangular projection)
    x, y = np.array([2000.0, 3000.0]) - left, np.array([1000.0, 1000.0]) - top
    assert np.abs(canvas.rays(x, y) - [[0, 0, 1], [1, 0, 0]]).max() < 2e-3
    assert np.allclose(to_rays("sphere", np.array([0.0]), np.array([0.0])), [[0, 0, 1]])
    assert sphere_of(replace(canvas, kind="cylinder")) == ()
