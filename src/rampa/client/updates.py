"""Updates: what they cost, what makes them small; depots."""

from __future__ import annotations

from rampa.client.calls import API, Calls
from rampa.schema import layout as layout_wire
from rampa.schema import replays as replays_wire
from rampa.schema import updates as updates_wire


class UpdatesCalls(Calls):
    """`client.updates`."""

    def matrix(self, title: str, platform: str, builds: list[int] | None = None) -> updates_wire.UpdateMatrix:
        words = {"platform": platform, "builds": ",".join(map(str, builds or []))}
        return self.connection.get(updates_wire.UpdateMatrix, f"{API}/titles/{title}/updates/matrix", **words)

    def compare_depots(self, title: str, old: int, new: int) -> updates_wire.DepotComparison:
        return self.connection.get(
            updates_wire.DepotComparison, f"{API}/titles/{title}/updates/depots", old=old, new=new
        )

    def differences(self, title: str, old: int, new: int) -> updates_wire.PreparedOut:
        return self.connection.get(
            updates_wire.PreparedOut, f"{API}/titles/{title}/updates/differences", old=old, new=new
        )

    def make_differences(self, title: str, old: int, new: int) -> updates_wire.PreparedOut:
        sent = updates_wire.PrepareIn(old=old, new=new)
        return self.connection.post(updates_wire.PreparedOut, f"{API}/titles/{title}/updates/differences", sent)

    def player_packs(self, title: str, number: int) -> layout_wire.LayoutOut:
        return self.connection.get(layout_wire.LayoutOut, f"{API}/titles/{title}/builds/{number}/player-packs")

    def make_player_packs(self, title: str, number: int) -> layout_wire.LayoutOut:
        return self.connection.post(layout_wire.LayoutOut, f"{API}/titles/{title}/builds/{number}/player-packs")

    def stop_player_packs(self, title: str, number: int) -> layout_wire.LayoutOut:
        return self.connection.post(layout_wire.LayoutOut, f"{API}/titles/{title}/builds/{number}/player-packs/stop")

    def depot_plan(self, title: str, number: int, query: updates_wire.DepotPlanQuery) -> updates_wire.DepotPlan:
        path = f"{API}/titles/{title}/builds/{number}/depot-plan"
        return self.connection.get(updates_wire.DepotPlan, path, **query.model_dump())

    def replays(self, title: str) -> replays_wire.ReplayList:
        return self.connection.get(replays_wire.ReplayList, f"{API}/titles/{title}/replays")

    def replay(self, title: str, number: int) -> replays_wire.ReplayOut:
        return self.connection.get(replays_wire.ReplayOut, f"{API}/titles/{title}/replays/{number}")

    def ask_for_replay(self, title: str, asked: replays_wire.ReplayIn) -> replays_wire.ReplayOut:
        return self.connection.post(replays_wire.ReplayOut, f"{API}/titles/{title}/replays", asked)

    def stop_replay(self, title: str, number: int) -> replays_wire.ReplayOut:
        return self.connection.post(replays_wire.ReplayOut, f"{API}/titles/{title}/replays/{number}/stop")

    def go_on_with_replay(self, title: str, number: int) -> replays_wire.ReplayOut:
        return self.connection.post(replays_wire.ReplayOut, f"{API}/titles/{title}/replays/{number}/go-on")
