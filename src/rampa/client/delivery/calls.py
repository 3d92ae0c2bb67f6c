"""A title's trust and its delivery."""

from __future__ import annotations

import base64

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import delivery as wire
from rampa.schema import trust as trust_wire


class DeliveryCalls(Calls):
    """`client.delivery`."""

    def trust(self, title: str) -> trust_wire.Trust:
        return self.connection.get(trust_wire.Trust, f"{API}/titles/{title}/trust")

    def draft_root(self, title: str, asked: trust_wire.RootDraftIn) -> bytes:
        """The unsigned draft, as a file."""
        return self.connection.post(trust_wire.RootDraftOut, f"{API}/titles/{title}/trust/draft", asked).draft.encode()

    def publish_root(self, title: str, draft: bytes) -> trust_wire.Trust:
        asked = trust_wire.PublishIn(draft=draft.decode())
        return self.connection.post(trust_wire.Trust, f"{API}/titles/{title}/trust/root", asked)

    def trusted_start(self, title: str, channel: str) -> bytes:
        """The signed start of a device's trust. Raises `NotFound` for a title that had no ceremony."""
        path = f"{API}/titles/{title}/channels/{channel}/trust"
        return base64.b64decode(self.connection.get(wire.TrustedStart, path).signed)

    def closed_address(self, title: str, channel: str) -> wire.ClosedAddress:
        path = f"{API}/titles/{title}/channels/{channel}/delivery-address"
        return self.connection.post(wire.ClosedAddress, path)

    def files(self, title: str, since: int = 0) -> wire.DeliveryFiles:
        return self.connection.get(wire.DeliveryFiles, f"{API}/titles/{title}/delivery/files", since=since)

    def origins(self, title: str) -> list[wire.DeliveryOrigin]:
        return self.connection.get(wire.OriginList, _origins(title)).items

    def add_origin(self, title: str, asked: wire.OriginIn) -> list[wire.DeliveryOrigin]:
        return self.connection.post(wire.OriginList, _origins(title), asked).items

    def change_origin(self, title: str, name: str, asked: wire.OriginChange) -> list[wire.DeliveryOrigin]:
        path = f"{_origins(title)}/{name}"
        return self.connection.send(wire.OriginList, "PATCH", path, json_of(asked), JSON).items

    def remove_origin(self, title: str, name: str) -> None:
        self.connection.request("DELETE", f"{_origins(title)}/{name}")


def _origins(title: str) -> str:
    return f"{API}/titles/{title}/delivery/origins"
