"""How long steps took before."""

from __future__ import annotations

from collections import defaultdict

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from rampa.core.run.expecting import HISTORY, Expected, expect
from rampa.db.runs import Run, RunStep
from rampa.db.titles import Title


def expected_of(session: Session, title: Title, profile: str) -> Expected:
    """From the profile's latest runs."""
    latest = (
        select(Run.id)
        .where(Run.title_id == title.id, Run.profile == profile, Run.ended_at.is_not(None))
        .order_by(Run.number.desc())
        .limit(HISTORY * 2)
    )
    rows = session.execute(
        select(RunStep.name, func.extract("epoch", RunStep.ended_at - RunStep.started_at))
        .where(RunStep.run_id.in_(latest), RunStep.state == "done")
        .order_by(RunStep.started_at.desc())
    )
    history: dict[str, list[float]] = defaultdict(list)
    for name, seconds in rows:
        history[name].append(float(seconds))
    return expect(history)
