"""How far a build's packs for players are, how they were chosen, and what they save."""

from __future__ import annotations

from sqlalchemy import func, select

from rampa.core.content.layout.life import NEVER_ASKED, LayoutState
from rampa.db import BuildRow, LayoutPackRow, LayoutRow, find_build
from rampa.operations.base import Services, begin
from rampa.operations.base.speed import seconds_of, speed
from rampa.operations.updates.costs import update_cost
from rampa.schema import layout as wire


def show_layout(services: Services, slug: str, number: int) -> wire.LayoutOut:
    """Raises `NotFound` for a build that is not ready."""
    with begin(services) as uow:
        build = find_build(uow.session, slug, number)
        row = uow.session.get(LayoutRow, build.id)
        packs = select(func.count()).where(LayoutPackRow.build_id == build.id)
        count = uow.session.scalar(packs) or 0
    cost = update_cost(services, build, None)
    if row is None:
        return _none(build, cost.download, cost.plain)
    rate, left = _speed(services, row)
    return wire.LayoutOut(
        build=build.number,
        name=build.name,
        state=row.state,
        content=row.content,
        done=row.done,
        size=row.size,
        expected=row.expected,
        fresh=cost.download,
        plain=cost.plain,
        packs=count,
        rate=rate,
        left=left,
        asked_by=row.asked_by,
        note=row.note,
        started_at=row.started_at,
        ended_at=row.ended_at,
        choice=row.choice,
    )


def _none(build: BuildRow, fresh: int, plain: int) -> wire.LayoutOut:
    return wire.LayoutOut(
        build=build.number,
        name=build.name,
        state=NEVER_ASKED,
        content=0,
        done=0,
        size=0,
        expected=0,
        fresh=fresh,
        plain=plain,
        packs=0,
        rate=0,
        left=None,
        asked_by="",
        note="",
        started_at=None,
        ended_at=None,
        choice=None,
    )


def _speed(services: Services, row: LayoutRow) -> tuple[float, float | None]:
    """Bytes of content a second, and seconds until the rest is done."""
    if row.started_at is None:
        return 0.0, None
    seconds = seconds_of(row.started_at, row.ended_at or services.now())
    making = row.state == LayoutState.MAKING
    if row.done or not making:
        return speed(row.done, row.content, seconds, making)
    # Nothing is recorded yet: what the sample took says how long the rest will take.
    told = next((w.packing for w in row.choice.ways if w.chosen), None) if row.choice else None
    return 0.0, None if told is None else round(max(0.0, told - seconds), 1)
