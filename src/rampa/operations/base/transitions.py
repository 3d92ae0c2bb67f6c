"""States change through here alone: by the noun's own table, with the audit event in the same transaction."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum
from typing import Any, NamedTuple

from rampa.core.build import life as build
from rampa.core.content.layout import life as layout
from rampa.core.content.patch import life as differences
from rampa.core.content.replay import life as replay
from rampa.core.placement import life as placement
from rampa.core.placement import schedule
from rampa.core.run import bisect
from rampa.core.run import life as run
from rampa.core.store import check_life as check
from rampa.core.transitions import advance
from rampa.db import (
    BisectRow,
    BuildRow,
    DifferenceSetRow,
    LayoutRow,
    PlacementRow,
    ReplayRow,
    RunRow,
    ScheduledRow,
    StoreCheckRow,
)
from rampa.operations.base import audit
from rampa.operations.base.unit_of_work import UnitOfWork

Living = (
    BuildRow
    | RunRow
    | PlacementRow
    | ScheduledRow
    | DifferenceSetRow
    | LayoutRow
    | StoreCheckRow
    | BisectRow
    | ReplayRow
)


class Life(NamedTuple):
    noun: str
    table: Mapping[Any, Any]
    ends_at: str = ""
    """The column that says when a last state was reached."""


LIVES: dict[type[Living], Life] = {
    BuildRow: Life("build", build.TRANSITIONS),
    RunRow: Life("run", run.TRANSITIONS, "ended_at"),
    PlacementRow: Life("placement", placement.TRANSITIONS, "ended_at"),
    ScheduledRow: Life("scheduled", schedule.TRANSITIONS, "ended_at"),
    DifferenceSetRow: Life("difference", differences.TRANSITIONS),
    LayoutRow: Life("layout", layout.TRANSITIONS),
    ReplayRow: Life("replay", replay.TRANSITIONS),
    BisectRow: Life("bisect", bisect.TRANSITIONS, "ended_at"),
    StoreCheckRow: Life("store-check", check.TRANSITIONS, "ended_at"),
}


def transition(uow: UnitOfWork, row: Living, event: StrEnum, **detail: Any) -> None:
    """Raises `Conflict` where the table has no such step. The row must be locked by the caller's transaction."""
    life = LIVES[type(row)]
    row.state = advance(life.table, row.state, event, row.name)
    if life.ends_at and _last(life.table, row.state):
        setattr(row, life.ends_at, uow.now)
    audit.record(uow, f"{life.noun}.{event.value}", row.name, row.title_slug, **detail)


def _last(table: Mapping[Any, Any], state: StrEnum) -> bool:
    """Nothing leads out of it to another state."""
    # A repeated run stays what it was: a step that leads to the same state does not keep a state from being a last
    # one.
    return all(after == state for (at, _), after in table.items() if at == state)
