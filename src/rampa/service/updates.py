"""Updates: their differences."""

from __future__ import annotations

from rampa.operations import differences
from rampa.operations.context import Services
from rampa.schema import updates as wire
from rampa.schema.titles import TitlePath
from rampa.service.access import ENGINEERS, EVERYBODY, current_actor
from rampa.service.resource import Resource

UPDATES = "/titles/<string:title>/updates"


def resource(services: Services) -> Resource:
    api = Resource("updates")

    @api.call("GET", UPDATES + "/differences", EVERYBODY, wire.PreparedOut)
    def get_differences(path: TitlePath, query: wire.PreparedQuery) -> wire.PreparedOut:
        """How far the differences of an update are, and what it costs with and without them."""
        return differences.prepared(services, path.title, query.new, query.old)

    @api.call("POST", UPDATES + "/differences", ENGINEERS, wire.PreparedOut, status=202)
    def make_differences(path: TitlePath, body: wire.PrepareIn) -> wire.PreparedOut:
        """Make the differences of an update in the background, anew."""
        return differences.make_now(services, current_actor(), path.title, body)

    return api
