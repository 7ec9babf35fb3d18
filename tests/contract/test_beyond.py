"""What a crop shows beyond the picture, filled: the picture stays as it is, every size and turn shows the same, nothing is
left."""

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.contract.test_passes import key, renderer
from tests.reference.test_fills import picture
from zincplate.core.geometry.resample import reduce_box
from zincplate.formats.capture import CaptureData
from zincplate.formats.isolated import Decoder
from zincplate.pipeline.framing import framing
from zincplate.pipeline.lens_of import Shape
from zincplate.pipeline.windows import Window
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render import mending
from zincplate.render.beyond import outlines_beyond
from zincplate.render.view import ViewRequest
from zincplate.sources.beyond import inward
from zincplate.sources.file import Source
from zincplate.sources.rect import Rect
from zincplate.sources.removals import Removal

EDGE = 24
"""Pixels that the crop goes beyond the picture on every side."""
NEUTRAL = Recipe.neutral(False)


@lru_cache(maxsize=1)
def cut() -> Source:
    """A brick wall without its border (scikit-image)."""
    return rendered(np.ascontiguousarray(picture("brick")[EDGE:-EDGE, EDGE:-EDGE]))


def canvas(source: Source, **framing: Any) -> Recipe:
    """The crop that shows the picture and its border."""
    w, h = source.width, source.height
    long_edge = max(w, h)
    size = {"crop_width": (w + 2 * EDGE) / long_edge, "crop_height": (h + 2 * EDGE) / long_edge}
    place = {"crop_x": w / 2 / long_edge, "crop_y": h / 2 / long_edge, **size, "reach_beyond": True}
    return Recipe.neutral(source.raw).with_values({"framing": {**place, **framing}})


def filled(source: Source, recipe: Recipe) -> Recipe:
    """With all that is bare removed and filled, as the bench does it."""
    outlines = outlines_beyond(renderer(), source, key(source), recipe)
    repairs = [{"id": f"beyond-{i}", "kind": "removal", "outline": outline} for i, outline in enumerate(outlines)]
    for one in repairs:
        with_all = recipe.with_values({"repair": {"repairs": repairs}})
        one["fill"] = mending.fill_for(renderer(), source, key(source), with_all, str(one["id"]))
    return recipe.with_values({"repair": {"repairs": repairs}})


FILLED = lru_cache(maxsize=1)(lambda: filled(cut(), canvas(cut())))


def shown(source: Source, recipe: Recipe) -> np.ndarray:
    return renderer().deliver(source, recipe, space="srgb", bits=16).astype(np.int64)


def bare(source: Source, recipe: Recipe) -> tuple[float, list[str]]:
    repaired, repaired_key = renderer().repaired(source, key(source), recipe)
    framed = renderer().framed(repaired, repaired_key, source.plan(recipe).frame)
    return framed.bare, framed.notes()


def test_the_border_of_a_wall_goes_on() -> None:
    source, true = cut(), picture("brick").astype(np.int64) * 257
    before, after = shown(source, canvas(source)), shown(source, FILLED())
    assert before.shape == after.shape == true.shape
    kept = np.zeros(true.shape[:2], np.bool_)
    kept[EDGE + 6 : -EDGE - 6, EDGE + 6 : -EDGE - 6] = True
    assert np.abs(after - before)[kept].max() <= 2  # of 65,535: the splines begin elsewhere
    border = ~kept
    fine = lambda p: float(np.abs(np.diff(p[..., 1], axis=0))[border[1:]].mean())  # noqa: E731
    # bricks have joints in both directions, an edge drawn out has them in one
    assert 0.75 < fine(after) / fine(true) < 1.3 and fine(before) / fine(true) < 0.75
    share, notes = bare(source, canvas(source))
    assert share == pytest.approx(1 - cut().width * cut().height / true[..., 0].size, abs=0.02) and "its edge" in notes[0]
    assert bare(source, FILLED()) == (0, [])
    with pytest.raises(RecipeError, match="nothing that lies beyond"):
        outlines_beyond(renderer(), source, key(source), FILLED())


def test_every_size_shows_the_same() -> None:
    source = cut()
    whole = renderer().deliver(source, FILLED(), space="srgb", bits=8).astype(np.float64)
    height, width = whole.shape[:2]
    full = renderer().view(source, key(source), FILLED(), ViewRequest(width, height, 0, 0, width, height)).picture
    assert np.abs(full.astype(np.int64) - whole).max() <= 1
    for part in (2, 3, 5):
        small = ViewRequest(width // part, height // part, 0, 0, width // part, height // part)
        seen = renderer().view(source, key(source), FILLED(), small).picture.astype(np.float64) / 255
        light = np.ascontiguousarray(np.moveaxis((whole / 255) ** 2.2, -1, 0), np.float32)
        wanted = np.moveaxis(reduce_box(light, (0, width), (0, height), width // part, height // part), 0, -1) ** (1 / 2.2)
        rim = np.ones(wanted.shape[:2], np.bool_)
        rim[EDGE // part + 3 : -(EDGE // part) - 3, EDGE // part + 3 : -(EDGE // part) - 3] = False
        assert np.sqrt(np.square(seen - wanted)[rim].mean()) < 0.025
        plain = renderer().view(source, key(source), canvas(source), small).picture.astype(np.float64) / 255
        assert np.sqrt(np.square(plain - wanted)[rim].mean()) > 0.06


@pytest.mark.parametrize(("turn", "mirror"), [("90", False), ("180", False), ("270", True)])
def test_turned_and_mirrored_it_is_the_same(turn: str, mirror: bool) -> None:
    source = cut()
    upright = shown(source, FILLED())
    turned = FILLED().with_values({"framing": {"quarter_turn": turn, "mirror": mirror}})
    if turn in ("90", "270"):
        size = {"crop_width": FILLED().value("framing", "crop_height"), "crop_height": FILLED().value("framing", "crop_width")}
        turned = turned.with_values({"framing": size})
    wanted = np.rot90(upright, -int(turn) // 90)
    assert np.abs(shown(source, turned) - (wanted[:, ::-1] if mirror else wanted)).max() <= 4


def test_what_is_not_filled_stays_as_it_was() -> None:
    """One piece of four is filled; the others show the mirror image as before."""
    source = cut()
    recipe = canvas(source, beyond="mirror")
    before = shown(source, recipe)
    one = FILLED().value("repair", "repairs")[0].model_dump()
    xs, ys = np.array(one["outline"][::2]), np.array(one["outline"][1::2])
    after = shown(source, recipe.with_values({"repair": {"repairs": [one]}}))
    changed = np.nonzero((np.abs(after - before) > 4).any(-1))
    scale = max(source.width, source.height) / 20_000
    assert ys.min() * scale - 1 <= changed[0].min() - EDGE and changed[0].max() - EDGE <= ys.max() * scale + 1
    # what lies in the picture by an overlap of some pixels is seen in the mirror beside it
    clear = changed[0] > EDGE + source.height + 4
    assert xs.min() * scale - 1 <= changed[1][clear].min() - EDGE and changed[1][clear].max() - EDGE <= xs.max() * scale + 1
    assert len(changed[0]) > 2000


def test_a_turned_picture_has_four_corners_to_fill() -> None:
    source = cut()
    recipe = canvas(source, angle=4)
    outlines = outlines_beyond(renderer(), source, key(source), recipe)
    assert len(outlines) == 4
    assert bare(source, filled(source, recipe))[0] == 0


def test_it_is_only_as_far_as_removals_reach(dng: Path, decoder: Decoder) -> None:
    """A raw with noise reduction and rebuilt highlights, whose windows begin beyond the picture; painted, not outlined."""
    source = Source(decoder.decode(dng))
    long_edge = max(source.width, source.height)
    stroke = {"points": [-200, 3000, -200, 9000], "size": 0.06, "hardness": 100}
    plain = canvas(source).with_values({"tone": {"highlight_recovery": "rebuild"}, "definition": {"luminance_noise": 30}})
    painted = plain.with_values({"repair": {"repairs": [{"kind": "removal", "strokes": [stroke]}]}})
    before, after = shown(source, plain), shown(source, painted)
    # noise is calmed in the light of wider surroundings: some codes of 65,535
    changed = np.nonzero((np.abs(before - after) > 1500).any(-1))
    assert len(changed[0]) > 100 and changed[1].max() - EDGE < (-0.01 + 0.03) * long_edge + 12
    assert changed[1].min() == 0


def test_fills_of_the_time_before_stay_in_the_picture() -> None:
    """A fill that was looked for within the picture is not looked for again because its strokes reach beyond."""
    source = cut()
    stroke = {"points": [0, 9000], "size": 0.08, "hardness": 100}
    recipe = NEUTRAL.with_values({"repair": {"repairs": [{"id": "one", "kind": "removal", "strokes": [stroke]}]}})
    text = mending.fill_for(renderer(), source, key(source), recipe, "one")
    mended = renderer().mended(source, key(source), recipe)
    assert mended.reach.x < 0
    from zincplate.core.repair.fill_map import Fill, fill_from_text

    fill = fill_from_text(text)
    old = Fill(0, fill.top, np.ascontiguousarray(fill.labels[:, -fill.left :]), fill.offsets)
    kept = recipe.with_values(
        {"repair": {"repairs": [{"id": "one", "kind": "removal", "strokes": [stroke], "fill": old.to_text()}]}}
    )
    assert renderer().mended(source, key(source), kept).reach.x == 0


def test_only_from_where_it_was_drawn() -> None:
    """A removal with a drawn place takes from nowhere else; one that is too small says so."""
    source = cut()
    long_edge = max(source.width, source.height)
    stroke = {"points": [10_000, 8000], "size": 0.09, "hardness": 100}
    box = [1000, 1000, 6000, 1000, 6000, 6000, 1000, 6000]
    one = {"id": "one", "kind": "removal", "strokes": [stroke], "source_outline": box}
    recipe = NEUTRAL.with_values({"repair": {"repairs": [one]}})
    from zincplate.core.repair.fill_map import fill_from_text

    fill = fill_from_text(mending.fill_for(renderer(), source, key(source), recipe, "one"))
    hole = renderer().mended(source, key(source), recipe)
    repair = source.plan(recipe).repairs[0]
    cover = hole.cover(repair, hole.target(repair))
    ys, xs = np.nonzero(cover > 0.25)
    ys, xs = ys + hole.target(repair).y, xs + hole.target(repair).x
    to = fill.offsets[fill.labels[ys - fill.top, xs - fill.left]]
    x, y = (xs + to[:, 1]) / long_edge * 20_000, (ys + to[:, 0]) / long_edge * 20_000
    assert x.min() > 900 and x.max() < 6100 and y.min() > 900 and y.max() < 6100
    nowhere = recipe.with_values({"repair": {"repairs": [{**one, "source_outline": [-9000, 0, -8000, 0, -8000, 900]}]}})
    with pytest.raises(RecipeError, match="nothing around the place"):
        mending.fill_for(renderer(), source, key(source), nowhere, "one")


@pytest.mark.parametrize(
    ("first", "count", "size", "mirrored", "wanted"),
    [
        (-3, 8, 4, False, [0, 0, 0, 0, 1, 2, 3, 3]),
        (-3, 8, 4, True, [2, 1, 0, 0, 1, 2, 3, 3]),
        (5, 3, 4, False, [3, 3, 3]),
        (-9, 4, 2, True, [0, 0, 1, 1]),
    ],
)
def test_what_stands_for_places_beyond(first: int, count: int, size: int, mirrored: bool, wanted: list[int]) -> None:
    assert inward(first, count, size, mirrored).tolist() == wanted


def test_a_stretched_border_needs_no_filling() -> None:
    """It reaches the crop without repeating itself, is told, and places find back."""
    source = cut()
    drawn, stretched = shown(source, canvas(source)), shown(source, canvas(source, beyond="stretch"))
    # an edge drawn out is the same value again and again
    assert (np.diff(drawn[:, : EDGE - 1], axis=1) == 0).mean() > 0.95 and (np.diff(stretched[:, :EDGE], axis=1) == 0).mean() < 0.2
    middle = (slice(171, 190), slice(200, 280))
    assert np.abs(stretched[middle] - drawn[middle]).max() <= 2
    share, notes = bare(source, canvas(source, beyond="stretch"))
    assert share == 0 and "stretched by up to 24 px" in notes[0]
    with pytest.raises(RecipeError, match="nothing that lies beyond"):
        outlines_beyond(renderer(), source, key(source), canvas(source, beyond="stretch"))
    framed = renderer().framed(source, key(source), source.plan(canvas(source, beyond="stretch")).frame)
    places = np.array([[3.0, 5.0], [100.5, 2.0], [470.0, 350.0], [240.0, 180.0]])
    there = framed.to_frame(places)
    long_edge = max(source.width, source.height)
    assert (there >= 0).all() and (there <= [source.width / long_edge, source.height / long_edge]).all()
    assert np.abs(framed.from_frame(there) - places).max() < 0.03
    # what is shown at a place is what the frame has where the place leads
    x, y = (there[0] * long_edge).astype(int)
    plain = shown(source, NEUTRAL)
    assert np.abs(stretched[5, 3] - plain[y - 2 : y + 3, x - 2 : x + 3].reshape(-1, 3)).min() < 3000


def test_what_was_put_beyond_before_counts_as_picture() -> None:
    """A removal beside a cover, both beyond the left side: where the cover lies there is something to go by."""
    source = cut()
    cover = {"kind": "cover", "strokes": [{"points": [-600, 4000], "size": 0.05, "hardness": 100}], "colour": [1, 1, 1]}
    removal = {"kind": "removal", "strokes": [{"points": [-500, 4900, -500, 6500], "size": 0.04, "hardness": 100}]}
    recipe = canvas(source).with_values({"repair": {"repairs": [{**cover, "grain": False}, removal]}})
    mended, repair = renderer().mended(source, key(source), recipe), source.plan(recipe).repairs[1]
    target = mended.target(repair)
    rect = Rect(target.x, target.y - 30, target.w + 10, target.h + 30)
    removed, filled, void, _ = Removal(mended, 1, repair, target).parts(0, rect)
    y, x = int(4000 / 20_000 * source.width) - rect.y, int(-600 / 20_000 * source.width) - rect.x
    assert not void[y, x] and void[1, 1] and not void[:, -5:].any() and not (void & filled).any() and filled[removed].all()
    assert filled.sum() > removed.sum() and filled[-2, 1]  # all that is bare in its rectangle is filled with it


@pytest.mark.parametrize("beyond", ["edge", "mirror"])
def test_parts_of_large_frames_are_read_beyond_too(beyond: str) -> None:
    source = cut()
    plan = source.plan(canvas(source, beyond=beyond, angle=0.5)).frame
    found = framing(Shape(4800, 3200, CaptureData()), plan, renderer().lenses)
    reach = Rect(-260, 0, 5060, 3200)
    left = Window(found.width, found.height, 0, 800, 200, 200)
    part = found.source_window(left, 8, reach)
    assert part.x < -100 and part.x + part.width < 600 and found.source_window(left, 8).x >= 0
    inner = Window(found.width, found.height, found.width // 2, found.height // 2, 200, 200)
    assert found.source_window(inner, 8, reach) == found.source_window(inner, 8)


def test_what_stands_there_until_then_decides_nothing() -> None:
    """A side painted in part: its fill is the same whether the edge or the mirror image stood there, and so is its light."""
    source = cut()
    removal = {"id": "r", "kind": "removal", "strokes": [{"points": [-500, 6000], "size": 0.05, "hardness": 100}]}
    found = []
    for beyond in ("edge", "mirror"):
        recipe = canvas(source, beyond=beyond).with_values({"repair": {"repairs": [removal]}})
        text = mending.fill_for(renderer(), source, key(source), recipe, "r")
        kept = recipe.with_values({"repair": {"repairs": [{**removal, "fill": text}]}})
        mended = renderer().mended(source, key(source), kept)
        (laid,) = mended.beyond(False, None)
        found.append((text, laid.planes[:, laid.changed]))
    assert found[0][0] == found[1][0]
    assert found[0][1].shape == found[1][1].shape and np.abs(found[0][1] - found[1][1]).max() < 2e-4


def test_half_a_cover_lies_over_what_stood_there() -> None:
    """The edge, then its mirror image, are seen through a cover of half strength: one is not kept for the other."""
    source = cut()
    cover = {
        "kind": "cover",
        "strokes": [{"points": [-500, 6000], "size": 0.06, "hardness": 100}],
        "strength": 50,
        "grain": False,
    }
    planes = []
    for beyond in ("edge", "mirror"):
        recipe = canvas(source, beyond=beyond).with_values({"repair": {"repairs": [{**cover, "colour": [0.2, 0.2, 0.2]}]}})
        (laid,) = renderer().mended(source, key(source), recipe).beyond(False, None)
        planes.append(laid.planes)
    assert np.abs(planes[0] - planes[1]).max() > 0.02
