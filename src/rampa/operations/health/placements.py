"""The health of a placement: its devices beside those on the build before, over the same hours."""

from __future__ import annotations

import datetime as dt
import uuid
from collections import defaultdict
from dataclasses import dataclass

from sqlalchemy import func, select

from rampa.core.errors import NotFound
from rampa.core.health.comparison import (
    ERROR,
    LIMIT,
    Compared,
    Health,
    Key,
    Observed,
    Verdict,
    compare,
)
from rampa.core.health.odds import Span
from rampa.core.health.sequential import Count
from rampa.core.health.spans import is_over
from rampa.core.placement.life import PlacementState
from rampa.db import HealthEventRow, PlacementChangeRow, PlacementRow, find_channel
from rampa.operations.base import Act, Actor, Services, UnitOfWork, begin, may
from rampa.operations.health.counts import Counts, counts_of
from rampa.operations.health.crashes import crashes_of
from rampa.schema import health as wire

SHOWN_CRASHES = 10


@dataclass(frozen=True)
class Watched:
    """A placement, the one before it on its line, since when both are looked at, and what that says."""

    placement: PlacementRow
    before: PlacementRow | None
    since: dt.datetime
    health: Health


def get_health(services: Services, actor: Actor, slug: str, name: str, number: int) -> wire.PlacementHealth:
    with begin(services, actor) as uow:
        channel = find_channel(uow.session, slug, name)
        rows = select(PlacementRow).where(PlacementRow.channel_id == channel.id, PlacementRow.number == number)
        placement = uow.session.scalar(rows)
        if placement is None:
            raise NotFound("placement.unknown", f"{name} has no placement {number}")
        seen = look(uow, placement)
        devices, simulated, seconds = _devices(uow, placement.build_id, seen.since)
        return wire.PlacementHealth(
            build=placement.build.name,
            before=seen.before.build.name if seen.before else "",
            since=seen.since,
            verdict=seen.health.verdict,
            said=seen.health.said,
            devices=devices,
            simulated=simulated,
            play_seconds=seconds,
            rows=[_row(c) for c in sorted(seen.health.compared, key=lambda c: c.verdict != Verdict.WORSE)],
            error=ERROR,
            held=placement.state == PlacementState.HELD,
            crashes=crashes_of(uow, placement.build, SHOWN_CRASHES, places=may(actor.role, Act.READ_SYMBOLS)),
        )


def look(uow: UnitOfWork, placement: PlacementRow) -> Watched:
    """The same hours for both: from when the first device got the build, to its end or now."""
    grown = select(func.min(PlacementChangeRow.at)).where(
        PlacementChangeRow.placement_id == placement.id, PlacementChangeRow.share > 0
    )
    since = uow.session.scalar(grown) or placement.created_at
    before = _before(uow, placement)
    until = placement.ended_at or uow.now
    new = counts_of(uow, placement.build_id, since, until)
    old = counts_of(uow, before.build_id, since, until) if before else {}
    return Watched(placement, before, since, compare(_beside(new, old, since, uow.now)))


def _beside(new: Counts, old: Counts, since: dt.datetime, now: dt.datetime) -> Observed:
    """Spans that are over, in their order, both builds in each."""
    observed: dict[Key, list[Span]] = defaultdict(list)
    for key, span in sorted({*new, *old}, key=lambda row: row[1]):
        if is_over(since, span, now):
            observed[key].append(Span(new.get((key, span), Count()), old.get((key, span), Count())))
    return observed


def _before(uow: UnitOfWork, placement: PlacementRow) -> PlacementRow | None:
    """The newest other build that was whole on the line when this one came."""
    rows = (
        select(PlacementRow)
        .where(PlacementRow.line_id == placement.line_id, PlacementRow.number < placement.number)
        .where(PlacementRow.build_id != placement.build_id)
        .order_by(PlacementRow.number.desc())
        .limit(20)
    )
    for other in uow.session.scalars(rows):
        whole = select(PlacementChangeRow.id).where(
            PlacementChangeRow.placement_id == other.id, PlacementChangeRow.state == PlacementState.WHOLE
        )
        if uow.session.scalar(whole.limit(1)) is not None:
            return other
    return None


def _devices(uow: UnitOfWork, build: uuid.UUID, since: dt.datetime) -> tuple[int, int, float]:
    """(devices that reported, those of them that are simulated, seconds of play)"""
    device = HealthEventRow.device.distinct()
    rows = select(
        func.count(device),
        func.count(device).filter(HealthEventRow.simulated),
        func.coalesce(func.sum(HealthEventRow.seconds), 0.0),
    ).where(HealthEventRow.build_id == build, HealthEventRow.at >= since)
    devices, simulated, seconds = uow.session.execute(rows).one()
    return devices, simulated, float(seconds)


def _row(seen: Compared) -> wire.HealthRow:
    return wire.HealthRow(
        part=seen.part.kind,
        name=seen.part.name,
        trouble=seen.trouble,
        bad=seen.new.bad,
        total=seen.new.total,
        rate=seen.new.rate,
        low=seen.new_bounds.low,
        high=seen.new_bounds.high,
        before_bad=seen.old.bad,
        before_total=seen.old.total,
        before_rate=seen.old.rate,
        before_low=seen.old_bounds.low,
        before_high=seen.old_bounds.high,
        evidence=seen.evidence,
        limit=LIMIT,
        verdict=seen.verdict,
        said=seen.said(),
    )
