"""How an agent stands, and what can be done with it.

    idle <--> working          it answers
      |pause       resume|
      `------> paused ---'     it answers, and is given nothing
    lost, stopped              it does not answer: silent for too long, or it said goodbye

Pausing is a wish that holds in every state; removing is for agents that are gone and hold no run.
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


GONE = frozenset({AgentState.LOST, AgentState.STOPPED})


def state_of(*, stopped: bool, answers: bool, paused: bool, busy: bool) -> AgentState:
    if stopped:
        return AgentState.STOPPED
    if not answers:
        return AgentState.LOST
    if paused:
        return AgentState.PAUSED
    return AgentState.WORKING if busy else AgentState.IDLE


def possible_events(state: AgentState, *, paused: bool, busy: bool) -> frozenset[AgentEvent]:
    wish = AgentEvent.RESUME if paused else AgentEvent.PAUSE
    return frozenset({wish, AgentEvent.REMOVE} if state in GONE and not busy else {wish})
