"""Lens corrections on photographs of the simulated lenses, against straight lines, even fields and lensfun itself."""

import math
from dataclasses import replace

import lensfunpy
import numpy as np
import pytest

from zincplate.core.colour.colour_spaces import SRGB
from zincplate.core.geometry.projective import FramingError
from zincplate.core.geometry.straighten import bend_of_lines
from zincplate.demo.camera import CameraModel, Settings, project
from zincplate.demo.lens import ZOOM, LensState
from zincplate.demo.scenes import even_field, grid
from zincplate.formats import icc
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import Decoded
from zincplate.formats.isolated import Decoder
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.pipeline.framing import Framed
from zincplate.pipeline.windows import Window
from zincplate.plan.plate import PlatePlan
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.sources.file import Source

BODY = CameraModel("Pennick", "Pennick Field 6", 6000, 4000)
SMALL = CameraModel("Pennick", "Pennick Field 6", 900, 600)
BY_PROFILE = {"lens_profile": "auto"}


def photographed(planes: np.ndarray, focal_length_mm: float, f_number: float) -> Source:
    """A linear float picture that says which lens made it."""
    capture = CaptureData(
        width=planes.shape[2],
        height=planes.shape[1],
        camera_make="Pennick",
        camera_model="Pennick Field 6",
        lens=ZOOM.name,
        focal_length_mm=focal_length_mm,
        f_number=f_number,
    )
    pixels = np.ascontiguousarray(SRGB.transfer.encode(np.moveaxis(planes, 0, -1)), np.float32)
    return Source(Decoded("rendered", pixels, capture, profile=icc.of_space("srgb")))


def corrected(source: Source, lenses: LensDatabase, values: dict[str, object]) -> tuple[Renderer, Framed]:
    renderer = Renderer(Decoder(), lenses)
    recipe = Recipe.neutral(False).with_values({"framing": values})
    return renderer, renderer.framed(source, "lens", source.plan(recipe).frame)


def line_of(image: np.ndarray) -> np.ndarray:
    """Sub-pixel place of a dark line in each row: centre of mass of what is dark against the row's bright end."""
    bright = np.maximum(image[:, :6].mean(1), image[:, -6:].mean(1))[:, None]
    dark = np.clip(0.9 - image / bright, 0, None)
    return np.asarray((dark * np.arange(image.shape[1])).sum(1) / dark.sum(1))


def photographed_grid(lens: LensState) -> Source:
    scene = replace(grid(7600, 5200, 400, 12.0), focal_px=lens.focal_length_mm * 1000 / BODY.pixel_pitch_um)
    return photographed(project(scene, BODY, lens, Settings(0.01, 8)), lens.focal_length_mm, 8)


def lines_across(renderer: Renderer, framed: Framed, plane_x: float) -> list[np.ndarray]:
    """Places of an upright line near a place of the plane, by rows, in red, green and blue."""
    left = round(plane_x - framed.left) - 40
    window = Window(framed.width, framed.height, left, 0, 80, framed.height)
    planes = renderer.stages.frame(framed, "lens", PlatePlan(), window, keep=False)
    # away from the crossing lines
    y = np.arange(framed.height) + framed.top
    rows = np.flatnonzero(np.abs((y + 200) % 400 - 200) > 40)
    return [np.stack([rows, line_of(planes[c][rows])]) for c in range(3)]


def test_a_photographed_grid_is_straight_again_at_24_megapixels(lenses: LensDatabase) -> None:
    """Within 0.3 px, where it was bent by more than ten; red, green and blue within 0.2 px of each other."""
    source = photographed_grid(ZOOM.at(25, 8))
    renderer, framed = corrected(source, lenses, BY_PROFILE)
    plain_renderer, plain = corrected(source, lenses, {})
    worst, apart, bent = 0.0, 0.0, 0.0
    for x in (-2400, -1200, 800, 2000):
        found = lines_across(renderer, framed, x)
        for rows, line in found:
            worst = max(worst, float(np.abs(line - np.polyval(np.polyfit(rows, line, 1), rows)).max()))
        apart = max(apart, float(np.ptp([line for _, line in found], axis=0).max()))
    rows, line = lines_across(plain_renderer, plain, -2340)[1]
    keep = np.abs(line - np.nanmedian(line)) < 38
    bent = float(np.abs(line - np.polyval(np.polyfit(rows[keep], line[keep], 1), rows))[keep].max())
    assert worst < 0.3 and apart < 0.2
    assert bent > 3


@pytest.mark.parametrize(("focal_length_mm", "f_number"), [(24, 2.8), (28, 8), (52, 4)])
def test_fall_off_becomes_flat(lenses: LensDatabase, focal_length_mm: float, f_number: float) -> None:
    planes = project(
        replace(even_field(64, 64), focal_px=1e-3), SMALL, ZOOM.at(focal_length_mm, f_number), Settings(0.01, f_number)
    )
    source = photographed(planes, focal_length_mm, f_number)
    renderer, framed = corrected(source, lenses, BY_PROFILE)
    window = Window(framed.width, framed.height, 0, 0, framed.width, framed.height)
    flat = renderer.stages.frame(framed, "lens", PlatePlan(), window, keep=False)[1]
    assert flat.max() / flat.min() - 1 < 0.01
    assert planes[1].max() / planes[1].min() - 1 > 0.1


def test_our_curve_is_lensfuns(lenses: LensDatabase) -> None:
    """Every place and light of the whole picture, by lensfun's own functions, with the bundled data."""
    profile = next(p for p in lenses.search("") if p.distortion and p.lateral and p.fall_off and p.shortest_mm < p.longest_mm)
    database = lensfunpy.Database(load_common=False)
    lens = next(
        v for v in database.lenses if (v.maker, v.model, v.crop_factor) == (profile.maker, profile.model, profile.crop_factor)
    )
    width, height, focal, f_number = 901, 601, profile.shortest_mm, 8.0
    source = Source(
        Decoded(
            "rendered",
            np.zeros((height, width, 3), np.uint8),
            CaptureData(width=width, height=height, focal_length_mm=focal, f_number=f_number),
            profile=icc.of_space("srgb"),
        )
    )
    _, framed = corrected(source, lenses, {"lens_profile": profile.id})
    modifier = lensfunpy.Modifier(lens, lens.crop_factor, width, height)
    flags = lensfunpy.ModifyFlags
    modifier.initialize(focal, f_number, 1000.0, 1.0, flags=flags.DISTORTION | flags.TCA)
    places = modifier.apply_subpixel_geometry_distortion()
    y, x = np.mgrid[0:height, 0:width]
    plane = np.stack([x.ravel() - (width - 1) / 2, y.ravel() - (height - 1) / 2], 1)
    for channel in range(3):
        ours = framed.map.to_source(plane, channel) - 0.5
        # lensfun counts from the middles of pixels, we from their corners. Its approximate reciprocals scatter.
        off = ours - places[:, :, channel].reshape(-1, 2)
        assert np.abs(off).max() < 0.3 and np.abs(off.mean(0)).max() < 0.01 and np.abs(np.median(off, 0)).max() < 0.02
    light = lensfunpy.Modifier(lens, lens.crop_factor, width, height)
    light.initialize(focal, f_number, 1000.0, 1.0, pixel_format=np.float32, flags=flags.VIGNETTING)
    picture = np.ones((height, width, 3), np.float32)
    assert light.apply_color_modification(picture)
    distorted = framed.map.radial.gain_at(framed.map.radial.undistorted(np.hypot(*plane.T)))
    assert np.abs(distorted.reshape(height, width) / picture[..., 1] - 1).max() < 3e-3


def test_strengths_go_from_nothing_to_all(lenses: LensDatabase) -> None:
    source = photographed(np.full((3, 400, 600), 0.2, np.float32), 24, 2.8)
    corner = np.array([[0.0, 0.0]])
    moved = []
    for strength in (0, 30, 50, 100):
        values = BY_PROFILE | {"distortion": strength, "fringes": strength, "fall_off": strength}
        _, framed = corrected(source, lenses, values)
        moved.append([float(framed.map.to_plane(corner)[0, 0]), float(framed.map.radial.gain.max())])
    nothing, third, half, all_of_it = moved
    assert nothing == pytest.approx([-300, 1.0])
    assert all_of_it[0] + 2 < half[0] < nothing[0] - 2
    assert half[1] ** 2 == pytest.approx(all_of_it[1], rel=0.01)
    assert third[1] == pytest.approx(all_of_it[1] ** 0.3, rel=0.01) and half[0] < third[0] < nothing[0]


def test_a_lens_is_found_by_its_name_or_offered(lenses: LensDatabase) -> None:
    found = lenses.match("Pennick", "Pennick Field 6", "PENNICK 24-70mm F2.8", 35)
    assert found.certain is not None and found.certain.model == ZOOM.name and found.crop_factor == 1
    unknown = lenses.match("Pennick", "Pennick Field 6", "", 60)
    assert unknown.certain is None and {p.maker for p in unknown.others} == {"Pennick"}
    nobody = lenses.match("", "", "A lens of nobody", 0)
    assert nobody.certain is None and nobody.others == () and nobody.crop_factor == 0
    assert [p.model for p in lenses.search("pennick close")] == ["Pennick 60 mm f/2.8 close-up"]
    assert lenses.curve("nothing", 1.0, 600, 400, 50, 8) is None
    assert any("broken.xml" in sentence and "could not be read" in sentence for sentence in lenses.refused)


def bent_edge(k1: float, k2: float, y: float, n: int, half_diagonal: float) -> np.ndarray:
    """A level line at a height, seen through a lens: points of the file from its middle."""
    line = np.stack([np.linspace(-0.75, 0.75, n), np.full(n, y)], 1)
    r = np.hypot(*line.T)
    return np.asarray(line * (1 + k1 * r**2 + k2 * r**4)[:, None] * half_diagonal)


def test_bent_edges_give_back_the_lens_that_bent_them() -> None:
    size = 3605.0
    k1, _ = bend_of_lines((bent_edge(-0.05, 0.0, 0.45, 5, size),), size)
    assert k1 == pytest.approx(-0.05, abs=2e-4)
    both = bend_of_lines((bent_edge(-0.06, 0.02, 0.45, 7, size), bent_edge(-0.06, 0.02, -0.3, 5, size)), size)
    assert both == pytest.approx((-0.06, 0.02), abs=2e-3)
    # a hand misses by two pixels
    noisy = bent_edge(-0.05, 0.0, 0.45, 7, size) + np.random.default_rng(2).normal(0, 2, (7, 2))
    assert bend_of_lines((noisy,), size)[0] == pytest.approx(-0.05, abs=0.008)


@pytest.mark.parametrize(
    ("line", "part"),
    [
        ([[0, 900], [900, 900]], "three points"),
        ([[-1500, 0], [0, 1], [1500, 0]], "through the middle"),
        ([[0, 900], [50, 905], [90, 900]], "too short"),
        ([[-1500, 900], [-700, 1900], [0, 300], [700, 1700], [1500, 900]], "No lens bends"),
        ([[-1500, 900], [float("nan"), 900], [1500, 900]], "leaves the picture"),
    ],
)
def test_lines_that_say_nothing_about_bending_are_refused(line: list[list[float]], part: str) -> None:
    with pytest.raises(FramingError, match=part):
        bend_of_lines((np.array(line, np.float64),), math.hypot(6000, 4000) / 2)
