"""Scheduled placements: made, listed, moved, cancelled; and placed when their moment comes or their gates open, once.

Placing goes by the scheduled placement's own key: killed between placing and noting it, the next look is answered what the first
did.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import uuid

from sqlalchemy import func, or_, select

from rampa.core.errors import Conflict, Invalid, RampaError, Refused, Unavailable
from rampa.core.placement import schedule
from rampa.core.placement.plan import plan_text
from rampa.core.placement.schedule import ScheduledEvent, ScheduledState, must_be_ahead
from rampa.db import (
    PersonRow,
    ScheduledRow,
    TitleRow,
    find_build,
    find_channel,
    find_release,
    find_scheduled,
    find_title,
    pending,
    role_at,
)
from rampa.operations.base import (
    Act,
    Actor,
    Once,
    Services,
    UnitOfWork,
    actions,
    audit,
    begin,
    must,
    service_actor,
    transition,
)
from rampa.operations.channels.lines import Extent
from rampa.operations.channels.place import extent_of, place
from rampa.operations.releases.place import place_release
from rampa.schema import schedule as wire
from rampa.schema.channels import PlaceIn
from rampa.schema.common import Role
from rampa.schema.releases import PlaceReleaseIn

AGAIN = dt.timedelta(seconds=30)
"""Between two looks at gates that are closed."""
OFFERED = {ScheduledEvent.CANCEL: Act.PLACE}


def add_scheduled(services: Services, actor: Actor, slug: str, asked: wire.NewScheduled) -> wire.Scheduled:
    """Raises `Invalid` for a moment that is over, or for neither or both of a build and a release."""
    must(actor, Act.PLACE)
    if (asked.build is None) == (asked.release is None):
        raise Invalid("schedule.what", "a build or a release is scheduled", where="build", hint="Name one of them.")
    extent = extent_of(asked.share, asked.plan)
    with begin(services, actor) as uow:
        if asked.at is not None:
            must_be_ahead(asked.at, uow.now)
        title = find_title(uow.session, slug, lock=True)
        row = new_scheduled(uow, title, asked.channel, extent, asked.at)
        if asked.build is not None:
            row.build = find_build(uow.session, slug, asked.build)
        if asked.release is not None:
            row.release = find_release(uow.session, slug, asked.release)
        row.person_id = actor.principal
        uow.session.add(row)
        uow.session.flush()
        audit.record(uow, "scheduled.add", row.name, slug, at=_when(asked.at))
        return _out(actor, row)


def new_scheduled(
    uow: UnitOfWork, title: TitleRow, channel: str, extent: Extent, at: dt.datetime | None
) -> ScheduledRow:
    """The title is locked by the caller, who says what is placed."""
    last = uow.session.scalar(select(func.max(ScheduledRow.number)).where(ScheduledRow.title_id == title.id)) or 0
    return ScheduledRow(
        title=title,
        number=last + 1,
        channel=find_channel(uow.session, title.slug, channel),
        share=None if extent.plan else extent.share,
        plan=extent.plan,
        at=at,
        by=uow.actor.name,
        state=ScheduledState.WAITING,
        said="",
        created_at=uow.now,
    )


def list_scheduled(services: Services, actor: Actor, slug: str, query: wire.ScheduledQuery) -> wire.ScheduledList:
    """What was refused of late and what waits, soonest first; then what is over, newest first."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        rows = select(ScheduledRow).where(ScheduledRow.title_id == title.id)
        soon = rows.where(pending(uow.now)).order_by(
            ScheduledRow.state, ScheduledRow.at.asc().nulls_last(), ScheduledRow.number
        )
        found = list(uow.session.scalars(soon))
        if query.over:
            over = rows.where(~pending(uow.now))
            found += uow.session.scalars(over.order_by(ScheduledRow.number.desc()).limit(query.limit))
        return wire.ScheduledList(items=[_out(actor, row) for row in found])


def move_scheduled(services: Services, actor: Actor, slug: str, number: int, at: dt.datetime | None) -> wire.Scheduled:
    """To another moment, or to when gates open. Raises `Conflict` where it is over."""
    must(actor, Act.PLACE)
    with begin(services, actor) as uow:
        if at is not None:
            must_be_ahead(at, uow.now)
        row = find_scheduled(uow.session, slug, number, lock=True)
        if row.state != ScheduledState.WAITING:
            raise Conflict("schedule.over", f"{row.name} is {row.state}: it cannot be moved any more")
        row.at, row.looked_at, row.said = at, None, ""
        audit.record(uow, "scheduled.move", row.name, slug, at=_when(at))
        return _out(actor, row)


def cancel_scheduled(services: Services, actor: Actor, slug: str, number: int) -> wire.Scheduled:
    must(actor, Act.PLACE)
    with begin(services, actor) as uow:
        row = find_scheduled(uow.session, slug, number, lock=True)
        transition(uow, row, ScheduledEvent.CANCEL)
        return _out(actor, row)


def place_due(services: Services) -> int:
    """Those whose moment came, and those whose gates may have opened; how many were placed."""
    with begin(services) as uow:
        looked = or_(ScheduledRow.looked_at.is_(None), ScheduledRow.looked_at < uow.now - AGAIN)
        due = or_(ScheduledRow.at <= uow.now, ScheduledRow.at.is_(None) & looked)
        rows = select(ScheduledRow.id).where(ScheduledRow.state == ScheduledState.WAITING, due)
        found = list(uow.session.scalars(rows.order_by(ScheduledRow.at.asc().nulls_last(), ScheduledRow.number)))
    return sum(_place_one(services, ident) for ident in found)


def _place_one(services: Services, ident: uuid.UUID) -> bool:
    with begin(services) as uow:
        row = uow.session.get_one(ScheduledRow, ident)
        actor = _actor(uow, row)
    try:
        _go(services, actor, row)
    except Unavailable:
        return False  # the next look comes in seconds
    except RampaError as error:
        waits = row.at is None and isinstance(error, Refused) and error.code == "gate.closed"
        _note(services, ident, None if waits else ScheduledEvent.REFUSE, error.message)
        return False
    _note(services, ident, ScheduledEvent.PLACE, "")
    return True


def _go(services: Services, actor: Actor, row: ScheduledRow) -> None:
    key = Once(f"scheduled {row.id}", hashlib.sha256(row.id.bytes).digest())
    share, plan = None if row.share is None else row.share / 10, plan_text(row.plan) if row.plan else ""
    slug, channel = row.title.slug, row.channel.name
    if row.release is not None:
        asked = PlaceReleaseIn(share=share, plan=plan)
        place_release(services, actor, slug, row.release.number, channel, asked, None, key)
    elif row.build is not None:
        place(services, actor, slug, channel, PlaceIn(build=row.build.number, share=share, plan=plan), None, key)


def _actor(uow: UnitOfWork, row: ScheduledRow) -> Actor:
    """Who scheduled it, with what they may now; a run's own has the rights of what started it."""
    if row.person_id is None:
        return service_actor(row.by)
    person = uow.session.get_one(PersonRow, row.person_id)
    slug = row.title.slug
    role = Role.VIEWER if person.disabled_at else role_at(uow.session, person, slug)
    return Actor(person.id, person.name, role, title=slug)


def _note(services: Services, ident: uuid.UUID, event: ScheduledEvent | None, said: str) -> None:
    with begin(services, service_actor("the schedule")) as uow:
        row = uow.session.get_one(ScheduledRow, ident, with_for_update={"of": ScheduledRow})
        row.looked_at, row.said = uow.now, said
        # Cancelled meanwhile: what was placed was placed before that.
        if event is not None and row.state == ScheduledState.WAITING:
            transition(uow, row, event, **({"why": said} if said else {}))


def _when(at: dt.datetime | None) -> str:
    return f"{at.astimezone(dt.UTC):%F %H:%M} UTC" if at else "when its gates open"


def _out(actor: Actor, row: ScheduledRow) -> wire.Scheduled:
    return wire.Scheduled(
        number=row.number,
        title=row.title.slug,
        channel=row.channel.name,
        what=row.what,
        build=row.build.number if row.build else None,
        release=row.release.number if row.release else None,
        share=None if row.share is None else row.share / 10,
        plan=plan_text(row.plan) if row.plan else "",
        at=row.at,
        by=row.by,
        state=row.state,
        said=row.said,
        created_at=row.created_at,
        ended_at=row.ended_at,
        allowed_actions=actions(actor, schedule.TRANSITIONS, row.state, OFFERED),
    )
