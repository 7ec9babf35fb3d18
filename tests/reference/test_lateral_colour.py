"""Lateral colour undone within demosaicing, against scenes whose red and blue were scaled before they met the mosaic.

The measure is the scene itself: the fringe that is left is the scaling of red or blue that fits the error best (least squares
along the radius), in pixels at the corner; and the signal to noise ratio is compared with shifting the finished planes.
"""

import math
from functools import lru_cache

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy import ndimage

from tests.reference.test_demosaic import CAMERA, EDGE, encoded, psnr
from zincplate.core.geometry.radial import ByHand, Radial, compose
from zincplate.core.geometry.sampling import Sampling
from zincplate.core.geometry.warp import warp
from zincplate.core.sensor.colour_shift import colour_shift
from zincplate.demo.camera import Settings, expose, metered
from zincplate.demo.lens import ideal
from zincplate.demo.scenes import drawn_field, load
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.sources.file import Source

Float64 = NDArray[np.float64]
WIDTH, HEIGHT = 1504, 1008
HALF = math.hypot(WIDTH, HEIGHT) / 2


@lru_cache(maxsize=2)
def scene(name: str) -> tuple[Float64, tuple[float, float, float], CameraColour]:
    """Camera values (3, h, w) of a scene without noise, and the light's neutral."""
    picture = drawn_field(WIDTH, HEIGHT) if name == "drawn_field" else load(name)
    lens = ideal() if name == "drawn_field" else ideal(picture.focal * CAMERA.pixel_pitch_um / 1000)
    exposure = expose(picture, CAMERA, lens, metered(picture, Settings(1 / 125, 5.6, 100, seed=4), 0.2))
    neutral = exposure.as_shot_neutral
    return exposure.true_camera.astype(np.float64), neutral, CameraColour(CAMERA.matrices, neutral, 0.0)


def shifted(camera: Float64, red: float, blue: float) -> Float64:
    """Red and blue drawn larger by a factor, by splines of the fifth order."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    cy, cx = (HEIGHT - 1) / 2, (WIDTH - 1) / 2
    out = camera.copy()
    for channel, scale in ((0, red), (2, blue)):
        places = [cy + (y - cy) / scale, cx + (x - cx) / scale]
        out[channel] = ndimage.map_coordinates(camera[channel], places, order=5, mode="mirror")
    return np.clip(out, 0, 1)


def source_of(camera: Float64, colour: CameraColour, cfa: tuple[int, ...] = (0, 1, 1, 2)) -> Source:
    mosaic = np.empty((HEIGHT, WIDTH))
    for place, channel in enumerate(cfa):
        rows, columns = slice(place // 2, None, 2), slice(place % 2, None, 2)
        mosaic[rows, columns] = camera[channel, rows, columns]
    codes = np.rint(mosaic * 60000 + 2000).astype(np.uint16)
    return Source(
        Decoded(kind="mosaic", pixels=codes, cfa=cfa, black=(2000.0,) * 4, white=62000.0, camera=colour, capture=CaptureData())
    )


def fringe_px(found: Float64, truth: Float64) -> float:
    """Scaling of one plane about the middle that fits its error best, in pixels at the corner."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    gy, gx = np.gradient(truth)
    along = gy * (y - (HEIGHT - 1) / 2) + gx * (x - (WIDTH - 1) / 2)
    inner = (slice(EDGE, -EDGE),) * 2
    error = (found - truth)[inner]
    return float((error * along[inner]).sum() / (along[inner] ** 2).sum() * HALF)


def resampled(planes: NDArray[np.float32], radial: Radial) -> NDArray[np.float32]:
    """The finished planes shifted: as it would be without the shift inside demosaicing."""
    whole = Sampling(np.eye(3), -WIDTH / 2, -HEIGHT / 2, 1, 1, WIDTH, HEIGHT, 1, 1, 0, 0)
    return warp(planes, whole, radial, WIDTH, HEIGHT)


@pytest.mark.parametrize("name", ["drawn_field", "works_front"])
@pytest.mark.parametrize("corner_px", [0.5, 1.4])
def test_little_fringe_is_left_and_detail_is_kept(name: str, corner_px: float) -> None:
    camera, neutral, colour = scene(name)
    share = corner_px / HALF
    radial = compose(HALF, by_hand=ByHand(red=share, blue=-share))
    truth = encoded(np.clip(camera, 0, 1) / np.array(neutral)[:, None, None] * min(neutral))

    def judged(planes: NDArray[np.float32]) -> tuple[float, float, float]:
        seen = encoded(np.asarray(planes, np.float64) * min(neutral))
        inner = (slice(None), slice(EDGE, -EDGE), slice(EDGE, -EDGE))
        fair = (camera < 0.98).all(0)[EDGE:-EDGE, EDGE:-EDGE]
        return fringe_px(seen[0], truth[0]), fringe_px(seen[2], truth[2]), psnr(seen[inner][:, fair], truth[inner][:, fair])

    source = source_of(shifted(camera, 1 + share, 1 - share), colour)
    shift = source.colour_shift(radial)
    assert shift is not None and shift.largest_px == pytest.approx(corner_px, rel=0.02)
    plain = source.window(0, 0, WIDTH, HEIGHT)
    red, blue, good = judged(source.window(0, 0, WIDTH, HEIGHT, shift=shift))
    red_after, blue_after, good_after = judged(resampled(plain, radial))
    without = judged(source_of(camera, colour).window(0, 0, WIDTH, HEIGHT))[2]
    assert max(abs(red), abs(blue)) < 0.06, (red, blue)
    assert max(abs(red_after), abs(blue_after)) > 0.15, "the measure sees what is left after a late shift"
    assert good > good_after + 0.8, f"{good:.2f} dB, shifted afterwards {good_after:.2f} dB"
    assert good > without - 2.0, f"{good:.2f} dB, without any lateral colour {without:.2f} dB"


@pytest.mark.parametrize("cfa", [(1, 0, 2, 1), (1, 2, 0, 1), (2, 1, 1, 0)])
def test_every_order_of_the_mosaic_is_shifted_alike(cfa: tuple[int, ...]) -> None:
    camera, neutral, colour = scene("drawn_field")
    share = 1.2 / HALF
    radial = compose(HALF, by_hand=ByHand(red=share, blue=-share))
    source = source_of(shifted(camera, 1 + share, 1 - share), colour, cfa)
    seen = encoded(source.window(0, 0, WIDTH, HEIGHT, shift=source.colour_shift(radial)).astype(np.float64) * min(neutral))
    truth = encoded(np.clip(camera, 0, 1) / np.array(neutral)[:, None, None] * min(neutral))
    assert abs(fringe_px(seen[0], truth[0])) < 0.06
    assert abs(fringe_px(seen[2], truth[2])) < 0.06


def test_windows_fit_together() -> None:
    camera, _, colour = scene("drawn_field")
    source = source_of(camera, colour)
    shift = source.colour_shift(compose(HALF, by_hand=ByHand(red=0.0021, blue=-0.0017)))
    whole = source.window(0, 0, WIDTH, HEIGHT, shift=shift)
    for x, y, w, h in ((0, 0, 64, 64), (101, 77, 90, 53), (WIDTH - 33, HEIGHT - 21, 33, 21), (740, 490, 40, 40)):
        part = source.window(x, y, w, h, shift=shift)
        assert np.abs(part - whole[:, y : y + h, x : x + w]).max() < 1e-5


def test_a_delivery_has_the_shift_of_the_demosaicing_and_no_second_one(decoder: Decoder) -> None:
    camera, _, colour = scene("drawn_field")
    share = 1.2 / HALF
    source = source_of(shifted(camera, 1 + share, 1 - share), colour)
    renderer = Renderer(decoder)
    recipe = Recipe.neutral(raw=True).with_values({"tone": {"view": "linear", "highlight_recovery": "clip"}})
    hand = {"fringe_red": 1000 * share, "fringe_blue": -1000 * share}
    plain = renderer.deliver(source_of(camera, colour), recipe, space="srgb", bits=16).astype(np.float64)
    late = renderer.deliver(source, recipe, space="srgb", bits=16).astype(np.float64)
    mended = renderer.deliver(source, recipe.with_values({"framing": hand}), space="srgb", bits=16).astype(np.float64)
    assert mended.shape == plain.shape
    inner = (slice(EDGE, -EDGE), slice(EDGE, -EDGE))
    assert np.abs(mended - plain)[inner].mean() < 0.45 * np.abs(late - plain)[inner].mean()
    # the same at half size, where the resampling shifts
    small = [
        renderer.deliver(s, r, space="srgb", bits=16, long_edge=700).astype(np.float64)
        for s, r in ((source_of(camera, colour), recipe), (source, recipe.with_values({"framing": hand})))
    ]
    assert np.abs(small[0] - small[1])[8:-8, 8:-8].mean() < 0.35 * np.abs(late - plain)[inner].mean()


def test_what_does_not_matter_is_left_alone() -> None:
    camera, _, colour = scene("drawn_field")
    source = source_of(camera, colour)
    assert source.colour_shift(compose(HALF)) is None
    assert source.colour_shift(compose(HALF, by_hand=ByHand(red=3e-6))) is None
    assert colour_shift(compose(HALF, by_hand=ByHand(k1=-0.05)), HALF) is None
    tiny = compose(HALF, by_hand=ByHand(red=2e-5))
    shift = source.colour_shift(tiny)
    assert shift is not None
    plain, moved = source.window(300, 300, 200, 200), source.window(300, 300, 200, 200, shift=shift)
    assert np.abs(plain - moved).mean() < 3e-4


def test_beside_stars_nothing_is_less_than_black() -> None:
    _, _, colour = scene("drawn_field")
    camera = np.zeros((3, HEIGHT, WIDTH))
    camera[:, 37:-40:41, 33:-40:43] = 0.9
    source = source_of(camera, colour)
    shift = source.colour_shift(compose(HALF, by_hand=ByHand(red=0.0016, blue=-0.0013)))
    planes = source.window(0, 0, WIDTH, HEIGHT, shift=shift)
    assert planes[[0, 2]].min() >= 0 and planes.max() > 0.5
