"""How an agent stands, and what can be done with it.

    idle <--> working          it answers
      |pause       resume|
      `------> paused ---'     it answers, and is given nothing
    lost, stopped              it does not answer: silent for too long, or it said goodbye

Pausing is a wish that holds in every state. Removing is possible in every state, too: a stolen machine answers until then.
"""

from __future__ import annotations

from enum import StrEnum


class AgentState(StrEnum):
    IDLE = "idle"
    WORKING = "working"
    PAUSED = "paused"
    LOST = "lost"
    STOPPED = "stopped"


class AgentEvent(StrEnum):
    PAUSE = "pause"
    RESUME = "resume"
    REMOVE = "remove"


def state_of(*, stopped: bool, answers: bool, paused: bool, busy: bool) -> AgentState:
    if stopped:
        return AgentState.STOPPED
    if not answers:
        return AgentState.LOST
    if paused:
        return AgentState.PAUSED
    return AgentState.WORKING if busy else AgentState.IDLE


def possible_events(*, paused: bool) -> frozenset[AgentEvent]:
    return frozenset({AgentEvent.RESUME if paused else AgentEvent.PAUSE, AgentEvent.REMOVE})
