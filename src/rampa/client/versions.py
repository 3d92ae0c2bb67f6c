"""Version codes: the next ones, who holds which."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.client.calls import API, Calls
from rampa.schema import versions as versions_wire
from rampa.schema.common import Page


class VersionsCalls(Calls):
    """`client.versions`."""

    def next(self, title: str) -> list[versions_wire.NextCode]:
        return self.connection.get(versions_wire.NextCodes, f"{API}/titles/{title}/versions/next").items

    def all(self, title: str, **query: object) -> Iterator[versions_wire.CodeHeld]:
        """Filters as in `rampa.schema.versions.HistoryQuery`."""
        return self.connection.pages(Page[versions_wire.CodeHeld], f"{API}/titles/{title}/versions", **query)

    def mark_taken(self, title: str, asked: versions_wire.TakenIn) -> versions_wire.CodeHeld:
        return self.connection.post(versions_wire.CodeHeld, f"{API}/titles/{title}/versions/taken", asked)
