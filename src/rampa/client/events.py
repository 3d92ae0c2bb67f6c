"""Who did what."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.client.calls import API, Calls
from rampa.schema.common import Page
from rampa.schema.events import Acts, AuditEvent


class EventsCalls(Calls):
    """`client.events`."""

    def all(self, **query: object) -> Iterator[AuditEvent]:
        return self.connection.pages(Page[AuditEvent], f"{API}/events", **query)

    def acts(self) -> list[str]:
        return self.connection.get(Acts, f"{API}/events/acts").items
