"""Updates and depots: what they cost, what makes them small."""

from __future__ import annotations

from rampa.client.connection import Connection
from rampa.schema import updates as wire
from rampa.schema.signing import content_keys as keys_wire

API = "/api/v1"


class UpdateCalls:
    """Part of `rampa.client.Client`."""

    connection: Connection

    def update_matrix(self, title: str, platform: str, builds: list[int] | None = None) -> wire.UpdateMatrix:
        words = {"platform": platform, "builds": ",".join(map(str, builds or []))}
        return self.connection.get(wire.UpdateMatrix, f"{API}/titles/{title}/updates/matrix", **words)

    def compare_depots(self, title: str, old: int, new: int) -> wire.DepotComparison:
        return self.connection.get(wire.DepotComparison, f"{API}/titles/{title}/updates/depots", old=old, new=new)

    def differences(self, title: str, old: int, new: int) -> wire.PreparedOut:
        return self.connection.get(wire.PreparedOut, f"{API}/titles/{title}/updates/differences", old=old, new=new)

    def make_differences(self, title: str, old: int, new: int) -> wire.PreparedOut:
        sent = wire.PrepareIn(old=old, new=new)
        return self.connection.post(wire.PreparedOut, f"{API}/titles/{title}/updates/differences", sent)

    def content_keys(self, title: str, number: int) -> keys_wire.ContentKeys:
        return self.connection.get(keys_wire.ContentKeys, f"{API}/titles/{title}/builds/{number}/content-keys")

    def unseal_content(self, title: str, number: int) -> keys_wire.ContentKeys:
        path = f"{API}/titles/{title}/builds/{number}/content-keys/unseal"
        return self.connection.post(keys_wire.ContentKeys, path)

    def depot_plan(self, title: str, number: int, query: wire.DepotPlanQuery) -> wire.DepotPlan:
        path = f"{API}/titles/{title}/builds/{number}/depot-plan"
        return self.connection.get(wire.DepotPlan, path, **query.model_dump())
