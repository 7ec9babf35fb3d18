"""The byte cache, view requests, and what the renderer keeps."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.contract.test_operations import rendered
from zincplate.core.measure.statistics import full_of, measure
from zincplate.formats.isolated import Decoder
from zincplate.pipeline.cache import ByteCache
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.render import Renderer
from zincplate.render.strips import Cancelled
from zincplate.render.view import ViewRequest, fitted


def test_cache_makes_once_and_drops_the_least_recently_used() -> None:
    cache, made = ByteCache(100), []

    def make(name: str) -> str:
        made.append(name)
        return name

    for name in ("a", "b", "a", "c", "a", "d"):
        cache.get(name, lambda n=name: make(n), lambda _: 40)
    assert made == ["a", "b", "c", "d"] and cache.total_bytes == 80
    cache.get("b", lambda: make("b"), lambda _: 40)
    assert made[-1] == "b"
    cache.get("huge", lambda: make("huge"), lambda _: 1000)
    assert cache.total_bytes == 1000  # what is being worked on stays, alone
    cache.get("b", lambda: make("b"), lambda _: 40)
    cache.get("e", lambda: make("e"), lambda _: 40)
    cache.drop(lambda key: key == "b")
    assert cache.total_bytes == 40


@settings(max_examples=60, deadline=None)
@given(*(st.integers(-50, 5000) for _ in range(6)))
def test_any_request_is_kept_inside_the_picture(sw: int, sh: int, x: int, y: int, w: int, h: int) -> None:
    source = rendered(np.zeros((90, 120, 3), np.uint8))
    checked = ViewRequest(sw, sh, x, y, max(w, 0), max(h, 0)).checked(source)
    assert 0 <= checked.x < checked.x + checked.width <= checked.scaled_width <= 120
    assert 0 <= checked.y < checked.y + checked.height <= checked.scaled_height <= 90


def test_fitted_never_enlarges_and_keeps_the_shape() -> None:
    source = rendered(np.zeros((2863, 5141, 3), np.uint8))
    assert fitted(source, 3085, 9999) == (3085, 1718)  # common practice: 5141 x 2863 at 60 % is 3085 x 1718
    assert fitted(source, 99_999, 99_999) == (5141, 2863)


@pytest.mark.parametrize("size", [(120, 90), (61, 47), (30, 22), (7, 5)])
def test_every_size_of_a_flat_picture_is_flat_and_the_same(size: tuple[int, int]) -> None:
    pixels = np.full((90, 120, 3), (200, 120, 40), np.uint8)
    view = Renderer(Decoder()).view(rendered(pixels), f"flat {size}", Recipe.neutral(False), ViewRequest(*size))
    assert view.picture.shape == (size[1], size[0], 3)
    assert np.abs(view.picture.astype(int) - (200, 120, 40)).max() <= 1
    assert view.histogram.sum() == 4 * size[0] * size[1] and view.clipped == (0, 0, 0)


def test_zoomed_windows_show_the_same_place() -> None:
    pixels = np.zeros((200, 300, 3), np.uint8)
    pixels[120:140, 210:240] = 255
    source, renderer = rendered(pixels), Renderer(Decoder())
    for scale in (1.0, 0.75, 0.5, 0.34, 0.2):
        w, h = round(300 * scale), round(200 * scale)
        whole = renderer.view(source, "place", Recipe.neutral(False), ViewRequest(w, h)).picture[..., 1] / 255.0
        linear = np.where(whole <= 0.04045, whole / 12.92, ((whole + 0.055) / 1.055) ** 2.4)
        ys, xs = np.mgrid[0:h, 0:w]
        centre = (xs * linear).sum() / linear.sum(), (ys * linear).sum() / linear.sum()
        assert (centre[0] + 0.5) * 300 / w == pytest.approx(225, abs=0.6)
        assert (centre[1] + 0.5) * 200 / h == pytest.approx(130, abs=0.6)
        part = renderer.view(source, "place", Recipe.neutral(False), ViewRequest(w, h, w // 2, h // 2, w // 3, h // 3))
        assert (
            np.abs(
                part.picture.astype(int) - np.rint(whole[..., None] * 255)[h // 2 : h // 2 + h // 3, w // 2 : w // 2 + w // 3]
            ).max()
            <= 2
        )


def test_clipping_is_counted_where_it_is() -> None:
    pixels = np.full((10, 20, 3), 128, np.uint8)
    pixels[:, :5] = 255
    pixels[:, 15:] = 0
    view = Renderer(Decoder()).view(rendered(pixels), "clip", Recipe.neutral(False), ViewRequest(20, 10))
    assert view.clipped == pytest.approx((0.25, 0.25, 0.0))
    assert (view.clipping[:, :5] == 1).all() and (view.clipping[:, 15:] == 2).all() and (view.clipping[:, 5:15] == 0).all()


def test_warnings_of_one_channel_tell_of_that_channel_alone() -> None:
    picture = np.full((4, 6, 3), 120, np.uint8)
    picture[:, 0] = (255, 0, 120)
    planes = np.full((3, 4, 6), 0.2, np.float32)
    planes[1, :, 5] = 1.0
    limits = np.ones(3, np.float32)
    wanted = {-1: (1, 4), 0: (1, 0), 1: (2, 4), 2: (0, 0)}
    for channel, (first, last) in wanted.items():
        _, clipping, counts = measure(picture, full_of(planes, limits), channel)
        assert (clipping[:, 0] == first).all() and (clipping[:, 5] == last).all() and not clipping[:, 1:5].any()
        assert counts[0].tolist() == [4, 0, 4] and counts[1:].tolist() == [[4, 0, 0], [0, 4, 0], [0, 4, 0]]


def test_a_delivery_can_be_stopped(dng: Path, decoder: Decoder) -> None:
    renderer = Renderer(decoder)
    source = renderer.open(dng, "stop")
    for long_edge in (None, 300):
        with pytest.raises(Cancelled):
            renderer.deliver(source, Recipe.neutral(True), space="srgb", bits=8, long_edge=long_edge, progress=lambda _: False)


def test_reduced_deliveries_keep_flat_colours_in_every_space() -> None:
    pixels = np.full((90, 120, 3), (180, 90, 60), np.uint8)
    source = rendered(pixels)
    for space in ("srgb", "p3", "romm", "rec2020", "a98"):
        full = Renderer(Decoder()).deliver(source, Recipe.neutral(False), space=space, bits=16)
        small = Renderer(Decoder()).deliver(source, Recipe.neutral(False), space=space, bits=16, long_edge=37)
        assert small.shape == (28, 37, 3)
        assert np.abs(small.astype(int) - full[0, 0].astype(int)).max() <= 3


def test_samples_outside_are_refused(dng: Path, decoder: Decoder) -> None:
    renderer = Renderer(decoder)
    source = renderer.open(dng, "sample")
    with pytest.raises(RecipeError, match="outside"):
        renderer.sample(source, "sample", Recipe.neutral(True), 9999, 5, 1, "srgb")
    corner = renderer.sample(source, "sample", Recipe.neutral(True), 0, 0, 3, "srgb")
    assert len(corner["rgb"]) == len(corner["lab"]) == len(corner["camera"]) == 3
