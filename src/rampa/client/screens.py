"""Simulated devices that one can look at."""

from __future__ import annotations

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.core.devices.screen import ScreenAct
from rampa.schema import screens as wire


class ScreensCalls(Calls):
    """`client.screens`."""

    def all(self) -> wire.Screens:
        """One's own."""
        return self.connection.get(wire.Screens, f"{API}/testing/screens")

    def add(self, title: str, channel: str, asked: wire.NewScreen) -> wire.Screen:
        return self.connection.post(wire.Screen, f"{API}/testing/titles/{title}/channels/{channel}/screens", asked)

    def get(self, device: str) -> wire.Screen:
        return self.connection.get(wire.Screen, f"{API}/testing/screens/{device}")

    def act(self, device: str, act: ScreenAct) -> wire.Screen:
        return self.connection.post(wire.Screen, f"{API}/testing/screens/{device}/acts", wire.ScreenActIn(act=act))

    def set(self, device: str, asked: wire.ScreenSet) -> wire.Screen:
        path = f"{API}/testing/screens/{device}/settings"
        return self.connection.send(wire.Screen, "PUT", path, json_of(asked), JSON)

    def picture(self, device: str) -> bytes:
        """What its title's program drew last (JPEG). Raises `NotFound` before that."""
        return self._fetch(f"{API}/testing/screens/{device}/picture")
