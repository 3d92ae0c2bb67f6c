"""The review desk's rules: the order of the queue, claims, what a verdict says, times."""

from __future__ import annotations

import datetime as dt

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.submission.desk import REASONS, Queued, by_week, holder, in_order, must_be_free, must_hold, must_say
from tests.refusals import refuses

NOON = dt.datetime(2026, 11, 30, 12, tzinfo=dt.UTC)
HOURS = st.integers(0, 400).map(lambda h: dt.timedelta(hours=h))


def queued(since: float = 0, promised: float = 24, by: str = "", left: float = 0) -> Queued:
    until = NOON + dt.timedelta(minutes=left) if by else None
    return Queued(NOON - dt.timedelta(hours=since), NOON + dt.timedelta(hours=promised), by, until)


def test_what_was_promised_earliest_comes_first_then_what_is_oldest() -> None:
    queue = {"old": queued(90, 24), "late": queued(2, -1), "older": queued(91, 24), "soon": queued(0, 2)}
    assert in_order(queue) == ["late", "soon", "older", "old"]


@given(st.lists(st.tuples(HOURS, HOURS), max_size=30))
def test_the_order_is_of_all_and_of_promises(times: list[tuple[dt.timedelta, dt.timedelta]]) -> None:
    queue = {n: Queued(NOON - since, NOON + promised) for n, (since, promised) in enumerate(times)}
    order = in_order(queue)
    assert sorted(order) == sorted(queue)
    promises = [queue[n].promised for n in order]
    assert promises == sorted(promises)


def test_a_claim_is_ones_own_until_it_lapses() -> None:
    held, gone = queued(by="Rauni", left=5), queued(by="Rauni", left=-1)
    assert (holder(held, NOON), holder(gone, NOON)) == ("Rauni", "")
    must_be_free("review 1", held, "Rauni", NOON)
    must_be_free("review 1", gone, "Oskari", NOON)
    with refuses("review.claimed", "Rauni has review 1"):
        must_be_free("review 1", held, "Oskari", NOON)
    with refuses("review.not-yours", "you do not have review 1"):
        must_hold("review 1", gone, "Rauni", NOON)
    must_hold("review 1", held, "Rauni", NOON)


@pytest.mark.parametrize(
    ("act", "text", "reason", "code"),
    [("ask", " ", "", "review.words"), ("refuse", "", "crash", "review.words"), ("refuse", "It ends.", "fog", "review.reason"),
     ("pass", "x" * 9000, "", "review.long")],
)  # fmt: skip
def test_a_verdict_is_said_in_words(act: str, text: str, reason: str, code: str) -> None:
    with refuses(code):
        must_say(act, text, reason, REASONS)


def test_times_are_of_weeks_with_what_was_late() -> None:
    def verdict(day: int, took: float, promised: float = 24) -> tuple[dt.datetime, dt.datetime, dt.datetime]:
        said = dt.datetime(2026, 11, day, 12, tzinfo=dt.UTC)
        return said - dt.timedelta(hours=took), said + dt.timedelta(hours=promised - took), said

    weeks = by_week([verdict(24, 2), verdict(25, 4), verdict(26, 60), verdict(30, 1)])
    assert [(w.monday.isoformat(), w.count, w.late) for w in weeks] == [("2026-11-23", 3, 1), ("2026-11-30", 1, 0)]
    assert weeks[0].usual is not None
    assert weeks[0].usual.median == 4 * 3600
    assert weeks[1].usual is None, "one says nothing of what is usual"
