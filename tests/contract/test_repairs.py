"""Repairs: nothing outside their places, the same at every size and turn, in their order, and untouched by everything after."""

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.contract.test_passes import key, renderer
from tests.reference.test_highlights_and_light import camera_source, glowing
from zincplate.core.geometry.resample import reduce_box
from zincplate.formats.isolated import Decoder
from zincplate.pipeline.windows import Window
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render import mending
from zincplate.render.mending_pictures import before_and_after
from zincplate.render.view import ViewRequest
from zincplate.sources.file import Source

W, H = 420, 280
NEUTRAL = Recipe.neutral(False)


def points(*places: tuple[float, float]) -> list[int]:
    """Pixels of the picture as strokes and outlines hold them."""
    return [round(v / W * 20_000) for place in places for v in place]


def stroke(*places: tuple[float, float], size: float = 36, hardness: float = 60, **more: Any) -> dict[str, Any]:
    return {"points": points(*places), "size": size / W, "hardness": hardness, **more}


def away(dx: float, dy: float) -> dict[str, float]:
    return {"dx": dx / W, "dy": dy / W}


KINDS: dict[str, dict[str, Any]] = {
    "spot": {"kind": "spot", "strokes": [stroke((150, 120), size=20)], **away(60, 10)},
    "clone": {"kind": "clone", "strokes": [stroke((150, 120), (190, 130))], **away(100, 40)},
    "heal": {"kind": "heal", "strokes": [stroke((150, 120), (190, 130))], **away(100, 40)},
    "patch": {"kind": "patch", "outline": points((130, 90), (200, 95), (190, 150), (140, 140)), **away(120, 0)},
    "removal": {"kind": "removal", "strokes": [stroke((150, 120), (180, 120))]},
    "cover": {"kind": "cover", "strokes": [stroke((150, 120), (190, 130))], "colour": [0.4, 0.3, 0.2], **away(120, 0)},
}


@lru_cache(maxsize=1)
def scene() -> Source:
    """Slopes of light with grain and a little drawing, 16 bit."""
    rng = np.random.default_rng(11)
    y, x = np.mgrid[:H, :W]
    grey = 0.25 + 0.4 * x / W + 0.1 * np.sin(y / 23) + 0.08 * ((x // 15 + y // 15) % 2) + 0.02 * rng.normal(size=(H, W))
    picture = np.stack([grey, 0.9 * grey + 0.03, 0.8 * grey + 0.05], -1)
    return rendered(np.rint(np.clip(picture, 0, 1) * 65535).astype(np.uint16))


def with_repairs(*repairs: dict[str, Any], recipe: Recipe = NEUTRAL) -> Recipe:
    return recipe.with_values({"repair": {"repairs": list(repairs)}})


def shown(recipe: Recipe, source: Source | None = None) -> np.ndarray:
    """Delivered 16-bit codes."""
    return renderer().deliver(source or scene(), recipe, space="srgb", bits=16).astype(np.int64)


PLAIN = lru_cache(maxsize=1)(lambda: shown(NEUTRAL))


@pytest.mark.parametrize("kind", KINDS)
def test_only_its_place_changes_and_as_much_as_it_says(kind: str) -> None:
    repair = KINDS[kind]
    full = shown(with_repairs(repair))
    changed = (full != PLAIN()).any(2)
    ys, xs = np.nonzero(changed)
    assert len(ys) > 150 and xs.min() > 120 and xs.max() < 215 and ys.min() > 80 and ys.max() < 160
    for off in ({"on": False}, {"strength": 0}):
        assert (shown(with_repairs({**repair, **off})) == PLAIN()).all()
    assert (shown(with_repairs(repair).with_switch("repair", False)) == PLAIN()).all()
    # half of it is half the way, in linear light
    linear = with_repairs(repair)
    light = [
        renderer().repaired(scene(), key(scene()), r, quick=False)[0].window(0, 0, W, H)
        for r in (NEUTRAL, linear, with_repairs({**repair, "strength": 50}))
    ]
    assert np.abs(light[2] - (light[0] + light[1]) / 2).max() < 1e-5


@pytest.mark.parametrize("kind", KINDS)
def test_every_size_shows_the_same(kind: str) -> None:
    """1:1 is the delivery to the code; a reduced plate is the mean of what is at full size."""
    recipe = with_repairs(KINDS[kind])
    whole = renderer().deliver(scene(), recipe, space="srgb", bits=8)
    part = renderer().view(scene(), key(scene()), with_filled(recipe), ViewRequest(W, H, 110, 70, 120, 100)).picture
    whole = renderer().deliver(scene(), with_filled(recipe), space="srgb", bits=8)
    assert (part == whole[70:170, 110:230]).all()
    source, _ = renderer().repaired(scene(), key(scene()), with_filled(recipe))
    full, small = source.window(0, 0, W, H), source.reduced(2).planes
    assert np.abs(small - reduce_box(full, (0, W), (0, H), W // 2, H // 2)).max() < 1e-5


def with_filled(recipe: Recipe) -> Recipe:
    """Removals with the fill that the bench would keep."""
    repairs = [r.model_dump() for r in recipe.value("repair", "repairs")]
    for one in repairs:
        if one["kind"] == "removal" and not one["fill"]:
            one["fill"] = mending.fill_for(renderer(), scene(), key(scene()), recipe, one["id"])
    return with_repairs(*repairs, recipe=recipe)


@pytest.mark.parametrize(("width", "height", "step"), [(421, 283, 2), (422, 281, 4), (419, 279, 6)])
def test_reduced_to_the_last_row_of_sizes_that_do_not_divide(width: int, height: int, step: int) -> None:
    rng = np.random.default_rng(3)
    pixels = rng.integers(0, 65536, (height, width, 3)).astype(np.uint16)
    source = rendered(pixels)
    where = [(width - 3, height - 2), (2, 3), (width - 4, 5)]
    clones = [
        {
            "kind": "clone",
            "strokes": [{"points": [round(v / width * 20_000) for v in place], "size": 20 / width, "hardness": 100}],
            "dx": (-60 if place[0] > 100 else 60) / width,
        }
        for place in where
    ]
    repaired, _ = renderer().repaired(source, key(source), with_repairs(*clones))
    # the same light as from a file that has the clones in it
    table = source.code_table()
    codes = np.stack([np.searchsorted(table[c], repaired.window(0, 0, width, height)[c] - 1e-9) for c in range(3)], -1)
    baked = rendered(codes.astype(np.uint16))
    assert (codes != pixels).any()
    assert np.abs(repaired.reduced(step).planes - baked.reduced(step).planes).max() < 1e-4


def test_many_over_each_other_take_no_longer_than_many_apart() -> None:
    """Forty strokes in one place: each depends on all before it, and is worked out once."""
    many = [{"kind": "clone", "strokes": [stroke((150, 120), size=16)], **away(30, 0), "strength": 50} for _ in range(40)]
    assert (shown(with_repairs(*many)) != PLAIN()).any()


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(("turn", "mirror"), [("90", False), ("180", True), ("270", False), ("0", True)])
def test_turned_and_mirrored_it_is_the_same(kind: str, turn: str, mirror: bool) -> None:
    recipe = with_repairs(KINDS[kind])
    turned = shown(recipe.with_values({"framing": {"quarter_turn": turn, "mirror": mirror}}))
    expected = np.rot90(shown(recipe), -int(turn) // 90)
    assert (turned == (expected[:, ::-1] if mirror else expected)).all()
    source, _ = renderer().repaired(scene(), key(scene()), recipe, quick=False)
    seen = source.turned(int(turn) // 90, mirror)
    small = np.rot90(source.reduced(2).planes, -int(turn) // 90, (1, 2))
    assert np.abs(seen.reduced(2).planes - (small[:, :, ::-1] if mirror else small)).max() < 1e-5


def test_twenty_repairs_stand_whatever_comes_after() -> None:
    """Balance, tone, movements and crop change: the repaired frame is the same light, and lies where its subject does."""
    rng = np.random.default_rng(2)
    many = []
    for n in range(20):
        x, y = float(rng.uniform(30, W - 90)), float(rng.uniform(30, H - 60))
        many.append({"kind": ("spot", "clone", "heal")[n % 3], "strokes": [stroke((x, y), size=18)], **away(40, 20)})
    recipe = with_repairs(*many)
    later = recipe.with_values(
        {"balance": {"temperature_kelvin": 4200}, "tone": {"exposure_ev": 0.7}, "framing": {"angle": 3, "tilt": 4}}
    )
    light = [renderer().repaired(scene(), key(scene()), r, quick=False)[0].window(0, 0, W, H) for r in (recipe, later)]
    assert (light[0] == light[1]).all()
    # a file that was repaired before it was opened looks the same through the same later steps
    baked = rendered(np.rint(np.clip(shown(recipe), 0, 65535)).astype(np.uint16))
    without = later.with_values({"repair": {"repairs": []}})
    assert np.abs(shown(later) - shown(without, baked)).max() <= 24
    cropped = {"framing": {"crop_x": 0.5, "crop_y": 0.35, "crop_width": 0.5, "crop_height": 0.3}}
    assert np.abs(shown(later.with_values(cropped)) - shown(without.with_values(cropped), baked)).max() <= 24


def test_later_ones_take_what_earlier_ones_left() -> None:
    cover = {"id": "a", "kind": "cover", "strokes": [stroke((300, 200), size=60)], "colour": [0.9, 0.1, 0.1], "grain": False}
    clone = {"id": "b", "kind": "clone", "strokes": [stroke((100, 60), size=30, hardness=100)], **away(200, 140)}
    first, last = shown(with_repairs(cover, clone)), shown(with_repairs(clone, cover))
    assert (first[60, 100] == first[200, 300]).all() and (last[60, 100] == PLAIN()[200, 300]).all()
    # a repair in between that touches neither changes neither
    other = {"id": "c", "kind": "clone", "strokes": [stroke((50, 200), size=20)], **away(30, 0)}
    assert (shown(with_repairs(cover, other, clone))[60, 100] == first[60, 100]).all()


def test_turned_sources_of_a_clone() -> None:
    """Mirrored to the pixel; turned by a quarter as numpy turns it."""
    mirrored = {"kind": "clone", "strokes": [stroke((100.5, 100.5), size=40, hardness=100)], **away(150, 60), "mirrored": True}
    result, plain = shown(with_repairs(mirrored)), PLAIN()
    assert np.abs(result[95:106, 95:106] - plain[155:166, 245:256][:, ::-1]).max() <= 2
    quarter = {**mirrored, "mirrored": False, "angle": 90}
    result = shown(with_repairs(quarter))
    assert np.abs(result[95:106, 95:106] - np.rot90(plain[155:166, 245:256], -1)).max() <= 2


def test_sources_beside_the_picture_and_places_at_its_end() -> None:
    for kind in ("clone", "heal", "spot", "patch"):
        beside = {**KINDS[kind], **away(2 * W, 0)}
        assert (shown(with_repairs(beside)) == PLAIN()).all()
        half = {**KINDS[kind], **away(-150, 0)}
        found = shown(with_repairs(half))
        assert np.isfinite(found).all() and (found[:, :110] == PLAIN()[:, :110]).all()
    outside = {"kind": "removal", "strokes": [stroke((-60, -60), size=20)]}
    assert (shown(with_repairs(outside)) == PLAIN()).all()
    for where in ((0, 0), (W, H), (W / 2, 0), (3, H - 2)):
        result = shown(with_repairs({"kind": "removal", "strokes": [stroke(where, size=40)]}))
        assert np.isfinite(result).all() and (result != PLAIN()).any()
    everything = {"kind": "removal", "strokes": [stroke((W / 2, H / 2), size=2 * W)]}
    assert (shown(with_repairs({**everything, "id": "e"})) == PLAIN()).all()
    with pytest.raises(RecipeError, match="nothing around the place to take from"):
        mending.fill_for(renderer(), scene(), key(scene()), with_repairs({**everything, "id": "e"}), "e")
    with pytest.raises(RecipeError, match="nothing around the place"):  # it does not touch the picture
        mending.fill_for(renderer(), scene(), key(scene()), with_repairs({**outside, "id": "o"}), "o")
    with pytest.raises(RecipeError, match="not there any more"):
        mending.sources_for(renderer(), scene(), key(scene()), NEUTRAL, "gone")
    with pytest.raises(RecipeError, match="Only a removal"):
        mending.fill_for(renderer(), scene(), key(scene()), with_repairs({**KINDS["heal"], "id": "h"}), "h")


def test_rubbed_out_strokes_are_not_repaired() -> None:
    repair = {**KINDS["clone"], "strokes": [*KINDS["clone"]["strokes"], stroke((190, 130), size=60, hardness=100, erase=True)]}
    changed = (shown(with_repairs(repair)) != PLAIN()).any(2)
    ys, xs = np.nonzero(changed)
    assert changed.any() and np.hypot(xs - 190, ys - 130).min() > 28


def test_a_kept_fill_is_what_is_delivered_and_a_foreign_one_is_looked_for_again() -> None:
    recipe = with_repairs({**KINDS["removal"], "id": "r"})
    text = mending.fill_for(renderer(), scene(), key(scene()), recipe, "r")
    kept = with_repairs({**KINDS["removal"], "id": "r", "fill": text})
    assert (shown(kept) == shown(recipe)).all()
    # with another seed the picture is another, and the same seed gives the same text
    other = with_repairs({**KINDS["removal"], "id": "r", "seed": 2})
    assert mending.fill_for(renderer(), scene(), key(scene()), other, "r") != text
    assert mending.fill_for(renderer(), scene(), "looked for again", recipe, "r") == text
    elsewhere = {**KINDS["removal"], "strokes": [stroke((300, 200), (340, 210))]}
    assert (shown(with_repairs({**elsewhere, "fill": text})) == shown(with_repairs(elsewhere))).all()


@pytest.mark.parametrize("large_px", [mending.LARGE_PX, 1000])
def test_dust_is_found_mended_and_not_found_again(large_px: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """At full size, and as large frames are looked at: at half."""
    monkeypatch.setattr(mending, "LARGE_PX", large_px)
    pixels = np.full((400, 600, 3), 0.5) + 0.008 * np.random.default_rng(4).normal(size=(400, 600, 3))
    y, x = np.mgrid[:400, :600]
    placed = [(80, 60, 5), (300, 200, 8), (500, 330, 4), (420, 90, 6)]
    for px, py, r in placed:
        pixels *= (1 - 0.15 * np.clip((1.2 * r - np.hypot(x - px, y - py)) / (0.4 * r), 0, 1))[..., None]
    source = rendered(np.rint(np.clip(pixels, 0, 1) * 65535).astype(np.uint16))
    told = mending.find_dust(renderer(), source, key(source), NEUTRAL)
    assert len(told) == 4
    for px, py, r in placed:
        near = min(told, key=lambda s: np.hypot(600 * s.x - px, 600 * s.y - py))
        assert np.hypot(600 * near.x - px, 600 * near.y - py) < 2 and 1.5 * r < 600 * near.size < 4 * r
    recipe = with_repairs(*mending.as_items(told))
    with pytest.raises(RecipeError, match="No dust"):
        mending.find_dust(renderer(), source, key(source), recipe)
    result = renderer().deliver(source, recipe, space="srgb", bits=16) / 65535
    for px, py, r in placed:
        place = np.hypot(x - px, y - py) < r
        assert abs(result[place].mean() - 0.5) < 0.006 and result[place].std() == pytest.approx(0.008, rel=0.3)


def test_sources_colours_and_small_pictures() -> None:
    recipe = with_repairs({**KINDS["spot"], "id": "s"}, {**KINDS["cover"], "id": "c"})
    ways = mending.sources_for(renderer(), scene(), key(scene()), recipe, "s")
    assert len(ways) > 3 and [w.cost for w in ways] == sorted(w.cost for w in ways)
    assert all(np.hypot(w.dx * W, w.dy * W) > 18 for w in ways)
    picked = mending.colour_at(renderer(), scene(), key(scene()), recipe, (170 / W, 125 / W), 1)
    assert picked == pytest.approx([0.4, 0.3, 0.2], abs=0.05)
    with pytest.raises(RecipeError, match="outside the picture"):
        mending.colour_at(renderer(), scene(), key(scene()), recipe, (1.5, 0.1), 4)
    ((name, before, after),) = before_and_after(renderer(), scene(), key(scene()), recipe, ["c"])
    assert name == "c" and before.shape == after.shape == (60, 60, 3)
    assert np.abs(before.astype(int) - after)[28:32, 28:32].mean() > 10 and (before[0] == after[0]).all()


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        ({"kind": "heal"}, "needs a stroke"),
        ({"kind": "patch", "outline": [1, 2, 3, 4]}, "three points"),
        ({"kind": "spot", "strokes": [stroke((9, 9), tones="shadows")]}, "know no tones"),
        ({"kind": "removal", "strokes": [stroke((9, 9))], "fill": "damaged"}, "damaged"),
        ({"kind": "sponge", "strokes": [stroke((9, 9))]}, "kind"),
    ],
)
def test_what_cannot_be_is_told(wrong: dict[str, Any], words: str) -> None:
    with pytest.raises(RecipeError, match=words):
        with_repairs(wrong)


def test_dust_of_one_frame_looked_for_on_another() -> None:
    """The same sensor at a smaller aperture: smaller and darker where it is seen, left out where nothing is."""
    rng, (y, x) = np.random.default_rng(9), np.mgrid[:400, :600]
    placed = [(80, 60), (300, 200), (500, 330)]

    def frame(radius: float, depth: float, seen: list[tuple[int, int]]) -> Source:
        pixels = np.full((400, 600, 3), 0.5) + 0.006 * rng.normal(size=(400, 600, 3))
        for px, py in seen:
            pixels *= (1 - depth * np.clip((1.2 * radius - np.hypot(x - px, y - py)) / (0.4 * radius), 0, 1))[..., None]
        return rendered(np.rint(np.clip(pixels, 0, 1) * 65535).astype(np.uint16))

    first, second = frame(9, 0.1, placed), frame(5, 0.25, placed[:2])
    dirty = mending.as_items(mending.find_dust(renderer(), first, key(first), NEUTRAL))
    hole = {"id": "h", "kind": "removal", "strokes": [stroke((420, 100))], "fill": ""}
    repairs = [r.model_dump() for r in with_repairs(*dirty, hole).value("repair", "repairs")]
    again, told = mending.dust_again(renderer(), second, key(second), repairs)
    assert len(repairs) == 4 and [r["kind"] for r in again].count("spot") == 2 and again[-1]["id"] == "h"
    assert told == ["1 of 3 spots is not seen here and left out."]
    sizes = {r["id"]: r["strokes"][0]["size"] for r in repairs}
    assert all(r["strokes"][0]["size"] < 0.8 * sizes[r["id"]] for r in again if r["kind"] == "spot")
    with pytest.raises(RecipeError, match="No dust"):
        mending.find_dust(renderer(), second, key(second), with_repairs(*(r for r in again if r["kind"] == "spot")))


@pytest.mark.parametrize("raw", [False, True])
def test_laid_over_what_is_kept_it_is_the_same(raw: bool, dng: Path, decoder: Decoder) -> None:
    """Views lay repairs over kept windows, deliveries read them: the same, at any size, window and level."""
    source = Source(decoder.decode(dng)) if raw else scene()
    long_edge = max(source.width, source.height)
    values = [
        {**one, "strokes": [{**s, "size": 0.06} for s in one["strokes"]]} if "strokes" in one else one for one in KINDS.values()
    ]
    recipe = with_repairs(*values, recipe=Recipe.neutral(source.raw))
    repaired, name = renderer().repaired(source, key(source), recipe)
    stages, plan = renderer().stages, source.plan(recipe).plate
    sizes = [(source.width, source.height), (source.width // 2, source.height // 2), (97, 61), (160, 107), (33, 20)]
    for width, height in sizes:
        for x, y, w, h in ((0, 0, width, height), (width // 4, height // 5, width // 2, height // 2)):
            window = Window(width, height, x, y, w, h)
            laid = stages.plate(repaired, name, plan, window, True)
            read = stages.plate(repaired, name, plan, window, False)
            assert np.abs(laid - read).max() < (1e-6 if width < source.width else 1e-9)
            plain = stages.plate(source, key(source), plan, window, True)
            assert np.abs(laid - plain).max() > 1e-3
    assert long_edge > 400


def test_a_damaged_fill_is_looked_for_again_and_told() -> None:
    """A recipe one of whose fills was spoiled on its way opens; setting such a fill is refused as before."""
    document = with_repairs({**KINDS["spot"]}, {**KINDS["removal"], "id": "r"}).to_document()
    document["repair"]["repairs"][1]["fill"] = "c3BvaWxlZA=="
    recipe = Recipe.from_document(document)
    assert recipe.notes == ("The fill of repair 2 was damaged and is looked for again.",)
    assert recipe.value("repair", "repairs")[1].fill == ""
    assert (shown(recipe) == shown(with_repairs({**KINDS["spot"]}, {**KINDS["removal"], "id": "r"}))).all()


def test_removals_of_the_first_version_say_that_their_borders_changed() -> None:
    filled = with_filled(with_repairs({**KINDS["removal"], "id": "r"}))
    document = filled.to_document()
    document["versions"]["repairs"] = 1
    assert "light of another subject" in Recipe.from_document(document).notes[0]
    document["repair"]["repairs"] = []
    assert Recipe.from_document(document).notes == ()


def test_what_is_taken_from_beside_the_picture_is_told() -> None:
    beside = {**KINDS["clone"], **away(2 * W, 0)}
    also = {**KINDS["heal"], **away(0, -1.9 * H)}
    repaired = renderer().repaired(scene(), key(scene()), with_repairs(KINDS["spot"], beside, also))
    assert repaired[0].notes_of_repairs() == ["2 repairs are taken from beside the picture, where there is nothing."]
    for harmless in (KINDS["removal"], KINDS["cover"], KINDS["patch"]):
        assert renderer().repaired(scene(), key(scene()), with_repairs(harmless))[0].notes_of_repairs() == []


def test_coloured_and_very_deep_spots_are_no_dust() -> None:
    rng = np.random.default_rng(12)
    y, x = np.mgrid[:H, :W]
    light = np.full((H, W, 3), 0.35) + 0.004 * rng.normal(size=(H, W, 3))
    dusty = [(60, 60), (200, 90), (330, 200)]
    for (cx, cy), through in zip(
        [*dusty, (110, 220), (280, 60), (60, 160)], [(0.7,) * 3] * 3 + [(0.95, 0.6, 0.3)] * 2 + [(0.02,) * 3], strict=True
    ):
        light[np.hypot(x - cx, y - cy) < 4] *= through
    source = rendered(np.rint(np.clip(light, 0, 1) ** (1 / 2.2) * 65535).astype(np.uint16))
    found = mending.find_dust(renderer(), source, key(source), NEUTRAL, least_chance=0.6)
    assert sorted((int(s.x * W), int(s.y * W)) for s in found) == sorted(dusty)


@pytest.mark.parametrize("where", [(140, 160), (60, 60)])
def test_repairs_beside_blown_places_show_what_is_delivered(where: tuple[int, int]) -> None:
    """A part of a lamp covered by what is dark: what is rebuilt about it leans on its surroundings, which have changed. A view,
    which lays repairs over plates that it has kept without them, shows what a delivery makes of the whole."""
    source = camera_source(glowing())
    width = source.width
    one = {
        "kind": "clone",
        "strokes": [{"points": [round(v / width * 20_000) for v in where], "size": 40 / width, "hardness": 60}],
    }
    recipe = with_repairs({**one, "dx": 90 / width, "dy": 130 / width}, recipe=Recipe.neutral(True))
    plain = Recipe.neutral(True)
    request = ViewRequest(width, source.height)
    before = renderer().view(source, key(source), plain, request).picture
    seen = renderer().view(source, key(source), recipe, request).picture
    assert (renderer().deliver(source, recipe, space="srgb", bits=8) == seen).all()
    assert (seen != before).any()
