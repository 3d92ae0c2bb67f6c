"""A run's life, and that of each of its steps.

    waiting ----take----> working ----finish---> done
      |  ^                 |  |  `----fail-----> failed
      |  `------lose-------'  `----cancel------> stopping --stop--> cancelled
      |--cancel--> cancelled                        `--lose--> cancelled
      |--supersede--> superseded
      `--fail------> failed

A run waits until an agent that can do it is free. One whose agent was lost waits again, with its next attempt, or fails when
it had enough of them. What ended never moves again; repeating it makes a new run.
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
    TAKE = "take"
    FINISH = "finish"
    FAIL = "fail"
    LOSE = "lose"
    CANCEL = "cancel"
    STOP = "stop"
    SUPERSEDE = "supersede"
    REPEAT = "repeat"


TRANSITIONS = {
    (RunState.WAITING, RunEvent.TAKE): RunState.WORKING,
    (RunState.WAITING, RunEvent.CANCEL): RunState.CANCELLED,
    (RunState.WAITING, RunEvent.SUPERSEDE): RunState.SUPERSEDED,
    (RunState.WAITING, RunEvent.FAIL): RunState.FAILED,
    (RunState.WORKING, RunEvent.FINISH): RunState.DONE,
    (RunState.WORKING, RunEvent.FAIL): RunState.FAILED,
    (RunState.WORKING, RunEvent.LOSE): RunState.WAITING,
    (RunState.WORKING, RunEvent.CANCEL): RunState.STOPPING,
    (RunState.STOPPING, RunEvent.STOP): RunState.CANCELLED,
    (RunState.STOPPING, RunEvent.LOSE): RunState.CANCELLED,
    (RunState.STOPPING, RunEvent.FINISH): RunState.DONE,
    (RunState.STOPPING, RunEvent.FAIL): RunState.CANCELLED,
    (RunState.DONE, RunEvent.REPEAT): RunState.DONE,
    (RunState.FAILED, RunEvent.REPEAT): RunState.FAILED,
    (RunState.CANCELLED, RunEvent.REPEAT): RunState.CANCELLED,
    (RunState.SUPERSEDED, RunEvent.REPEAT): RunState.SUPERSEDED,
}
"""Finishing wins over a cancel that came too late: the build is there."""

ENDED = frozenset({RunState.DONE, RunState.FAILED, RunState.CANCELLED, RunState.SUPERSEDED})
HELD = frozenset({RunState.WORKING, RunState.STOPPING})
"""An agent has it."""
OPEN = frozenset(RunState) - ENDED
NOT_ENDED = "open"
"""What lists are asked by for runs that are waiting, working or stopping: the word for the states of `OPEN`."""
ATTEMPTS = 3
"""Times that a run is given to an agent before a lost one is a failure."""


class StepState(StrEnum):
    """A step of one attempt. The first two are those of steps that never began."""

    WAITING = "waiting"
    NOT_REACHED = "not-reached"
    WORKING = "working"
    DONE = "done"
    FAILED = "failed"
    LEFT_OUT = "left-out"
    STOPPED = "stopped"


class AttemptResult(StrEnum):
    """How an agent says that its attempt ended."""

    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"
