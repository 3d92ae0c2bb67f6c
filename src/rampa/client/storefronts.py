"""The studio's accounts at storefronts."""

from __future__ import annotations

from rampa.client.calls import API, Calls
from rampa.schema import storefront_accounts as wire


class StorefrontsCalls(Calls):
    """`client.storefronts`."""

    def all(self) -> list[wire.StorefrontAccount]:
        return self.connection.get(wire.StorefrontAccounts, f"{API}/storefronts").items

    def connect(self, asked: wire.NewStorefront) -> wire.Connecting:
        return self.connection.post(wire.Connecting, f"{API}/storefronts", asked)

    def connect_again(self, name: str) -> wire.Connecting:
        return self.connection.post(wire.Connecting, f"{API}/storefronts/{name}/connect")

    def come_back(self, asked: wire.ConsentReturn) -> wire.StorefrontAccount:
        return self.connection.post(wire.StorefrontAccount, f"{API}/storefronts/return", asked)

    def look(self, name: str) -> wire.StorefrontAccount:
        return self.connection.post(wire.StorefrontAccount, f"{API}/storefronts/{name}/look")

    def disconnect(self, name: str) -> None:
        self.connection.request("DELETE", f"{API}/storefronts/{name}")
