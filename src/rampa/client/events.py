"""Who did what."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.client.calls import API, Calls
from rampa.schema.common import Page
from rampa.schema.events import AuditEvent


class EventsCalls(Calls):
    """`client.events`."""

    def all(self, **query: object) -> Iterator[AuditEvent]:
        return self.connection.pages(Page[AuditEvent], f"{API}/events", **query)
