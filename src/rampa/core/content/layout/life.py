"""The life of a build's packs for players.

    waiting ---begin---> making ---finish---> ready
       |  `----skip----> skipped      `-stop-> stopped
       `----stop-------> stopped
    ready, skipped, stopped ---ask---> waiting

What is making stays so when its worker is killed: whoever takes it up goes on with what is there. Devices use only what is ready.
"""

from __future__ import annotations

from enum import StrEnum


class LayoutState(StrEnum):
    WAITING = "waiting"
    MAKING = "making"
    READY = "ready"
    SKIPPED = "skipped"
    STOPPED = "stopped"


NEVER_ASKED = "none"
"""What is said of a build that nobody asked for: no state, since there is no record."""
TO_MAKE = "to-make"
"""What is said of one whose placement will ask."""


class LayoutEvent(StrEnum):
    BEGIN = "begin"
    FINISH = "finish"
    SKIP = "skip"
    STOP = "stop"
    ASK = "ask"


S, E = LayoutState, LayoutEvent
TRANSITIONS = {
    (S.WAITING, E.BEGIN): S.MAKING,
    (S.WAITING, E.SKIP): S.SKIPPED,
    (S.WAITING, E.STOP): S.STOPPED,
    (S.MAKING, E.FINISH): S.READY,
    (S.MAKING, E.STOP): S.STOPPED,
    (S.READY, E.ASK): S.WAITING,
    (S.SKIPPED, E.ASK): S.WAITING,
    (S.STOPPED, E.ASK): S.WAITING,
}
UNDER_WAY = frozenset({S.WAITING, S.MAKING})
