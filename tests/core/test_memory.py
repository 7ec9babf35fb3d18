"""Memory that is taken again is never that of planes which somebody still holds."""

import threading

import numpy as np
import pytest

from zincplate.core.kernels import memory

SHAPE = (3, 100, 200)


def address(plane: np.ndarray) -> int:
    return int(plane.__array_interface__["data"][0])


def test_what_nobody_holds_is_taken_again() -> None:
    with memory.taken_again():
        first = memory.empty(*SHAPE)
        where = address(first)
        del first
        again = memory.empty(*SHAPE)
        assert address(again) == where and again.shape == SHAPE and again.flags.c_contiguous


@pytest.mark.parametrize(
    "held", [lambda a: a, lambda a: a[1], lambda a: a[:, 5:, ::2], lambda a: memoryview(a), lambda a: a.T.real]
)
def test_what_somebody_holds_is_left(held: object) -> None:
    with memory.taken_again():
        first = memory.empty(*SHAPE)
        first.fill(7)
        kept = held(first)  # type: ignore[operator]
        del first
        for _ in range(3):
            memory.empty(*SHAPE).fill(1)
        assert np.all(np.asarray(kept) == 7)


def test_a_plane_outlives_the_part() -> None:
    with memory.taken_again():
        kept = memory.empty(*SHAPE)
        kept.fill(3)
    with memory.taken_again():
        memory.empty(*SHAPE).fill(1)
    assert np.all(kept == 3)


def test_zeros_are_nothing_and_blocks_far_too_large_are_not_taken() -> None:
    with memory.taken_again():
        large = memory.empty(3, 400, 200)
        large.fill(5)
        where = address(large)
        del large
        small = memory.zeros(*SHAPE)
        assert not small.any() and address(small) != where
        assert address(memory.empty(3, 390, 200)) == where


def test_threads_do_not_share_and_outside_nothing_is_kept() -> None:
    with memory.taken_again():
        mine = memory.empty(*SHAPE)
        mine.fill(2)
        where, others = address(mine), list[int]()
        del mine

        def beside() -> None:
            with memory.taken_again():
                others.append(address(memory.empty(*SHAPE)))

        thread = threading.Thread(target=beside)
        thread.start()
        thread.join()
        assert where not in others
    one = memory.empty(*SHAPE)
    assert one.base is None


def test_what_nobody_uses_is_given_back_when_there_is_too_much(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(memory, "MOST", 250_000)
    with memory.taken_again():
        kept = memory.empty(3, 100, 200)
        kept.fill(4)
        memory.empty(3, 100, 300)  # used by nobody
        memory.empty(3, 100, 500)  # more than may be kept together
        blocks = memory._blocks.kept
        assert blocks is not None and sorted(block.size for block in blocks) == [60_000, 150_000]
        assert np.all(kept == 4)


def test_a_thread_may_take_its_memory_again_as_long_as_it_lives() -> None:
    places = list[int]()

    def work() -> None:
        memory.take_again()
        for _ in range(3):
            places.append(address(memory.empty(*SHAPE)))

    thread = threading.Thread(target=work)
    thread.start()
    thread.join()
    assert len(set(places)) == 1
