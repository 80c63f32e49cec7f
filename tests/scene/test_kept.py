"""Values kept beside an object live exactly as long as it."""

from __future__ import annotations

import gc
import threading
import weakref

import numpy as np

from customs.scene.kept import kept, latest


class Thing:
    """Something a value can be kept beside."""


def test_a_value_is_found_once_for_each_name_and_holder() -> None:
    asked: list[str] = []
    one, other = Thing(), np.zeros(3)
    for _ in range(2):
        assert kept("a", one, lambda: asked.append("a") or 1) == 1  # type: ignore[func-returns-value]
        assert kept("b", one, lambda: asked.append("b")) is None
        assert kept("a", other, lambda: asked.append("array") or 2) == 2  # type: ignore[func-returns-value]
    assert asked == ["a", "b", "array"]


def test_it_goes_with_its_holder_even_where_the_number_is_given_again() -> None:
    for k in range(200):
        holder = Thing()
        value = kept("value", holder, Thing)
        gone = weakref.ref(value)
        assert kept("round", holder, lambda k=k: k) == k  # type: ignore[misc]
        del value, holder
        gc.collect(0)
        assert gone() is None


def _kept_itself(holder: Thing) -> Thing:
    return kept("self", holder, lambda: holder)


def _latest_itself(holder: Thing) -> Thing:
    return latest("self", holder, 1, lambda: holder)


def test_an_answer_that_is_the_holder_does_not_keep_it_alive() -> None:
    holder = Thing()
    assert all(way(holder) is holder for way in (_kept_itself, _latest_itself))
    gone = weakref.ref(holder)
    del holder
    gc.collect()
    assert gone() is None


def test_threads_that_ask_at_once_get_the_same() -> None:
    holder, start, got = Thing(), threading.Barrier(8), list[Thing]()

    def ask() -> None:
        start.wait()
        got.append(kept("value", holder, Thing))

    threads = [threading.Thread(target=ask) for _ in range(8)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert len(got) == 8 and len(set(map(id, got))) == 1


def test_finding_may_ask_for_more_of_the_same_holder() -> None:
    holder = Thing()
    assert kept("outer", holder, lambda: kept("inner", holder, lambda: 2) + 1) == 3


def test_of_what_hangs_on_a_mark_the_latest_is_kept() -> None:
    holder, asked = Thing(), list[int]()

    def ask(mark: int) -> int:
        return latest("value", holder, mark, lambda: asked.append(mark) or mark * 10)  # type: ignore[func-returns-value]

    assert [ask(m) for m in (1, 1, 2, 2, 1)] == [10, 10, 20, 20, 10] and asked == [1, 2, 1]
