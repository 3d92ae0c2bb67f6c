"""The board."""

from __future__ import annotations

import datetime as dt

from rampa.client.calls import API, Calls
from rampa.schema import board as wire


class BoardCalls(Calls):
    """`client.board`."""

    def get(self, at: dt.datetime | None = None, since: dt.datetime | None = None) -> wire.Board:
        """`at`: how it was then. `since`: when the reader looked last."""
        asked = {name: moment.isoformat() for name, moment in (("at", at), ("since", since)) if moment}
        return self.connection.get(wire.Board, f"{API}/board", **asked)
