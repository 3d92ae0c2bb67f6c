"""Devices that follow a channel."""

from __future__ import annotations

from rampa.client.calls import API, Calls
from rampa.schema import devices as devices_wire
from rampa.schema.common import Page
from rampa.schema.signing.grants import ReSignedFor


class DevicesCalls(Calls):
    """`client.devices`."""

    def all(self, title: str) -> list[devices_wire.Device]:
        return self.connection.get(Page[devices_wire.Device], f"{API}/titles/{title}/devices").items

    def register(self, title: str, device: devices_wire.NewDevice) -> devices_wire.Device:
        return self.connection.post(devices_wire.Device, f"{API}/titles/{title}/devices", device)

    def remove(self, title: str, name: str) -> None:
        self.connection.request("DELETE", f"{API}/titles/{title}/devices/{name}")

    def report(self, title: str, name: str, report: devices_wire.DeviceReport) -> devices_wire.Device:
        path = f"{API}/titles/{title}/devices/{name}/report"
        headers = {"Content-Type": "application/json"}
        return self.connection.send(devices_wire.Device, "PUT", path, report.model_dump_json().encode(), headers)

    def re_sign(self, title: str, name: str) -> ReSignedFor:
        return self.connection.post(ReSignedFor, f"{API}/titles/{title}/devices/{name}/re-sign")

    def register_by_code(self, asked: devices_wire.RegisterDevice) -> devices_wire.Registered:
        """Needs no sign-in: the code is enough."""
        return self.connection.post(devices_wire.Registered, f"{API}/devices", asked)

    def ask(self, device_id: str) -> devices_wire.DeviceChallenge:
        return self.connection.post(devices_wire.DeviceChallenge, f"{API}/devices/{device_id}/challenge")

    def open_session(self, device_id: str, asked: devices_wire.DeviceSessionIn) -> devices_wire.DeviceSession:
        return self.connection.post(devices_wire.DeviceSession, f"{API}/devices/{device_id}/session", asked)
