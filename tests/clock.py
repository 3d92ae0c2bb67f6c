"""The services' time, in a test's hand."""

from __future__ import annotations

import datetime as dt

from tests.conftest import World

START = dt.datetime(2026, 11, 29, 12, 0, tzinfo=dt.UTC)
"""A moment to begin at where nothing was made before."""


class Clock:
    """Stands still until it is told to pass on. It begins now, after all that the test's fixtures made."""

    def __init__(self, world: World, at: dt.datetime | None = None) -> None:
        self.now = at or dt.datetime.now(dt.UTC).replace(microsecond=0) + dt.timedelta(seconds=1)
        object.__setattr__(world.services, "now", lambda: self.now)

    def pass_(self, **span: float) -> None:
        self.now += dt.timedelta(**span)
