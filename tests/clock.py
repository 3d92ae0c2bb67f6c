"""The services' time, in a test's hand."""

from __future__ import annotations

import datetime as dt

from tests.conftest import World

START = dt.datetime(2026, 11, 29, 12, 0, tzinfo=dt.UTC)


class Clock:
    def __init__(self, world: World) -> None:
        self.now = START
        object.__setattr__(world.services, "now", lambda: self.now)

    def pass_(self, **span: float) -> None:
        self.now += dt.timedelta(**span)
