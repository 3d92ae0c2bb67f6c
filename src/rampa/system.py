"""The machine's own clock, sleep and randomness, for the edges: what they hand to the heart."""

from __future__ import annotations

import os
import time

from rampa.core.ambient import Clock, Random


class SystemClock:
    def seconds(self) -> float:
        return time.monotonic()

    def sleep(self, seconds: float) -> None:
        time.sleep(seconds)


CLOCK: Clock = SystemClock()
RANDOM: Random = os.urandom
