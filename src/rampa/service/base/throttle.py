"""Slowing down who guesses passwords: a few failures an address and a name, then a pause."""

from __future__ import annotations

import threading
import time
from collections import deque

from rampa.core.errors import Denied

FAILURES = 10
WITHIN = 300.0
KEYS = 10_000


class Throttle:
    """Counts failures in this process. Keys are forgotten, oldest first, when there are too many."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._failures: dict[str, deque[float]] = {}

    def check(self, key: str) -> None:
        """Raises `Denied` while there were too many failures."""
        with self._lock:
            recent = self._recent(key)
            if len(recent) >= FAILURES:
                wait = int(WITHIN - (time.monotonic() - recent[0])) + 1
                raise Denied(
                    "sign-in.throttled", "there were too many failed attempts", hint=f"Try again in {wait} seconds."
                )

    def failed(self, key: str) -> None:
        with self._lock:
            recent = self._recent(key)
            recent.append(time.monotonic())
            self._failures[key] = recent
            # Names that nobody has are counted as well: else whoever tries many names would fill the memory.
            while len(self._failures) > KEYS:
                self._failures.pop(next(iter(self._failures)))

    def _recent(self, key: str) -> deque[float]:
        recent = self._failures.get(key, deque())
        while recent and time.monotonic() - recent[0] > WITHIN:
            recent.popleft()
        return recent
