"""The spans of time in which both builds are compared: short at first, when every minute counts, and longer later.

They are fixed by when the rollout began and by nothing that is observed; only those that are over count.
"""

from __future__ import annotations

import datetime as dt

GRID = ((600, 30), (3600, 120), (6 * 3600, 600))
"""Until so many seconds, spans of so many seconds; after the last, an hour each."""
HOUR = 3600
SHORTEST = 30
"""Every span is so many seconds or a multiple of it."""


def span_of(since: dt.datetime, at: dt.datetime) -> int:
    """The span in which a moment lies, as the seconds from `since` to its beginning."""
    passed = max(0.0, (at - since).total_seconds())
    before = 0
    for until, length in GRID:
        if passed < until:
            return before + int((passed - before) // length) * length
        before = until
    return before + int((passed - before) // HOUR) * HOUR


def length_of(span: int) -> int:
    """Seconds of the span that begins there."""
    return next((length for until, length in GRID if span < until), HOUR)


def is_over(since: dt.datetime, span: int, now: dt.datetime) -> bool:
    return (now - since).total_seconds() >= span + length_of(span)
