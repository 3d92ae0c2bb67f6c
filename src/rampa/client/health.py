"""Health of placements, and reports of devices."""

from __future__ import annotations

from rampa.client.calls import API, Calls
from rampa.schema import health as wire


class HealthCalls(Calls):
    """`client.health`."""

    def get(self, title: str, channel: str, placement: int) -> wire.PlacementHealth:
        path = f"{API}/titles/{title}/channels/{channel}/placements/{placement}/health"
        return self.connection.get(wire.PlacementHealth, path)

    def report(self, identifier: str, batch: wire.HealthBatch) -> wire.HealthTaken:
        """As a device does; who is signed in does not matter."""
        return self.connection.post(wire.HealthTaken, f"{API}/health/{identifier}", batch)
