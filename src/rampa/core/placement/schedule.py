"""A scheduled placement's life: at a moment, or when gates open.

waiting ----place-----> done
   |`-------refuse----> refused     (what was in the way is kept; nothing was placed)
   `--------cancel----> cancelled
"""

from __future__ import annotations

import datetime as dt
from enum import StrEnum

from rampa.core.errors import Invalid

LONGEST = dt.timedelta(days=90)


class ScheduledState(StrEnum):
    WAITING = "waiting"
    DONE = "done"
    REFUSED = "refused"
    CANCELLED = "cancelled"


class ScheduledEvent(StrEnum):
    PLACE = "place"
    REFUSE = "refuse"
    CANCEL = "cancel"


TRANSITIONS = {
    (ScheduledState.WAITING, ScheduledEvent.PLACE): ScheduledState.DONE,
    (ScheduledState.WAITING, ScheduledEvent.REFUSE): ScheduledState.REFUSED,
    (ScheduledState.WAITING, ScheduledEvent.CANCEL): ScheduledState.CANCELLED,
}


def must_be_ahead(at: dt.datetime, now: dt.datetime) -> None:
    """Raises `Invalid` for a moment that is over, or further off than anybody plans."""
    if at <= now:
        said = f"{at.astimezone(dt.UTC):%F %H:%M} UTC is over"
        raise Invalid("schedule.past", said, where="at", hint="Place it now, or name a moment that is still to come.")
    if at - now > LONGEST:
        raise Invalid("schedule.far", f"that is more than {LONGEST.days} days ahead", where="at")
