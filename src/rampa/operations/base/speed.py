"""How fast work in the background goes, and how long it will go on."""

from __future__ import annotations

import datetime as dt

SHORTEST = 0.001


def seconds_of(started: dt.datetime, until: dt.datetime) -> float:
    return max(SHORTEST, (until - started).total_seconds())


def speed(done: int, total: int, seconds: float, running: bool) -> tuple[float, float | None]:
    """(what was done a second, seconds until the rest is done): None where that is not known, or nothing runs."""
    rate = done / seconds
    return round(rate, 1), round((total - done) / rate, 1) if running and done else None
