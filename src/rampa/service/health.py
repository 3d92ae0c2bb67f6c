"""Health: reports of devices, and how a placement stands beside the build before."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.health import crashes, placements, reports
from rampa.schema import crashes as wire_crashes
from rampa.schema import health as wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

CRASHES = "/titles/<string:title>/crashes"


def resource(services: Services) -> Resource:
    api = Resource("health")

    @api.call("POST", "/health/<string:identifier>", Act.OPEN, wire.HealthTaken)
    def report_health(path: wire.HealthPath, body: wire.HealthBatch) -> wire.HealthTaken:
        """What a device kept since it last had a network. It shows the token of the title's offers; nothing says who plays."""
        return reports.take(services, path.identifier, body)

    @api.call(
        "GET",
        "/titles/<string:title>/channels/<string:channel>/placements/<int:placement>/health",
        Act.READ,
        wire.PlacementHealth,
    )
    def get_health(path: wire.PlacementHealthPath) -> wire.PlacementHealth:
        """A placement's devices beside those on the build before, over the same hours."""
        return placements.get_health(services, current_actor(), path.title, path.channel, path.placement)

    @api.call("GET", CRASHES, Act.READ_SYMBOLS, wire_crashes.CrashPage)
    def list_crashes(path: TitlePath, query: wire_crashes.CrashQuery) -> wire_crashes.CrashPage:
        """Groups of crashes of the same place, over the last 30 days."""
        return crashes.list_crashes(services, path.title, query)

    @api.call("GET", CRASHES + "/<int:crash>", Act.READ_SYMBOLS, wire_crashes.CrashGroup)
    def get_crash(path: wire_crashes.CrashPath) -> wire_crashes.CrashGroup:
        """One group: its stacks with functions and lines, who has it, since which build, and the commits that came with that."""
        return crashes.get_crash(services, path.title, path.crash)

    return api
