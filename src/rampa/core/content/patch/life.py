"""The life of an update's set of differences.

    waiting ----make----> ready
       |`-------skip----> skipped      (none would be smaller than plain chunks)
       `<------ask-------- ready, skipped

Asking for a set that is there makes it again; devices use the old one until the new one is verified.
"""

from __future__ import annotations

from enum import StrEnum


class DifferenceState(StrEnum):
    WAITING = "waiting"
    READY = "ready"
    SKIPPED = "skipped"


NEVER_ASKED = "none"
"""What is said of two builds whose differences nobody asked for: no state, since there is no record."""


class DifferenceEvent(StrEnum):
    MAKE = "make"
    SKIP = "skip"
    ASK = "ask"


TRANSITIONS = {
    (DifferenceState.WAITING, DifferenceEvent.MAKE): DifferenceState.READY,
    (DifferenceState.WAITING, DifferenceEvent.SKIP): DifferenceState.SKIPPED,
    (DifferenceState.READY, DifferenceEvent.ASK): DifferenceState.WAITING,
    (DifferenceState.SKIPPED, DifferenceEvent.ASK): DifferenceState.WAITING,
}
