"""Large views: coded in strips that join, counted on some rows for all, without a map where none is asked for."""

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import simplejpeg

from tests.conftest import demo_dng
from tests.contract.test_operations import rendered
from tests.render.test_many_passes import WEB_BYTES, counted
from zincplate.core.measure.statistics import every_row, full_of, measure
from zincplate.formats.isolated import Decoder
from zincplate.pipeline import stages
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest
from zincplate.services.view_answer import STRIP_PIXELS, _coded, pack
from zincplate.sources.file import Source


def picture(height: int, width: int) -> np.ndarray:
    """Smooth, different in every channel and place, with a seventh at the top and a ninth at zero."""
    y, x = np.mgrid[0:height, 0:width]
    planes = np.stack([x * 200 / width + 20, y * 200 / height + 20, (x + y) * 200 / (width + height) + 20], -1).astype(np.uint8)
    planes[x % 7 == 3] = 255
    planes[x % 9 == 4] = 0
    return planes


@pytest.mark.parametrize("quick", [False, True])
def test_strips_join_to_the_picture(quick: bool) -> None:
    smooth = np.ascontiguousarray(np.repeat(np.repeat(picture(110, 100)[:, ::1], 11, 0), 13, 1))
    assert smooth.shape[0] * smooth.shape[1] >= 2 * STRIP_PIXELS
    strips = _coded(smooth, quick)
    assert len(strips) == 2
    joined = np.concatenate([simplejpeg.decode_jpeg(s) for s in strips])
    assert joined.shape == smooth.shape
    # nothing is moved, doubled or left out at the seam
    assert np.abs(joined.astype(int) - smooth).mean() < (12 if quick else 4)
    seam = simplejpeg.decode_jpeg(strips[0]).shape[0]
    assert seam % 16 == 0 and np.abs(joined[seam - 8 : seam + 8].astype(int) - smooth[seam - 8 : seam + 8]).mean() < 14
    assert len(_coded(np.ascontiguousarray(smooth[:300, :300]), quick)) == 1


@pytest.mark.parametrize("mapped", [False, True])
@pytest.mark.parametrize("quick", [False, True])
def test_some_rows_stand_for_all(quick: bool, mapped: bool) -> None:
    seen = picture(1300, 1700)
    plates = np.full((3, 1300, 1700), 0.5, np.float32)
    plates[1, :, ::5] = 2.0
    histogram, clipping, counts = measure(seen, full_of(plates, np.ones(3, np.float32)), -1, mapped, quick)
    pixels = seen.shape[0] * seen.shape[1]
    assert histogram.sum(1).tolist() == [pixels] * 4
    wanted = [(seen.max(-1) == 255).mean(), (seen.max(-1) == 0).mean(), 0.2]
    assert counts[0] / pixels == pytest.approx(wanted, rel=0.01)
    assert counts[3] / pixels == pytest.approx([0, 0.2, 0], abs=0.002)
    assert clipping.shape == ((1300, 1700) if mapped else (0, 0))
    if mapped:
        assert ((clipping & 1 > 0) == (seen.max(-1) == 255)).all() and ((clipping & 4 > 0) == (plates[1] == 2)).all()


def test_a_moving_hand_has_fewer_pixels_counted_of_any_size() -> None:
    asked = (70_000, 166_000, 290_000, 310_000, 1_000_000, 6_000_000)
    assert [every_row(pixels, quick=True) for pixels in asked] == [1, 2, 4, 4, 12, 75]
    assert [every_row(pixels, quick=False) for pixels in asked] == [1, 1, 1, 2, 2, 6]


@pytest.mark.parametrize(("width", "plain"), [(770, True), (780, False)])
def test_only_small_pictures_go_as_they_are(width: int, plain: bool) -> None:
    light = np.random.default_rng(6).integers(9_000, 30_000, (520, 780, 3), np.uint16)
    source, recipe = rendered(light), Recipe.neutral(False)
    request = ViewRequest(width, 2 * width // 3, quick=True, plain=True, clipping=False)
    view = Renderer(Decoder()).view(source, "small", recipe, request)
    data = pack(view, source, recipe)
    length = int.from_bytes(data[:4], "little")
    assert json.loads(data[4 : 4 + length])["plain"] == plain
    if plain:
        pixels = np.frombuffer(data, np.uint8, offset=4 + length).reshape(*view.picture.shape[:2], 4)
        assert np.array_equal(pixels[..., :3], view.picture)


def test_a_gauge_of_light_in_the_largest_window_does_not_reduce_noise_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    """Two stages of a window of 3,840 x 2,160 have room in a web process of usual size."""
    reduced = counted(monkeypatch, stages, "reduce_noise")
    light = np.random.default_rng(6).integers(9_000, 30_000, (2160, 3840, 3), np.uint16)
    source, renderer = rendered(light), Renderer(Decoder(), memory_bytes=WEB_BYTES)
    for step in range(3):
        for tone in ({"exposure_ev": step / 10}, {"exposure_ev": step / 10, "shadows": 20 + step}):
            recipe = Recipe.neutral(False).with_values({"definition": {"luminance_noise": 30}, "tone": tone})
            renderer.view(source, "large", recipe, ViewRequest(3840, 2160, clipping=False))
    assert len(reduced) == 1


def test_turning_a_large_view_demosaics_once(tmp_path: Path, decoder: Decoder, monkeypatch: pytest.MonkeyPatch) -> None:
    """With sharpening, which asks for more than is shown. A lens whose colours are brought together while demosaicing asks for
    that once more."""
    file, renderer = tmp_path / "TW-0030.dng", Renderer(decoder)
    file.write_bytes(demo_dng(30))
    source, read = renderer.open(file, "turned"), counted(monkeypatch, Source, "window")
    seen = []
    for red, times in ((0.0, 1), (0.5, 2)):
        for angle in (0.0, 1.0, 1.2, 1.4):
            framing = {"angle": angle, "fringe_red": red}
            recipe = Recipe.neutral(True).with_values({"framing": framing, "definition": {"sharpen_amount": 80}})
            seen.append(renderer.view(source, "turned", recipe, ViewRequest(3000, 2000, box=True)).picture)
            assert len(read) == times, (red, angle)
    assert not np.array_equal(seen[1], seen[2])


def test_a_turned_window_is_read_once_for_picture_and_sensor(
    tmp_path: Path, decoder: Decoder, monkeypatch: pytest.MonkeyPatch
) -> None:
    """At full size, where it is a small part of the source: with the rim that sharpening asks for."""
    file, renderer = tmp_path / "TW-0030.dng", Renderer(decoder)
    file.write_bytes(demo_dng(30))
    source, read = renderer.open(file, "part"), counted(monkeypatch, Source, "window")
    recipe = Recipe.neutral(True).with_values({"framing": {"angle": 1.0}, "definition": {"sharpen_amount": 80}})
    renderer.view(source, "part", recipe, ViewRequest(10_000, 10_000, 600, 500, 500, 400, box=True))
    assert len(read) == 1


def test_pictures_of_a_turning_hand_do_not_push_out_what_the_next_one_is_made_from(
    tmp_path: Path, decoder: Decoder, monkeypatch: pytest.MonkeyPatch
) -> None:
    file, renderer = tmp_path / "TW-0030.dng", Renderer(decoder, memory_bytes=1300 << 20)
    file.write_bytes(demo_dng(30))
    source = renderer.open(file, "turning")

    def turned(angle: float, box: int, quick: bool = False, **tone: float) -> None:
        recipe = Recipe.neutral(True).with_values({"framing": {"angle": angle}, "tone": tone})
        renderer.view(source, "turning", recipe, ViewRequest(box, box, box=True, around=True, quick=quick, clipping=False))

    turned(0.0, 3000)
    turned(0.0, 1000, quick=True)
    made = counted(monkeypatch, stages, "spline_coefficients")
    for step in range(60):
        turned(step / 20, 1000, quick=True)
    turned(3.0, 3000)
    assert not made
    # light that is changed while the frame stands still meets the same frame
    warped = counted(monkeypatch, stages, "warp")
    for step in range(3):
        turned(3.0, 1000, quick=True, exposure_ev=step / 10)
    assert len(warped) == 1


@pytest.mark.parametrize("framing", [{}, {"angle": 2.0}])
@pytest.mark.parametrize("sharpened", [0, 80])
def test_clipped_is_where_the_sensor_was_full(
    sharpened: float, framing: dict[str, float], tmp_path: Path, decoder: Decoder
) -> None:
    """In a window of a picture that shows a lamp; what is read for it is larger where it is sharpened or turned."""
    file, renderer = tmp_path / "TW-0035.dng", Renderer(decoder)
    file.write_bytes(demo_dng(35))
    source = renderer.open(file, "full")
    recipe = Recipe.neutral(True).with_values({"framing": framing, "definition": {"sharpen_amount": sharpened}})
    request = ViewRequest(900, 600, 200, 50, 600, 540)
    # of a picture that moves some rows are asked only; they do not stand for the next one
    renderer.view(source, "full", recipe, replace(request, quick=True, clipping=False))
    view = renderer.view(source, "full", recipe, request)
    framed = renderer.framed(source, "full", source.plan(recipe).frame)
    plates = renderer.stages.recorded.plates(framed, "full", view.request.window, source.plan(recipe).plate.hot_pixels)
    full = (plates >= source.white_limits[:, None, None]).any(0)
    assert 0.002 < full.mean() < 0.9 and ((view.clipping & 4 > 0) == full).all()
    assert view.clipped[2] == pytest.approx(full.mean())
