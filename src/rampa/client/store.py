"""The content store."""

from __future__ import annotations

from rampa.client.calls import API, Calls
from rampa.schema import store as store_wire


class StoreCalls(Calls):
    """`client.store`."""

    def usage(self) -> store_wire.UsageOut:
        return self.connection.get(store_wire.UsageOut, f"{API}/store")

    def check(self, fix: bool = False) -> store_wire.StoreCheckOut:
        return self.connection.post(store_wire.StoreCheckOut, f"{API}/store/check", store_wire.StoreCheckIn(fix=fix))

    def latest_check(self) -> store_wire.StoreCheckOut:
        return self.connection.get(store_wire.StoreCheckOut, f"{API}/store/check")

    def cancel_check(self) -> store_wire.StoreCheckOut:
        return self.connection.post(store_wire.StoreCheckOut, f"{API}/store/check/cancel")

    def preview_collect(self, asked: store_wire.CollectIn) -> store_wire.CollectOut:
        return self.connection.post(store_wire.CollectOut, f"{API}/store/collect/preview", asked)

    def collect(self, asked: store_wire.CollectIn) -> store_wire.CollectOut:
        return self.connection.post(store_wire.CollectOut, f"{API}/store/collect", asked)

    def preview_repack(self, asked: store_wire.RepackIn) -> store_wire.RepackOut:
        return self.connection.post(store_wire.RepackOut, f"{API}/store/repack/preview", asked)

    def repack(self, asked: store_wire.RepackIn) -> store_wire.RepackOut:
        return self.connection.post(store_wire.RepackOut, f"{API}/store/repack", asked)
