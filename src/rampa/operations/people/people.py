"""People, sessions, tokens."""

from __future__ import annotations

import hashlib
import secrets
import uuid
from functools import lru_cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import delete, func, select

from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.core.studio.verification import OWN_NEEDS, VerificationState
from rampa.db import (
    PasskeyRow,
    PersonRow,
    SecondFactorRow,
    StudioRow,
    TokenRow,
    WebSessionRow,
    with_address,
)
from rampa.operations.base import Actor, Once, Services, UnitOfWork, audit, begin, once, service_actor
from rampa.operations.base.policy import with_article
from rampa.operations.people.guesses import hashing
from rampa.schema import people as wire
from rampa.schema.common import Role
from rampa.schema.storefronts import VerificationAt

SOMEBODY = service_actor("somebody")
"""Who is not signed in yet."""


@lru_cache(maxsize=1)
def _hasher() -> PasswordHasher:
    """argon2id, with the parameters of RFC 9106's second recommendation."""
    return PasswordHasher(time_cost=3, memory_cost=64 * 1024, parallelism=4)


@lru_cache(maxsize=1)
def _nobody() -> str:
    """A hash to compare with when there is no such person, so that both answers take the same time."""
    return _hasher().hash(secrets.token_hex(16))


def hashed(password: str) -> str:
    with hashing():
        return _hasher().hash(password)


def compare(person: PersonRow | None, password: str) -> bool:
    """Takes as long for nobody as for somebody."""
    try:
        with hashing():
            _hasher().verify((person.password_hash if person else "") or _nobody(), password)
    except (VerifyMismatchError, InvalidHashError):
        return False
    return person is not None and person.password_hash != ""


def access_topic(person: uuid.UUID) -> str:
    """What is told when somebody's access changes."""
    return f"access/{person}"


def digest_secret(secret: str) -> bytes:
    return hashlib.sha256(secret.encode()).digest()


def first_start(services: Services, studio: str, name: str, email: str, *, verified: bool = True) -> str | None:
    """Makes the studio and its owner where there is none; returns the password, which is shown this once. `verified`: it was
    before, and need not hand anything in."""
    with begin(services) as uow:
        if uow.session.scalar(select(func.count()).select_from(PersonRow)):
            return None
        password = secrets.token_urlsafe(12)
        now = services.now()
        state = VerificationState.VERIFIED if verified else VerificationState.NOT_BEGUN
        verification = VerificationAt(state=state, since=now, needs=list(OWN_NEEDS), usual_days=1)
        uow.session.add(StudioRow(name=studio, verification=verification, created_at=now))
        owner = PersonRow(
            name=name, email=email, role=Role.OWNER, password_hash=_hasher().hash(password), created_at=now
        )
        uow.session.add(owner)
        uow.session.flush()
        actor = Actor(owner.id, name, Role.OWNER)
        audit.record(uow.by(actor), "studio.start", studio)
        return password


def new_password(services: Services, email: str) -> str:
    """A new password for somebody who lost theirs; their sessions and tokens end with the old one."""
    password = secrets.token_urlsafe(12)
    with begin(services) as uow:
        person = uow.session.scalar(with_address(email))
        if person is None:
            raise NotFound("person.unknown", f"there is nobody with the address {email}")
        person.password_hash = _hasher().hash(password)
        person.by_provider, person.provider_subject = False, None
        drop_factor(uow, person)
        for kind in (WebSessionRow, TokenRow):
            uow.session.execute(delete(kind).where(kind.person_id == person.id))
        actor = Actor(person.id, person.name, Role(person.role))
        audit.record(uow.by(actor), "person.password", email)
    return password


def drop_factor(uow: UnitOfWork, person: PersonRow) -> None:
    """Codes and passkeys, all of them."""
    for kind in (SecondFactorRow, PasskeyRow):
        uow.session.execute(delete(kind).where(kind.person_id == person.id))
    person.second_factor = False


def actor_of(person: PersonRow) -> Actor:
    """Somebody by themselves, before a session or token of theirs asks."""
    return Actor(person.id, person.name, Role(person.role))


def add_person(services: Services, actor: Actor, asked: wire.NewPerson, key: Once | None) -> wire.Person:
    must_be_for_people(asked.role)

    def make() -> wire.Person:
        if uow.session.scalar(with_address(asked.email)):
            raise Conflict("person.exists", f"{asked.email} is taken", where="email")
        row = PersonRow(
            name=asked.name,
            email=asked.email,
            role=asked.role,
            password_hash=hashed(asked.password),
            created_at=services.now(),
        )
        uow.session.add(row)
        uow.session.flush()
        audit.record(uow, "person.add", asked.email, role=asked.role)
        return describe_person(row)

    with begin(services, actor) as uow:
        return once(uow, key, wire.Person, make)


def must_be_for_people(role: Role) -> None:
    hints = {
        Role.AGENT: "An agent is enrolled, with a key of its own: `rampa agent enrol NAME`.",
        Role.DEVICE: "A device is registered, with a key of its own: `rampa device add FOLDER`.",
    }
    if role in hints:
        raise Invalid("role.machine", f"no person and no token is {with_article(role)}", where="role", hint=hints[role])


def list_people(services: Services, testers: bool = True) -> list[wire.Person]:
    """`testers`: those, too, who are here to test alone."""
    rows = select(PersonRow).order_by(PersonRow.name)
    if not testers:
        rows = rows.where(PersonRow.role != Role.TESTER)
    with begin(services) as uow:
        return [describe_person(p) for p in uow.session.scalars(rows)]


def describe_person(row: PersonRow) -> wire.Person:
    return wire.Person(
        id=str(row.id),
        name=row.name,
        email=row.email,
        role=Role(row.role),
        disabled=row.disabled_at is not None,
        invited=row.password_hash == "" and not row.by_provider,
        second_factor=row.second_factor,
        by_provider=row.by_provider,
        created_at=row.created_at,
    )
