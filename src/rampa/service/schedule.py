"""Scheduled placements: at a moment, or when gates open."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.releases import schedule
from rampa.schema import schedule as wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

SCHEDULED = "/titles/<string:title>/scheduled"
ONE = SCHEDULED + "/<int:scheduled>"


def resource(services: Services) -> Resource:
    api = Resource("schedule")

    @api.call("GET", SCHEDULED, Act.READ, wire.ScheduledList)
    def list_scheduled(path: TitlePath, query: wire.ScheduledQuery) -> wire.ScheduledList:
        """What is to be placed at a moment or when gates open, and what became of it."""
        return schedule.list_scheduled(services, current_actor(), path.title, query)

    @api.call("POST", SCHEDULED, Act.PLACE, wire.Scheduled, status=201)
    def add_scheduled(path: TitlePath, body: wire.NewScheduled) -> wire.Scheduled:
        """Place a build or a release at a moment, or when the channel's gates open."""
        return schedule.add_scheduled(services, current_actor(), path.title, body)

    @api.call("PATCH", ONE, Act.PLACE, wire.Scheduled)
    def move_scheduled(path: wire.ScheduledPath, body: wire.MoveScheduled) -> wire.Scheduled:
        """Move it to another moment."""
        return schedule.move_scheduled(services, current_actor(), path.title, path.scheduled, body.at)

    @api.call("POST", ONE + "/cancel", Act.PLACE, wire.Scheduled)
    def cancel_scheduled(path: wire.ScheduledPath) -> wire.Scheduled:
        """Cancel it; nothing is placed."""
        return schedule.cancel_scheduled(services, current_actor(), path.title, path.scheduled)

    return api
