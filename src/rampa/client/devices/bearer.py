"""What a device calls with: tokens of minutes, for proofs by its key."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.client.bearer import RenewedBearer
from rampa.client.client import Client
from rampa.core.devices import proof
from rampa.schema.devices import DeviceSessionIn


class DeviceBearer(RenewedBearer):
    """`client` calls without a sign-in; `count` gives the number of the next session, and holds
    others of the same device up until it is opened."""

    def __init__(
        self, client: Client, device_id: str, key: Ed25519PrivateKey, count: Callable[[], AbstractContextManager[int]]
    ) -> None:
        super().__init__()
        self._client, self._device, self._key, self._count = client, device_id, key, count

    def _obtain(self) -> tuple[str, float]:
        asked = self._client.devices.ask(self._device).challenge
        with self._count() as uses:
            signature = self._key.sign(proof.session(bytes.fromhex(asked), uses))
            said = DeviceSessionIn(challenge=asked, uses=uses, signature=signature.hex())
            made = self._client.devices.open_session(self._device, said)
        return made.token, made.seconds
