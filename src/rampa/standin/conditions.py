"""A delivery over a network that fails: every second read breaks off, so that who goes on comes through."""

from __future__ import annotations

import threading
from collections.abc import Iterator, Mapping, Sequence

from rampa.core.devices.screen import Network
from rampa.core.errors import Unavailable
from rampa.core.install.delivery import Delivery, Located


class Troubled:
    """Passes on what `inner` gives. `turns` counts reads over several tries."""

    def __init__(self, inner: Delivery, network: Network, turns: Iterator[int]) -> None:
        self._inner, self._network, self._turns = inner, network, turns
        self._lock = threading.Lock()

    def manifest(self, digest: bytes) -> bytes:
        return self._inner.manifest(digest)

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        return self._inner.manifest_difference(digest, base)

    def locations(self, depots: Sequence[str], base: int = 0, base_depots: Sequence[str] = ()) -> Located:
        return self._inner.locations(depots, base, base_depots)

    def keys(self) -> Mapping[bytes, bytes]:
        return self._inner.keys()

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        with self._lock:
            turn = next(self._turns)
        if self._network is Network.FAILING and turn % 2 == 0:
            said = "the network of this simulated device broke off"
            raise Unavailable("network.failing", said, hint="What came so far is kept. Install again: it goes on.")
        return self._inner.read(pack, offset, size)
