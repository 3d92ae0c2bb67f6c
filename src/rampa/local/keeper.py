"""Keeps what bin/up started: a child that ends by itself is started again, later and later while it does not stay.

Nothing ends the others: work goes on, or waits for what comes back, as each of them promises for the death of another.
"""

from __future__ import annotations

import signal
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from rampa.core.errors import RampaError
from rampa.core.quantity import counted
from rampa.local.service import Child, stop

FIRST, LONGEST = 1.0, 60.0
"""Seconds between an end and the next start: doubled each time, and short again for one that stayed for the longest."""
LOOK = 0.5


@dataclass
class Kept:
    """`start` makes the child; `how` is the signal that ends it in good order."""

    name: str
    start: Callable[[], Child | None]
    log: Path
    how: signal.Signals = signal.SIGTERM
    child: Child | None = None
    since: float = 0.0
    pause: float = FIRST
    again_at: float | None = None
    """When it is started again; None while it runs."""


@dataclass
class Keeper:
    """`say` takes sentences for whoever started it."""

    say: Callable[[str], None]
    clock: Callable[[], float] = time.monotonic
    kept: list[Kept] = field(default_factory=list)

    def keep(
        self, name: str, log: Path, start: Callable[[], Child | None], how: signal.Signals = signal.SIGTERM
    ) -> None:
        """Starts it for the first time. What it raises then is the caller's: a first start that fails is no accident."""
        one = Kept(name, start, log, how, start(), self.clock())
        # A child that somebody else runs, such as a database that was there already, is not ours to keep.
        if one.child is not None:
            self.kept.append(one)

    def run(self, sleep: Callable[[float], None] = time.sleep) -> None:
        """For ever."""
        while True:
            self.look()
            sleep(LOOK)

    def look(self) -> None:
        for one in self.kept:
            if one.again_at is not None:
                self._start_again(one)
            elif one.child is not None and one.child.poll() is not None:
                self._ended(one)

    def _ended(self, one: Kept) -> None:
        now = self.clock()
        if now - one.since >= LONGEST:
            one.pause = FIRST
        code = one.child.poll() if one.child else None
        self._later(one, f"{one.name} ended {_words(code)}")

    def _start_again(self, one: Kept) -> None:
        if one.again_at is None or self.clock() < one.again_at:
            return
        try:
            one.child, one.since, one.again_at = one.start(), self.clock(), None
        except RampaError as error:
            self._later(one, f"{one.name} did not start: {error.message}")
            return
        self.say(f"{one.name} runs again.")

    def _later(self, one: Kept, why: str) -> None:
        one.again_at = self.clock() + one.pause
        self.say(f"{why}; it is started again in {counted(round(one.pause), 'second')}. Its log: {one.log}")
        one.pause = min(2 * one.pause, LONGEST)

    def stop(self) -> None:
        """In the opposite order of their starts: agents let go of their runs while the service still answers."""
        for one in reversed(self.kept):
            if one.child is not None and one.again_at is None:
                stop(one.child, one.how)


def _words(code: int | None) -> str:
    if code is not None and code < 0:
        return f"by signal {signal.Signals(-code).name}"
    return f"with exit code {code}"
