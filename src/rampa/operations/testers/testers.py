"""The people who test a title: who they are, and taking one out."""

from __future__ import annotations

import uuid

from sqlalchemy import Select, delete, func, or_, select

from rampa.core.address import normal
from rampa.core.errors import NotFound
from rampa.core.testers.invitation import TRANSITIONS, InvitationEvent
from rampa.db import (
    ChannelAccessRow,
    ChannelRow,
    DeviceRow,
    GroupMemberRow,
    GroupRow,
    InvitationRow,
    PersonRow,
    find_group,
    find_title,
)
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.base.pages import cursor_id, page_of
from rampa.operations.testers.access import access_of_title, after_leaving
from rampa.schema import testers as wire
from rampa.schema.common import Page


def withdraw_tester(services: Services, actor: Actor, slug: str, person: str) -> None:
    """Out of all groups of the title and off its channels; their devices of it, open invitations and, where they test nothing
    else, sessions and tokens end with that."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        who = uow.session.get(PersonRow, uuid.UUID(person))
        if who is None or not uow.session.scalar(_testers(title.id).where(PersonRow.id == who.id)):
            raise NotFound("tester.unknown", f"nobody of that number tests {slug}", where="person")
        groups = select(GroupRow.id).where(GroupRow.title_id == title.id)
        channels = select(ChannelRow.id).where(ChannelRow.title_id == title.id)
        session = uow.session
        session.execute(
            delete(GroupMemberRow).where(GroupMemberRow.person_id == who.id, GroupMemberRow.group_id.in_(groups))
        )
        session.execute(
            delete(ChannelAccessRow).where(
                ChannelAccessRow.person_id == who.id, ChannelAccessRow.channel_id.in_(channels)
            )
        )
        devices = session.scalars(
            select(DeviceRow).where(DeviceRow.title_id == title.id, DeviceRow.person_id == who.id)
        ).all()
        for device in devices:
            session.delete(device)
        open_ = select(InvitationRow).where(InvitationRow.group_id.in_(groups))
        for row in session.scalars(open_.where(InvitationRow.looked_up == normal(who.email))):
            row.state = TRANSITIONS.get((row.state, InvitationEvent.WITHDRAW), row.state)
        session.flush()
        after_leaving(uow, who)
        audit.record(uow, "tester.withdraw", who.email, slug, devices=len(devices))


def list_testers(services: Services, slug: str, query: wire.TesterQuery) -> Page[wire.Tester]:
    """Who was given access, newest first."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = _testers(title.id)
        if query.group:
            group = find_group(uow.session, slug, query.group)
            rows = rows.where(
                PersonRow.id.in_(select(GroupMemberRow.person_id).where(GroupMemberRow.group_id == group.id))
            )
        if query.search:
            said = normal(query.search)
            rows = rows.where(or_(*(c.icontains(said, autoescape=True) for c in (PersonRow.name, PersonRow.email))))
        if query.cursor:
            rows = rows.where(PersonRow.id < cursor_id(query.cursor))
        found = list(uow.session.scalars(rows.order_by(PersonRow.id.desc()).limit(query.limit + 1)))
        told = _TesterFacts(uow, title.id, [p.id for p in found])
        return page_of(Page[wire.Tester], found, query.limit, told.describe, lambda p: str(p.id))


class _TesterFacts:
    """What is told of the testers of one page, asked once for all of them."""

    def __init__(self, uow: UnitOfWork, title: uuid.UUID, people: list[uuid.UUID]) -> None:
        members = (
            select(GroupMemberRow.person_id, GroupRow)
            .join(GroupRow, GroupRow.id == GroupMemberRow.group_id)
            .where(GroupRow.title_id == title, GroupMemberRow.person_id.in_(people))
            .order_by(GroupRow.name)
        )
        self._groups: dict[uuid.UUID, list[GroupRow]] = {}
        for person, group in uow.session.execute(members):
            self._groups.setdefault(person, []).append(group)
        self._access = [a for a in access_of_title(uow, title) if not a.ended(uow.now)]
        devices = (
            select(DeviceRow.person_id, func.count(), func.max(DeviceRow.last_seen_at))
            .where(DeviceRow.title_id == title, DeviceRow.person_id.in_(people))
            .group_by(DeviceRow.person_id)
        )
        self._devices = {person: (count, seen) for person, count, seen in uow.session.execute(devices)}

    def describe(self, row: PersonRow) -> wire.Tester:
        groups = self._groups.get(row.id, [])
        mine = {g.id for g in groups}
        channels = [a.channel.name for a in self._access if a.person_id == row.id or a.group_id in mine]
        devices, seen = self._devices.get(row.id, (0, None))
        return wire.Tester(
            id=str(row.id),
            name=row.name,
            email=row.email,
            role=row.role,
            groups=[g.name for g in groups],
            channels=list(dict.fromkeys(channels)),
            devices=devices,
            last_seen_at=seen,
        )


def _testers(title: uuid.UUID) -> Select[PersonRow]:
    groups = select(GroupMemberRow.person_id).join(GroupRow, GroupRow.id == GroupMemberRow.group_id)
    given = select(ChannelAccessRow.person_id).join(ChannelRow, ChannelRow.id == ChannelAccessRow.channel_id)
    return select(PersonRow).where(
        or_(
            PersonRow.id.in_(groups.where(GroupRow.title_id == title)),
            PersonRow.id.in_(given.where(ChannelRow.title_id == title, ChannelAccessRow.person_id.is_not(None))),
        )
    )
