"""What is told of replays."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from rampa.core.content.replay.life import ReplayState
from rampa.core.errors import NotFound
from rampa.db import ReplayRow, find_title, first_of
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.base.speed import seconds_of, speed
from rampa.schema import replays as wire


def find_replay(uow: UnitOfWork, slug: str, number: int, *, lock: bool = False) -> ReplayRow:
    title = find_title(uow.session, slug)
    rows = select(ReplayRow).where(ReplayRow.title_id == title.id, ReplayRow.number == number)
    row = first_of(uow.session, rows, lock=lock)
    if row is None:
        raise NotFound("replay.unknown", f"{slug} has no replay {number}", hint="List them: rampa update replay list")
    return row


def show_replay(services: Services, slug: str, number: int) -> wire.ReplayOut:
    with begin(services) as uow:
        return shown(services, find_replay(uow, slug, number))


def list_replays(services: Services, slug: str) -> wire.ReplayList:
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = select(ReplayRow).where(ReplayRow.title_id == title.id).order_by(ReplayRow.number.desc())
        return wire.ReplayList(items=[wire.ReplaySummary(**_summary(services, r)) for r in uow.session.scalars(rows)])


def shown(services: Services, row: ReplayRow) -> wire.ReplayOut:
    return wire.ReplayOut(**_summary(services, row), rules=row.asked.rules, releases=row.releases)


def _summary(services: Services, row: ReplayRow) -> dict[str, Any]:
    rate, left = _speed(services, row)
    return {
        "number": row.number,
        "state": row.state,
        "platform": row.asked.platform,
        "profile": row.asked.profile,
        "channel": row.asked.channel,
        "builds": row.builds,
        "players": row.asked.players,
        "chosen": _chosen(row.asked),
        "asked_by": row.asked_by,
        "note": row.note,
        "total": row.total,
        "done": row.done,
        "rate": rate,
        "left": left,
        "created_at": row.created_at,
        "started_at": row.started_at,
        "ended_at": row.ended_at,
    }


def _chosen(asked: wire.ReplayIn) -> str:
    said = {
        "architecture": asked.architecture,
        "languages": asked.languages,
        "addons": asked.addons,
        "quality": asked.quality,
    }
    return "; ".join(f"{name} {'none' if value == '-' else value}" for name, value in said.items() if value)


def _speed(services: Services, row: ReplayRow) -> tuple[float, float | None]:
    """Bytes of content a second, and seconds until the rest is done."""
    if row.started_at is None:
        return 0.0, None
    seconds = seconds_of(row.started_at, row.ended_at or services.now())
    return speed(row.done, row.total, seconds, row.state == ReplayState.RUNNING)
