"""Who may install from a channel: who was given access, as themselves or by a group, until it ends; and who reads the studio.

Asked anew with every call and every few seconds of a download: access that is taken away is gone at once.
"""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ColumnElement, Select, func, or_, select

from rampa.core.errors import Conflict, Denied, Invalid, NotFound
from rampa.db import (
    ChannelAccessRow,
    ChannelRow,
    DeviceRow,
    GroupMemberRow,
    PersonRow,
    TitleRow,
    find_channel,
    find_group,
    find_person,
    is_named,
    queue,
)
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, may
from rampa.operations.people.membership import end_access
from rampa.operations.people.people import access_topic
from rampa.operations.testers.group_figures import member_counts
from rampa.schema import testers as wire
from rampa.schema.common import Role


def given(uow: UnitOfWork, person: uuid.UUID) -> Select[ChannelAccessRow]:
    """Access that a person has now, one row for each way by which they have it."""
    return select(ChannelAccessRow).where(_holds(uow), _theirs(person))


def _holds(uow: UnitOfWork) -> ColumnElement[bool]:
    return or_(ChannelAccessRow.until.is_(None), ChannelAccessRow.until > uow.now)


def _theirs(person: uuid.UUID) -> ColumnElement[bool]:
    groups = select(GroupMemberRow.group_id).where(GroupMemberRow.person_id == person)
    return or_(ChannelAccessRow.person_id == person, ChannelAccessRow.group_id.in_(groups))


def may_install(uow: UnitOfWork, person: PersonRow, role: Role, channel: uuid.UUID) -> bool:
    """`role` as they ask in: a token may stand below its person."""
    if person.disabled_at is not None:
        return False
    if may(role, Act.READ):
        return True
    rows = given(uow, person.id).where(ChannelAccessRow.channel_id == channel).limit(1)
    return may(role, Act.TEST) and uow.session.scalar(rows) is not None


def must_have_access(uow: UnitOfWork, device: DeviceRow) -> None:
    """Raises `Denied` for a device whose person has none any more."""
    person = device.person
    if person is None or not may_install(uow, person, Role(person.role), device.channel_id):
        hint = "What is installed stays. Ask who invited you."
        raise Denied("device.withdrawn", f"the access of {device.name} was taken away", hint=hint)


def must_install(uow: UnitOfWork, slug: str, name: str) -> ChannelRow:
    """The channel, for who asks. Raises `NotFound` alike for none and for one that they have no access to."""
    nothing = NotFound("testing.none", "there is nothing of that name for you to test", hint="Look at your own page.")
    title = uow.session.scalar(select(TitleRow.id).where(TitleRow.slug == slug))
    person = uow.session.get(PersonRow, uow.actor.principal)
    if title is None or person is None:
        raise nothing
    channel = uow.session.scalar(select(ChannelRow).where(ChannelRow.title_id == title, is_named(name)))
    if channel is None or not may_install(uow, person, uow.actor.role, channel.id):
        raise nothing
    return channel


def installable(uow: UnitOfWork) -> dict[uuid.UUID, dt.datetime | None]:
    """Channel -> when the access of who asks ends; None: not by itself. For who reads the studio, every channel."""
    if may(uow.actor.role, Act.READ):
        return dict.fromkeys(uow.session.scalars(select(ChannelRow.id)))
    found: dict[uuid.UUID, dt.datetime | None] = {}
    for row in uow.session.scalars(given(uow, uow.actor.principal)):
        ends = found.get(row.channel_id, row.until)
        # Of two ways the one that lasts longer counts.
        found[row.channel_id] = max(ends, row.until) if ends and row.until else None
    return found


def give_access(services: Services, actor: Actor, slug: str, name: str, asked: wire.AccessIn) -> wire.AccessList:
    """To a group or a person; given again, it ends when this says. Raises `Invalid` for both, none, or a time that is over."""
    if bool(asked.group) == (asked.email is not None):
        raise Invalid("access.whom", "say a group or a person, one of them", where="group")
    with begin(services, actor) as uow:
        channel = find_channel(uow.session, slug, name)
        if asked.until is not None and (asked.until.tzinfo is None or asked.until <= uow.now):
            raise Invalid("access.until", "the access would end before it begins", where="until")
        group = find_group(uow.session, slug, asked.group) if asked.group else None
        person = find_person(uow.session, asked.email) if asked.email else None
        who = group.name if group else person.email if person else ""
        if person is not None and person.disabled_at is not None:
            raise Conflict("person.disabled", f"{person.name} is disabled", where="email")
        whose = _whose(group.id if group else None, person.id if person else None)
        row = uow.session.scalar(select(ChannelAccessRow).where(ChannelAccessRow.channel_id == channel.id, whose))
        if row is None:
            row = ChannelAccessRow(channel=channel, group=group, person=person, created_at=uow.now)
            uow.session.add(row)
        row.until, row.given_by = asked.until, actor.name
        ends = f"{asked.until:%Y-%m-%d %H:%M} UTC" if asked.until else "it is taken away"
        audit.record(uow, "access.give", channel.name, slug, to=who, until=ends)
    return list_access(services, slug, name)


def _whose(group: uuid.UUID | None, person: uuid.UUID | None) -> ColumnElement[bool]:
    if group is not None:
        return ChannelAccessRow.group_id == group
    return ChannelAccessRow.person_id == person


def take_access(services: Services, actor: Actor, slug: str, name: str, access: str) -> wire.AccessList:
    """At once: whoever had it by this alone installs nothing more."""
    with begin(services, actor) as uow:
        channel = find_channel(uow.session, slug, name)
        row = uow.session.get(ChannelAccessRow, uuid.UUID(access))
        if row is None or row.channel_id != channel.id:
            raise NotFound("access.unknown", f"{channel.name} gives no such access", where="access")
        who = row.group.name if row.group else row.person.email if row.person else ""
        uow.session.delete(row)
        audit.record(uow, "access.take", channel.name, slug, to=who)
    return list_access(services, slug, name)


def list_access(services: Services, slug: str, name: str) -> wire.AccessList:
    """Who may install from a channel; what has ended is told, and said to be."""
    with begin(services) as uow:
        channel = find_channel(uow.session, slug, name)
        rows = select(ChannelAccessRow).where(ChannelAccessRow.channel_id == channel.id).order_by(ChannelAccessRow.id)
        found = list(uow.session.scalars(rows))
        counts = member_counts(uow, channel.title_id)
        return wire.AccessList(items=[_out(uow, row, counts) for row in found])


def _out(uow: UnitOfWork, row: ChannelAccessRow, counts: dict[uuid.UUID, int]) -> wire.Access:
    return wire.Access(
        id=str(row.id),
        channel=row.channel.name,
        group=row.group.name if row.group else "",
        person=row.person.name if row.person else "",
        email=row.person.email if row.person else "",
        people=counts.get(row.group_id, 0) if row.group_id else 1,
        until=row.until,
        ended=row.ended(uow.now),
        given_by=row.given_by,
        created_at=row.created_at,
    )


def access_of_title(uow: UnitOfWork, title: uuid.UUID) -> list[ChannelAccessRow]:
    rows = select(ChannelAccessRow).join(ChannelRow, ChannelRow.id == ChannelAccessRow.channel_id)
    return list(uow.session.scalars(rows.where(ChannelRow.title_id == title).order_by(ChannelRow.position)))


def has_any(uow: UnitOfWork, person: uuid.UUID) -> bool:
    """In any title, whether or not it has ended: a group without a channel today has one tomorrow."""
    groups = select(func.count()).select_from(GroupMemberRow).where(GroupMemberRow.person_id == person)
    rows = select(func.count()).select_from(ChannelAccessRow).where(ChannelAccessRow.person_id == person)
    return bool(uow.session.scalar(groups)) or bool(uow.session.scalar(rows))


def after_leaving(uow: UnitOfWork, person: PersonRow) -> None:
    """Whoever was here to test alone, and tests nothing any more, is signed out; invited again, they choose a new password."""
    queue.tell(uow.session, access_topic(person.id))
    if person.role == Role.TESTER and not has_any(uow, person.id):
        end_access(uow, person)
        person.password_hash = ""
