"""The life of a check of the content store.

    running ----finish----> done
       `-------cancel-----> cancelled

One that was interrupted is still running: it goes on where it stopped.
"""

from __future__ import annotations

from enum import StrEnum


class CheckState(StrEnum):
    RUNNING = "running"
    DONE = "done"
    CANCELLED = "cancelled"


class CheckEvent(StrEnum):
    FINISH = "finish"
    CANCEL = "cancel"


TRANSITIONS = {
    (CheckState.RUNNING, CheckEvent.FINISH): CheckState.DONE,
    (CheckState.RUNNING, CheckEvent.CANCEL): CheckState.CANCELLED,
}
