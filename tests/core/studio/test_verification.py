"""A studio's verification: every state is reached, whose turn it is, and how long it waits."""

from __future__ import annotations

import datetime as dt
import itertools

from hypothesis import given
from hypothesis import strategies as st

from rampa.core.studio.verification import (
    OURS,
    TRANSITIONS,
    WAITING,
    WORDS,
    VerificationEvent,
    VerificationState,
    days_waited,
)

NOW = dt.datetime(2026, 11, 30, 12, tzinfo=dt.UTC)


def test_every_state_is_reached_and_each_is_somebodys_turn() -> None:
    assert {*TRANSITIONS.values(), VerificationState.NOT_BEGUN} == set(VerificationState) == set(WORDS)
    assert {*OURS, *WAITING, VerificationState.VERIFIED} == set(VerificationState)


@given(st.lists(st.sampled_from(VerificationEvent), max_size=30))
def test_it_is_never_verified_without_having_been_looked_at(events: list[VerificationEvent]) -> None:
    state, taken = VerificationState.NOT_BEGUN, [VerificationState.NOT_BEGUN]
    for event in events:
        state = TRANSITIONS.get((state, event), state)
        taken.append(state)
    for before, after in itertools.pairwise(taken):
        if after is VerificationState.VERIFIED and before is not after:
            assert before is VerificationState.LOOKING
        if after is VerificationState.HANDED_IN and before is not after:
            assert before in OURS


@given(st.integers(-5, 400), st.integers(0, 86_399))
def test_days_are_whole_and_never_below_none(days: int, seconds: int) -> None:
    since = NOW - dt.timedelta(days=days, seconds=seconds)
    assert days_waited(since, NOW) == max(0, days)
