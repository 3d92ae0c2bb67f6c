"""Finding the commit: whatever it is and whatever cannot be tried, it is found, or stands in the range that is told."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.run.bisect import (
    TRANSITIONS,
    BisectEvent,
    BisectState,
    Measured,
    TrialState,
    bounds,
    next_trials,
    outcome,
    rounds_left,
    told_by_number,
    told_by_self_test,
)
from rampa.core.transitions import possible

GOOD, BAD, UNTOLD, WAITING = TrialState.GOOD, TrialState.BAD, TrialState.UNTOLD, TrialState.WAITING


def search(last: int, culprit: int, untold: frozenset[int], at_once: int) -> tuple[BisectEvent, int, int, int]:
    """(how it ended, low, high, rounds), all tries of a round ending together."""
    seen: dict[int, TrialState] = {}
    for rounds in range(200):
        ended = outcome(last, seen)
        if ended:
            return ended.event, ended.low, ended.high, rounds
        tried = next_trials(last, seen, at_once)
        assert tried, "it neither ends nor goes on"
        assert len(tried) == len(set(tried)) <= at_once
        assert not set(tried) & seen.keys(), "nothing is tried twice"
        for p in tried:
            seen[p] = UNTOLD if p in untold else BAD if p >= culprit else GOOD
    raise AssertionError("it does not end")


@given(st.data())
def test_it_is_found_or_in_the_range(data: st.DataObject) -> None:
    last = data.draw(st.integers(1, 60))
    culprit = data.draw(st.integers(1, last))
    untold = data.draw(st.frozensets(st.integers(1, max(1, last - 1)), max_size=10)) - {last}
    event, low, high, _ = search(last, culprit, untold, data.draw(st.integers(1, 5)))
    assert low < culprit <= high
    assert all(p in untold for p in range(low + 1, high)), "the smallest range that can be told"
    assert event == (BisectEvent.FIND if high - low == 1 else BisectEvent.NARROW)


@pytest.mark.parametrize(("last", "at_once", "most"), [(1000, 1, 12), (1000, 3, 7), (10, 2, 4), (1, 1, 2), (2, 4, 1)])
def test_in_few_rounds(last: int, at_once: int, most: int) -> None:
    worst = max(search(last, culprit, frozenset(), at_once)[3] for culprit in range(1, last + 1, max(1, last // 50)))
    assert worst <= most
    assert rounds_left(last, {}, at_once) <= most


def test_what_is_being_tried_is_not_tried_beside() -> None:
    """Two agents: one half is being tried, the other one takes its place in what is left, not the commit next to it."""
    seen = {0: GOOD, 30: BAD, 10: WAITING}
    assert next_trials(30, seen, 1) == [20]
    assert next_trials(30, {0: GOOD, 30: BAD}, 2) == [10, 20]
    assert outcome(30, seen) is None
    assert next_trials(1, {0: WAITING}, 3) == [1]


@pytest.mark.parametrize(
    ("seen", "event"),
    [
        ({0: BAD}, BisectEvent.REFUTE),
        ({9: GOOD}, BisectEvent.REFUTE),
        ({0: UNTOLD, 9: BAD, **dict.fromkeys(range(1, 9), BAD)}, BisectEvent.NARROW),
        ({0: GOOD, 9: UNTOLD, **dict.fromkeys(range(1, 9), GOOD)}, BisectEvent.NARROW),
        ({0: GOOD, 9: BAD, 4: GOOD, 5: BAD}, BisectEvent.FIND),
    ],
)
def test_ends_that_do_not_hold(seen: dict[int, TrialState], event: BisectEvent) -> None:
    ended = outcome(9, seen)
    assert ended
    assert ended.event == event


def test_a_good_one_after_a_bad_one_does_not_count() -> None:
    """Where it comes and goes, the first time counts."""
    assert bounds(9, {0: GOOD, 3: GOOD, 5: BAD, 7: GOOD, 9: BAD}) == (3, 5)


@pytest.mark.parametrize(
    ("measured", "crash", "told"),
    [
        (Measured("passed"), "", GOOD),
        (Measured("failed"), "", BAD),
        (Measured(), "", UNTOLD),
        (Measured("passed"), "k", GOOD),
        (Measured("failed", "k"), "k", BAD),
        (Measured("failed", "other"), "k", UNTOLD),
        (Measured("failed"), "k", UNTOLD),
    ],
)
def test_what_a_self_test_tells(measured: Measured, crash: str, told: TrialState) -> None:
    assert told_by_self_test(measured, crash) == told


def test_what_a_number_tells() -> None:
    assert (told_by_number(10, 10), told_by_number(10.1, 10)) == (GOOD, BAD)


def test_what_ended_stays() -> None:
    assert possible(TRANSITIONS, BisectState.WORKING) == list(BisectEvent)
    assert all(not possible(TRANSITIONS, s) for s in BisectState if s != BisectState.WORKING)
