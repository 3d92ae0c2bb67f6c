"""What all state machines share: a table, and one way to go through it."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum
from typing import TypeVar

from rampa.core.errors import Conflict

S = TypeVar("S", bound=StrEnum)
E = TypeVar("E", bound=StrEnum)


def advance(transitions: Mapping[tuple[S, E], S], state: S, event: E, what: str) -> S:
    """The state after `event`. Raises `Conflict` where the table has no such step."""
    after = transitions.get((state, event))
    if after is None:
        raise Conflict("state.conflict", f"{what} is {state.value}: it cannot {event.value} now")
    return after


def possible(transitions: Mapping[tuple[S, E], S], state: S) -> list[E]:
    """The events that the state allows, in the table's order."""
    return [event for (at, event) in transitions if at == state]
