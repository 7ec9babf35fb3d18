"""Blocks of a panorama's strip that are worked at once: beside each other, of the same frames, and no others."""

from zincplate.merges.panorama.parts import BLOCK, _joined, _joined_mixed


def test_only_neighbours_are_joined_and_no_more_than_sixteen() -> None:
    runs = [(k * BLOCK, (k + 1) * BLOCK) for k in range(36) if k not in (3, 4)]
    found = _joined(runs)
    assert found == [(0, 3 * BLOCK), (5 * BLOCK, 21 * BLOCK), (21 * BLOCK, 36 * BLOCK)]
    assert _joined([]) == []


def test_only_neighbours_of_the_same_frames_are_mixed_at_once() -> None:
    runs = [(0, 64, [0, 1]), (64, 128, [1, 0]), (128, 192, [0, 1, 2]), (256, 320, [0, 1, 2]), (320, 384, [0, 1, 2])]
    found = [(x0, x1, set(here)) for x0, x1, here in _joined_mixed(runs)]
    assert found == [(0, 128, {0, 1}), (128, 192, {0, 1, 2}), (256, 384, {0, 1, 2})]
