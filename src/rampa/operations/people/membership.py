"""A person's life in the studio: invited, given a role, disabled, with a password of their own that nobody else ever knew."""

from __future__ import annotations

import datetime as dt
import hmac
import uuid

from sqlalchemy import delete, select

from rampa.core.address import normal
from rampa.core.errors import Conflict, Denied, NotFound, Refused
from rampa.db import CAN_COME, PersonRow, TokenRow, WebSessionRow, queue, role_at, with_address
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.people.codes import digest_code, new_code
from rampa.operations.people.factors import own_password
from rampa.operations.people.guesses import Guess, count, failed, forget
from rampa.operations.people.people import (
    SOMEBODY,
    access_topic,
    describe_person,
    drop_factor,
    hashed,
    must_be_for_people,
)
from rampa.operations.people.ranks import RANK
from rampa.schema import people as wire
from rampa.schema.common import Role

INVITATION_LIFE = dt.timedelta(days=3)
HINT = "Ask an owner for another: `rampa person invite` or `rampa person reset`."


def invite(services: Services, actor: Actor, asked: wire.InviteIn) -> wire.Invitation:
    """A person who has no password yet, and the code to choose one with. Raises `Conflict` for an address that is taken."""
    must_be_for_people(asked.role)
    with begin(services, actor) as uow:
        if uow.session.scalar(with_address(asked.email)):
            hint = "A lost password is reset: `rampa person reset ADDRESS`."
            raise Conflict("person.exists", f"{asked.email} is taken", where="email", hint=hint)
        row = PersonRow(name=asked.name, email=asked.email, role=asked.role, password_hash="", created_at=uow.now)
        uow.session.add(row)
        audit.record(uow, "person.invite", asked.email, role=asked.role)
        return _new_code(uow, row)


def reset(services: Services, actor: Actor, person: str) -> wire.Invitation:
    """For a password that is lost or known to others: it, the sessions and the tokens end at once."""
    with begin(services, actor) as uow:
        row = _find(uow, person)
        if row.disabled_at is not None:
            raise Refused("person.disabled", f"{row.name} is disabled", where="person", hint="Enable them first.")
        row.password_hash, row.by_provider, row.provider_subject = "", False, None
        # A lost phone, too: the code of the reset goes to the person alone.
        drop_factor(uow, row)
        end_access(uow, row)
        audit.record(uow, "person.reset", row.email)
        return _new_code(uow, row)


def accept(services: Services, asked: wire.AcceptIn, address: str) -> None:
    """Takes the password that a person chooses, for a code, once. Raises `Denied`, whether code or address is wrong."""
    guess = Guess("sign-in", normal(asked.email), address)
    count(services, guess, SOMEBODY, "an invitation")
    password_hash = hashed(asked.password)
    with begin(services) as uow:
        row = uow.session.scalar(with_address(asked.email).with_for_update())
        good = (
            row is not None
            and row.disabled_at is None
            and row.invitation is not None
            and row.invited_until is not None
            and row.invited_until > uow.now
            and hmac.compare_digest(row.invitation, digest_code(asked.code))
        )
        if row is not None and good:
            row.password_hash, row.invitation, row.invited_until = password_hash, None, None
            audit.record(uow.by(Actor(row.id, row.name, Role(row.role))), "person.accept", row.email)
    if not good:
        failed(services, guess, SOMEBODY, "an invitation")
        raise Denied("invitation.denied", "the address or the code is wrong, or the code is over", hint=HINT)
    forget(services, guess)


def change_person(services: Services, actor: Actor, person: str, asked: wire.PersonChange) -> wire.Person:
    """Another role; disabled, or enabled again. Raises `Refused` where the studio would be left without an owner."""
    with begin(services, actor) as uow:
        row = _find(uow, person)
        if asked.role is not None and asked.role != row.role:
            must_be_for_people(asked.role)
            must_leave_an_owner(uow, row)
            row.role = asked.role
            # What was opened with the old role may be looked at for minutes: it is opened again, with the new one.
            queue.tell(uow.session, access_topic(row.id))
            audit.record(uow, "person.role", row.email, role=asked.role)
        if asked.disabled is not None and asked.disabled != (row.disabled_at is not None):
            if asked.disabled:
                must_leave_an_owner(uow, row)
                end_access(uow, row)
            row.disabled_at = uow.now if asked.disabled else None
            audit.record(uow, "person.disable" if asked.disabled else "person.enable", row.email)
        if asked.by_provider and not row.by_provider:
            must_leave_an_owner(uow, row)
            row.by_provider, row.password_hash, row.invitation = True, "", None
            end_access(uow, row)
            audit.record(uow, "person.provider", row.email)
        uow.session.flush()
        return describe_person(row)


def change_password(services: Services, actor: Actor, asked: wire.PasswordChange, keep: bytes | None) -> None:
    """One's own: everything else that is signed in ends, but the session `keep` (a digest) of whoever asks."""
    own_password(services, actor, asked.current, "current")
    password_hash = hashed(asked.new)
    with begin(services, actor) as uow:
        row = uow.session.get_one(PersonRow, actor.principal)
        row.password_hash = password_hash
        end_access(uow, row, keep)
        audit.record(uow, "person.password", row.email)


def end_access(uow: UnitOfWork, row: PersonRow, keep: bytes | None = None) -> None:
    """Sessions and tokens, and what is watched with them. `keep`: the digest of a session that stays."""
    uow.session.execute(delete(TokenRow).where(TokenRow.person_id == row.id))
    sessions = delete(WebSessionRow).where(WebSessionRow.person_id == row.id)
    uow.session.execute(sessions.where(WebSessionRow.digest != keep) if keep else sessions)
    queue.tell(uow.session, access_topic(row.id))


def still_in(uow: UnitOfWork) -> bool:
    """Whether what the actor called with is still good, and for the role that it called in."""
    actor = uow.actor
    row = uow.session.get(PersonRow, actor.principal)
    if row is None or row.disabled_at is not None:
        return False
    if RANK.index(actor.role) > RANK.index(role_at(uow.session, row, actor.title)):
        return False
    if actor.token is not None:
        return uow.session.get(TokenRow, actor.token) is not None
    session = select(WebSessionRow.id).where(WebSessionRow.digest == actor.session)
    return not actor.session or uow.session.scalar(session) is not None


def _new_code(uow: UnitOfWork, row: PersonRow) -> wire.Invitation:
    code = new_code(15)
    row.invitation, row.invited_until = digest_code(code), uow.now + INVITATION_LIFE
    return wire.Invitation(email=row.email, code=code, expires_at=row.invited_until)


def _find(uow: UnitOfWork, person: str) -> PersonRow:
    row = uow.session.get(PersonRow, uuid.UUID(person), with_for_update=True)
    if row is None:
        raise NotFound("person.unknown", "there is no such person", where="person")
    return row


def must_leave_an_owner(uow: UnitOfWork, row: PersonRow) -> None:
    """Locked together: two owners who take each other's role at one moment would leave none."""
    owners = select(PersonRow.id).where(PersonRow.role == Role.OWNER, PersonRow.disabled_at.is_(None))
    others = [
        each
        for each in uow.session.scalars(owners.where(CAN_COME).order_by(PersonRow.id).with_for_update())
        if each != row.id
    ]
    if row.role == Role.OWNER and row.disabled_at is None and not others:
        hint = "Make somebody else an owner first: rampa person role ADDRESS owner."
        raise Refused("person.last-owner", f"{row.name} is the last owner of the studio", where="person", hint=hint)
