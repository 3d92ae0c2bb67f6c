"""Health of placements, and reports of devices."""

from __future__ import annotations

from rampa.client.calls import API, Calls
from rampa.schema import crashes as wire_crashes
from rampa.schema import health as wire


class HealthCalls(Calls):
    """`client.health`."""

    def get(self, title: str, channel: str, placement: int) -> wire.PlacementHealth:
        path = f"{API}/titles/{title}/channels/{channel}/placements/{placement}/health"
        return self.connection.get(wire.PlacementHealth, path)

    def crashes(
        self, title: str, build: int = 0, new: bool = False, search: str = "", sort: str = "crashes", limit: int = 50
    ) -> wire_crashes.CrashPage:
        """Groups of crashes; `build` 0: of all builds. At most `limit` of them, 200 at most."""
        path = f"{API}/titles/{title}/crashes"
        asked = {"build": build or None, "new": "true" if new else None, "search": search or None, "sort": sort}
        return self.connection.get(wire_crashes.CrashPage, path, **asked, limit=limit)

    def crash(self, title: str, number: int) -> wire_crashes.CrashGroup:
        return self.connection.get(wire_crashes.CrashGroup, f"{API}/titles/{title}/crashes/{number}")

    def report(self, identifier: str, batch: wire.HealthBatch) -> wire.HealthTaken:
        """As a device does; who is signed in does not matter."""
        return self.connection.post(wire.HealthTaken, f"{API}/health/{identifier}", batch)
