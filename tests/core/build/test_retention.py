"""Which builds go: by age and by their place in their profile, never one that somebody relies on."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.build.retention import Policy, RetentionCandidate, sort_out

NOW = dt.datetime(2026, 11, 28, 12, tzinfo=dt.UTC)


def build(
    number: int, days: float = 40, profile: str = "linux-release", *, pinned: bool = False, placed: bool = False
) -> RetentionCandidate:
    return RetentionCandidate(number, profile, NOW - dt.timedelta(days=days), pinned, placed)


OLD = [build(number) for number in (1, 2, 3, 4)]


@pytest.mark.parametrize(
    ("builds", "policy", "goes", "stays"),
    [
        ([], Policy(1, 1), [], {}),
        (OLD, Policy(0, 0), [], {}),
        (OLD, Policy(2, 0), [1, 2], {}),
        (OLD, Policy(4, 0), [], {}),
        (OLD, Policy(0, 30), [1, 2, 3, 4], {}),
        (OLD, Policy(0, 41), [], {}),
        (OLD, Policy(3, 30), [1], {}),
        # To the second: a build goes when its days are over.
        ([build(1, 30), build(2, 29.99)], Policy(0, 30), [1], {}),
        # Each profile keeps its own newest.
        ([build(1), build(2, profile="android-release"), build(3)], Policy(1, 0), [1], {}),
        # A young build takes a place among the newest, whatever its number.
        ([build(1), build(2, 1), build(3, 1)], Policy(2, 10), [1], {}),
        ([build(1, pinned=True), build(2), build(3)], Policy(1, 0), [2], {1: "it is pinned"}),
        ([build(1, placed=True), build(2), build(3)], Policy(1, 0), [2], {1: "it was placed on a channel"}),
        ([build(1, placed=True, pinned=True), build(2)], Policy(1, 0), [], {1: "it was placed on a channel"}),
        # Why it stays is said only of one that the policy would let go.
        ([build(1), build(2, pinned=True)], Policy(1, 0), [1], {}),
        ([build(1, 3, pinned=True)], Policy(0, 10), [], {}),
    ],
)
def test_what_goes_and_what_stays(
    builds: Sequence[RetentionCandidate], policy: Policy, goes: list[int], stays: dict[int, str]
) -> None:
    assert sort_out(builds, policy, NOW) == (goes, stays)
    assert sort_out(reversed(builds), policy, NOW) == (goes, stays), "the order in which they come says nothing"


CANDIDATES = st.lists(
    st.builds(build, st.integers(1, 60), st.floats(0, 90), st.sampled_from("ab"), pinned=st.booleans()),
    max_size=30,
    unique_by=lambda c: c.number,
)


@given(CANDIDATES, st.integers(0, 5), st.integers(0, 60))
def test_a_stricter_policy_never_keeps_more(builds: list[RetentionCandidate], newest: int, days: int) -> None:
    if not newest and not days:
        return
    goes, stays = sort_out(builds, Policy(newest, days), NOW)
    assert not set(goes) & set(stays)
    assert not any(c.pinned or NOW - c.made < dt.timedelta(days) for c in builds if c.number in goes)
    more, _ = sort_out(builds, Policy(newest + 1, days), NOW)
    later, _ = sort_out(builds, Policy(newest, days + 1), NOW)
    assert set(more) | set(later) <= set(goes)


@given(CANDIDATES, st.integers(1, 5))
def test_the_newest_of_each_profile_stay(builds: list[RetentionCandidate], newest: int) -> None:
    goes, _ = sort_out(builds, Policy(newest, 0), NOW)
    for profile in "ab":
        numbers = sorted((c.number for c in builds if c.profile == profile), reverse=True)
        assert not set(goes) & set(numbers[:newest])
