"""One limit for several stores: what was used longest ago goes first, wherever it lies."""

from __future__ import annotations

import threading

import pytest

from collage.core.base.budget import MOST, Budget, Store, ordinary_limit


def store(budget: Budget, **more) -> Store[str, bytes]:
    return Store(budget, len, **more)


def test_what_was_used_longest_ago_goes_first_in_whichever_store() -> None:
    budget = Budget(100)
    first, second = store(budget), store(budget)
    for name in "ab":
        first.put(name, bytes(30))
    second.put("c", bytes(30))
    assert first.get("a"), "used last"
    second.put("d", bytes(30))
    assert [name in first for name in "ab"] == [True, False]
    assert [name in second for name in "cd"] == [True, True]
    assert budget.used == 90


def test_every_store_keeps_what_it_used_last_even_where_that_is_too_much() -> None:
    budget = Budget(10)
    first, second = store(budget), store(budget)
    first.put("a", bytes(50))
    second.put("b", bytes(50))
    first.put("c", bytes(50))
    assert "c" in first
    assert "b" in second
    assert "a" not in first


def test_a_lower_limit_holds_at_once() -> None:
    budget = Budget(1000)
    kept = store(budget)
    for number in range(10):
        kept.put(str(number), bytes(100))
    budget.limit = 350
    assert budget.used == 300
    assert [name for name in map(str, range(10)) if name in kept] == ["7", "8", "9"]


def test_a_value_that_grows_is_counted_as_it_is() -> None:
    budget = Budget(110)
    kept: Store[str, list[int]] = Store(budget, len)
    grows = [0] * 10
    kept.put("grows", grows)
    kept.put("other", [0] * 20)
    grows += [0] * 90
    assert kept.get("grows") is grows
    assert budget.used == 120
    kept.put("more", [0])
    assert "other" not in kept
    assert budget.used == 101


def test_more_than_the_most_are_not_kept_and_who_asks_is_told_of_those_that_go() -> None:
    gone: list[bytes] = []
    kept = store(Budget(), most=2, dropped=gone.append)
    for name in "abc":
        kept.put(name, name.encode())
    assert gone == [b"a"]
    kept.drop(lambda name: name == "b")
    assert gone == [b"a"], "what is not wanted any more goes without a word"
    assert "b" not in kept
    assert kept.bytes == 1


def test_who_asks_for_what_is_being_made_waits_for_it() -> None:
    kept, made, go = store(Budget()), [], threading.Event()

    def make() -> bytes:
        made.append(1)
        go.wait(10)
        return b"value"

    found: list[bytes] = []
    threads = [threading.Thread(target=lambda: found.append(kept.get_or_make("a", make))) for _ in range(4)]
    for thread in threads:
        thread.start()
    while not made:
        pass
    go.set()
    for thread in threads:
        thread.join(10)
    assert found == [b"value"] * 4
    assert len(made) == 1


def test_what_could_not_be_made_is_tried_again() -> None:
    kept = store(Budget())

    def fail() -> bytes:
        raise RuntimeError("called off")

    with pytest.raises(RuntimeError):
        kept.get_or_make("a", fail)
    assert kept.get_or_make("a", lambda: b"now") == b"now"


def test_a_store_that_nobody_has_any_more_counts_no_more() -> None:
    budget = Budget(100)
    kept = store(budget)
    kept.put("a", bytes(60))
    del kept
    assert budget.used == 0


def test_the_ordinary_limit_leaves_most_of_a_small_machine_free() -> None:
    assert 0 < ordinary_limit() <= MOST


def test_a_value_that_has_grown_is_counted_when_that_is_said() -> None:
    budget = Budget(100)
    kept: Store[str, list[int]] = Store(budget, len)
    kept.put("other", [0] * 40)
    grows = [0] * 10
    kept.put("grows", grows)
    grows += [0] * 80
    kept.recount("grows")
    assert budget.used == 90
    assert "other" not in kept
    kept.recount("other")
    assert "other" not in kept
