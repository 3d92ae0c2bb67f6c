"""Who may do what at one title: the studio's people, some with a role of their own there."""

from __future__ import annotations

import uuid

from sqlalchemy import select

from rampa.core.errors import Invalid, NotFound, Refused
from rampa.db import CHANGED_AT_TITLES, PersonRow, TitleRoleRow, find_title, queue
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, audit, begin, must
from rampa.operations.base.policy import with_article
from rampa.operations.people.people import access_topic
from rampa.schema import title_people as wire
from rampa.schema.common import Role

GIVEN = (Role.OWNER, Role.ENGINEER, Role.VIEWER)


def list_title_people(services: Services, actor: Actor, slug: str) -> wire.TitlePeople:
    with begin(services, actor) as uow:
        return _people(uow, slug)


def set_title_role(services: Services, actor: Actor, slug: str, person: str, role: Role) -> wire.TitlePeople:
    """In place of an earlier one. Raises `Refused` for who does not read the studio, or owns it."""
    must(actor, Act.SET_TITLE_ROLE)
    if role not in GIVEN:
        raise Invalid(
            "role.title", f"at a title nobody is {with_article(role)}", where="role", hint=f"{', '.join(GIVEN)}."
        )
    with begin(services, actor) as uow:
        title, row = find_title(uow.session, slug), _find(uow, person)
        if Role(row.role) not in CHANGED_AT_TITLES:
            message = f"{row.name} is {with_article(Role(row.role))} in the studio, and that everywhere"
            hint = "Give them a role in the studio first: rampa person role ADDRESS viewer."
            raise Refused("role.everywhere", message, where="person", hint="" if row.role == Role.OWNER else hint)
        there = uow.session.get(TitleRoleRow, (row.id, title.id), with_for_update=True)
        if there is None:
            there = TitleRoleRow(person_id=row.id, title_id=title.id)
            uow.session.add(there)
        there.role, there.given_by, there.at = role, actor.name, uow.now
        uow.session.flush()
        queue.tell(uow.session, access_topic(row.id))
        audit.record(uow, "person.title-role", row.email, slug, role=role)
        return _people(uow, slug)


def drop_title_role(services: Services, actor: Actor, slug: str, person: str) -> wire.TitlePeople:
    """They are there what they are in the studio."""
    must(actor, Act.SET_TITLE_ROLE)
    with begin(services, actor) as uow:
        title, row = find_title(uow.session, slug), _find(uow, person)
        there = uow.session.get(TitleRoleRow, (row.id, title.id), with_for_update=True)
        if there is None:
            raise NotFound("role.none", f"{row.name} has no role of their own at {slug}", where="person")
        uow.session.delete(there)
        uow.session.flush()
        queue.tell(uow.session, access_topic(row.id))
        audit.record(uow, "person.title-role-end", row.email, slug)
        return _people(uow, slug)


def _people(uow: UnitOfWork, slug: str) -> wire.TitlePeople:
    title = find_title(uow.session, slug)
    readers = [Role.OWNER.value, *(r.value for r in CHANGED_AT_TITLES)]
    here = (TitleRoleRow.person_id == PersonRow.id) & (TitleRoleRow.title_id == title.id)
    rows = select(PersonRow, TitleRoleRow).outerjoin(TitleRoleRow, here).order_by(PersonRow.name)
    found = uow.session.execute(rows.where(PersonRow.disabled_at.is_(None), PersonRow.role.in_(readers)))
    return wire.TitlePeople(
        items=[_person(person, at) for person, at in found],
        allowed_actions=[action(uow.actor, Act.SET_TITLE_ROLE, "set")],
    )


def _person(row: PersonRow, at: TitleRoleRow | None) -> wire.PersonAtTitle:
    role = Role(row.role)
    own = Role(at.role) if at is not None and role in CHANGED_AT_TITLES else None
    return wire.PersonAtTitle(
        id=str(row.id),
        name=row.name,
        email=row.email,
        in_studio=role,
        here=own or role,
        own=own is not None,
        given_by=at.given_by if at is not None and own else "",
        given_at=at.at if at is not None and own else None,
        everywhere=role not in CHANGED_AT_TITLES,
    )


def _find(uow: UnitOfWork, person: str) -> PersonRow:
    row = uow.session.get(PersonRow, uuid.UUID(person))
    if row is None or row.disabled_at is not None:
        raise NotFound("person.unknown", "there is no such person", where="person")
    return row
