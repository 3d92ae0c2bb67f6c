"""The life of a replay.

    waiting --begin--> running --finish--> ready
       |                  |`-----fail----> failed
       `------stop--------`------stop----> stopped
    stopped, failed --ask--> waiting

What is running stays so when its worker is killed: whoever takes it up measures only the frames that are not measured yet.
"""

from __future__ import annotations

from enum import StrEnum


class ReplayState(StrEnum):
    WAITING = "waiting"
    RUNNING = "running"
    READY = "ready"
    STOPPED = "stopped"
    FAILED = "failed"


class ReplayEvent(StrEnum):
    BEGIN = "begin"
    FINISH = "finish"
    FAIL = "fail"
    STOP = "stop"
    ASK = "ask"


S, E = ReplayState, ReplayEvent
TRANSITIONS = {
    (S.WAITING, E.BEGIN): S.RUNNING,
    (S.WAITING, E.STOP): S.STOPPED,
    (S.RUNNING, E.FINISH): S.READY,
    (S.RUNNING, E.FAIL): S.FAILED,
    (S.RUNNING, E.STOP): S.STOPPED,
    (S.STOPPED, E.ASK): S.WAITING,
    (S.FAILED, E.ASK): S.WAITING,
}
UNDER_WAY = frozenset({S.WAITING, S.RUNNING})
