"""How long a submission's states last at a storefront, from what those before it took."""

from __future__ import annotations

import datetime as dt
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from rampa.core.submission.life import SubmissionState

Step = tuple[dt.datetime, SubmissionState]
"""From a moment on it was in a state."""
FEWEST = 3
"""Fewer say nothing about what is usual."""
WAY = (
    SubmissionState.SENT,
    SubmissionState.UNPACKED,
    SubmissionState.CHECKING,
    SubmissionState.WAITING,
    SubmissionState.REVIEWING,
    SubmissionState.PASSED,
    SubmissionState.LIVE,
)
"""The states of one that nobody asks or refuses anything, in their order."""
VERDICTS = (SubmissionState.QUESTION, SubmissionState.REFUSED, SubmissionState.PASSED)


@dataclass(frozen=True, slots=True)
class Usual:
    """Seconds: half of `count` earlier ones took between `low` and `high`, and half no more than `median`."""

    count: int
    low: float
    median: float
    high: float


def usual(seconds: Iterable[float]) -> Usual | None:
    """Quartiles, interpolated between neighbours (type 7 of Hyndman and Fan, 1996). None for fewer than three."""
    found = sorted(seconds)
    if len(found) < FEWEST:
        return None
    return Usual(len(found), *(_quantile(found, share) for share in (0.25, 0.5, 0.75)))


def usual_states(histories: Iterable[Sequence[Step]]) -> dict[SubmissionState, Usual]:
    """For each state that was left again. `histories`: each submission's steps, oldest first."""
    spans: dict[SubmissionState, list[float]] = defaultdict(list)
    for steps in histories:
        for (began, state), (ended, _) in pairwise(steps):
            spans[state].append(max(0.0, (ended - began).total_seconds()))
    return {state: seen for state, times in spans.items() if (seen := usual(times))}


def usual_verdict(histories: Iterable[Sequence[Step]]) -> Usual | None:
    """From being sent to the first word of a reviewer or a machine: question, refused or passed."""
    return usual(
        (verdict[0] - steps[0][0]).total_seconds()
        for steps in histories
        if steps and (verdict := next((s for s in steps if s[1] in VERDICTS), None))
    )


def _quantile(ordered: Sequence[float], share: float) -> float:
    at = (len(ordered) - 1) * share
    low = int(at)
    high = min(low + 1, len(ordered) - 1)
    return ordered[low] + (ordered[high] - ordered[low]) * (at - low)
