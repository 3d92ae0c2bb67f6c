"""A delivery over a network that fails: every second read breaks off, so that who goes on comes through."""

from __future__ import annotations

import threading
from collections.abc import Iterator

from rampa.core.devices.screen import Network
from rampa.core.errors import Unavailable
from rampa.core.install.delivery import Delivery, PassingOn


class Troubled(PassingOn):
    """`turns` counts reads over several tries."""

    def __init__(self, inner: Delivery, network: Network, turns: Iterator[int]) -> None:
        super().__init__(inner)
        self._network, self._turns = network, turns
        self._lock = threading.Lock()

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        with self._lock:
            turn = next(self._turns)
        if self._network is Network.FAILING and turn % 2 == 0:
            said = "the network of this simulated device broke off"
            raise Unavailable("network.failing", said, hint="What came so far is kept. Install again: it goes on.")
        return super().read(pack, offset, size)
