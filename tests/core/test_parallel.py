"""Work on several threads: in order, only so far ahead, and given up at once."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from itertools import islice

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.parallel import in_order, pool


@given(st.lists(st.integers(), max_size=30), st.integers(1, 6))
def test_results_come_in_the_order_of_the_items(items: list[int], ahead: int) -> None:
    with pool(3) as threads:
        assert list(in_order(threads, lambda n: n * 2, items, ahead)) == [n * 2 for n in items]


def test_a_slow_piece_holds_the_order_and_lets_no_more_than_so_many_run_ahead() -> None:
    taken: list[int] = []
    slow = threading.Event()

    def items() -> Iterator[int]:
        for number in range(20):
            taken.append(number)
            yield number

    def work(number: int) -> int:
        if number == 0:
            assert slow.wait(60)
        return number

    with pool(4) as threads:
        results = in_order(threads, work, items(), ahead=3)
        # Only when three are on their way is the first waited for.
        threading.Timer(0, slow.set).start()
        assert next(results) == 0
        assert taken == [0, 1, 2]
        assert list(islice(results, 2)) == [1, 2]
        assert len(taken) == 5


def test_an_error_comes_at_its_place_and_what_waits_is_given_up() -> None:
    done: list[int] = []

    def work(number: int) -> int:
        if number == 2:
            raise ValueError("the third is damaged")
        done.append(number)
        return number

    got: list[int] = []
    with pytest.raises(ValueError, match="third"), pool(1) as threads:
        got.extend(in_order(threads, work, range(1000), ahead=4))
    assert got == [0, 1]
    assert done[:2] == [0, 1]
    assert len(done) <= 6
