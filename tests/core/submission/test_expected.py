"""What is usual, and what changed: from examples and properties."""

from __future__ import annotations

import datetime as dt

from hypothesis import given
from hypothesis import strategies as st

from rampa.core.check.findings import Finding
from rampa.core.submission.changes import Put, changed
from rampa.core.submission.course import TRANSITIONS, Course, CourseEvent, is_over, state_words
from rampa.core.submission.expected import usual, usual_states, usual_verdict
from rampa.core.submission.life import SubmissionState as S
from rampa.core.submission.needs import Need, NeedKey, NeedState, from_findings, is_ready

NOON = dt.datetime(2026, 11, 30, 12, tzinfo=dt.UTC)
TEXTS = st.dictionaries(st.sampled_from(["en", "fi", "es"]), st.fixed_dictionaries({"name": st.text(max_size=4)}))
WORDS = st.text(max_size=4)
PUTS = st.builds(
    Put,
    st.just("1.0"),
    st.integers(1, 9),
    st.sampled_from(["a" * 64, "b" * 64]),
    st.integers(0, 10**9),
    st.sampled_from(["", "For all"]),
    permissions=st.dictionaries(st.sampled_from(["camera", "storage"]), WORDS),
    texts=TEXTS,
    pictures=st.dictionaries(st.just("phone"), st.tuples(st.text(max_size=2))),
    links=st.dictionaries(st.just("support"), WORDS),
)


def steps(*spans: tuple[S, float]) -> list[tuple[dt.datetime, S]]:
    at, out = NOON, []
    for state, seconds in spans:
        out.append((at, state))
        at += dt.timedelta(seconds=seconds)
    return out


def test_what_is_usual_is_the_middle_and_its_spread() -> None:
    seen = [steps((S.SENT, 2), (S.WAITING, wait), (S.PASSED, 0)) for wait in (10, 20, 30, 40, 90)]
    found = usual_states(seen)
    assert (found[S.WAITING].count, found[S.WAITING].low, found[S.WAITING].median, found[S.WAITING].high) == (
        5,
        20,
        30,
        40,
    )
    assert S.PASSED not in found, "nobody knows how long one stays that is there still"
    verdict = usual_verdict(seen)
    assert verdict is not None
    assert verdict.median == 32
    assert usual([1, 2]) is None, "two say nothing"
    assert usual_verdict([steps((S.SENT, 1))] * 5) is None


@given(st.lists(st.floats(0, 1e6), min_size=3, max_size=40))
def test_half_of_them_lie_between(times: list[float]) -> None:
    found = usual(times)
    assert found is not None
    assert min(times) <= found.low <= found.median <= found.high <= max(times)
    assert sum(found.low <= t <= found.high for t in times) >= (len(times) - 1) // 2


@given(PUTS, PUTS)
def test_what_did_not_change_is_not_said(old: Put, new: Put) -> None:
    assert changed(old, old) == []
    assert bool(changed(old, new)) >= (
        old.sha256 != new.sha256 or old.permissions != new.permissions or old.rating != new.rating
    )


def test_what_changed_is_said_to_the_reviewers() -> None:
    old = Put(
        "1.5.0",
        7,
        "a" * 64,
        80_000_000,
        "For all",
        {"camera": "For fun."},
        {"en": {"name": "A"}},
        {"phone": ("1", "2")},
    )
    new = Put(
        "1.5.1", 8, "b" * 64, 81_500_000, "From 8 years", {"storage": "To keep the night."},
        {"en": {"name": "B"}, "fi": {"name": "C"}}, {"phone": ("1", "3", "4")}, {"support": "https://quillback.example/help"},
    )  # fmt: skip
    assert changed(old, new) == [
        "A new build: 1.5.1 (8) in place of 1.5.0 (7), its bundle 1.5 MB larger.",
        "It does not ask for camera any more.",
        "It asks for storage: To keep the night.",
        "The listing is there in fi, too.",
        "Other texts in en: name.",
        "Pictures of phone: 2 new ones, 1 taken out.",
        "Another support link: https://quillback.example/help.",
        "The age rating is From 8 years; it was For all.",
    ]


def test_every_course_leads_to_the_storefront_or_is_given_up() -> None:
    for course in Course:
        ends = {after for (at, _), after in TRANSITIONS.items() if at is course}
        assert ends or course is Course.DROPPED
    assert (Course.THERE, CourseEvent.DROP) not in TRANSITIONS, "what is there is withdrawn there"
    assert state_words(Course.THERE, S.REVIEWING) == "with a reviewer"
    assert state_words(Course.BY_HAND, None) == "to be handed in by a person"
    assert [is_over(Course.THERE, s) for s in (S.LIVE, S.REFUSED, S.WITHDRAWN)] == [False, False, True]


def test_a_need_is_as_grave_as_its_gravest_finding() -> None:
    warning, blocker = (Finding(s, "a.b", "m", "w", "h") for s in ("warning", "blocker"))
    assert from_findings(NeedKey.SIZE, [], "small", "").said == "small"
    assert from_findings(NeedKey.SIZE, [warning], "small", "").state is NeedState.WARNING
    found = from_findings(NeedKey.SIZE, [warning, blocker], "small", "")
    assert (found.state, found.said, is_ready([found])) == (NeedState.MISSING, "m, and 1 more finding", False)
    assert is_ready([Need(NeedKey.FIRST, NeedState.LATER, "")])
