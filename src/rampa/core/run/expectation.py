"""How long a run will take, from how long its steps took before on the same profile."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median

HISTORY = 7
"""Earlier times of a step that count."""


@dataclass(frozen=True)
class ExpectedTimes:
    """Seconds, by step; a step that never ran is not in it."""

    steps: Mapping[str, float]

    def total(self, names: Sequence[str]) -> float | None:
        """For all of these steps; None when none of them has a history."""
        known = [self.steps[n] for n in names if n in self.steps]
        return sum(known) if known else None

    def left(self, names: Sequence[str], at: int, elapsed: float) -> float | None:
        """Seconds left when step number `at` has run for `elapsed`; never negative."""
        if not any(n in self.steps for n in names[at:]):
            return None
        now = max(0.0, self.steps.get(names[at], 0.0) - elapsed) if at < len(names) else 0.0
        return now + sum(self.steps.get(n, 0.0) for n in names[at + 1 :])


def expect(history: Mapping[str, Sequence[float]]) -> ExpectedTimes:
    """`history`: step -> seconds of its latest successes. The median: one slow night does not count."""
    return ExpectedTimes({name: median(times[:HISTORY]) for name, times in history.items() if times})
