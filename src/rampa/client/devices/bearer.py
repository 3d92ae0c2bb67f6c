"""What a device calls with: tokens of minutes, for proofs by its key."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from contextlib import AbstractContextManager

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.client.bearer import Bearer
from rampa.client.client import Client
from rampa.core.devices import proof
from rampa.schema.devices import DeviceSessionIn

EARLY = 0.5
"""The share of its life after which a token is renewed."""


class DeviceBearer(Bearer):
    """`client` calls without a sign-in; `count` gives the number of the next session, and holds
    others of the same device up until it is opened."""

    def __init__(
        self, client: Client, device_id: str, key: Ed25519PrivateKey, count: Callable[[], AbstractContextManager[int]]
    ) -> None:
        super().__init__()
        self._client, self._device, self._key, self._count = client, device_id, key, count
        self._renew_at = 0.0
        self._lock = threading.Lock()

    def current(self) -> str:
        with self._lock:
            if time.monotonic() >= self._renew_at:
                self._renew()
            return self._token

    def renewed(self) -> str:
        with self._lock:
            self._renew()
            return self._token

    def _renew(self) -> None:
        asked = self._client.devices.ask(self._device).challenge
        with self._count() as uses:
            signature = self._key.sign(proof.session(bytes.fromhex(asked), uses))
            said = DeviceSessionIn(challenge=asked, uses=uses, signature=signature.hex())
            made = self._client.devices.open_session(self._device, said)
        self._token, self._renew_at = made.token, time.monotonic() + EARLY * made.seconds
