"""Answering an invitation by its link: looked at, accepted, declined; each sentence says why a link is no good any more."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.errors import Conflict, Denied, Invalid
from rampa.core.testers.invitation import TRANSITIONS, InvitationEvent, InvitationState
from rampa.core.transitions import advance
from rampa.db import InvitationRow, PersonRow, StudioRow, find_group, with_address
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin, service_actor
from rampa.operations.people.people import hashed
from rampa.operations.testers.groups import join
from rampa.operations.testers.links import foreign, invitation_of, is_code
from rampa.schema import testers as wire
from rampa.schema.common import Role

AGAIN = "Ask who invited you for another."


def look(services: Services, code: str) -> wire.JoinLook:
    """What the link is for. Raises `Denied` or `Conflict` for one that is no good."""
    with begin(services) as uow:
        row = _good(uow, code)
        person = uow.session.scalar(with_address(row.email))
        return wire.JoinLook(
            studio=uow.session.scalars(select(StudioRow.name)).one(),
            title=row.group.title.name,
            group=row.group.name,
            email=row.email,
            name=row.name,
            invited_by=row.invited_by,
            expires_at=row.expires_at,
            known=_has_account(person),
        )


def accept(services: Services, asked: wire.JoinAccept) -> wire.JoinLook:
    """In the group from now on; who had no account has one, as a tester."""
    told = look(services, asked.code)
    password_hash = "" if told.known else hashed(_chosen(asked))
    with begin(services) as uow:
        row = _good(uow, asked.code, lock=True)
        person = uow.session.scalar(with_address(row.email).with_for_update())
        if person is None:
            person = PersonRow(
                name=_named(asked, row), email=row.email, role=Role.TESTER, password_hash=password_hash,
                created_at=uow.now,
            )  # fmt: skip
            uow.session.add(person)
            uow.session.flush()
        elif person.disabled_at is not None:
            raise Denied("sign-in.denied", "this account is disabled", hint="Ask an owner of the studio.")
        elif not _has_account(person) and password_hash:
            # They tested here before; the password of then ended with their access.
            person.password_hash, person.name = password_hash, " ".join(asked.name.split()) or person.name
        row.state = advance(TRANSITIONS, row.state, InvitationEvent.ACCEPT, "the invitation")
        join(uow, row.group, person)
        uow = uow.by(Actor(person.id, person.name, Role(person.role)))
        audit.record(uow, "invitation.accept", person.email, row.group.title.slug, group=row.group.name)
    return told


def decline(services: Services, code: str) -> None:
    """The seat is free again."""
    with begin(services) as uow:
        row = _good(uow, code, lock=True)
        row.state = advance(TRANSITIONS, row.state, InvitationEvent.DECLINE, "the invitation")
        uow = uow.by(service_actor(row.name or row.email))
        audit.record(uow, "invitation.decline", row.email, row.group.title.slug, group=row.group.name)


def _good(uow: UnitOfWork, code: str, *, lock: bool = False) -> InvitationRow:
    number = invitation_of(code)
    # An acceptance holds its seat already; the group's lock keeps two of them apart.
    row = uow.session.get(InvitationRow, number)
    if row is not None and lock:
        find_group(uow.session, row.group.title.slug, row.group.name, lock=True)
        uow.session.refresh(row, with_for_update={"of": InvitationRow})
    turn = row.turn if row is not None else 1
    if row is None or not is_code(uow.services, code, turn):
        if row is not None and any(is_code(uow.services, code, t) for t in range(max(1, turn - 20), turn)):
            raise Denied("invitation.replaced", "a newer letter was sent: use its link", hint=AGAIN)
        raise foreign()
    if row.state == InvitationState.ACCEPTED:
        raise Conflict("invitation.used", "this invitation was accepted already", hint="Sign in.")
    if row.state != InvitationState.OPEN:
        raise Conflict("invitation.closed", f"this invitation was {row.state.value}", hint=AGAIN)
    if row.expires_at <= uow.now:
        raise Denied("invitation.expired", f"this link ended on {row.expires_at:%Y-%m-%d}", hint=AGAIN)
    return row


def _has_account(person: PersonRow | None) -> bool:
    return person is not None and (person.password_hash != "" or person.by_provider)


def _chosen(asked: wire.JoinAccept) -> str:
    if asked.password is None:
        raise Invalid("join.password", "choose a password", where="password", hint="Ten characters at least.")
    return asked.password


def _named(asked: wire.JoinAccept, row: InvitationRow) -> str:
    name = " ".join(asked.name.split()) or row.name
    if not name:
        raise Invalid("join.name", "say what others call you", where="name")
    return name
