"""A delivery's life: one event on its way to one webhook.

    waiting ---take----> taken
       ^ `-----fail----> waiting (later), or given-up after the last try
       `---resend------ taken, given-up

Waiting: it is tried when its time comes. Taken: the target answered that it has it. Given up: nothing tries it by itself.
"""

from __future__ import annotations

import datetime as dt
from enum import StrEnum


class DeliveryState(StrEnum):
    WAITING = "waiting"
    TAKEN = "taken"
    GIVEN_UP = "given-up"


class DeliveryEvent(StrEnum):
    TAKE = "take"
    FAIL = "fail"
    GIVE_UP = "give-up"
    RESEND = "resend"


TRANSITIONS = {
    (DeliveryState.WAITING, DeliveryEvent.TAKE): DeliveryState.TAKEN,
    (DeliveryState.WAITING, DeliveryEvent.FAIL): DeliveryState.WAITING,
    (DeliveryState.WAITING, DeliveryEvent.GIVE_UP): DeliveryState.GIVEN_UP,
    (DeliveryState.TAKEN, DeliveryEvent.RESEND): DeliveryState.WAITING,
    (DeliveryState.GIVEN_UP, DeliveryEvent.RESEND): DeliveryState.WAITING,
}
WAITS = tuple(dt.timedelta(seconds=s) for s in (5, 30, 120, 600, 1800, 3600, 3 * 3600, 6 * 3600, 12 * 3600))
"""After the first failed try, the second, …: ten tries over a day."""


def wait_after(tries: int) -> dt.timedelta | None:
    """Until the next try, after so many that failed; None: it is given up."""
    return WAITS[tries - 1] if 1 <= tries <= len(WAITS) else None
