"""Schedules and patterns of triggers: what is refused when it is saved, and what never makes anybody wait."""

from __future__ import annotations

import datetime as dt

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.run.triggers import FIELDS, matching, next_time, schedule_problem, touches

NOW = dt.datetime(2026, 11, 28, 19, 0, tzinfo=dt.UTC)


@pytest.mark.parametrize(
    ("schedule", "then"),
    [
        ("30 2 * * *", "2026-11-29T02:30"),
        ("*/15 * * * *", "2026-11-28T19:15"),
        ("0 6 * * mon-fri", "2026-11-30T06:00"),
        ("0 6 * * 1-5", "2026-11-30T06:00"),
        ("5,35 20-22 28 NOV *", "2026-11-28T20:05"),
        ("0 0 29 2 *", "2028-02-29T00:00"),
        ("0 12 * * 7", "2026-11-29T12:00"),
    ],
)
def test_the_next_time_in_utc(schedule: str, then: str) -> None:
    assert schedule_problem(schedule) == ""
    assert f"{next_time(schedule, NOW):%Y-%m-%dT%H:%M}" == then


@pytest.mark.parametrize(
    ("schedule", "said"),
    [
        ("every night", "five fields"),
        ("* * * *", "five fields"),
        ("* * * * * *", "five fields"),
        ("@daily", "five fields"),
        ("60 * * * *", "minute"),
        ("*/150 * * * *", "minute"),
        ("*/0 * * * *", "minute"),
        ("9-3 * * * *", "minute"),
        ("R R * * *", "minute"),
        ("H 2 * * *", "minute"),
        ("mon * * * *", "minute"),
        ("0 24 * * *", "hour"),
        ("0 0 L * *", "day"),
        ("0 0 0 * *", "day"),
        ("0 0 1 fog *", "month"),
        ("0 0 * * 1#5", "weekday"),
        ("0 0 * * 8", "weekday"),
        ("0 0 31 2 *", "never comes"),
        ("0 0 31 4,6,9,11 *", "never comes"),
        ("0 0 * * \u0663", "weekday"),
    ],
)
def test_a_schedule_that_is_none_or_never_comes_is_said(schedule: str, said: str) -> None:
    assert said in schedule_problem(schedule)


numbers = st.tuples(*(st.integers(low - 1, high + 1).map(str) for _, low, high, _ in FIELDS)).map(" ".join)


@given(st.one_of(numbers, st.lists(st.text(alphabet="0123456789*/-,LHR# ", max_size=8), max_size=6).map(" ".join)))
def test_what_is_taken_has_a_next_time(schedule: str) -> None:
    if not schedule_problem(schedule):
        assert next_time(schedule, NOW) > NOW


def test_branches_by_pattern_and_paths_that_changed() -> None:
    assert matching("release/*", ["main", "release/1.4", "release/1/2"]) == ["release/1.4", "release/1/2"]
    assert matching("v?.[0-9]", ["v1.4", "v1.x", "v12.4"]) == ["v1.4"]
    assert touches([], []) is True
    assert touches(["data/", "!data/notes/"], ["data/notes/a", "src/fog.c"]) is False
    assert touches(["data/", "!data/notes/"], ["src/fog.c", "data/bog.arc"]) is True


def test_a_pattern_of_many_stars_takes_no_longer_than_any_other() -> None:
    """With a matcher that goes back this one name takes minutes: the test would not end."""
    name = "a" * 60
    assert not touches(["*a" * 24 + "b"], [name] * 100)
    assert touches(["*a" * 24], [name])
    assert matching("*a" * 24 + "b", [name] * 100) == []
