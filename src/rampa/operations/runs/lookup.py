"""Finding runs by what people and agents call them."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.errors import Conflict, NotFound
from rampa.db.runs import RunRow
from rampa.operations.titles.titles import find_title


def find_run(session: Session, slug: str, number: int, *, lock: bool = False) -> RunRow:
    title = find_title(session, slug)
    rows = select(RunRow).where(RunRow.title_id == title.id, RunRow.number == number)
    run = session.scalar(rows.with_for_update(of=RunRow) if lock else rows)
    if run is None:
        hint = f"The newest is {title.last_run}." if title.last_run else "There is none yet: `rampa run start`."
        raise NotFound("run.unknown", f"{slug} has no run {number}", where="run", hint=hint)
    return run


def held_run(session: Session, agent: str, lease: str, *, lock: bool = True) -> RunRow:
    """The run that this agent has under this lease. Raises `Conflict` when it has it no longer."""
    rows = select(RunRow).where(RunRow.lease == lease, RunRow.agent_name == agent)
    run = session.scalar(rows.with_for_update(of=RunRow) if lock else rows)
    if run is None or run.state not in ("working", "stopping"):
        hint = "Stop working on it: it was given to another agent, cancelled, or ended."
        raise Conflict("lease.lost", "this agent does not have that run any more", where="lease", hint=hint)
    return run
