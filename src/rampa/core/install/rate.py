"""A limit on how fast an installer downloads: so many bytes a second over all its threads."""

from __future__ import annotations

import threading
from collections.abc import Mapping, Sequence

from rampa.core.ambient import Clock
from rampa.core.install.delivery import Delivery, Located


class RateLimited:
    """A `Delivery` that waits before each read until the rate allows it. Unlimited at 0."""

    def __init__(self, inner: Delivery, bytes_a_second: float, clock: Clock) -> None:
        self._inner = inner
        self._rate = bytes_a_second
        self._clock = clock
        self._lock = threading.Lock()
        self._free_at = 0.0

    def manifest(self, digest: bytes) -> bytes:
        return self._inner.manifest(digest)

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        return self._inner.manifest_difference(digest, base)

    def locations(self, depots: Sequence[str], base: int = 0, base_depots: Sequence[str] = ()) -> Located:
        return self._inner.locations(depots, base, base_depots)

    def keys(self) -> Mapping[bytes, bytes]:
        return self._inner.keys()

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        """Whoever comes takes the next place in line: the sum of all reads keeps to the rate."""
        if self._rate > 0:
            with self._lock:
                start = max(self._free_at, self._clock.seconds())
                self._free_at = start + size / self._rate
            # Sleeping under the lock would make the others wait twice.
            self._clock.sleep(max(0.0, start - self._clock.seconds()))
        return self._inner.read(pack, offset, size)
