"""Spans of time: fixed beforehand, one behind the other, and not looked at before they are over."""

from __future__ import annotations

import datetime as dt

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.health.spans import SHORTEST, is_over, length_of, span_of

SINCE = dt.datetime(2026, 11, 29, 12, tzinfo=dt.UTC)
SECONDS = st.floats(0, 7 * 86400, allow_nan=False)


def after(seconds: float) -> dt.datetime:
    return SINCE + dt.timedelta(seconds=seconds)


@given(SECONDS)
def test_a_moment_lies_in_its_span(seconds: float) -> None:
    span = span_of(SINCE, after(seconds))
    passed = (after(seconds) - SINCE).total_seconds()
    assert span <= passed < span + length_of(span)
    assert span % SHORTEST == length_of(span) % SHORTEST == 0
    assert not is_over(SINCE, span, after(seconds))
    assert is_over(SINCE, span, after(span + length_of(span)))
    assert span_of(SINCE, after(span)) == span
    assert span_of(SINCE, after(span + length_of(span))) == span + length_of(span)


@pytest.mark.parametrize(
    ("seconds", "span", "length"),
    [
        (-5, 0, 30),
        (31, 30, 30),
        (599, 570, 30),
        (600, 600, 120),
        (3599, 3480, 120),
        (3600, 3600, 600),
        (93_599, 90_000, 3600),
    ],
)
def test_short_at_first(seconds: int, span: int, length: int) -> None:
    assert (span_of(SINCE, after(seconds)), length_of(span)) == (span, length)
