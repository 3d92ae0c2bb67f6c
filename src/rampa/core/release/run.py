"""A run's life.

    waiting ----take----> working ----finish---> done
      |  ^                 |  |  `----fail-----> failed
      |  `------lose-------'  `--ask-to-stop---> stopping --stop--> cancelled
      |--ask-to-stop--> cancelled                  `--lose--> cancelled
      |--supersede----> superseded
      `--fail---------> failed

A run waits until an agent that can do it is free. One whose agent was lost waits again, with its next attempt, or fails when
it had enough of them. What ended never moves again; trying again makes a new run.
"""

from __future__ import annotations

from enum import StrEnum


class State(StrEnum):
    WAITING = "waiting"
    WORKING = "working"
    STOPPING = "stopping"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"
    SUPERSEDED = "superseded"


class Event(StrEnum):
    TAKE = "be taken"
    FINISH = "finish"
    FAIL = "fail"
    LOSE = "be lost"
    ASK_TO_STOP = "be cancelled"
    STOP = "stop"
    SUPERSEDE = "be superseded"


TRANSITIONS = {
    (State.WAITING, Event.TAKE): State.WORKING,
    (State.WAITING, Event.ASK_TO_STOP): State.CANCELLED,
    (State.WAITING, Event.SUPERSEDE): State.SUPERSEDED,
    (State.WAITING, Event.FAIL): State.FAILED,
    (State.WORKING, Event.FINISH): State.DONE,
    (State.WORKING, Event.FAIL): State.FAILED,
    (State.WORKING, Event.LOSE): State.WAITING,
    (State.WORKING, Event.ASK_TO_STOP): State.STOPPING,
    (State.STOPPING, Event.STOP): State.CANCELLED,
    (State.STOPPING, Event.LOSE): State.CANCELLED,
    (State.STOPPING, Event.FINISH): State.DONE,
    (State.STOPPING, Event.FAIL): State.CANCELLED,
}
"""Finishing wins over a cancel that came too late: the build is there."""

ENDED = frozenset({State.DONE, State.FAILED, State.CANCELLED, State.SUPERSEDED})
HELD = frozenset({State.WORKING, State.STOPPING})
"""An agent has it."""
ATTEMPTS = 3
"""Times that a run is given to an agent before a lost one is a failure."""
