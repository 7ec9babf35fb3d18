"""More repairs than there is room for at full size: a view that none of them changed works out none of them anew."""

from typing import Any

import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.render.test_tiny_pictures import mosaic
from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.core.colour.colour_spaces import SRGB
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.isolated import Decoder
from zincplate.ops.drawn_places import POINT_SCALE
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source
from zincplate.sources.repaired import Mended

NUMBER, MEMORY_BYTES = 12, 24 << 20
"""Of these a twentieth is for repairs at full size: two thirds of what these need."""


def picture(raw: bool) -> Source:
    """Raw ones are asked of every repair whether it has to do with what is blown."""
    if raw:
        return mosaic(1200, 900)
    rng = np.random.default_rng(5)
    return rendered(rng.integers(8_000, 50_000, (900, 1200, 3)).astype(np.uint16))


def repaired(raw: bool, exposure_ev: float, last_dx: float = 0.2) -> Recipe:
    """Patches of 110 pixels that lie over each other in pairs."""
    made = []
    for number in range(NUMBER):
        x, y = 800 + 1300 * (number % 6), 600 + 700 * (number // 6)
        outline = [v for dx, dy in ((0, 0), (920, 0), (920, 920), (0, 920)) for v in (x + dx, y + dy)]
        made.append(
            {"id": f"r{number}", "kind": "patch", "outline": outline, "dx": last_dx if number == NUMBER - 1 else 0.2, "dy": 0.3}
        )
    return Recipe.neutral(raw).with_values({"repair": {"repairs": made}, "tone": {"exposure_ev": exposure_ev}})


@pytest.fixture
def made(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Numbers of repairs that were worked out."""
    numbers, real = list[int](), Mended._made

    def spied(self: Mended, number: int, *rest: Any) -> Any:
        numbers.append(number)
        return real(self, number, *rest)

    monkeypatch.setattr(Mended, "_made", spied)
    return numbers


@pytest.mark.parametrize("raw", [False, True])
def test_gauges_and_the_last_repair_move_without_working_the_others_out(made: list[int], raw: bool) -> None:
    source, renderer = picture(raw), Renderer(Decoder(), memory_bytes=MEMORY_BYTES)
    fit = ViewRequest(400, 300)
    first = renderer.view(source, "picture", repaired(raw, 0.0), fit)
    assert sorted(set(made)) == list(range(NUMBER))
    made.clear()
    for step in range(1, 4):
        renderer.view(source, "picture", repaired(raw, step / 10), fit)
        renderer.view(source, "picture", repaired(raw, step / 10), ViewRequest(1200, 900, 900, 650, 250, 200))
    assert not made
    assert np.array_equal(renderer.view(source, "picture", repaired(raw, 0.0), fit).picture, first.picture)
    renderer.view(source, "picture", repaired(raw, 0.0, 0.25), fit)
    assert set(made) <= {NUMBER - 2, NUMBER - 1, NUMBER - 7}  # itself, and what it lies over
    # in the hand as well: those that there is no room for at full size are not worked out on the small picture either
    renderer.view(source, "picture", repaired(raw, 0.0), fit)
    made.clear()
    in_hand = ViewRequest(400, 300, quick=True)
    for step in range(3):
        renderer.view(source, "picture", repaired(raw, 0.0, 0.26 + step / 100), in_hand)
    assert made and set(made) <= {NUMBER - 2, NUMBER - 1, NUMBER - 7}
    moved = renderer.view(source, "picture", repaired(raw, 0.0, 0.25), fit).picture
    assert np.array_equal(Renderer(Decoder()).view(source, "other", repaired(raw, 0.0, 0.25), fit).picture, moved)


def with_hot_sites(orientation: int) -> Source:
    """A raw of even light with hot sites where the first patch lies and where it takes from."""
    rng = np.random.default_rng(3)
    sites = rng.normal(3000, 30, (400, 600)).astype(np.uint16)
    sites[100:300:9, 60:540:7] = 12_000
    camera = CameraColour(CameraMatrices.plain(tuple(SRGB.from_xyz.ravel()), 6504.0), (0.5, 1.0, 0.7))
    capture = CaptureData(width=600, height=400, raw=True, orientation=orientation, bits=14)
    return Source(Decoded("mosaic", sites, capture, camera, None, (0, 1, 1, 2), (256.0,) * 4, 16383.0))


@pytest.mark.parametrize("orientation", [1, 6, 7])
def test_what_is_kept_for_one_way_to_look_is_not_taken_for_another(orientation: int) -> None:
    """Hot sites switched, turned and mirrored, at several sizes: with one renderer as with one for each."""
    one, number, seen = Renderer(Decoder()), 0, dict[bool, np.ndarray]()
    patch = {"kind": "patch", "outline": [4000, 3000, 7000, 3000, 7000, 6000, 4000, 6000], "dx": 0.2, "dy": 0.05}
    for framing in ({}, {"quarter_turn": "90"}, {"quarter_turn": "180", "mirror": True}, {"angle": 3.0}):
        for size in (90, 150, 290):
            for hot in (False, True):
                values = {"repair": {"repairs": [patch]}, "framing": framing, "definition": {"hot_pixels": hot}}
                recipe = Recipe.neutral(True).with_values(values)
                request = ViewRequest(size, size, box=True)
                shown = one.view(with_hot_sites(orientation), "file", recipe, request).picture
                fresh = Renderer(Decoder()).view(with_hot_sites(orientation), "file", recipe, request).picture
                assert np.array_equal(shown, fresh), (framing, size, hot)
                seen[hot], number = shown, number + 1
            assert not np.array_equal(seen[False], seen[True])
    assert number == 24


@pytest.mark.parametrize("overlap_px", [-40, -3, 3, 12, 40])
@pytest.mark.parametrize("down", [False, True])
def test_what_reads_a_corner_of_another_follows_it(overlap_px: int, down: bool) -> None:
    """The second patch is taken from beside the first, or from a strip of it: when that one changes, so does this one."""
    one, source = Renderer(Decoder()), picture(False)
    along = 100 - overlap_px  # where the second takes from, counted from the first

    def moved(dx: float) -> Recipe:
        square = [v / 1200 * POINT_SCALE for x, y in ((0, 0), (100, 0), (100, 100), (0, 100)) for v in (400 + x, 300 + y)]
        first = {"kind": "patch", "outline": [round(v) for v in square], "dx": dx, "dy": 0.2}
        away = (300, along) if down else (along, 300)
        there = [round(v + (-away[0] if k % 2 == 0 else -away[1]) / 1200 * POINT_SCALE) for k, v in enumerate(square)]
        beside = (0, along) if down else (along, 0)
        taken = {"dx": (away[0] + beside[0]) / 1200, "dy": (away[1] + beside[1]) / 1200}
        second = {"kind": "patch", "outline": there, **taken}
        return Recipe.neutral(False).with_values({"repair": {"repairs": [first, second]}})

    for size in (1200, 300):
        for dx in (0.2, 0.25):
            request = ViewRequest(size, size * 3 // 4)
            shown = one.view(source, "picture", moved(dx), request).picture
            fresh = Renderer(Decoder()).view(source, "picture", moved(dx), request).picture
            assert np.array_equal(shown, fresh), (size, dx)
