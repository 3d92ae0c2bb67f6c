"""Scheduled placements."""

from __future__ import annotations

import datetime as dt

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import schedule as wire


class ScheduleCalls(Calls):
    """`client.schedule`."""

    def all(self, title: str, over: bool = False) -> list[wire.Scheduled]:
        """Those that wait; with `over`, also those that are done, refused or cancelled."""
        return self.connection.get(wire.ScheduledList, _scheduled(title), over=str(over).lower()).items

    def add(self, title: str, asked: wire.NewScheduled) -> wire.Scheduled:
        return self.connection.post(wire.Scheduled, _scheduled(title), asked)

    def move(self, title: str, number: int, at: dt.datetime | None) -> wire.Scheduled:
        """`at` None: to when its gates open."""
        sent = json_of(wire.MoveScheduled(at=at))
        return self.connection.send(wire.Scheduled, "PATCH", f"{_scheduled(title)}/{number}", sent, JSON)

    def cancel(self, title: str, number: int) -> wire.Scheduled:
        return self.connection.post(wire.Scheduled, f"{_scheduled(title)}/{number}/cancel")


def _scheduled(title: str) -> str:
    return f"{API}/titles/{title}/scheduled"
