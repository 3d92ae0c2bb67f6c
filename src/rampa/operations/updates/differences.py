"""Differences for updates: asked for when a build is placed, or by hand; how far they are."""

from __future__ import annotations

from sqlalchemy import delete, func, or_, select
from sqlalchemy.dialects.postgresql import insert

from rampa.core.build.life import BuildState
from rampa.core.content.patch import maker
from rampa.core.content.patch.life import NEVER_ASKED, DifferenceState
from rampa.core.errors import Refused
from rampa.core.placement.life import LIVE
from rampa.db import BuildRow, ChannelRow, DeviceRow, DifferenceSetRow, PlacementRow, find_build, queue
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must
from rampa.operations.content.seal import is_locked
from rampa.operations.content.stored_trees import find_ready
from rampa.operations.updates.costs import update_cost
from rampa.schema import updates as wire

MOST_STARTS = 20
"""Old builds that differences are made from, for one new build."""


def ask(uow: UnitOfWork, build: BuildRow, old: list[BuildRow]) -> None:
    """Asks for the differences of these updates, with the transaction that makes them likely."""
    locked = is_locked(uow, build)  # a difference would give away what is encrypted
    for other in old:
        if locked or other.id == build.id or other.state != BuildState.READY:
            continue
        row = {"new_id": build.id, "old_id": other.id, "state": DifferenceState.WAITING, "created_at": uow.now}
        empty = {"rows": b"", "size": 0, "count": 0, "seconds": 0.0, "within": True}
        added = uow.session.execute(
            insert(DifferenceSetRow).values(**row, **empty).on_conflict_do_nothing().returning(DifferenceSetRow.new_id)
        ).scalar()
        if added:
            queue.put(uow.session, "make_differences", queue.CONTENT, new=str(build.id), old=str(other.id))


def likely(uow: UnitOfWork, build: BuildRow) -> list[BuildRow]:
    """The builds that players of the title have on this platform now: live ones, and those that enough devices reported. What
    most have comes first: the time that differences may take can end before the list does."""
    live = select(PlacementRow.build_id).join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
    live = live.where(ChannelRow.title_id == build.title_id, PlacementRow.state.in_(LIVE))
    held = select(DeviceRow.build_id, func.count().label("devices")).where(DeviceRow.title_id == build.title_id)
    held = held.where(DeviceRow.build_id.is_not(None)).group_by(DeviceRow.build_id)
    have = held.subquery()
    rows = select(BuildRow).outerjoin(have, have.c.build_id == BuildRow.id)
    rows = rows.where(
        or_(BuildRow.id.in_(live), have.c.devices >= uow.services.budget.devices),
        BuildRow.platform == build.platform,
        BuildRow.state == BuildState.READY,
        BuildRow.id != build.id,
        BuildRow.version_code <= build.version_code,
    )
    weighted = rows.order_by(func.coalesce(have.c.devices, 0).desc(), BuildRow.number.desc())
    return list(uow.session.scalars(weighted.limit(MOST_STARTS)))


def to_be_asked(uow: UnitOfWork, build: BuildRow) -> list[BuildRow]:
    """From which builds placing this one asks for differences: those that it was not asked for yet."""
    if not maker.available() or not uow.services.budget.seconds or is_locked(uow, build):
        return []
    asked = set(uow.session.scalars(select(DifferenceSetRow.old_id).where(DifferenceSetRow.new_id == build.id)))
    return [old for old in likely(uow, build) if old.id not in asked]


def make_now(services: Services, actor: Actor, slug: str, asked: wire.PrepareIn) -> wire.PreparedOut:
    """Asks for an update's differences by hand: made again, even where they were made before."""
    must(actor, Act.PREPARE_UPDATE)
    if not maker.available():
        raise Refused(
            "difference.kernel",
            "this service has no compiled kernel to make differences with",
            hint="Install a C compiler and start it again; updates travel as plain chunks until then.",
        )
    new, old = find_ready(services, slug, asked.new), find_ready(services, slug, asked.old)
    with begin(services, actor) as uow:
        uow.session.execute(
            delete(DifferenceSetRow).where(DifferenceSetRow.new_id == new.id, DifferenceSetRow.old_id == old.id)
        )
        ask(uow, new, [old])
        audit.record(uow, "update.prepare", new.name, slug, old=old.number)
    return prepared(services, slug, asked.new, asked.old)


def prepared(services: Services, slug: str, new_number: int, old_number: int) -> wire.PreparedOut:
    """How far the differences of an update are."""
    with begin(services) as uow:
        new, old = find_build(uow.session, slug, new_number), find_build(uow.session, slug, old_number)
        row = uow.session.get(DifferenceSetRow, (new.id, old.id))
    cost = update_cost(services, new, old)
    return wire.PreparedOut(
        new=new.number,
        old=old.number,
        state=row.state if row else NEVER_ASKED,
        differences=row.count if row else 0,
        size=row.size if row else 0,
        seconds=round(row.seconds, 2) if row else 0.0,
        within_budget=row.within if row else True,
        download=cost.download,
        plain=cost.plain,
    )
