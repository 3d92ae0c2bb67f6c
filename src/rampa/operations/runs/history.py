"""How long steps took before."""

from __future__ import annotations

from collections import defaultdict

from sqlalchemy import func, select

from rampa.core.run.expectation import HISTORY, ExpectedTimes, expect
from rampa.core.run.life import StepState
from rampa.db import RunRow, RunStepRow, TitleRow
from rampa.operations.base import UnitOfWork


def expected_of(uow: UnitOfWork, title: TitleRow, profile: str) -> ExpectedTimes:
    """From the profile's latest runs."""
    latest = (
        select(RunRow.id)
        .where(RunRow.title_id == title.id, RunRow.profile == profile, RunRow.ended_at.is_not(None))
        .order_by(RunRow.number.desc())
        .limit(HISTORY * 2)
    )
    rows = uow.session.execute(
        select(RunStepRow.name, func.extract("epoch", RunStepRow.ended_at - RunStepRow.started_at))
        .where(RunStepRow.run_id.in_(latest), RunStepRow.state == StepState.DONE)
        .order_by(RunStepRow.started_at.desc())
    )
    history: dict[str, list[float]] = defaultdict(list)
    for name, seconds in rows:
        history[name].append(float(seconds))
    return expect(history)
