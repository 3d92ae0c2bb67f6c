"""What a commit's try came to: from its run, or from what runs and builds of before tell already."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Select, func, select

from rampa.core.build.life import BuildState
from rampa.core.run.bisect import By, TrialState, told_by_number, told_by_self_test
from rampa.core.run.life import ENDED, RunState, StepState
from rampa.db import BisectRow, BuildOriginRow, BuildRow, RunOrderRow, RunRow, RunStepRow
from rampa.operations.base import UnitOfWork
from rampa.operations.content.stored_trees import build_tree
from rampa.operations.updates.costs import update_cost

UNBUILT = "It did not build: {why}"


@dataclass(frozen=True)
class Evidence:
    """`value` in bytes or seconds, None where there is none; `said` why it cannot be told, or how it failed."""

    state: TrialState
    value: float | None = None
    said: str = ""
    run: RunRow | None = None


def from_run(uow: UnitOfWork, bisect: BisectRow, run: RunRow) -> Evidence | None:
    """None while it is open."""
    if run.state not in ENDED:
        return None
    measured, why = run.measured, (run.cause.sentence if run.cause else f"its run is {run.state.value}")
    if bisect.by in (By.SELF_TEST, By.CRASH):
        told = told_by_self_test(measured, bisect.crash) if measured else TrialState.UNTOLD
        said = f"It crashes in {measured.place}" if measured and measured.place else ""
        if told == TrialState.UNTOLD:
            said = said or (
                "The self-test does not run here" if run.state == RunState.DONE else UNBUILT.format(why=why)
            )
        return Evidence(told, said=said, run=run)
    value = _number(uow, bisect, run)
    if value is None:
        return Evidence(TrialState.UNTOLD, said=UNBUILT.format(why=why), run=run)
    return Evidence(against_limit(bisect, value), value, run=run)


def against_limit(bisect: BisectRow, value: float) -> TrialState:
    """Without a limit yet the ends are what they were said to be, and nothing else is tried."""
    return told_by_number(value, bisect.limit) if bisect.limit is not None else TrialState.GOOD


def _number(uow: UnitOfWork, bisect: BisectRow, run: RunRow) -> float | None:
    if bisect.by == By.STEP_TIME:
        return _seconds(uow, run, bisect.subject)
    if bisect.by == By.UPDATE_COST:
        return _cost(uow, bisect, run.build) if run.build else None
    return float(run.measured.size) if run.measured and run.state == RunState.DONE else None


def _seconds(uow: UnitOfWork, run: RunRow, step: str) -> float | None:
    rows = (
        select(func.extract("epoch", RunStepRow.ended_at - RunStepRow.started_at))
        .where(RunStepRow.run_id == run.id, RunStepRow.name == step, RunStepRow.state == StepState.DONE)
        .order_by(RunStepRow.attempt.desc())
        .limit(1)
    )
    found = uow.session.scalar(rows)
    return None if found is None else float(found)


def _cost(uow: UnitOfWork, bisect: BisectRow, build: BuildRow) -> float | None:
    old = bisect.good_build
    if old is None or build.state != BuildState.READY or old.state != BuildState.READY:
        return None
    return 0.0 if old.id == build.id else float(update_cost(uow.services, build, old).download)


def known(uow: UnitOfWork, bisect: BisectRow, commit: str) -> Evidence | None:
    """What can be told of a commit without a run; None where a run must."""
    if bisect.by in (By.SIZE, By.UPDATE_COST):
        build = uow.session.scalar(_builds(bisect, commit))
        if build is None:
            return None
        if bisect.by == By.UPDATE_COST:
            value = _cost(uow, bisect, build)
        else:
            value = float(build_tree(uow.services, build).size_of(bisect.subject))
        return (
            None if value is None else Evidence(against_limit(bisect, value), value, f"{build.name} is there already")
        )
    run = next((r for r in uow.session.scalars(_runs(bisect, commit)) if _tried_the_same(bisect, r)), None)
    found = from_run(uow, bisect, run) if run else None
    return found if found and found.state != TrialState.UNTOLD else None


def _builds(bisect: BisectRow, commit: str) -> Select[BuildRow]:
    return (
        select(BuildRow)
        .join(BuildOriginRow, BuildOriginRow.build_id == BuildRow.id)
        .where(BuildRow.title_id == bisect.title_id, BuildRow.profile == bisect.profile)
        .where(BuildOriginRow.commit == commit, BuildRow.state == BuildState.READY)
        .order_by(BuildRow.number.desc())
        .limit(1)
    )


def _runs(bisect: BisectRow, commit: str) -> Select[RunRow]:
    """The latest of this commit, by today's document."""
    return (
        select(RunRow)
        .join(RunOrderRow)
        .where(RunRow.title_id == bisect.title_id, RunRow.profile == bisect.profile, RunOrderRow.commit == commit)
        .where(RunRow.state.in_((RunState.DONE, RunState.FAILED)), RunRow.revision == bisect.title.revision)
        .order_by(RunRow.number.desc())
        .limit(20)
    )


def _tried_the_same(bisect: BisectRow, run: RunRow) -> bool:
    if bisect.by == By.STEP_TIME:
        return run.state == RunState.DONE
    form = run.order.trial.form if run.order.trial else ""
    return form == bisect.form and run.measured is not None and run.measured.self_test != ""
