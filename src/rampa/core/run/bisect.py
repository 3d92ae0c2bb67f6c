"""Finding the commit: which one between a good and a bad build made the difference, by trying as few as possible.

    working ----find-----> found      one commit
      |  |------narrow---> narrowed   the smallest range that can be told: what is left in it cannot be tried
      |  `------refute---> refuted    an end is not what it was said to be
      `---------cancel---> cancelled

The commits stand in a line, the good end first. Each try says good, bad, or that it cannot be told there; both ends are tried,
too. With `k` tries at once a range of `n` commits takes about log(n) to the base k + 1 rounds: halving, where one agent is free.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from itertools import pairwise


class By(StrEnum):
    """What tells good from bad."""

    SELF_TEST = "self-test"
    CRASH = "crash"
    SIZE = "size"
    UPDATE_COST = "update-cost"
    STEP_TIME = "step-time"


NUMBERS = frozenset({By.SIZE, By.UPDATE_COST, By.STEP_TIME})
"""These are bad above a limit."""


class BisectState(StrEnum):
    WORKING = "working"
    FOUND = "found"
    NARROWED = "narrowed"
    REFUTED = "refuted"
    CANCELLED = "cancelled"


class BisectEvent(StrEnum):
    FIND = "find"
    NARROW = "narrow"
    REFUTE = "refute"
    CANCEL = "cancel"


TRANSITIONS = {
    (BisectState.WORKING, BisectEvent.FIND): BisectState.FOUND,
    (BisectState.WORKING, BisectEvent.NARROW): BisectState.NARROWED,
    (BisectState.WORKING, BisectEvent.REFUTE): BisectState.REFUTED,
    (BisectState.WORKING, BisectEvent.CANCEL): BisectState.CANCELLED,
}


class TrialState(StrEnum):
    """A commit's try. `UNTOLD`: it does not build, or fails in another way."""

    WAITING = "waiting"
    GOOD = "good"
    BAD = "bad"
    UNTOLD = "untold"


@dataclass(frozen=True, slots=True)
class Trial:
    """What a run is told that tries a commit. `keeps`: it makes a build of its own; else it ends with its bundle, takes no
    version code and leaves nothing. `form` is the class of device that the self-test is told, `weigh` a path to be weighed."""

    bisect: int
    keeps: bool = False
    self_test: bool = False
    form: str = ""
    weigh: str = ""


@dataclass(frozen=True, slots=True)
class Measured:
    """What an attempt found out about what it made. `self_test` is passed, failed or empty; `size` in bytes of what was to be
    weighed; a crash by its key and place (rampa.core.health.crash)."""

    self_test: str = ""
    crash: str = ""
    place: str = ""
    size: int = 0


@dataclass(frozen=True, slots=True)
class Outcome:
    """`low` is the newest known good commit, `high` the oldest known bad one, by their place in the line."""

    event: BisectEvent
    low: int
    high: int


def bounds(last: int, seen: Mapping[int, TrialState]) -> tuple[int, int]:
    """(newest good, oldest bad after it) of the commits 0 to `last`; the ends count as they were said to be."""
    high = min((p for p, s in seen.items() if s == TrialState.BAD and p > 0), default=last)
    low = max((p for p, s in seen.items() if s == TrialState.GOOD and p < high), default=0)
    return low, high


def outcome(last: int, seen: Mapping[int, TrialState]) -> Outcome | None:
    """How it ends; None while there is something to try, or to wait for."""
    low, high = bounds(last, seen)
    if seen.get(0) == TrialState.BAD or seen.get(last) == TrialState.GOOD:
        return Outcome(BisectEvent.REFUTE, low, high)
    if any(end not in seen or seen[end] == TrialState.WAITING for end in (0, last)):
        return None
    if any(seen.get(p) in (None, TrialState.WAITING) for p in range(low + 1, high)):
        return None
    known = high - low == 1 and TrialState.UNTOLD not in (seen[0], seen[last])
    return Outcome(BisectEvent.FIND if known else BisectEvent.NARROW, low, high)


def next_trials(last: int, seen: Mapping[int, TrialState], count: int) -> list[int]:
    """Up to `count` commits to try now, besides those that are being tried: the ends, then what parts the range evenly."""
    chosen = [end for end in (last, 0) if end not in seen][:count]
    low, high = bounds(last, seen)
    waiting = sorted(p for p, s in seen.items() if s == TrialState.WAITING and low < p < high)
    marks = [low, *waiting, high]
    gaps = dict.fromkeys(pairwise(marks), 0)
    for _ in range(count - len(chosen)):
        widest = max(gaps, key=lambda g: ((g[1] - g[0]) / (gaps[g] + 1), -g[0]))
        gaps[widest] += 1
    for (begin, end), parts in gaps.items():
        for part in range(1, parts + 1):
            wanted = begin + (end - begin) * part / (parts + 1)
            free = [p for p in range(begin + 1, end) if p not in seen and p not in chosen]
            if free:
                chosen.append(min(free, key=lambda p: (abs(p - wanted), p)))
    return chosen


def rounds_left(last: int, seen: Mapping[int, TrialState], at_once: int) -> int:
    """How many times something is tried until the end, at most, as things stand; `at_once` tries at a time."""
    low, high = bounds(last, seen)
    ends, left, rounds = sum(end not in seen for end in (0, last)), high - low, 0
    while ends or left > 1:
        inner = max(0, at_once - ends)
        ends, left, rounds = max(0, ends - at_once), math.ceil(left / (inner + 1)), rounds + 1
    return rounds


def told_by_number(value: float, limit: float) -> TrialState:
    return TrialState.BAD if value > limit else TrialState.GOOD


def told_by_self_test(measured: Measured, crash: str = "") -> TrialState:
    """`crash`: the key of the group that is looked for; a self-test that fails in another way tells nothing of it."""
    if measured.self_test == "passed":
        return TrialState.GOOD
    if measured.self_test == "failed" and (not crash or measured.crash == crash):
        return TrialState.BAD
    return TrialState.UNTOLD
