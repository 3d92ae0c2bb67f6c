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
        hint = f"From here it can: {', '.join(words(e) for e in possible(transitions, state))}."
        raise Conflict(
            "state.conflict",
            f"{what} is {words(state)}: {words(event)} is not possible now",
            hint=hint if possible(transitions, state) else "",
        )
    return after


def possible(transitions: Mapping[tuple[S, E], S], state: S) -> list[E]:
    """The events that the state allows, in the table's order."""
    return [event for (at, event) in transitions if at == state]


def words(code: StrEnum) -> str:
    """A state's or event's code as a person reads it."""
    return code.value.replace("-", " ")
