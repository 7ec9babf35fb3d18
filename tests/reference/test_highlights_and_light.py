"""Blown highlights against the unclipped truth; the colour of the light on the lit target; the depth guard."""

from pathlib import Path

import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.reference.test_noise import mosaic_of
from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.core.colour.illuminant import angle_degrees, estimate_light
from zincplate.core.kernels import kernel_math
from zincplate.core.kernels.light import to_float
from zincplate.core.measure.depth import depth_of
from zincplate.demo.camera import CameraModel, Settings, expose, metered
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ideal
from zincplate.demo.scenes import load
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.isolated import Decoder
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.stages import Stages
from zincplate.pipeline.windows import Window
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.suggest import Suggester
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source

NEUTRAL = (0.5, 1.0, 0.7)


def camera_source(planes: np.ndarray) -> Source:
    """A raw file of camera planes (3, h, w), where 1 is the sensor's end: clipped there, with little noise."""
    colour = CameraColour(CameraMatrices.plain((0.8, -0.2, -0.1, -0.4, 1.2, 0.2, -0.1, 0.2, 0.7), 6504.0), NEUTRAL)
    mosaic = mosaic_of(np.clip(planes, 0, 1), 1e-5, 1e-7)
    capture = CaptureData(width=planes.shape[2], height=planes.shape[1], raw=True)
    return Source(Decoded("mosaic", mosaic, capture, colour, black=(512.0,) * 4, white=16383.0))


def glowing() -> np.ndarray:
    """Camera planes of a warm lamp and a pale sky that pass the sensor's end: soft hills of one chromaticity each."""
    y, x = np.mgrid[0:320, 0:480].astype(np.float32)
    base = np.full((3, 320, 480), 0.12, np.float32) * np.array(NEUTRAL, np.float32)[:, None, None]
    for cx, cy, size, peak, tint in ((140, 160, 45, 2.2, (1.15, 1.0, 0.75)), (350, 150, 60, 1.7, (0.92, 1.0, 1.12))):
        hill = peak * np.exp(-((x - cx) ** 2 + (y - cy) ** 2) / (2 * size**2))
        base = base + hill * (np.array(NEUTRAL) * np.array(tint)).astype(np.float32)[:, None, None]
    return base


def plates(source: Source, recovery: str) -> np.ndarray:
    plan = source.plan(Recipe.neutral(True).with_values({"tone": {"highlight_recovery": recovery}}))
    window = Window(source.width, source.height, 0, 0, source.width, source.height)
    renderer = Renderer(Decoder())
    return Stages(renderer.plates.read_once, ByteCache(1 << 20), 1 << 20).plate(source, "glow", plan.plate, window, keep=False)


def test_rebuilt_highlights_come_close_to_the_truth() -> None:
    truth = glowing() / np.array(NEUTRAL, np.float32)[:, None, None]
    source = camera_source(glowing())
    blown = (glowing() > 1).any(0)
    some_open = blown & ~(glowing() > 0.98).all(0)
    assert some_open.mean() > 0.03

    def chromaticity_error(planes: np.ndarray) -> float:
        ratio, true = (np.log2(np.maximum(p[[0, 2]], 1e-3) / np.maximum(p[1], 1e-3)) for p in (planes, truth))
        return float(np.abs(ratio - true)[:, some_open].mean())

    clipped, rebuilt = plates(source, "clip"), plates(source, "rebuild")
    assert chromaticity_error(rebuilt) < 0.35 * chromaticity_error(clipped)
    level = {n: float(np.abs(np.log2(p[1] / truth[1]))[some_open].mean()) for n, p in (("clip", clipped), ("new", rebuilt))}
    assert level["new"] < 0.5 * level["clip"]
    away = np.ones_like(blown)
    away[40:280, 30:460] = False
    assert np.abs(rebuilt - clipped)[:, away].max() < 1e-5


def test_no_way_of_recovery_leaves_a_cast_where_all_is_blown() -> None:
    planes = glowing() * 3
    source = camera_source(planes)
    for recovery in ("clip", "neutral", "rebuild"):
        recipe = Recipe.neutral(True).with_values({"tone": {"highlight_recovery": recovery, "exposure_ev": -1.5}})
        view = Renderer(Decoder()).view(source, recovery, recipe, ViewRequest(480, 320))
        centre = view.picture[150:170, 130:150].reshape(-1, 3).mean(0)
        assert np.ptp(centre) < 3


def test_what_has_one_channel_at_its_end_fades_to_neutral_if_that_is_asked_for() -> None:
    planes = np.empty((3, 320, 480), np.float32)
    for c, level in enumerate((1.0, 0.7, 0.6)):
        planes[c, :, :160], planes[c, :, 160:320], planes[c, :, 320:] = level * 1.001, level * 0.95, level * 0.88
    recipe = Recipe.neutral(True).with_values({"tone": {"highlight_recovery": "neutral", "exposure_ev": -2.0}})
    picture = Renderer(Decoder()).view(camera_source(planes), "fades", recipe, ViewRequest(480, 320)).picture.astype(float)
    cast = [float(np.ptp(picture[100:220, x : x + 60].reshape(-1, 3).mean(0))) for x in (50, 210, 370)]
    assert cast[0] < 2 and 0.25 * cast[2] < cast[1] < 0.8 * cast[2] and cast[2] > 20, cast


def cast_of(planes: np.ndarray, where: np.ndarray) -> np.ndarray:
    """Mean log2 of red / green and blue / green, (2,)."""
    logs = np.log2(np.maximum(planes[:, where], 1e-3))
    return np.asarray([(logs[0] - logs[1]).mean(), (logs[2] - logs[1]).mean()])


def wall_and_sky() -> np.ndarray:
    """Camera planes: a sunlit warm wall against a pale blue sky that passes the end of green and blue towards the right."""
    y, x = np.mgrid[0:320, 0:480].astype(np.float32)
    sky = (0.55 + 0.9 * x / 480)[None] * np.array([0.85, 1.0, 1.08], np.float32)[:, None, None]
    wall = np.full((3, 320, 480), 0.62, np.float32) * np.array([1.35, 0.8, 0.45], np.float32)[:, None, None]
    below = y > 190 + 0.2 * x
    return np.asarray(np.where(below, wall, sky) * np.array(NEUTRAL, np.float32)[:, None, None], np.float32)


def test_a_warm_wall_does_not_colour_the_blown_sky_above_it() -> None:
    planes = wall_and_sky()
    truth = planes / np.array(NEUTRAL, np.float32)[:, None, None]
    source = camera_source(planes)
    some_open = (planes > 1).any(0) & ~(planes > 0.98).all(0)
    assert some_open.mean() > 0.1
    wanted = cast_of(truth, some_open)
    clipped, rebuilt = (cast_of(plates(source, way), some_open) for way in ("clip", "rebuild"))
    # clipped it is pink: red is left over; rebuilt nine tenths of that are gone
    assert (clipped - wanted)[0] > 0.15
    assert np.abs(rebuilt - wanted).max() < 0.1 * (clipped - wanted)[0] + 0.01


def test_dark_bars_before_a_blown_pane_have_no_coloured_rims() -> None:
    """Mixtures of pane and bar: a sensor full in all channels leaves them pink, and their share of the pane is made up for."""
    y, x = np.mgrid[0:320, 0:480].astype(np.float32)
    pane = np.clip((np.abs((x + 0.3 * y) % 24 - 12) - 3) / 2 + 0.5, 0, 1)  # edges two pixels wide
    inside = (x > 60) & (x < 420) & (y > 40) & (y < 280)
    light = np.where(inside, 0.04 + 4.0 * pane, 0.04).astype(np.float32)
    planes = light[None] * np.array(NEUTRAL, np.float32)[:, None, None]
    source = camera_source(planes)
    rims = inside & (pane > 0.05) & (light < 1.5) & (light > 0.15)
    assert rims.mean() > 0.02
    clipped, rebuilt = (np.abs(cast_of(plates(source, way), rims)).max() for way in ("clip", "rebuild"))
    assert clipped > 0.15 and rebuilt < 0.4 * clipped


def test_what_merely_stands_before_a_blown_sky_keeps_its_colour() -> None:
    """A brown pole in front of a sky that is full in two channels, three pixels from its rims on."""
    y, x = np.mgrid[0:320, 0:480].astype(np.float32)
    sky = np.full((3, 320, 480), 1.3, np.float32) * np.array([0.9, 1.0, 1.05], np.float32)[:, None, None]
    pole = np.full((3, 320, 480), 0.25, np.float32) * np.array([1.3, 0.9, 0.5], np.float32)[:, None, None]
    at = np.abs(x - 240)
    planes = np.where(at < 9, pole, sky) * np.array(NEUTRAL, np.float32)[:, None, None]
    source = camera_source(planes.astype(np.float32))
    middle = (at < 5) & (y > 40) & (y < 280)
    clipped, rebuilt = (plates(source, way)[:, middle].mean(1) for way in ("clip", "rebuild"))
    assert rebuilt == pytest.approx(clipped, rel=0.03)


@pytest.fixture(scope="module")
def target(tmp_path_factory: pytest.TempPathFactory, decoder: Decoder) -> Source:
    """The glaze table with its 24-patch target, photographed with a wrong balance."""
    camera, lens, scene = CameraModel("Pennick", "Pennick Test 2", 960, 640), ideal(), load("glaze_target")
    settings = metered(scene, Settings(1 / 60, 8, 100), 0.0)
    exposure = expose(scene, camera, lens, settings)
    path: Path = tmp_path_factory.mktemp("target") / "TW-0600.dng"
    path.write_bytes(dng_bytes(camera, lens, settings, exposure, "2026-05-12T07:08:09.250"))
    return Renderer(decoder).open(path, "target")


def test_the_light_on_the_target_is_found(target: Source) -> None:
    small = Renderer(Decoder()).plates.read_once(target, "t", Window(480, 320, 0, 0, 480, 320), False)
    # the picture under other lights: each channel times a factor, as another balance of the camera would be
    for red, blue in ((1.0, 1.0), (1.3, 0.8), (0.8, 1.25)):
        cast = small * np.array([red, 1, blue], np.float32)[:, None, None]
        candidates = np.array([[r, 1.0, b] for r in np.linspace(0.6, 1.6, 21) for b in np.linspace(0.6, 1.6, 21)])
        found = estimate_light(cast, np.full(3, 10, np.float32), candidates)
        assert found is not None
        straight = estimate_light(small, np.full(3, 10, np.float32), candidates)
        assert straight is not None
        # what counts is that the answer follows the light: half of the way at least when in doubt, and never past it
        moved = np.log(np.array(found.rgb)[[0, 2]] / np.array(straight.rgb)[[0, 2]])
        asked = np.log([red, blue])
        for m, a in zip(moved, asked, strict=True):
            assert (0.45 * abs(a) - 0.02 < m * np.sign(a) < 1.1 * abs(a) + 0.02) if a else abs(m) < 1e-6
        assert 0 <= found.confidence <= 1 and set(found.ways) == {"white patch", "grey edge", "greys"}


def test_nothing_is_said_about_darkness_and_angles_are_angles() -> None:
    dark = np.zeros((3, 60, 90), np.float32)
    assert estimate_light(dark, np.ones(3, np.float32), np.ones((1, 3))) is None
    assert angle_degrees(np.array([1.0, 0, 0]), np.array([0, 1.0, 0])) == pytest.approx(90)


@pytest.mark.parametrize("exposure_ev", [-2.0, 0.0, 1.5])
def test_proposals_bring_different_exposures_together(exposure_ev: float, target: Source) -> None:
    renderer = Renderer(Decoder())
    recipe = Recipe.neutral(True)
    alone = renderer.on_render_thread(lambda: Suggester(renderer, target, "t", recipe).tone())[0]
    assert set(alone.reasons) >= {"tone.exposure_ev", "tone.black_point", "tone.white_point"}
    view = renderer.view(target, "t", recipe.with_values(alone.values), ViewRequest(240, 160)).picture
    levels = np.percentile(view, [1, 50, 99.5])
    assert levels[0] < 40 and 60 < levels[1] < 190 and levels[2] > 200


def test_a_strong_colour_before_the_dark_is_not_lightened_into_its_end() -> None:
    """An orange disc on deep green: its red is near the end while its lightness is not."""
    y, x = np.mgrid[0:240, 0:360]
    away = np.hypot(x - 180, y - 120)
    pixels = ((0.3 + 0.7 * x / 360)[..., None] * np.array([12.0, 62.0, 56.0])).astype(np.uint8)
    for radius, colour in ((48, (225, 120, 60)), (36, (240, 150, 85)), (24, (205, 95, 40))):
        pixels[away < radius] = colour
    source, renderer = rendered(pixels), Renderer(Decoder())
    recipe = Recipe.neutral(False)
    alone = renderer.on_render_thread(lambda: Suggester(renderer, source, "disc", recipe).tone())[0]
    values = alone.values["tone"]
    assert "at its end" in alone.reasons["tone.exposure_ev"]
    held = recipe.with_values({"tone": values | {"black_point": 0.0, "white_point": 0.0}})
    assert (renderer.view(source, "disc", held, ViewRequest(360, 240)).picture.max(-1) == 255).mean() < 0.03


def test_ends_from_the_data_land_just_inside_the_scale(target: Source) -> None:
    renderer = Renderer(Decoder())
    recipe = Recipe.neutral(True).with_values({"tone": {"exposure_ev": 0.5}})
    suggester = Suggester(renderer, target, "t", recipe)
    for control, low, high in (("black_point", 0, 40), ("white_point", 225, 255)):
        found = renderer.on_render_thread(lambda c=control: suggester.end(c))
        view = renderer.view(target, "t", recipe.with_values(found.values), ViewRequest(480, 320)).picture.mean(-1)
        assert low <= np.percentile(view, 0.1 if control == "black_point" else 99.9) <= high
        assert "thousandth" in next(iter(found.reasons.values()))


def test_the_depth_guard_tells_the_file_from_the_view() -> None:
    # common practice: white output to 22, then white input to 22, leaves few levels of an 8-bit file and all of a deep one
    ramp = np.broadcast_to(np.linspace(0.05, 0.95, 400), (60, 400))
    recipe = Recipe.neutral(False)
    squeezed = recipe.with_values({"tone": {"curve_rgb": [[0, 0], [1, 22 / 255]]}})
    verdicts = {}
    for name, dtype, top in (("deep", np.uint16, 65535), ("shallow", np.uint8, 255)):
        pixels = np.repeat(np.rint(ramp * top).astype(dtype)[..., None], 3, 2)
        first = Renderer(Decoder()).deliver(rendered(pixels), squeezed, space="srgb", bits=16 if name == "deep" else 8)
        if name == "shallow":
            # the dither of our own delivery would hide what is tested here
            first = np.repeat(np.rint(ramp * 22).astype(np.uint8)[..., None], 3, 2)
        back = recipe.with_values({"tone": {"curve_rgb": [[0, 0], [22 / 255, 1]]}})
        source = rendered(first)
        planes = source.window(100, 10, 120, 30)
        out = np.empty_like(planes)
        to_float(planes, source.tables(back, "srgb"), out)
        verdicts[name] = depth_of(out)
    assert verdicts["deep"].verdict == "full"
    assert verdicts["shallow"].verdict == "missing" and verdicts["shallow"].step == pytest.approx(255 / 22, rel=0.1)
    assert depth_of(np.full((3, 20, 20), 0.5, np.float32)).verdict == "flat"


def test_fast_roots_and_logarithms_against_numpy() -> None:
    from numba import njit

    @njit
    def run(x: np.ndarray, which: int) -> np.ndarray:
        out = np.empty_like(x)
        for i in range(x.size):
            if which == 0:
                out[i] = kernel_math.cube_root(x[i])
            elif which == 1:
                out[i] = kernel_math.log_2(x[i])
            elif which == 3:
                out[i] = kernel_math.srgb_decoded(x[i])
            elif which == 4:
                out[i] = kernel_math.srgb_encoded(x[i])
            else:
                out[i] = kernel_math.exp_2(x[i])
        return out

    x = np.geomspace(1e-9, 60, 20000).astype(np.float32)
    assert np.abs(run(x, 0) / np.cbrt(x.astype(np.float64)) - 1).max() < 4e-7
    assert np.abs(run(x, 1) - np.log2(x.astype(np.float64))).max() < 5e-6
    e = np.linspace(-30, 30, 20000).astype(np.float32)
    assert np.abs(run(e, 2) / np.exp2(e.astype(np.float64)) - 1).max() < 4e-6
    # IEC 61966-2-1, written out
    v = np.linspace(0, 1, 65536).astype(np.float32)
    wide = v.astype(np.float64)
    light = np.where(wide <= 0.04045, wide / 12.92, ((wide + 0.055) / 1.055) ** 2.4)
    decoded = run(v, 3)
    assert np.abs(decoded[1:] / light[1:] - 1).max() < 1e-6 and decoded[0] == 0 and decoded.max() == 1
    code = np.where(wide <= 0.0031308, wide * 12.92, 1.055 * wide ** (1 / 2.4) - 0.055)
    assert np.abs(run(v, 4) - code).max() < 0.12 / 65535 and run(v, 4).max() <= 1
