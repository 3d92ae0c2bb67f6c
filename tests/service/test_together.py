"""One making for all who ask at once: never older than the question, and an error is nobody else's."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import pytest

from rampa.operations.base.together import Together
from tests.conftest import World
from tests.ends.machines import until

ASKERS = 12


def gated(made: list[int], go: threading.Event, begun: threading.Event) -> Callable[[], int]:
    """A making that is waited for; each returns its own number."""

    def make() -> int:
        made.append(len(made))
        begun.set()
        assert go.wait(30)
        return made[-1]

    return make


def test_who_asks_meanwhile_shares_the_next_one() -> None:
    shared: Together[int] = Together()
    made: list[int] = []
    go, begun = threading.Event(), threading.Event()
    make = gated(made, go, begun)
    with ThreadPoolExecutor(ASKERS) as threads:
        first = threads.submit(shared.get, make)
        assert begun.wait(30)
        later = [threads.submit(shared.get, make) for _ in range(ASKERS - 1)]
        until(lambda: len(shared._changed._waiters) == ASKERS - 1, "all the others ask")  # type: ignore[attr-defined]
        go.set()
        assert first.result(30) == 0
        # What was begun before they asked is too old for them; one making is enough for all.
        assert {each.result(30) for each in later} == {1}
    assert made == [0, 1]


def test_alone_each_is_new() -> None:
    shared: Together[int] = Together()
    numbers = iter(range(3))
    assert [shared.get(lambda: next(numbers)) for _ in range(3)] == [0, 1, 2]


def test_an_error_is_the_makers_own() -> None:
    shared: Together[int] = Together()
    go, begun = threading.Event(), threading.Event()

    def fail() -> int:
        begun.set()
        assert go.wait(30)
        raise ValueError("no board today")

    with ThreadPoolExecutor(2) as threads:
        failed = threads.submit(shared.get, fail)
        assert begun.wait(30)
        other = threads.submit(shared.get, lambda: 7)
        go.set()
        with pytest.raises(ValueError, match="no board today"):
            failed.result(30)
        assert other.result(30) == 7


def test_the_board_that_is_shared_is_closed_to_strangers(world: World) -> None:
    http = world.app.test_client()  # type: ignore[attr-defined]
    assert http.get("/api/v1/board").status_code == 401
