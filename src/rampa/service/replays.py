"""Replays: what past releases would have cost under other rules."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.replays import asked, views
from rampa.schema import replays as wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

REPLAYS = "/titles/<string:title>/replays"
REPLAY = REPLAYS + "/<int:replay>"


def resource(services: Services) -> Resource:
    api = Resource("replays")

    @api.call("GET", REPLAYS, Act.READ, wire.ReplayList)
    def list_replays(path: TitlePath) -> wire.ReplayList:
        """The last thirty, the newest first."""
        return views.list_replays(services, path.title)

    @api.call("POST", REPLAYS, Act.PREPARE_UPDATE, wire.ReplayOut, status=202)
    def ask_for_replay(path: TitlePath, body: wire.ReplayIn) -> wire.ReplayOut:
        """Work out in the background what the last releases would have cost under these rules; one at a time for a title."""
        return asked.ask(services, current_actor(), path.title, body)

    @api.call("GET", REPLAY, Act.READ, wire.ReplayOut)
    def get_replay(path: wire.ReplayPath) -> wire.ReplayOut:
        """How far it is, and the releases that are done."""
        return views.show_replay(services, path.title, path.replay)

    @api.call("POST", REPLAY + "/stop", Act.PREPARE_UPDATE, wire.ReplayOut)
    def stop_replay(path: wire.ReplayPath) -> wire.ReplayOut:
        """Stop it; what was measured is kept for going on."""
        return asked.stop(services, current_actor(), path.title, path.replay)

    @api.call("POST", REPLAY + "/go-on", Act.PREPARE_UPDATE, wire.ReplayOut, status=202)
    def go_on_with_replay(path: wire.ReplayPath) -> wire.ReplayOut:
        """Go on with one that was stopped or failed."""
        return asked.go_on(services, current_actor(), path.title, path.replay)

    return api
