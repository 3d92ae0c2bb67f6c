"""A placement's devices beside those on the build before, over the same hours: what is worse, what is in order, what cannot
be told.

Whether a build is worse is asked for every kind of trouble, over all devices and for each class and system level of them
(rampa.core.health.odds); the error is shared among all these questions, so that a rollout of a build that is as good as the
one before is held by mistake with a probability of at most `ERROR`, however long one watches. Whether it is in order is told
from bounds on both rates (rampa.core.health.sequential), which more is needed for.

What is counted is each device's first sessions, launches and installs of a build (`FIRST` of them), the first, the second
and the third of all devices apart from each other: a single device that starts a hundred times a day, or that lies, moves
nothing.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from rampa.core.health.odds import Span, log_evidence
from rampa.core.health.sequential import Bounds, Count, bounds
from rampa.core.quantity import counted

ERROR = 0.01
FIRST = 3
"""Observations of one device and kind that count."""
TOLERANCE = 0.02
"""By how much the rate of a build that is in order may be above that of the one before: 2 percentage points."""
MOST_PARTS = 16
"""Classes and levels that are asked about by themselves."""


class Trouble(StrEnum):
    """Kinds of what goes wrong."""

    SESSION = "session"
    LAUNCH = "launch"
    INSTALL = "install"


class Verdict(StrEnum):
    WORSE = "worse"
    IN_ORDER = "in-order"
    UNSURE = "too-little-to-tell"


SAID = {
    Trouble.SESSION: ("session", "crash"),
    Trouble.LAUNCH: ("launch", "fail"),
    Trouble.INSTALL: ("install", "fail"),
}
PART_ERROR = ERROR / (len(Trouble) * (1 + MOST_PARTS))
LIMIT = -math.log(PART_ERROR)


@dataclass(frozen=True, slots=True)
class Part:
    """Some of the devices: all (`kind` empty), or those of one class or system level."""

    kind: str = ""
    name: str = ""

    def said(self) -> str:
        return f" on {self.kind} {self.name}" if self.kind else ""


ALL = Part()


@dataclass(frozen=True, slots=True)
class Key:
    """What is counted together: some devices, a kind of trouble, and which of each device's it is (from 1)."""

    part: Part
    trouble: Trouble
    turn: int


Observed = Mapping[Key, Sequence[Span]]
"""Spans of time in their order, both builds in each."""


@dataclass(frozen=True, slots=True)
class Compared:
    """One kind of trouble among some devices: with the new build, with the one before, and what that says."""

    part: Part
    trouble: Trouble
    new: Count
    old: Count
    new_bounds: Bounds
    old_bounds: Bounds
    verdict: Verdict
    evidence: float
    """Natural logarithm of how much better a worse build explains it; worse from `LIMIT` on."""

    def said(self) -> str:
        """`4.1 % of 410 sessions crash on class visor-2, where the build before has 0.3 % of 2,031`."""
        noun, verb = SAID[self.trouble]
        new = f"{self.new.rate:.1%} of {counted(self.new.total, noun)} {verb}{self.part.said()}"
        return f"{new}, where the build before has {self.old.rate:.1%} of {self.old.total:,}".replace("%", " %")


@dataclass(frozen=True, slots=True)
class Health:
    """`said`: one sentence with the figures that decide."""

    verdict: Verdict
    said: str
    compared: tuple[Compared, ...]


def compare(observed: Observed) -> Health:
    """Worse where anything is; in order where sessions of all devices are, and nothing is worse; else too little to tell."""
    rows = [_one(observed, part, trouble) for part in _parts(observed) for trouble in Trouble]
    rows = [row for row in rows if row.new.total]
    worse = [row for row in rows if row.verdict == Verdict.WORSE]
    if worse:
        # What stands out most says where to look.
        clearest = max(worse, key=lambda r: r.new_bounds.low - r.old_bounds.high)
        return Health(Verdict.WORSE, clearest.said(), tuple(rows))
    sessions = next((r for r in rows if r.part == ALL and r.trouble == Trouble.SESSION), None)
    if sessions is not None and sessions.verdict == Verdict.IN_ORDER:
        return Health(Verdict.IN_ORDER, sessions.said(), tuple(rows))
    return Health(Verdict.UNSURE, _too_little(sessions), tuple(rows))


def _one(observed: Observed, part: Part, trouble: Trouble) -> Compared:
    turns = [observed[key] for n in range(1, FIRST + 1) if (key := Key(part, trouble, n)) in observed]
    new = sum((span.new for spans in turns for span in spans), Count())
    old = sum((span.old for spans in turns for span in spans), Count())
    # Half of the error for each of the two: that both bounds hold is what "in order" rests on.
    ours, theirs = bounds(new, PART_ERROR / 2), bounds(old, PART_ERROR / 2)
    evidence = log_evidence(turns)
    verdict = Verdict.UNSURE
    if evidence >= LIMIT:
        verdict = Verdict.WORSE
    elif old.total and ours.high - theirs.low <= TOLERANCE:
        verdict = Verdict.IN_ORDER
    return Compared(part, trouble, new, old, ours, theirs, verdict, evidence)


def _parts(observed: Observed) -> list[Part]:
    """All devices, and the classes and levels with most observations."""
    sizes: dict[Part, int] = {}
    for key, spans in observed.items():
        if key.part.kind:
            sizes[key.part] = sizes.get(key.part, 0) + sum(span.new.total for span in spans)
    return [ALL, *sorted(sizes, key=lambda p: (-sizes[p], p.kind, p.name))[:MOST_PARTS]]


def _too_little(sessions: Compared | None) -> str:
    if sessions is None:
        return "no session was reported yet"
    if not sessions.old.total:
        return f"{counted(sessions.new.total, 'session')}, and none of the build before in these hours"
    return f"{counted(sessions.new.total, 'session')} beside {sessions.old.total:,} of the build before"
