"""Long thin repairs and many over each other: a cable across a picture is held as the pixels it is, and nothing is made twice."""

from typing import Any

import numpy as np
import pytest

from tests.contract.test_passes import key, renderer
from tests.contract.test_repairs import H, W, away, scene, stroke, with_repairs
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.windows import Window
from zincplate.sources import mend
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
