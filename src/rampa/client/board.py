"""The board."""

from __future__ import annotations

import datetime as dt

from rampa.client.calls import API, Calls
from rampa.schema import board as wire


class BoardCalls(Calls):
    """`client.board`."""

    def get(self, at: dt.datetime | None = None) -> wire.Board:
        """`at`: how it was then. What is new since somebody looked has a `changed_at` after that."""
        return self.connection.get(wire.Board, f"{API}/board", **({"at": at.isoformat()} if at else {}))
