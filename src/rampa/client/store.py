"""Calls of the content store."""

from __future__ import annotations

from rampa.client.connection import Connection
from rampa.schema import store as wire

API = "/api/v1"


class StoreCalls:
    """Mixed into `rampa.client.Client`."""

    connection: Connection

    def store_usage(self) -> wire.UsageOut:
        return self.connection.get(wire.UsageOut, f"{API}/store")

    def check_store(self, fix: bool = False) -> wire.StoreCheckOut:
        return self.connection.post(wire.StoreCheckOut, f"{API}/store/check", wire.StoreCheckIn(fix=fix))

    def store_check(self) -> wire.StoreCheckOut:
        return self.connection.get(wire.StoreCheckOut, f"{API}/store/check")

    def cancel_check(self) -> wire.StoreCheckOut:
        return self.connection.post(wire.StoreCheckOut, f"{API}/store/check/cancel")

    def preview_collect(self, asked: wire.CollectIn) -> wire.CollectOut:
        return self.connection.post(wire.CollectOut, f"{API}/store/collect/preview", asked)

    def collect(self, asked: wire.CollectIn) -> wire.CollectOut:
        return self.connection.post(wire.CollectOut, f"{API}/store/collect", asked)

    def preview_repack(self, asked: wire.RepackIn) -> wire.RepackOut:
        return self.connection.post(wire.RepackOut, f"{API}/store/repack/preview", asked)

    def repack(self, asked: wire.RepackIn) -> wire.RepackOut:
        return self.connection.post(wire.RepackOut, f"{API}/store/repack", asked)
