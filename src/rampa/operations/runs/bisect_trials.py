"""Going on with a search for a commit: takes what came back, decides, and starts what is tried next.

All that it knows stands in the database, and each step is one transaction: after a kill the next look goes on, and a run that was
started is never started twice.
"""

from __future__ import annotations

import uuid

from sqlalchemy import select

from rampa.core.errors import RampaError
from rampa.core.quantity import counted
from rampa.core.run.abilities import WantedAbilities, wanted_of
from rampa.core.run.bisect import (
    NUMBERS,
    BisectEvent,
    BisectState,
    By,
    Outcome,
    Trial,
    TrialState,
    next_trials,
    outcome,
)
from rampa.core.run.life import ENDED
from rampa.db import BisectRow, BisectTrialRow, RunRow, load_document, locked, queue
from rampa.operations.base import Services, UnitOfWork, begin, service_actor, transition
from rampa.operations.runs.assignment import free_slots
from rampa.operations.runs.bisect_evidence import Evidence, against_limit, from_run, known
from rampa.operations.runs.start import Why, start_in
from rampa.operations.runs.watch import cancel_in
from rampa.schema.runs import NewRuns

SHORT = 10


def go_on(services: Services) -> int:
    """Every search that is being worked on, each in a transaction of its own; how many moved."""
    with begin(services) as uow:
        open_ones = list(uow.session.scalars(select(BisectRow.id).where(BisectRow.state == BisectState.WORKING)))
    return sum(_one(services, ident) for ident in open_ones)


def _one(services: Services, ident: uuid.UUID) -> bool:
    with begin(services) as uow:
        row = next(iter(locked(uow.session, select(BisectRow).where(BisectRow.id == ident), skip=True)), None)
        if row is None or row.state != BisectState.WORKING:
            return False
        uow = uow.by(service_actor(row.started_by))
        moved = _take(uow, row)
        while row.state == BisectState.WORKING:
            settle(uow, row)
            ended = outcome(row.last, row.seen)
            if ended:
                _end(uow, row, ended)
            elif not _try_more(uow, row):
                break
            moved = True
        if moved:
            queue.tell(uow.session, f"bisect/{row.id}")
            queue.tell(uow.session, f"title/{row.title.slug}")
        return moved


def _take(uow: UnitOfWork, row: BisectRow) -> bool:
    """What runs came back with."""
    moved = False
    for trial in row.trials:
        found = from_run(uow, row, trial.run) if trial.run and trial.state == TrialState.WAITING else None
        if found:
            _record(row, trial, found)
            moved = True
    return moved


def _record(row: BisectRow, trial: BisectTrialRow, found: Evidence) -> None:
    trial.state, trial.value, trial.said = found.state, found.value, found.said
    # Until there is a limit to hold them against, the ends are what they were said to be.
    if row.by in NUMBERS and row.limit is None and found.state != TrialState.UNTOLD:
        trial.state = TrialState.GOOD if trial.position == 0 else TrialState.BAD


def settle(uow: UnitOfWork, row: BisectRow) -> None:
    """Where numbers tell: the limit, once both ends are measured; ends that stand the wrong way round end it."""
    if row.by not in NUMBERS or row.limit is not None:
        return
    values = {t.position: t.value for t in row.trials}
    good, bad = values.get(0), values.get(row.last)
    if good is None or bad is None:
        return
    if bad <= good:
        row.said = f"{row.bad} does not have more than {row.good}: both ends were measured."
        transition(uow, row, BisectEvent.REFUTE)
        return
    row.limit = (good + bad) / 2
    for trial in row.trials:
        if trial.value is not None:
            trial.state = against_limit(row, trial.value)


def _try_more(uow: UnitOfWork, row: BisectRow) -> bool:
    """Whether anything is known that was not known before."""
    waiting = sum(s == TrialState.WAITING for s in row.seen.values())
    count = max(1, free_slots(uow, wanted_for(uow, row))) - waiting
    positions = next_trials(row.last, row.seen, max(0, count))
    if row.by in NUMBERS and row.limit is None:
        positions = [p for p in (0, row.last) if p not in row.seen]
    moved = False
    for position in positions:
        found = known(uow, row, row.commits[position])
        trial = BisectTrialRow(
            bisect_id=row.id, position=position, state=TrialState.WAITING, again=found is not None, said=""
        )
        if found:
            trial.run = found.run
            _record(row, trial, found)
            moved = True
        else:
            moved |= not _start(uow, row, trial)
        row.trials.append(trial)
    uow.session.flush()
    return moved


def _start(uow: UnitOfWork, row: BisectRow, trial: BisectTrialRow) -> bool:
    """A run for this commit; where none can be started, it cannot be told there."""
    keeps = row.by == By.UPDATE_COST
    form = row.form if row.by in (By.SELF_TEST, By.CRASH) else ""
    task = Trial(row.number, keeps, row.by in (By.SELF_TEST, By.CRASH), form, row.subject if row.by == By.SIZE else "")
    commit = row.commits[trial.position]
    note = f"{row.name} tries {commit[:SHORT]}."
    asked = NewRuns(profiles=[row.profile], of=commit, note=note)
    try:
        with uow.session.begin_nested():
            (trial.run,) = start_in(uow, row.title.slug, asked, Why("bisect", trial=task))
        return True
    except RampaError as error:
        trial.state, trial.said = TrialState.UNTOLD, f"No run starts: {error.message}"[:1000]
        return False


def _end(uow: UnitOfWork, row: BisectRow, ended: Outcome) -> None:
    row.said = _words(row, ended)
    transition(uow, row, ended.event, low=row.commits[ended.low][:SHORT], high=row.commits[ended.high][:SHORT])
    stop_runs(uow, row)


def stop_runs(uow: UnitOfWork, row: BisectRow) -> None:
    """What is still being tried tells nothing any more: it was not tried."""
    for trial in [t for t in row.trials if t.state == TrialState.WAITING]:
        run = next(iter(locked(uow.session, select(RunRow).where(RunRow.id == trial.run_id))), None)
        if run is not None and run.state not in ENDED:
            cancel_in(uow, run)
        row.trials.remove(trial)


def _words(row: BisectRow, ended: Outcome) -> str:
    if ended.event == BisectEvent.FIND:
        return f"It came with {row.commits[ended.high][:SHORT]}."
    if ended.event == BisectEvent.NARROW:
        between = ended.high - ended.low
        return f"It came with one of {counted(between, 'commit')}: what is between them could not be tried."
    seen = row.seen
    if seen.get(0) == TrialState.BAD:
        return f"{row.good} has it, too: begin with an older one."
    if row.by in NUMBERS:
        return f"{row.bad} does not go beyond the limit."
    return f"{row.bad} does not show it in its self-test: what happens on devices is not tried there."


def wanted_for(uow: UnitOfWork, row: BisectRow) -> WantedAbilities:
    return wanted_of(load_document(uow.session, row.title).profile(row.profile))
