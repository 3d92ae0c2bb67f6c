"""Channels: what is live, what placing would do, placing."""

from __future__ import annotations

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import channels as channels_wire


class ChannelsCalls(Calls):
    """`client.channels`."""

    def all(self, title: str) -> list[channels_wire.Channel]:
        return self.connection.get(channels_wire.ChannelList, f"{API}/titles/{title}/channels").items

    def get(self, title: str, channel: str) -> channels_wire.Channel:
        return self.connection.get(channels_wire.Channel, _channel(title, channel))

    def add(self, title: str, channel: channels_wire.NewChannel) -> list[channels_wire.Channel]:
        return self.connection.post(channels_wire.ChannelList, f"{API}/titles/{title}/channels", channel).items

    def change(self, title: str, name: str, change: channels_wire.ChannelChange) -> list[channels_wire.Channel]:
        sent = json_of(change)
        return self.connection.send(channels_wire.ChannelList, "PATCH", _channel(title, name), sent, JSON).items

    def remove(self, title: str, name: str) -> list[channels_wire.Channel]:
        return self.connection.send(channels_wire.ChannelList, "DELETE", _channel(title, name), b"", {}).items

    def set_gates(self, title: str, channel: str, gates: channels_wire.GatesIn) -> channels_wire.Channel:
        path = _channel(title, channel) + "/gates"
        return self.connection.send(channels_wire.Channel, "PUT", path, json_of(gates), JSON)

    def gates(self, title: str, channel: str, number: int) -> list[channels_wire.GateOut]:
        return self.connection.get(channels_wire.GatesOut, f"{_channel(title, channel)}/builds/{number}/gates").items

    def approve(self, title: str, channel: str, number: int) -> list[channels_wire.GateOut]:
        path = f"{_channel(title, channel)}/builds/{number}/approval"
        return self.connection.post(channels_wire.GatesOut, path).items

    def waive(self, title: str, channel: str, number: int, gate: str, reason: str) -> list[channels_wire.GateOut]:
        path = f"{_channel(title, channel)}/builds/{number}/waiver"
        sent = channels_wire.WaiveIn(gate=gate, reason=reason)
        return self.connection.post(channels_wire.GatesOut, path, sent).items

    def preview(self, title: str, channel: str, number: int) -> channels_wire.PlacePreview:
        sent = channels_wire.PlaceIn(build=number)
        return self.connection.post(channels_wire.PlacePreview, _channel(title, channel) + "/preview", sent)

    def place(
        self, title: str, channel: str, number: int, etag: str, share: float | None = None, plan: str = ""
    ) -> channels_wire.Placement:
        """`etag` from the preview: what the caller saw is what is placed, or nothing is. `share` in percent; all without it."""
        sent = channels_wire.PlaceIn(build=number, share=share, plan=plan)
        path = _channel(title, channel) + "/placements"
        return self.connection.post(channels_wire.Placement, path, sent, if_match=f'"{etag}"')

    def offer(self, title: str, channel: str, platform: str) -> channels_wire.Offer:
        return self.connection.get(channels_wire.Offer, _channel(title, channel) + "/offer", platform=platform)


def _channel(title: str, channel: str) -> str:
    return f"{API}/titles/{title}/channels/{channel}"
