"""Sharpening by its definition, on a slanted edge, and what the finishing pass leaves alone."""

import cv2
import numpy as np
import pytest
from PIL import Image, ImageFilter

from tests.contract.test_operations import rendered
from zincplate.core.tone.finish import edge_area, grain_field, grain_tiles
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest


def sharpened(pixels: np.ndarray, **controls: float) -> np.ndarray:
    """16-bit result of an 8 or 16-bit sRGB picture, on the scale of 255."""
    recipe = Recipe.neutral(False).with_values({"definition": controls})
    return Renderer(Decoder()).deliver(rendered(pixels), recipe, space="srgb", bits=16) / 257.0


def grey_scene() -> np.ndarray:
    rng = np.random.default_rng(1)
    soft = cv2.GaussianBlur(rng.uniform(0, 255, (160, 220)).astype(np.float32), (0, 0), 2.0)
    soft = (soft - soft.min()) / np.ptp(soft) * 200 + 25
    return np.repeat(np.rint(soft).astype(np.uint8)[..., None], 3, 2)


def test_unsharp_120_1_2_3_by_definition() -> None:
    pixels = grey_scene()
    ours = sharpened(pixels, sharpen_amount=120, sharpen_radius_px=1.2, sharpen_threshold=3)[..., 1]
    values = pixels[..., 1].astype(np.float64)
    size = 2 * int(np.ceil(3.5 * 1.2)) + 1
    difference = values - cv2.GaussianBlur(values, (size, size), 1.2, borderType=cv2.BORDER_REFLECT_101)
    by_definition = np.clip(values + np.where(np.abs(difference) > 3, 1.2 * difference, 0), 0, 255)
    away = np.abs(np.abs(difference) - 3.25) > 0.3  # the threshold is a ramp of half a level, not a jump
    assert np.abs(ours - by_definition)[away].max() < 0.05
    # a second reader: Pillow's filter of the same name, whose blur is three box passes
    pillow = np.asarray(Image.fromarray(pixels).filter(ImageFilter.UnsharpMask(1.2, 120, 3)), np.float64)[..., 1]
    assert np.abs(ours - pillow).mean() < 1.2


def slanted_edge(sigma: float) -> np.ndarray:
    """An edge at 5 degrees of 60 to 190 of 255, blurred; 16 bit."""
    y, x = np.mgrid[0:160, 0:160]
    d = (x - 80) * np.cos(np.radians(5)) + (y - 80) * np.sin(np.radians(5))
    from scipy.special import erf

    tone = 60 + 130 * 0.5 * (1 + erf(d / (sigma * np.sqrt(2))))
    return np.repeat(np.rint(tone * 257).astype(np.uint16)[..., None], 3, 2)


def mtf50_and_overshoot(picture: np.ndarray) -> tuple[float, float]:
    """ISO 12233 slanted edge: oversampled edge spread, its derivative's spectrum at 0.5, and overshoot relative to the step."""
    plane = picture[20:-20, 20:-20, 1].astype(np.float64)
    y, x = np.mgrid[20:140, 20:140]
    d = (x - 80) * np.cos(np.radians(5)) + (y - 80) * np.sin(np.radians(5))
    bins = np.round(d * 4).astype(int)
    keep = np.abs(bins) <= 120
    spread = np.bincount(bins[keep] + 120, plane[keep]) / np.bincount(bins[keep] + 120)
    line = np.diff(spread) * np.hanning(spread.size - 1)
    spectrum = np.abs(np.fft.rfft(line, 4096))
    spectrum /= spectrum[0]
    at = int(np.argmax(spectrum < 0.5))
    low, high = np.median(spread[:40]), np.median(spread[-40:])
    return at / 4096 * 4, float(max(spread.max() - high, low - spread.min()) / (high - low))


def test_a_slanted_edge_gains_sharpness_with_bounded_overshoot() -> None:
    edge = slanted_edge(1.1)
    before, _ = mtf50_and_overshoot(edge / 257.0)
    after, overshoot = mtf50_and_overshoot(sharpened(edge, sharpen_amount=100, sharpen_radius_px=1.0))
    # a Gaussian of 1.1 pixels has its MTF50 at 0.170 cycles per pixel: sqrt(ln 2 / 2) / (pi sigma)
    assert before == pytest.approx(np.sqrt(np.log(2) / 2) / (np.pi * 1.1), rel=0.06)
    assert after > 1.25 * before
    assert overshoot < 0.11


def test_the_threshold_and_the_edge_area_keep_plain_parts_calm() -> None:
    rng = np.random.default_rng(2)
    plain = np.clip(128 + rng.standard_normal((120, 160, 1)) * 0.8, 0, 255).repeat(3, 2)
    pixels = np.rint(plain).astype(np.uint8)
    loud = sharpened(pixels, sharpen_amount=200)
    calm = sharpened(pixels, sharpen_amount=200, sharpen_threshold=6)
    edges = sharpened(pixels, sharpen_amount=200, sharpen_edges=100)
    assert loud.std() > 1.7 * pixels.std()
    assert calm.std() < 1.02 * pixels.std() and edges.std() < 1.1 * pixels.std()
    luma = slanted_edge(1.0)[..., 1].astype(np.float32) / 65535
    area = edge_area(luma)
    assert area[80, 80] > 0.95 and area[80, 20] < 0.02 and area[20, 140] < 0.02


def test_windows_and_strips_show_no_seams() -> None:
    pixels = np.tile(grey_scene(), (4, 3, 1))
    recipe = Recipe.neutral(False).with_values(
        {"definition": {"sharpen_amount": 150, "sharpen_radius_px": 3, "luminance_noise": 60}, "finish": {"grain": 30}}
    )
    source, renderer = rendered(pixels), Renderer(Decoder())
    whole = renderer.deliver(source, recipe, space="srgb", bits=8).astype(int)
    window = renderer.view(source, "seams", recipe, ViewRequest(source.width, source.height, 101, 410, 300, 120)).picture
    assert np.abs(window - whole[410:530, 101:401]).max() <= 1


def test_grain_has_its_size_on_the_picture_not_on_the_pixels() -> None:
    tiles = grain_tiles()
    full = grain_field(tiles, 0, 0, 1200, 800, 6000, 3.0)
    half = grain_field(tiles, 0, 0, 600, 400, 3000, 3.0)
    shrunk = cv2.resize(full, (600, 400), interpolation=cv2.INTER_AREA)
    assert half.std() == pytest.approx(shrunk.std(), rel=0.12)
    assert np.corrcoef(half.ravel(), shrunk.ravel())[0, 1] > 0.9
    assert full.std() == pytest.approx(1, rel=0.15)
    black_and_white = np.zeros((60, 80, 3), np.uint8)
    black_and_white[:, 40:] = 255
    out = Renderer(Decoder()).deliver(
        rendered(black_and_white), Recipe.neutral(False).with_values({"finish": {"grain": 100}}), space="srgb", bits=8
    )
    assert (out == black_and_white).all()


def test_a_border_covers_the_edge_and_nothing_else() -> None:
    pixels = np.full((100, 150, 3), 90, np.uint8)
    recipe = Recipe.neutral(False).with_values({"finish": {"border_percent": 10, "border_tone": 100}})
    out = Renderer(Decoder()).deliver(rendered(pixels), recipe, space="srgb", bits=8)
    assert out.shape == pixels.shape
    assert (out[:10] == 255).all() and (out[-10:] == 255).all() and (out[:, :10] == 255).all()
    assert (out[10:-10, 10:-10] == 90).all()
