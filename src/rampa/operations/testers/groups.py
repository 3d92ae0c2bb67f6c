"""Groups of a title's testers: made, changed, removed; and who is in them."""

from __future__ import annotations

import uuid

from sqlalchemy import Select, select

from rampa.core.errors import Conflict, NotFound, Refused
from rampa.core.quantity import counted
from rampa.db import (
    ChannelAccessRow,
    GroupMemberRow,
    GroupRow,
    PersonRow,
    find_group,
    find_person,
    find_title,
)
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.testers.access import access_of_title, after_leaving
from rampa.operations.testers.group_figures import invited_counts, member_counts, seats_taken
from rampa.schema import testers as wire


def list_groups(services: Services, slug: str) -> wire.Groups:
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = uow.session.scalars(select(GroupRow).where(GroupRow.title_id == title.id).order_by(GroupRow.name))
        access = access_of_title(uow, title.id)
        members, invited = member_counts(uow, title.id), invited_counts(uow, title.id)
        return wire.Groups(
            items=[_out(uow, g, access, members.get(g.id, 0), invited.get(g.id, 0)) for g in rows],
        )


def add_group(services: Services, actor: Actor, slug: str, asked: wire.NewGroup) -> wire.Groups:
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        _must_be_free(uow, title.id, slug, asked.name)
        uow.session.add(GroupRow(title_id=title.id, name=asked.name, seats=asked.seats, created_at=uow.now))
        audit.record(uow, "group.add", asked.name, slug)
    return list_groups(services, slug)


def change_group(services: Services, actor: Actor, slug: str, name: str, asked: wire.GroupChange) -> wire.Groups:
    with begin(services, actor) as uow:
        group = find_group(uow.session, slug, name, lock=True)
        if asked.name is not None and asked.name != group.name:
            _must_be_free(uow, group.title_id, slug, asked.name)
            audit.record(uow, "group.rename", group.name, slug, to=asked.name)
            group.name = asked.name
        if asked.seats is not None and asked.seats != group.seats:
            taken = seats_taken(uow, group)
            if asked.seats and taken > asked.seats:
                hint = "Take members out, or withdraw invitations first."
                raise Refused("group.seats", f"{group.name} has {counted(taken, 'person', 'people')}", hint=hint)
            group.seats = asked.seats
            audit.record(uow, "group.seats", group.name, slug, seats=asked.seats or "no limit of")
    return list_groups(services, slug)


def remove_group(services: Services, actor: Actor, slug: str, name: str) -> wire.Groups:
    """Its members lose what they had by it alone; its invitations are worth nothing any more."""
    with begin(services, actor) as uow:
        group = find_group(uow.session, slug, name, lock=True)
        members = list(uow.session.scalars(_members(group)))
        uow.session.delete(group)
        uow.session.flush()
        for person in members:
            after_leaving(uow, person)
        audit.record(uow, "group.remove", group.name, slug, members=len(members))
    return list_groups(services, slug)


def add_member(services: Services, actor: Actor, slug: str, name: str, asked: wire.MemberIn) -> wire.Groups:
    """Somebody who has an account here, without a letter. Twice is no error."""
    with begin(services, actor) as uow:
        group = find_group(uow.session, slug, name, lock=True)
        person = find_person(uow.session, asked.email)
        if person.disabled_at is not None:
            raise Conflict("person.disabled", f"{person.name} is disabled", where="email")
        if join(uow, group, person):
            audit.record(uow, "group.join", person.email, slug, group=group.name)
    return list_groups(services, slug)


def join(uow: UnitOfWork, group: GroupRow, person: PersonRow) -> bool:
    """False for who is in it already. Raises `Refused` when no seat is left. The group is locked."""
    if uow.session.get(GroupMemberRow, (group.id, person.id)) is not None:
        return False
    must_have_seats(uow, group, 1)
    uow.session.add(GroupMemberRow(group_id=group.id, person_id=person.id, since=uow.now))
    return True


def must_have_seats(uow: UnitOfWork, group: GroupRow, wanted: int) -> None:
    left = group.seats - seats_taken(uow, group)
    if group.seats and wanted > left:
        said = f"{group.name} has {counted(max(left, 0), 'free seat')} of {group.seats}, and {wanted} are needed"
        hint = f"Give it more: rampa group change {group.name} --seats {group.seats + wanted - left}"
        raise Refused("group.full", said, where="group", hint=hint)


def remove_member(services: Services, actor: Actor, slug: str, name: str, person: str) -> wire.Groups:
    with begin(services, actor) as uow:
        group = find_group(uow.session, slug, name, lock=True)
        row = uow.session.get(GroupMemberRow, (group.id, uuid.UUID(person)))
        if row is None:
            raise NotFound("member.unknown", f"{group.name} has no such member", where="person")
        who = uow.session.get_one(PersonRow, row.person_id)
        uow.session.delete(row)
        uow.session.flush()
        after_leaving(uow, who)
        audit.record(uow, "group.leave", who.email, slug, group=group.name)
    return list_groups(services, slug)


def _members(group: GroupRow) -> Select[PersonRow]:
    return (
        select(PersonRow)
        .join(GroupMemberRow, GroupMemberRow.person_id == PersonRow.id)
        .where(GroupMemberRow.group_id == group.id)
    )


def _must_be_free(uow: UnitOfWork, title: uuid.UUID, slug: str, name: str) -> None:
    if uow.session.scalar(select(GroupRow.id).where(GroupRow.title_id == title, GroupRow.name == name)):
        raise Conflict("group.exists", f"{slug} has a group {name} already", where="name")


def _out(uow: UnitOfWork, group: GroupRow, access: list[ChannelAccessRow], members: int, invited: int) -> wire.Group:
    return wire.Group(
        name=group.name,
        seats=group.seats,
        members=members,
        invited=invited,
        channels=[
            wire.GroupAccess(channel=a.channel.name, until=a.until, ended=a.ended(uow.now))
            for a in access
            if a.group_id == group.id
        ],
        created_at=group.created_at,
    )
