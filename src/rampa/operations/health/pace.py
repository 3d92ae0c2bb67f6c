"""How often one device is listened to: so many batches a minute, counted in this process and forgotten with the minute."""

from __future__ import annotations

import threading
from collections import Counter

MOST = 30
"""Batches of one device a minute. A device that reports after each session sends one or two."""
MINUTE = 60.0


class Pace:
    def __init__(self, most: int = MOST) -> None:
        self._most = most
        self._lock = threading.Lock()
        self._minute = 0
        self._seen: Counter[str] = Counter()

    def allows(self, device: str, now: float) -> bool:
        """Whether this device may report now. `now` in seconds."""
        with self._lock:
            minute = int(now // MINUTE)
            if minute != self._minute:
                self._minute, self._seen = minute, Counter()
            self._seen[device] += 1
            return self._seen[device] <= self._most
