"""Runs as the wire has them: in short and whole, with what they wait for, how long they take, what can be done."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.run import life
from rampa.core.run.expectation import ExpectedTimes
from rampa.core.run.life import RunState
from rampa.db.runs import LogKindRow, RunRow, RunStepRow
from rampa.operations.base.context import Actor, Services
from rampa.operations.runs.logs import tail_of
from rampa.schema import runs as wire
from rampa.schema.common import Action, Role

KINDS = 200
TAIL = 8


def summary(services: Services, run: RunRow, began: dt.datetime | None = None) -> wire.RunSummary:
    """`began` is when its step began, where the caller knows."""
    return wire.RunSummary(**_fields(services, run, began))


def describe(services: Services, session: Session, actor: Actor, run: RunRow) -> wire.Run:
    rows = list(
        session.scalars(
            select(RunStepRow).where(RunStepRow.run_id == run.id).order_by(RunStepRow.attempt, RunStepRow.position)
        )
    )
    began = next((r.started_at for r in reversed(rows) if r.attempt == run.attempt and r.position == run.step), None)
    kinds = session.scalars(
        select(LogKindRow)
        .where(LogKindRow.run_id == run.id)
        .order_by(LogKindRow.level, LogKindRow.first_line)
        .limit(KINDS)
    )
    return wire.Run(
        **_fields(services, run, began),
        revision=run.revision,
        step_variables=run.step_variables,
        version_name=run.version_name,
        nearest=run.nearest,
        wanted={k: str(v) for k, v in run.wanted.items() if v},
        attempts=_attempts(services, run, rows),
        kinds=[
            wire.LogKindOut(level=k.level, example=k.example, count=k.count, first_line=k.first_line, lines=k.lines)
            for k in kinds
        ],
        first_error=run.first_error,
        tail=tail_of(session, run, TAIL),
        allowed_actions=_actions(run, actor),
    )


def step_began(session: Session, runs: list[RunRow]) -> dict[tuple[object, int, int], dt.datetime]:
    """(run, attempt, position) -> when it began, for runs that are worked on."""
    ids = [r.id for r in runs if RunState(r.state) in life.HELD]
    rows = session.scalars(select(RunStepRow).where(RunStepRow.run_id.in_(ids))) if ids else ()
    return {(r.run_id, r.attempt, r.position): r.started_at for r in rows}


def summaries(services: Services, session: Session, runs: list[RunRow]) -> list[wire.RunSummary]:
    began = step_began(session, runs)
    return [summary(services, r, began.get((r.id, r.attempt, r.step))) for r in runs]


def _fields(services: Services, run: RunRow, began: dt.datetime | None) -> dict[str, object]:
    now = services.now()
    names = [s["name"] for s in run.steps]
    at = run.step if 0 <= run.step < len(names) else -1
    held = RunState(run.state) in life.HELD
    expected = ExpectedTimes(run.expected)
    in_step = max(0.0, (now - began).total_seconds()) if began and held else 0.0
    until = run.ended_at or now
    return {
        "name": run.name,
        "title": run.title.slug,
        "number": run.number,
        "together": run.together,
        "profile": run.profile,
        "platform": run.platform,
        "purpose": run.purpose,
        "state": run.state,
        "commit": run.commit,
        "subject": run.subject,
        "ref": run.ref,
        "folder": run.folder,
        "why": run.why,
        "trigger": run.trigger,
        "started_by": run.started_by,
        "note": run.note,
        "created_at": run.created_at,
        "taken_at": run.taken_at,
        "ended_at": run.ended_at,
        "seconds": (until - run.taken_at).total_seconds() if run.taken_at else 0.0,
        "attempt": run.attempt,
        "agent": run.agent_name,
        "step": names[at] if at >= 0 else "",
        "step_number": at + 1,
        "step_count": len(names),
        "step_seconds": in_step,
        "step_expected": expected.steps.get(names[at]) if at >= 0 else None,
        "progress": run.progress if held else None,
        "silent": _silent(run, at, now) if held else 0.0,
        "expected": expected.total(names),
        "left": expected.left(names, max(at, 0), in_step) if held else None,
        "waits_for": run.waits_for,
        "cause": wire.CauseOut(**run.cause) if run.cause else None,
        "superseded_by": run.superseded_by,
        "build": run.build.number if run.build else 0,
        "log_lines": run.log_lines,
        "errors": run.errors,
        "warnings": run.warnings,
    }


def _silent(run: RunRow, at: int, now: dt.datetime) -> float:
    """Seconds since the last line, once they are more than the step allows."""
    if at < 0 or run.spoke_at is None:
        return 0.0
    quiet = (now - run.spoke_at).total_seconds()
    return quiet if quiet > run.steps[at]["silent"] else 0.0


def _attempts(services: Services, run: RunRow, rows: list[RunStepRow]) -> list[wire.Attempt]:
    """All attempts; the latest with the steps that are still to come."""
    numbers = sorted({r.attempt for r in rows} | ({run.attempt} if run.attempt else {1}))
    out = []
    for number in numbers:
        seen = {r.position: r for r in rows if r.attempt == number}
        last = number == numbers[-1]
        steps = [
            _step(services, run, position, seen.get(position))
            for position in range(len(run.steps))
            if last or position in seen
        ]
        out.append(wire.Attempt(number=number, steps=steps))
    return out


def _step(services: Services, run: RunRow, position: int, row: RunStepRow | None) -> wire.RunStepOut:
    planned = run.steps[position]
    seconds = None
    if row is not None:
        seconds = ((row.ended_at or services.now()) - row.started_at).total_seconds()
    return wire.RunStepOut(
        name=planned["name"],
        kind=planned["kind"],
        position=position,
        state=row.state if row else "not reached" if RunState(run.state) in life.ENDED else "waiting",
        started_at=row.started_at if row else None,
        seconds=seconds,
        expected=run.expected.get(planned["name"]),
        tries=row.tries if row else 0,
        said=row.said if row else "",
        first_line=row.first_line if row else 0,
    )


def _actions(run: RunRow, actor: Actor) -> list[Action]:
    may = actor.role in (Role.OWNER, Role.ENGINEER)
    role = "" if may else f"A {actor.role} may not."
    ended = RunState(run.state) in life.ENDED
    stopping = run.state == RunState.STOPPING
    cancel = role or (f"It is {run.state}." if ended else "It is being stopped." if stopping else "")
    return [
        Action(name="cancel", possible=not cancel, reason=cancel),
        Action(name="start again", possible=may and ended, reason=role or ("" if ended else "It has not ended.")),
    ]
