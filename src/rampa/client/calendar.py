"""The studio's calendar."""

from __future__ import annotations

from rampa.client.calls import API, Calls
from rampa.schema import calendar as wire


class CalendarCalls(Calls):
    """`client.calendar`."""

    def get(self) -> wire.CalendarOut:
        return self.connection.get(wire.CalendarOut, f"{API}/calendar")

    def agree(self, asked: wire.NewAgreement) -> wire.CalendarOut:
        return self.connection.post(wire.CalendarOut, f"{API}/calendar/agreements", asked)

    def drop_agreement(self, name: str) -> None:
        self.connection.request("DELETE", f"{API}/calendar/agreements/{name}")

    def make_feed(self) -> str:
        """The address; an earlier one ends."""
        return self.connection.post(wire.FeedAddress, f"{API}/calendar/feed").address

    def end_feed(self) -> None:
        self.connection.request("DELETE", f"{API}/calendar/feed")
