"""What ends when: the order, days that are left, reminders that come once."""

from __future__ import annotations

import datetime as dt

from hypothesis import given
from hypothesis import strategies as st

from rampa.core.calendar import REMIND, Ending, EndingKind, days_left, in_order, reminder

NOON = dt.datetime(2026, 11, 30, 12, tzinfo=dt.UTC)


def ending(days: float, key: str = "a") -> Ending:
    return Ending(key, EndingKind.TOKEN, key, NOON + dt.timedelta(days=days), "rampa sign-in")


def test_what_ends_first_stands_first_and_days_are_whole() -> None:
    assert [e.key for e in in_order([ending(3, "b"), ending(1, "c"), ending(-2, "a")])] == ["a", "c", "b"]
    assert [days_left(ending(d), NOON) for d in (-1, 0, 0.01, 1, 6.5)] == [0, 0, 1, 1, 7]


def test_each_reminder_comes_once_and_what_was_missed_is_said_once() -> None:
    assert reminder(ending(31), NOON, ()) is None
    assert reminder(ending(29.5), NOON, ()) == 30
    assert reminder(ending(29.5), NOON, (30,)) is None
    assert reminder(ending(0.5), NOON, ()) == 1, "thirty and seven were missed: it is said once"
    assert reminder(ending(-0.5), NOON, ()) is None, "it is over"


@given(st.floats(-5, 60), st.lists(st.floats(0, 50), max_size=40))
def test_nobody_is_told_more_often_than_there_are_reminders(left: float, looks: list[float]) -> None:
    told: set[int] = set()
    count = 0
    for later in sorted(looks):
        days = reminder(ending(left), NOON + dt.timedelta(days=later), told)
        if days is not None:
            told.add(days)
            count += 1
    assert count <= len(REMIND)
