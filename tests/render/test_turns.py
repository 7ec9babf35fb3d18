"""Whose turn it is: urgent work first, what nobody waits for not at all, what several ask for once."""

import threading
import time
from collections.abc import Callable

import pytest

from zincplate.formats.turns import Lines, Superseded, Turn, TurnLock, Urgency
from zincplate.pipeline.cache import ByteCache
from zincplate.render.render_thread import RenderThread


def until(condition: Callable[[], bool]) -> None:
    end = time.monotonic() + 10
    while not condition():
        assert time.monotonic() < end
        time.sleep(0.002)


def waits(queue: list[object], count: int) -> None:
    until(lambda: len(queue) == count)


def started(*works: Callable[[], object]) -> list[threading.Thread]:
    threads = [threading.Thread(target=w) for w in works]
    for thread in threads:
        thread.start()
    return threads


def test_the_most_urgent_work_goes_first_and_unwanted_work_not_at_all() -> None:
    render, lines, done, refused = RenderThread(), Lines(), [], []
    gate = threading.Event()
    first = started(lambda: render.run(gate.wait))
    until(lambda: render._thread is not None and not render._waiting)

    def ask(name: str, turn: Turn) -> Callable[[], None]:
        def work() -> None:
            try:
                render.run(lambda: done.append(name), turn)
            except Superseded:
                refused.append(name)

        return work

    waiting = []
    for name, turn in (
        ("small picture", Turn(Urgency.REST)),
        ("old view", lines.turn("tab:adjusted", Urgency.SEEN)),
        ("other page's view", lines.turn("other:adjusted", Urgency.SEEN)),
        ("new view", lines.turn("tab:adjusted", Urgency.SEEN)),
        ("drag", lines.turn("tab:drag", Urgency.HAND)),
    ):
        waiting += started(ask(name, turn))
        waits(render._waiting, len(waiting))
    gate.set()
    for thread in first + waiting:
        thread.join(10)
    assert done == ["drag", "other page's view", "new view", "small picture"] and refused == ["old view"]


def test_long_work_lets_the_hand_go_first_between_its_parts() -> None:
    render, order = RenderThread(), []
    in_it, go_on = threading.Event(), threading.Event()

    def long_work() -> None:
        order.append("first part")
        in_it.set()
        go_on.wait()
        render.breathe()
        order.append("second part")

    long = started(lambda: render.run(long_work, Turn(Urgency.REST)))
    in_it.wait()
    hand = started(lambda: render.run(lambda: order.append("hand"), Turn(Urgency.HAND)))
    rest = started(lambda: render.run(lambda: order.append("rest"), Turn(Urgency.REST)))
    until(lambda: len(render._waiting) == 2)
    go_on.set()
    for thread in long + hand + rest:
        thread.join(10)
    assert order == ["first part", "hand", "second part", "rest"]
    render.breathe()  # on any other thread: nothing happens


def test_errors_reach_who_asked_and_the_thread_goes_on() -> None:
    render = RenderThread()
    with pytest.raises(ZeroDivisionError):
        render.run(lambda: 1 // 0)
    assert render.run(lambda: render.run(lambda: 5)) == 5


def test_a_lock_goes_to_the_most_urgent_and_skips_what_is_not_wanted() -> None:
    lock, lines, order = TurnLock(), Lines(), []
    gate = threading.Event()

    def holder() -> None:
        with lock.held():
            gate.wait()

    def waiter(name: str, turn: Turn) -> Callable[[], None]:
        def work() -> None:
            try:
                with lock.held(turn):
                    order.append(name)
            except Superseded:
                order.append(f"not {name}")

        return work

    threads = started(holder)
    until(lambda: lock._held)
    for name, turn in (
        ("rest", Turn(Urgency.REST)),
        ("skipped", lines.turn("a", Urgency.SEEN)),
        ("seen", lines.turn("a", Urgency.SEEN)),
    ):
        threads += started(waiter(name, turn))
        waits(lock._waiting, len(threads) - 1)
    gate.set()
    for thread in threads:
        thread.join(10)
    assert order == ["not skipped", "seen", "rest"]


def test_a_request_that_arrives_late_takes_nothing_from_the_newer_one() -> None:
    lines = Lines()
    newer = lines.turn("a", Urgency.SEEN, 8)
    late = lines.turn("a", Urgency.SEEN, 7)
    assert newer.wanted() and not late.wanted()
    again = lines.turn("a", Urgency.SEEN, 8)  # the same one, sent anew with all its parts
    assert newer.wanted() and again.wanted()
    newest = lines.turn("a", Urgency.SEEN, 9)
    assert newest.wanted() and not newer.wanted() and not again.wanted() and not late.wanted()
    assert lines.turn("b", Urgency.SEEN, 1).wanted()
    by_arrival = lines.turn("a", Urgency.SEEN)
    assert by_arrival.wanted() and not newest.wanted()


def test_lines_forget_the_oldest_and_never_call_a_forgotten_one_unwanted() -> None:
    lines = Lines(kept=2)
    first = lines.turn("a", Urgency.SEEN)
    lines.turn("b", Urgency.SEEN)
    lines.turn("c", Urgency.SEEN)
    assert first.wanted()
    assert lines.turn("", Urgency.REST).wanted()


def test_what_four_ask_for_at_once_is_made_once() -> None:
    cache, made, found = ByteCache(1000), [], []
    gate = threading.Event()

    def make() -> str:
        made.append(1)
        gate.wait()
        return "picture"

    threads = started(*[lambda: found.append(cache.get("k", make, len)) for _ in range(4)])
    until(lambda: len(made) == 1)
    time.sleep(0.05)
    gate.set()
    for thread in threads:
        thread.join(10)
    assert made == [1] and found == ["picture"] * 4 and cache.total_bytes == 7


def test_when_making_fails_the_next_tries() -> None:
    cache, tries = ByteCache(1000), []

    def make() -> str:
        tries.append(1)
        if len(tries) == 1:
            time.sleep(0.05)
            raise ValueError("damaged")
        return "picture"

    results: list[object] = []

    def ask() -> None:
        try:
            results.append(cache.get("k", make, len))
        except ValueError as error:
            results.append(error)

    for thread in started(ask, ask):
        thread.join(10)
    assert len(tries) == 2 and {type(r) for r in results} == {ValueError, str}


def test_making_one_entry_may_need_the_same_again() -> None:
    cache = ByteCache(1000)
    assert cache.get("k", lambda: cache.get("k", lambda: "inner", len) + "+outer", len) == "inner+outer"
    assert cache.total_bytes == len("inner+outer")


def test_the_newest_stays_even_when_it_is_larger_than_the_cache() -> None:
    cache, made = ByteCache(10), []

    def big() -> str:
        made.append(1)
        return "x" * 50

    assert cache.get("small", lambda: "abc", len) == "abc"
    for _ in range(3):
        assert len(cache.get("big", big, len)) == 50
    assert made == [1] and cache.total_bytes == 50
    cache.get("next", lambda: "abc", len)
    assert cache.total_bytes == 3
