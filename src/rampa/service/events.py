"""Events: who did what."""

from __future__ import annotations

from rampa.operations.base import Act, Services, audit
from rampa.schema.common import Page
from rampa.schema.events import Acts, AuditEvent, EventQuery
from rampa.service.base.resource import Resource


def resource(services: Services) -> Resource:
    api = Resource("events")

    @api.call("GET", "/events", Act.READ, Page[AuditEvent])
    def list_events(query: EventQuery) -> Page[AuditEvent]:
        """Who did what, newest first."""
        return audit.list_events(services, query)

    @api.call("GET", "/events/acts", Act.READ, Acts)
    def list_acts() -> Acts:
        """Everything that events can say."""
        return audit.list_acts()

    return api
