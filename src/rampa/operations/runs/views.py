"""Runs as the wire has them: in short and whole, with what they wait for, how long they take, what can be done."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict

from sqlalchemy import select

from rampa.core.run import life
from rampa.core.run.expectation import ExpectedTimes
from rampa.core.run.life import RunEvent, StepState
from rampa.db import LogKindRow, RunRow, RunStepRow
from rampa.operations.base import Act, Services, UnitOfWork, action, actions
from rampa.operations.runs.logs import tail_of
from rampa.operations.signing.policy import approvals_missing, approvers
from rampa.schema import runs as wire

KINDS = 200
OFFERED = {RunEvent.CANCEL: Act.CANCEL_RUN, RunEvent.REPEAT: Act.START_RUN}
TAIL = 8


def summary(services: Services, run: RunRow, began: dt.datetime | None = None) -> wire.RunSummary:
    """`began` is when its step began, where the caller knows."""
    return wire.RunSummary(**_fields(services, run, began))


def describe(uow: UnitOfWork, run: RunRow) -> wire.Run:
    rows = list(
        uow.session.scalars(
            select(RunStepRow).where(RunStepRow.run_id == run.id).order_by(RunStepRow.attempt, RunStepRow.position)
        )
    )
    began = next(
        (r.started_at for r in reversed(rows) if r.attempt == run.attempt.number and r.position == run.attempt.step),
        None,
    )
    kinds = uow.session.scalars(
        select(LogKindRow)
        .where(LogKindRow.run_id == run.id)
        .order_by(LogKindRow.level, LogKindRow.first_line)
        .limit(KINDS)
    )
    return wire.Run(
        **_fields(uow.services, run, began),
        revision=run.revision,
        step_variables=run.order.step_variables,
        version_name=run.order.version_name,
        nearest=run.attempt.nearest,
        approved_by=approvers(uow, run),
        approvals_missing=approvals_missing(uow, run) if run.state not in life.ENDED else 0,
        wanted={k: str(v) for k, v in asdict(run.order.wanted).items() if v},
        attempts=_attempts(uow.services, run, rows),
        kinds=[
            wire.LogKindOut(level=k.level, example=k.example, count=k.count, first_line=k.first_line, lines=k.lines)
            for k in kinds
        ],
        first_error=run.log.first_error,
        tail=tail_of(uow, run, TAIL),
        allowed_actions=[
            *actions(uow.actor, life.TRANSITIONS, run.state, OFFERED),
            action(uow.actor, Act.APPROVE_RUN, "approve", _no_approval(uow, run)),
        ],
    )


def _no_approval(uow: UnitOfWork, run: RunRow) -> str:
    """Why there is nothing to approve."""
    if run.state in life.ENDED:
        return f"It is {run.state}."
    return "" if approvals_missing(uow, run) else "Its identity wants no more approvals."


def step_began(uow: UnitOfWork, runs: list[RunRow]) -> dict[tuple[object, int, int], dt.datetime]:
    """(run, attempt, position) -> when it began, for runs that are worked on."""
    ids = [r.id for r in runs if r.state in life.HELD]
    rows = uow.session.scalars(select(RunStepRow).where(RunStepRow.run_id.in_(ids))) if ids else ()
    return {(r.run_id, r.attempt, r.position): r.started_at for r in rows}


def summaries(uow: UnitOfWork, runs: list[RunRow]) -> list[wire.RunSummary]:
    began = step_began(uow, runs)
    return [summary(uow.services, r, began.get((r.id, r.attempt.number, r.attempt.step))) for r in runs]


def _fields(services: Services, run: RunRow, began: dt.datetime | None) -> dict[str, object]:
    now = services.now()
    names = [s.name for s in run.order.steps]
    at = run.attempt.step if 0 <= run.attempt.step < len(names) else -1
    held = run.state in life.HELD
    expected = ExpectedTimes(run.order.expected)
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
        "commit": run.order.commit,
        "subject": run.order.subject,
        "ref": run.order.ref,
        "folder": run.order.folder,
        "why": run.why,
        "trigger": run.trigger,
        "started_by": run.started_by,
        "note": run.note,
        "created_at": run.created_at,
        "taken_at": run.attempt.taken_at,
        "ended_at": run.ended_at,
        "seconds": (until - run.attempt.taken_at).total_seconds() if run.attempt.taken_at else 0.0,
        "attempt": run.attempt.number,
        "agent": run.attempt.agent_name,
        "step": names[at] if at >= 0 else "",
        "step_number": at + 1,
        "step_count": len(names),
        "step_seconds": in_step,
        "step_expected": expected.steps.get(names[at]) if at >= 0 else None,
        "progress": run.attempt.progress if held else None,
        "silent": _silent(run, at, now) if held else 0.0,
        "expected": expected.total(names),
        "left": expected.left(names, max(at, 0), in_step) if held else None,
        "waits_for": run.attempt.waits_for,
        "cause": run.cause,
        "superseded_by": run.superseded_by,
        "build": run.build.number if run.build else 0,
        "log_lines": run.log.lines,
        "errors": run.log.errors,
        "warnings": run.log.warnings,
    }


def _silent(run: RunRow, at: int, now: dt.datetime) -> float:
    """Seconds since the last line, once they are more than the step allows."""
    if at < 0 or run.attempt.spoke_at is None:
        return 0.0
    quiet = (now - run.attempt.spoke_at).total_seconds()
    return quiet if quiet > run.order.steps[at].silent else 0.0


def _attempts(services: Services, run: RunRow, rows: list[RunStepRow]) -> list[wire.Attempt]:
    """All attempts; the latest with the steps that are still to come."""
    numbers = sorted({r.attempt for r in rows} | {run.attempt.number or 1})
    out = []
    for number in numbers:
        seen = {r.position: r for r in rows if r.attempt == number}
        last = number == numbers[-1]
        steps = [
            _step(services, run, position, seen.get(position))
            for position in range(len(run.order.steps))
            if last or position in seen
        ]
        out.append(wire.Attempt(number=number, steps=steps))
    return out


def _step(services: Services, run: RunRow, position: int, row: RunStepRow | None) -> wire.RunStepOut:
    planned = run.order.steps[position]
    seconds = None
    if row is not None:
        seconds = ((row.ended_at or services.now()) - row.started_at).total_seconds()
    return wire.RunStepOut(
        name=planned.name,
        kind=planned.kind,
        position=position,
        state=row.state if row else StepState.NOT_REACHED if run.state in life.ENDED else StepState.WAITING,
        started_at=row.started_at if row else None,
        seconds=seconds,
        expected=run.order.expected.get(planned.name),
        tries=row.tries if row else 0,
        said=row.said if row else "",
        first_line=row.first_line if row else 0,
    )
