"""A limit on how fast an installer downloads: so many bytes a second over all its threads."""

from __future__ import annotations

import threading

from rampa.core.ambient import Clock
from rampa.core.install.delivery import Delivery, PassingOn


class RateLimited(PassingOn):
    """A `Delivery` that waits before each read until the rate allows it. Unlimited at 0."""

    def __init__(self, inner: Delivery, bytes_a_second: float, clock: Clock) -> None:
        super().__init__(inner)
        self._rate = bytes_a_second
        self._clock = clock
        self._lock = threading.Lock()
        self._free_at = 0.0

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        """Whoever comes takes the next place in line: the sum of all reads keeps to the rate."""
        if self._rate > 0:
            with self._lock:
                start = max(self._free_at, self._clock.seconds())
                self._free_at = start + size / self._rate
            # Sleeping under the lock would make the others wait twice.
            self._clock.sleep(max(0.0, start - self._clock.seconds()))
        return super().read(pack, offset, size)
