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


class RunState(StrEnum):
    WAITING = "waiting"
    WORKING = "working"
    STOPPING = "stopping"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"
    SUPERSEDED = "superseded"


class RunEvent(StrEnum):
    TAKE = "be taken"
    FINISH = "finish"
    FAIL = "fail"
    LOSE = "be lost"
    ASK_TO_STOP = "be cancelled"
    STOP = "stop"
    SUPERSEDE = "be superseded"


TRANSITIONS = {
    (RunState.WAITING, RunEvent.TAKE): RunState.WORKING,
    (RunState.WAITING, RunEvent.ASK_TO_STOP): RunState.CANCELLED,
    (RunState.WAITING, RunEvent.SUPERSEDE): RunState.SUPERSEDED,
    (RunState.WAITING, RunEvent.FAIL): RunState.FAILED,
    (RunState.WORKING, RunEvent.FINISH): RunState.DONE,
    (RunState.WORKING, RunEvent.FAIL): RunState.FAILED,
    (RunState.WORKING, RunEvent.LOSE): RunState.WAITING,
    (RunState.WORKING, RunEvent.ASK_TO_STOP): RunState.STOPPING,
    (RunState.STOPPING, RunEvent.STOP): RunState.CANCELLED,
    (RunState.STOPPING, RunEvent.LOSE): RunState.CANCELLED,
    (RunState.STOPPING, RunEvent.FINISH): RunState.DONE,
    (RunState.STOPPING, RunEvent.FAIL): RunState.CANCELLED,
}
"""Finishing wins over a cancel that came too late: the build is there."""

ENDED = frozenset({RunState.DONE, RunState.FAILED, RunState.CANCELLED, RunState.SUPERSEDED})
HELD = frozenset({RunState.WORKING, RunState.STOPPING})
"""An agent has it."""
ATTEMPTS = 3
"""Times that a run is given to an agent before a lost one is a failure."""
