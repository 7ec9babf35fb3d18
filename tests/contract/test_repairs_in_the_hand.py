"""Repairs on frames that were turned, and while a hand moves one: where they belong, and nearly what is delivered."""

from typing import Any

import numpy as np
import pytest

from tests.contract.test_passes import key, renderer
from tests.contract.test_repairs import KINDS, NEUTRAL, H, W, away, points, scene, stroke, with_filled, with_repairs
from tests.reference.test_highlights_and_light import camera_source, glowing
from zincplate.formats import icc
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import Decoded
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source


def oriented(orientation: int) -> Source:
    """The scene as a camera held another way would have written it."""
    pixels = np.random.default_rng(orientation).integers(20_000, 40_000, (91, 141, 3)).astype(np.uint16)
    capture = CaptureData(width=141, height=91, orientation=orientation)
    return Source(Decoded("rendered", pixels, capture, profile=icc.of_space("srgb")))


@pytest.mark.parametrize("orientation", range(1, 9))
@pytest.mark.parametrize("turn", ["0", "90", "180", "270"])
def test_where_they_belong_however_camera_and_recipe_turn_the_frame(orientation: int, turn: str) -> None:
    """A turn that undoes what the camera wrote about how it was held moves no repair; views show what is delivered."""
    source = oriented(orientation)
    long_edge = max(source.width, source.height)
    cover = {
        "kind": "cover",
        "strokes": [{"points": [round(v / long_edge * 20_000) for v in (24, 40)], "size": 16 / long_edge, "hardness": 100}],
        "colour": [0.9, 0.0, 0.0],
    }
    recipe = with_repairs(cover).with_values({"framing": {"quarter_turn": turn}})
    delivered = renderer().deliver(source, recipe, space="srgb", bits=8)
    height, width = delivered.shape[:2]
    for quick in (True, False):  # what moves first, while nothing exact is known
        whole = ViewRequest(width, height, quick=quick)
        assert (renderer().view(source, key(source), recipe, whole).picture == delivered).all()
        half = ViewRequest(width // 2, height // 2, quick=quick)
        red = renderer().view(source, key(source), recipe, half).picture.astype(int)
        ys, xs = np.nonzero(red[..., 0] - red[..., 1] > 100)
        full_ys, full_xs = np.nonzero(delivered[..., 0].astype(int) - delivered[..., 1] > 100)
        assert len(ys) > 30
        assert abs((ys.mean() + 0.5) / (height // 2) - (full_ys.mean() + 0.5) / height) * height < 0.5
        assert abs((xs.mean() + 0.5) / (width // 2) - (full_xs.mean() + 0.5) / width) * width < 0.5


LARGE: dict[str, dict[str, Any]] = {
    "a heal": {"kind": "heal", "strokes": [stroke((150, 120), size=90)], **away(120, 20)},
    "a patch": {"kind": "patch", "outline": points((90, 60), (210, 62), (205, 190), (88, 180)), **away(140, 10)},
    "a soft patch": {
        "kind": "patch",
        "outline": points((90, 60), (210, 62), (205, 190), (88, 180)),
        **away(140, 10),
        "soften_px": 50,
    },
    "a clone turned": {"kind": "clone", "strokes": [stroke((150, 120), size=80)], **away(130, 30), "angle": 30},
    "a cover": {"kind": "cover", "strokes": [stroke((150, 120), size=80)], "colour": [0.4, 0.3, 0.2]},
    "a removal": {"kind": "removal", "strokes": [stroke((150, 120), (180, 120), size=40)]},
}


def codes(recipe: Recipe, size: tuple[int, int], quick: bool, source: Source | None = None) -> np.ndarray:
    source = source or scene()
    return renderer().view(source, key(source), recipe, ViewRequest(*size, quick=quick)).picture.astype(int)


@pytest.mark.parametrize("name", LARGE)
@pytest.mark.parametrize("size", [(W, H), (W // 2, H // 2), (97, 65)])
def test_while_a_hand_moves_it_is_nearly_what_it_will_be(name: str, size: tuple[int, int]) -> None:
    # another repair for each size: what is known exactly from one would be taken for the next
    recipe = with_repairs({**LARGE[name], "strength": 100 - size[0] / W})
    moving, still, before = (codes(r, size, quick) for r, quick in ((recipe, True), (recipe, False), (NEUTRAL, False)))
    changed = np.abs(still - before).max(2) > 0
    assert changed.mean() > 0.015
    apart = np.abs(moving - still).max(2)
    # another fill may be found at another size: as light, and in its place
    if name == "a removal":
        assert abs(moving[changed].mean() - still[changed].mean()) < 3 and apart[~changed].max(initial=0) <= 30
    elif size == (W, H):
        assert apart[changed].mean() < 2 and np.percentile(apart[changed], 98) < 12
        assert apart[~changed].mean() < 0.1
    else:
        # half a sample beside, on tiles of four to seven samples with joints; without the grain of a cover
        assert apart[changed].mean() < min(4, 0.5 * np.abs(still - before).max(2)[changed].mean())
        assert apart[~changed].mean() < 0.1
    # nothing of what was less exact is left when the hand has let go
    if size == (W, H) and name != "a removal":
        assert (still == renderer().deliver(scene(), recipe, space="srgb", bits=8)).all()
    # it is what was moved that is seen, not what was before
    assert np.abs(moving - before).max(2)[changed].mean() > 0.5 * np.abs(still - before).max(2)[changed].mean()


def test_what_does_not_move_stays_exact_meanwhile() -> None:
    """A filled removal, a heal that was shown before, and a clone that moves: only what that changes is less exact."""
    heal = {**LARGE["a heal"], "strokes": [stroke((320, 60), size=60)], **away(-70, 60)}
    filled = with_filled(with_repairs(KINDS["removal"], heal))
    still = [r.model_dump() for r in filled.value("repair", "repairs")]
    size = (W // 2, H // 2)
    without = codes(filled, size, False)
    moved = {"kind": "clone", "strokes": [stroke((60, 220), size=50)], **away(50, 3)}
    moving = codes(with_repairs(*still, moved), size, True)
    apart = np.abs(moving - without).max(2)
    assert apart[:80].max() == 0 and apart.max() > 4
    # and again where the one that moves lies on it
    over = {"kind": "clone", "strokes": [stroke((320, 60), size=20)], **away(60, 0)}
    assert np.abs(codes(with_repairs(*still, over), size, True) - codes(with_repairs(*still, over), size, False)).max() <= 2


def test_a_pens_stroke_is_as_wide_as_it_was_pressed() -> None:
    """In repairs and in passes; as many widths as places, each a percent from 1 on."""
    drawn = {**stroke((60, 120), (340, 120), size=80, hardness=100), "widths": [20, 100]}
    cover = with_repairs({"kind": "cover", "strokes": [drawn], "colour": [0.9, 0, 0], "grain": False})
    passes = NEUTRAL.with_values(
        {
            "passes": {
                "passes": [
                    {"name": "p", "controls": {"exposure_ev": 2}, "area": {"terms": [{"kind": "brush", "strokes": [drawn]}]}}
                ]
            }
        }
    )
    plain = codes(NEUTRAL, (W, H), False)
    for recipe in (cover, passes):
        across = (np.abs(codes(recipe, (W, H), False) - plain).max(2) > 8).sum(0)
        assert abs(across[80] - 20.6) < 3 and abs(across[200] - 48) < 3 and abs(across[320] - 75.4) < 3
        assert Recipe.from_document(recipe.to_document()) == recipe
    for wrong in ([20], [20, 100, 30], [0, 100], [20, 101], [20.5, 100]):
        with pytest.raises(RecipeError, match="widths"):
            with_repairs({"kind": "cover", "strokes": [{**drawn, "widths": wrong}], "colour": [0.9, 0, 0]})


@pytest.mark.parametrize("size", ["fit", "full"])
def test_beside_blown_places_as_well(size: str) -> None:
    """Something dark is moved over a part of a lamp: light that is rebuilt about it is nearly what it will be."""
    source = camera_source(glowing())
    width = source.width
    one = {
        "kind": "clone",
        "strokes": [{"points": [round(v / width * 20_000) for v in (140, 160)], "size": 40 / width, "hardness": 60}],
        "dx": 90 / width,
        "dy": 130 / width,
    }
    recipe = with_repairs(one, recipe=Recipe.neutral(True))
    asked = (width, source.height) if size == "full" else (width // 2, source.height // 2)
    moving, still = codes(recipe, asked, True, source), codes(recipe, asked, False, source)
    plain = codes(Recipe.neutral(True), asked, False, source)
    changed = np.abs(still - plain).max(2) > 0
    assert np.abs(still - plain).max() > 60
    assert np.abs(moving - still).max(2)[changed].mean() < 4
