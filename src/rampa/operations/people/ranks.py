"""Roles in their order, and what somebody is at a title: never more than they ask with."""

from __future__ import annotations

from dataclasses import replace

from rampa.db import CHANGED_AT_TITLES, PersonRow, role_at, roles_of
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.schema.common import Role

RANK = [Role.REVIEWER, Role.TESTER, Role.VIEWER, Role.ENGINEER, Role.OWNER]


def lower(one: Role, other: Role) -> Role:
    """Of two roles the one that may less."""
    return min(one, other, key=RANK.index)


def at_title(services: Services, actor: Actor, person: PersonRow, slug: str) -> Actor:
    """The same person with what they are at that title; never more than what they ask with."""
    with begin(services) as uow:
        role = role_at(uow.session, person, slug)
    return replace(actor, role=lower(role, actor.ceiling), title=slug)


def highest(uow: UnitOfWork, actor: Actor) -> Role:
    """What a token of theirs may be at most: what they are in the studio, or at any title."""
    of_titles = roles_of(uow.session, actor.principal).values() if actor.role in CHANGED_AT_TITLES else ()
    return lower(max([actor.role, *of_titles], key=RANK.index), actor.ceiling)
