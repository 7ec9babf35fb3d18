"""Long thin repairs and many over each other: a cable across a picture is held as the pixels it is, and nothing is made twice."""

import sys
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier
from typing import Any

import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.contract.test_passes import key, renderer
from tests.contract.test_repairs import KINDS, H, W, away, scene, stroke, with_repairs
from zincplate.core.repair.fill_map import Fill, fills_from_text, text_of
from zincplate.formats.isolated import Decoder
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.windows import Window
from zincplate.render import mending
from zincplate.render.render import Renderer
from zincplate.sources import mend, removals, sections
from zincplate.sources.rect import Rect
from zincplate.sources.repaired import Mended

CABLE = stroke((12, 20), (400, 262), size=8)
ACROSS: dict[str, dict[str, Any]] = {
    "removal": {"kind": "removal", "strokes": [CABLE]},
    "clone": {"kind": "clone", "strokes": [CABLE], **away(14, -9)},
    "heal": {"kind": "heal", "strokes": [CABLE], **away(14, -9)},
    "cover": {"kind": "cover", "strokes": [CABLE], "colour": [0.4, 0.3, 0.2]},
}
STEPS = (1, 2, 3)


def mended(*repairs: dict[str, Any], kept_bytes: int = 1 << 26, moving: bool = False) -> Mended:
    source = scene()
    plans = source.plan(with_repairs(*repairs)).repairs
    return Mended(source, key(source), plans, ByteCache(kept_bytes), True, moving, reduced=lambda step, hot: source.reduced(step))


def seen(moving: bool, *repairs: dict[str, Any]) -> list[np.ndarray]:
    """The picture, and plates of it as they are reduced."""
    source = scene().repaired(mended(*repairs, moving=moving))
    return [source.window(0, 0, W, H) if step == 1 else source.reduced(step).planes for step in STEPS]


@pytest.mark.parametrize("moving", [False, True])
@pytest.mark.parametrize("kind", ACROSS)
def test_a_cable_across_the_picture_looks_in_pieces_as_in_one(kind: str, moving: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    other = {"kind": "clone", "strokes": [stroke((200, 60), (210, 220), size=12)], **away(20, 0)}
    monkeypatch.setattr(mend, "PIECE_PX", 10_000)
    whole = seen(moving, ACROSS[kind], other)
    monkeypatch.setattr(mend, "PIECE_PX", 24)
    for one, now, plain in zip(whole, seen(moving, ACROSS[kind], other), seen(moving), strict=True):
        assert np.abs(now - one).max() < 1e-6
        assert (one != plain).any(0).sum() > 0.015 * one[0].size


@pytest.mark.parametrize("kind", ACROSS)
def test_it_takes_the_memory_of_what_it_changes(kind: str, monkeypatch: pytest.MonkeyPatch) -> None:
    # pieces as much smaller than real ones as the picture is
    monkeypatch.setattr(mend, "PIECE_PX", 24)
    found = mended(ACROSS[kind]).mend(0, False, None)
    assert found is not None and len(found.pieces) > 8
    times_laid = np.zeros((H, W), int)
    for piece in found.pieces:
        there = piece.rect.of(Rect(0, 0, W, H))
        assert piece.planes.base is None and piece.difference.base is None  # views would hold the whole place
        assert piece.changed[[0, -1]].any(1).all() and piece.changed[:, [0, -1]].any(0).all()
        times_laid[there] += 1
    assert times_laid.max() == 1
    assert found.nbytes < 0.25 * 25 * W * H


def test_what_fills_its_place_is_held_in_one() -> None:
    patch = {"kind": "cover", "strokes": [stroke((200, 140), size=260)], "colour": [0.4, 0.3, 0.2]}
    found = mended(patch).mend(0, False, None)
    assert found is not None and len(found.pieces) == 1


@pytest.mark.parametrize("kind", ["removal", "clone"])
def test_each_of_many_over_each_other_is_made_once_however_little_is_kept(kind: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Every one asks for all before it: with a cache that holds one of them it had doubled with every stroke."""
    made: list[int] = []
    make = Mended._made

    def counted(self: Mended, number: int, *more: Any) -> Any:
        made.append(number)
        return make(self, number, *more)

    monkeypatch.setattr(Mended, "_made", counted)
    many = [{**ACROSS[kind], "strokes": [stroke((12 + 3 * i, 20), (400, 262 - 2 * i), size=8)]} for i in range(9)]
    source = scene().repaired(mended(*many, kept_bytes=1))
    for x in range(0, W, 70):
        source.window(x, 0, 70, H)
    source.reduced(2)
    assert sorted(made) == list(range(9))
    window = Window(W, H, 0, 0, W, H)
    assert renderer().plates.read_once(source, "key", window, False).shape == (3, H, W)
    assert len(made) == 9


def test_parts_that_are_worked_out_at_once_know_all_repairs() -> None:
    """A delivery asks from two threads before anything is known of them."""
    many = [{**ACROSS["clone"], "strokes": [stroke((12 + 3 * i, 20), (400, 262 - 2 * i), size=8)]} for i in range(20)]
    before = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    try:
        for _ in range(12):
            repairs, start = mended(*many), Barrier(4)

            def asked(_: int, repairs: Mended = repairs, start: Barrier = start) -> list[bool]:
                start.wait()
                return [repairs.touches(Rect(390, 200, 20, 70)), not repairs.notes(), repairs.reach == repairs.whole]

            with ThreadPoolExecutor(4) as pool:
                assert list(pool.map(asked, range(4))) == [[True, True, True]] * 4
    finally:
        sys.setswitchinterval(before)


@pytest.fixture
def cut(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Pictures of the tests' size cut as large ones are."""
    monkeypatch.setattr(sections, "LONG_PX", 5_000)
    monkeypatch.setattr(sections, "SECTION_PX", 60)
    sections._cut.cache_clear()
    yield
    sections._cut.cache_clear()


def made(repair: dict[str, Any], quick: bool = True) -> np.ndarray:
    source = scene()
    plans = source.plan(with_repairs(repair)).repairs
    return source.repaired(Mended(source, key(source), plans, ByteCache(1 << 26), quick)).window(0, 0, W, H)


WHOLE = {kind: made(repair) for kind, repair in ACROSS.items() if kind != "removal"}


@pytest.mark.parametrize("kind", WHOLE)
def test_in_sections_it_is_what_it_was_as_a_whole(kind: str, cut: None) -> None:
    repair = ACROSS[kind]
    source = scene()
    plan = source.plan(with_repairs(repair)).repairs[0]
    target = mended(repair).target(plan)
    found = sections.sections_of(plan, target, W)
    assert len(found) > 5 and sum(rect.area for rect in found) < 0.5 * target.area
    cover = mended(repair).cover(plan, Rect(0, 0, W, H))
    times = np.zeros((H, W), int)
    for rect in found:
        times[rect.of(Rect(0, 0, W, H))] += 1
    assert times.max() == 1 and (times[cover > 0] == 1).all()
    # the membrane is drawn to 1e-4 of the border's range, grain is what a blur leaves
    bound = {"heal": 2e-4, "cover": 2e-5, "clone": 0}[kind]
    assert np.abs(made(repair) - WHOLE[kind]).max() <= bound
    # no whole place is worked on: it is bare
    broad = {**repair, "strokes": [stroke((12, 20), (400, 262), size=200)]}
    plan = source.plan(with_repairs(broad)).repairs[0]
    assert sections.sections_of(plan, mended(broad).target(plan), W) == (mended(broad).target(plan),)


@pytest.mark.parametrize("ends", [((12, 20), (400, 262)), ((-30, 60), (450, 205))])
@pytest.mark.parametrize("quick", [True, False])
def test_a_removal_in_sections_is_as_near_to_what_was_there(
    ends: tuple[tuple[float, float], tuple[float, float]], quick: bool, monkeypatch: pytest.MonkeyPatch, cut: None
) -> None:
    repair = {"id": "r", "kind": "removal", "strokes": [stroke(*ends, size=8)]}
    there = scene().window(0, 0, W, H)
    plan = scene().plan(with_repairs(repair)).repairs[0]
    hole = mended(repair).cover(plan, Rect(0, 0, W, H)) > 0.25
    in_sections = made(repair, quick)
    assert (in_sections[:, hole] != there[:, hole]).any(0).mean() > 0.9
    monkeypatch.setattr(sections, "LONG_PX", 10**9)
    whole = made(repair, quick)
    error, other = (float(np.sqrt(np.square(now - there)[:, hole].mean())) for now in (in_sections, whole))
    assert error < 1.12 * other
    # no step where one section ends: not along the line, either
    along = np.abs(np.diff(in_sections.mean(0), axis=1))[hole[:, 1:] & hole[:, :-1]]
    assert np.percentile(along, 99.5) < 1.3 * np.percentile(np.abs(np.diff(there.mean(0), axis=1))[hole[:, 1:]], 99.5)


def test_fills_of_sections_are_kept_and_are_what_is_delivered(cut: None, monkeypatch: pytest.MonkeyPatch) -> None:
    repair = {"id": "r", "kind": "removal", "strokes": [stroke((12, 20), (400, 262), size=8)]}
    text = mending.fill_for(renderer(), scene(), key(scene()), with_repairs(repair), "r")
    fills = fills_from_text(text)
    assert len(fills) > 5 and text_of(fills) == text
    looked: list[int] = []
    monkeypatch.setattr(removals, "found", lambda *a, **more: looked.append(1))
    kept = made({**repair, "fill": text})
    assert not looked and (kept != scene().window(0, 0, W, H)).any()
    monkeypatch.undo()
    monkeypatch.setattr(sections, "LONG_PX", 5_000)
    monkeypatch.setattr(sections, "SECTION_PX", 60)
    assert np.abs(kept - made(repair, quick=False)).max() < 1e-6
    # the fill of other strokes: looked for again, not half of each
    moved = {**repair, "strokes": [stroke((12, 60), (400, 262), size=8)], "fill": text}
    assert np.abs(made(moved, quick=False) - made({**moved, "fill": ""}, quick=False)).max() < 1e-6
    # one fill of all, as earlier versions kept it, stays as it was
    monkeypatch.setattr(sections, "LONG_PX", 10**9)
    of_all = mending.fill_for(renderer(), scene(), "whole", with_repairs(repair), "r")
    before = made({**repair, "fill": of_all})
    monkeypatch.setattr(sections, "LONG_PX", 5_000)
    assert len(fills_from_text(of_all)) == 1
    assert (made({**repair, "fill": of_all}) == before).all()


def test_until_its_fill_is_there_a_long_removal_is_seen_as_large_as_the_screen(cut: None) -> None:
    """At full size a hurried fill of a cable across 24 megapixels takes seconds, and the full one is on its way."""
    repair = {"id": "r", "kind": "removal", "strokes": [stroke((12, 20), (400, 262), size=8)]}
    short = {"id": "s", "kind": "removal", "strokes": [stroke((200, 60), size=14)]}
    text = mending.fill_for(renderer(), scene(), key(scene()), with_repairs(repair), "r")
    waiting, filled = mended(repair), mended({**repair, "fill": text})
    seen = scene().repaired(waiting).reduced(2).planes
    assert isinstance(waiting.kept(0, False, None), mend.Unknown)
    there = scene().reduced(2).planes
    hole = (seen != there).any(0)
    assert 0.5 < hole.sum() / (waiting.cover(waiting.repairs[0], Rect(0, 0, W, H)).sum() / 4) < 2
    exact = scene().repaired(filled).reduced(2).planes
    error, other = (float(np.sqrt(np.square(now - there)[:, hole].mean())) for now in (seen, exact))
    assert error < 1.5 * other
    # what is filled, short or delivered is what it is at full size
    for now in (filled, mended(short)):
        scene().repaired(now).reduced(2)
        assert not isinstance(now.kept(0, False, None), mend.Unknown)
    source = scene()
    delivered = Mended(
        source, key(source), waiting.repairs, ByteCache(1 << 26), False, reduced=lambda step, hot: source.reduced(step)
    )
    assert np.abs(source.repaired(delivered).reduced(2).planes - exact).max() < 1e-6


@pytest.mark.parametrize("kind", ACROSS)
def test_half_of_it_is_half_the_way(kind: str, cut: None) -> None:
    """What the next section goes by is the whole fill of the one before, however weak it is."""
    there = scene().window(0, 0, W, H)
    full, half = (made({**ACROSS[kind], "strength": strength}, quick=False) for strength in (100, 50))
    assert np.abs(half - (there + full) / 2).max() < 1e-5


@pytest.mark.parametrize(
    "ends",
    [((-30, 60), (450, 205)), ((-3, 60), (423, 205)), ((-1, 62), (380, 282)), ((60, -5.5), (421, 283.5)), ((5, 5), (415, 275))],
)
def test_fills_are_used_again_where_the_hand_went_over_the_edge(
    ends: tuple[tuple[float, float], tuple[float, float]], cut: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    repair = {"id": "r", "kind": "removal", "strokes": [stroke(*ends, size=8)]}
    text = mending.fill_for(renderer(), scene(), key(scene()), with_repairs(repair), "r")
    assert len(fills_from_text(text)) > 5
    whole = made(repair, quick=False)
    looked: list[int] = []
    monkeypatch.setattr(removals, "found", lambda *a, **more: looked.append(1))
    kept = made({**repair, "fill": text}, quick=False)
    assert not looked and np.abs(kept - whole).max() < 1e-6


def test_sections_without_anything_to_fill_have_their_place_among_the_others() -> None:
    fill = Fill(3, 4, np.zeros((2, 3), np.uint16), np.array([[5, 6]]))
    text = text_of([None, fill, None])
    again = fills_from_text(text)
    assert [f is None for f in again] == [True, False, True]
    assert again[1] is not None and (again[1].offsets == fill.offsets).all() and (again[1].left, again[1].top) == (3, 4)
    assert text_of([None, None]) == "" and fills_from_text("") == ()
    for wrong in (text + ".", text.replace("-.", "?."), "."):
        with pytest.raises(ValueError, match="damaged"):
            fills_from_text(wrong)


def test_nothing_of_a_cable_is_left_where_sections_meet(cut: None) -> None:
    """Its own other half is neither gone by nor taken."""
    clean = np.rint(np.clip(np.moveaxis(scene().window(0, 0, W, H), 0, -1), 0, 1) ** (1 / 2.2) * 65535).astype(np.uint16)
    y, x = np.mgrid[:H, :W]
    apart = np.abs((y - 20) * 388 - (x - 12) * 242) / np.hypot(388, 242)
    hung = clean.copy()
    hung[(apart < 3) & (x > 12) & (x < 400)] = (65535, 0, 0)
    with_cable, without = rendered(hung), rendered(clean)
    repair = {"id": "r", "kind": "removal", "strokes": [stroke((12, 20), (400, 262), size=12, hardness=100)]}
    plans = with_cable.plan(with_repairs(repair)).repairs
    for quick in (True, False):
        there = Mended(with_cable, "cable", plans, ByteCache(1 << 26), quick)
        now, truth = (s.window(0, 0, W, H) for s in (with_cable.repaired(there), without))
        hole = apart < 3
        far = np.abs(now - truth).max(0)[hole & (x > 14) & (x < 398)]
        red = (now[0] - now[1])[hole] - (truth[0] - truth[1])[hole]
        assert np.abs(red).max() < 0.05, quick
        assert np.percentile(far, 99) < 0.12


def test_a_section_is_filled_beyond_where_it_is_cut(cut: None) -> None:
    """Light is free at its end: that lies in the next one, which fills it anew and goes by what the first one kept."""
    repair = {"id": "r", "kind": "removal", "strokes": [stroke((12, 20), (400, 262), size=8)]}
    plan, ground, all_of_it = scene().plan(with_repairs(repair)).repairs[0], mended(repair), Rect(0, 0, W, H)
    removal = removals.Removal(ground, 0, plan, ground.target(plan))
    removed = ground.cover(plan, all_of_it) > removals.REMOVED
    own = np.zeros((H, W), int)
    for at, section in enumerate(removal.sections):
        own[section.of(all_of_it)] = at + 1
    for at in range(len(removal.sections)):
        gone, hole, void, usable = removal.parts(at, all_of_it)
        assert (gone == hole).all() and (hole[(own == at + 1)] == removed[(own == at + 1)]).all()
        assert not hole[own <= at].any() and not void[own <= at].any()
        later = removed & (own > at + 1)
        assert (hole[later] | void[later]).all() and not (hole & void).any()
        assert hole[later].sum() > 60 or at + 1 == len(removal.sections)
        assert (usable == ~removed).all()


def test_a_fill_that_was_found_is_not_looked_for_again(monkeypatch: pytest.MonkeyPatch) -> None:
    """Results are stepped to and fro, and a page is read again while one is looked for."""
    looked: list[int] = []
    find = removals.found
    monkeypatch.setattr(removals, "found", lambda *a, **more: (looked.append(1), find(*a, **more))[1])
    there, other = Renderer(Decoder(), memory_bytes=64 << 20), {**KINDS["removal"], "id": "r", "seed": 5}
    before = {"id": "b", "kind": "cover", "strokes": other["strokes"], "colour": [0.4, 0.1, 0.2]}
    wider = {**other, "reach": 150}
    texts = [
        mending.fill_for(there, scene(), name, with_repairs(*repairs), "r")
        for name, *repairs in (
            ("a", other),
            ("a", {**other, "seed": 6}),
            ("a", other),
            ("a", before, other),
            ("a", wider),
            ("b", other),
        )
    ]
    # another source, another result, other ground or another reach: those are looked for
    assert len(looked) == 5 and texts[0] == texts[2] == texts[5] != texts[1]
