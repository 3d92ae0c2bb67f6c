"""Which builds may go: old enough, not among a profile's newest, and nothing that anybody relies on."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class RetentionCandidate:
    """A finished build. `placed`: it was on a channel, at whatever time."""

    number: int
    profile: str
    made: dt.datetime
    pinned: bool
    placed: bool


@dataclass(frozen=True, slots=True)
class Policy:
    """Both 0: nothing goes."""

    keep_newest: int
    keep_days: int


def sort_out(
    candidates: Iterable[RetentionCandidate], policy: Policy, now: dt.datetime
) -> tuple[list[int], dict[int, str]]:
    """(numbers that go, number -> why it stays, for those that the policy alone would let go)."""
    if not policy.keep_newest and not policy.keep_days:
        return [], {}
    goes: list[int] = []
    stays: dict[int, str] = {}
    seen: Counter[str] = Counter()
    for c in sorted(candidates, key=lambda c: c.number, reverse=True):
        seen[c.profile] += 1
        if seen[c.profile] <= policy.keep_newest or now - c.made < dt.timedelta(days=policy.keep_days):
            continue
        if c.placed:
            stays[c.number] = "it was placed on a channel"
        elif c.pinned:
            stays[c.number] = "it is pinned"
        else:
            goes.append(c.number)
    return sorted(goes), stays
