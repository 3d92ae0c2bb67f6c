"""Rollouts: a placement's growing share, holding it, going back."""

from __future__ import annotations

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import rollouts as wire


class RolloutsCalls(Calls):
    """`client.rollouts`. A rollout is a placement, by its channel and number."""

    def get(self, title: str, channel: str, number: int) -> wire.Rollout:
        return self.connection.get(wire.Rollout, _placement(title, channel, number))

    def grow(self, title: str, channel: str, number: int, share: float) -> wire.Rollout:
        path = _placement(title, channel, number) + "/grow"
        return self.connection.post(wire.Rollout, path, wire.GrowIn(share=share))

    def plan(self, title: str, channel: str, number: int, plan: str) -> wire.Rollout:
        path = _placement(title, channel, number) + "/plan"
        return self.connection.send(wire.Rollout, "PUT", path, json_of(wire.PlanIn(plan=plan)), JSON)

    def hold(self, title: str, channel: str, number: int, why: str = "") -> wire.Rollout:
        path = _placement(title, channel, number) + "/hold"
        return self.connection.post(wire.Rollout, path, wire.HoldIn(why=why))

    def go_on(self, title: str, channel: str, number: int) -> wire.Rollout:
        return self.connection.post(wire.Rollout, _placement(title, channel, number) + "/go-on")

    def withdraw(self, title: str, channel: str, number: int) -> wire.Rollout:
        return self.connection.post(wire.Rollout, _placement(title, channel, number) + "/withdraw")

    def preview_roll_back(self, title: str, channel: str, build: int) -> wire.RollBackPreview:
        path = f"{API}/titles/{title}/channels/{channel}/roll-back/preview"
        return self.connection.post(wire.RollBackPreview, path, wire.RollBackIn(build=build))

    def roll_back(self, title: str, channel: str, build: int, etag: str) -> wire.Rollout:
        """`etag` from the preview: what the caller saw is what is gone back from, or nothing is."""
        path = f"{API}/titles/{title}/channels/{channel}/roll-back"
        sent = wire.RollBackIn(build=build)
        return self.connection.post(wire.Rollout, path, sent, if_match=f'"{etag}"')


def _placement(title: str, channel: str, number: int) -> str:
    return f"{API}/titles/{title}/channels/{channel}/placements/{number}"
