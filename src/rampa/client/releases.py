"""Releases: made, shown, placed, grown and rolled back as one."""

from __future__ import annotations

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import releases as wire
from rampa.schema import rollouts as rollouts_wire


class ReleasesCalls(Calls):
    """`client.releases`."""

    def all(self, title: str, limit: int = 50) -> list[wire.ReleaseSummary]:
        return list(self.connection.pages(wire.ReleasePage, f"{API}/titles/{title}/releases", limit=limit))

    def get(self, title: str, number: int) -> wire.Release:
        return self.connection.get(wire.Release, _release(title, number))

    def make(self, title: str, release: wire.NewRelease) -> wire.Release:
        return self.connection.post(wire.Release, f"{API}/titles/{title}/releases", release)

    def add(self, title: str, number: int, build: int) -> wire.Release:
        return self.connection.post(wire.Release, _release(title, number) + "/builds", wire.AddBuild(build=build))

    def leave_out(self, title: str, number: int, profile: str, reason: str) -> wire.Release:
        sent = json_of(wire.LeaveOut(profile=profile, reason=reason))
        return self.connection.send(wire.Release, "PUT", _release(title, number) + "/left-out", sent, JSON)

    def write_notes(self, title: str, number: int, note: wire.ReleaseNote) -> wire.Release:
        return self.connection.send(wire.Release, "PUT", _release(title, number) + "/notes", json_of(note), JSON)

    def draft_notes(self, title: str, number: int, channel: str) -> wire.NotesDraft:
        return self.connection.get(wire.NotesDraft, _on(title, number, channel) + "/notes-draft")

    def preview(self, title: str, number: int, channel: str) -> wire.ReleasePreview:
        return self.connection.post(wire.ReleasePreview, _on(title, number, channel) + "/preview")

    def place(
        self, title: str, number: int, channel: str, etag: str, share: float | None = None, plan: str = ""
    ) -> wire.Release:
        """`etag` from the preview: what the caller saw is what is placed, all lines of it, or nothing is."""
        sent = wire.PlaceReleaseIn(share=share, plan=plan)
        path = _on(title, number, channel) + "/placements"
        return self.connection.post(wire.Release, path, sent, if_match=f'"{etag}"')

    def grow(self, title: str, number: int, channel: str, share: float) -> list[rollouts_wire.Rollout]:
        sent = wire.GrowReleaseIn(share=share)
        return self.connection.post(wire.Rollouts, _on(title, number, channel) + "/grow", sent).items

    def plan(self, title: str, number: int, channel: str, plan: str) -> list[rollouts_wire.Rollout]:
        sent = json_of(rollouts_wire.PlanIn(plan=plan))
        return self.connection.send(wire.Rollouts, "PUT", _on(title, number, channel) + "/plan", sent, JSON).items

    def hold(self, title: str, number: int, channel: str, why: str = "") -> list[rollouts_wire.Rollout]:
        sent = rollouts_wire.HoldIn(why=why)
        return self.connection.post(wire.Rollouts, _on(title, number, channel) + "/hold", sent).items

    def go_on(self, title: str, number: int, channel: str) -> list[rollouts_wire.Rollout]:
        return self.connection.post(wire.Rollouts, _on(title, number, channel) + "/go-on").items

    def withdraw(self, title: str, number: int, channel: str) -> list[rollouts_wire.Rollout]:
        return self.connection.post(wire.Rollouts, _on(title, number, channel) + "/withdraw").items

    def preview_roll_back(self, title: str, number: int, channel: str) -> wire.RollBackOfRelease:
        return self.connection.post(wire.RollBackOfRelease, _on(title, number, channel) + "/roll-back/preview")

    def roll_back(self, title: str, number: int, channel: str, etag: str) -> list[rollouts_wire.Rollout]:
        path = _on(title, number, channel) + "/roll-back"
        return self.connection.post(wire.Rollouts, path, if_match=f'"{etag}"').items


def _release(title: str, number: int) -> str:
    return f"{API}/titles/{title}/releases/{number}"


def _on(title: str, number: int, channel: str) -> str:
    return f"{_release(title, number)}/channels/{channel}"
