"""Differences are kept while somebody needs them: for the update itself, or as a step for who skips releases."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import delete, func, select

from rampa.core.content.patch.life import DifferenceState
from rampa.core.placement.life import LIVE
from rampa.db import BuildRow, DeviceRow, DifferenceSetRow, PlacementRow, placed_since
from rampa.operations.base import Services, UnitOfWork, begin, service_actor
from rampa.operations.content.chains import StepGraph
from rampa.operations.content.visibility import for_everybody
from rampa.operations.layout.players import ENOUGH
from rampa.operations.updates.differences import ask, likely


def ask_where_lacking(services: Services) -> None:
    """For what is live, from what devices have come to have since it was placed."""
    live = select(PlacementRow.build_id).where(PlacementRow.state.in_(LIVE))
    with begin(services, service_actor("the hourly look at what devices have")) as uow:
        for build in uow.session.scalars(select(BuildRow).where(BuildRow.id.in_(live))):
            ask(uow, build, likely(uow, build))


def forget_unused(uow: UnitOfWork) -> list[bytes]:
    """Drops the sets that are no step of any way from what players have to what they may get; returns their packs."""
    since = uow.now - dt.timedelta(days=uow.services.layout.kept_days)
    row, needed = DifferenceSetRow, set[tuple[uuid.UUID, uuid.UUID]]()
    graphs: dict[tuple[uuid.UUID, str], StepGraph] = {}
    for new in uow.session.scalars(select(BuildRow).where(BuildRow.id.in_(placed_since(since)))):
        starts, place = _starts(uow, new, since), (new.title_id, new.platform)
        graph = graphs[place] = graphs.get(place) or StepGraph.load(uow, *place)
        needed |= {(new.id, old) for old in starts}
        needed |= {(s.new_id, s.old_id) for way in graph.ways_to(new.id, starts).values() for s in way.sets}
    # One that was asked for by hand waits for its placement as long as a build is watched.
    old_ones = select(row).where(row.state == DifferenceState.READY, row.created_at <= since)
    gone = [s for s in uow.session.scalars(old_ones) if (s.new_id, s.old_id) not in needed]
    packs = {s.pack for s in gone if s.pack}
    for each in gone:
        uow.session.delete(each)
    uow.session.flush()
    return _unnamed(uow, packs)


def forget_of(uow: UnitOfWork, gone: list[uuid.UUID]) -> list[bytes]:
    """Drops the differences from and to builds that are no more; returns the packs that nothing points at then."""
    rows = delete(DifferenceSetRow).where(DifferenceSetRow.new_id.in_(gone) | DifferenceSetRow.old_id.in_(gone))
    return _unnamed(uow, {p for p in uow.session.scalars(rows.returning(DifferenceSetRow.pack)) if p})


def _unnamed(uow: UnitOfWork, packs: set[bytes]) -> list[bytes]:
    return list(packs - set(uow.session.scalars(select(DifferenceSetRow.pack).where(DifferenceSetRow.pack.in_(packs)))))


def _starts(uow: UnitOfWork, new: BuildRow, since: dt.datetime) -> set[uuid.UUID]:
    """What players have: as their devices say, and what is live; where few devices say anything, all that was for everybody."""
    mine = select(BuildRow.id).where(BuildRow.title_id == new.title_id, BuildRow.platform == new.platform)
    mine = mine.where(BuildRow.id != new.id, BuildRow.version_code <= new.version_code)
    held = select(DeviceRow.build_id).where(DeviceRow.title_id == new.title_id, DeviceRow.build_id.is_not(None))
    starts = set(uow.session.scalars(mine.where(BuildRow.id.in_(held) | BuildRow.id.in_(placed_since(since)))))
    said = uow.session.scalar(select(func.count()).select_from(held.subquery())) or 0
    return starts if said >= ENOUGH else starts | for_everybody(uow, uow.session.scalars(mine).all())
