"""Signing in to the console: sessions, and the cookie that opens them."""

from __future__ import annotations

import datetime as dt
import secrets

from sqlalchemy import delete, select

from rampa.core.address import normal
from rampa.core.errors import Denied
from rampa.db import (
    CHANGED_AT_TITLES,
    PersonRow,
    WebSessionRow,
    queue,
    roles_of,
    studio_is_verified,
    the_studio,
    with_address,
)
from rampa.operations.base import Services, audit, begin
from rampa.operations.people import passkey_answers
from rampa.operations.people.factors import check_code, has_codes, kinds
from rampa.operations.people.guesses import Guess, count, failed, forget
from rampa.operations.people.people import SOMEBODY, access_topic, actor_of, compare, describe_person, digest_secret
from rampa.schema import people as wire
from rampa.schema import sign_in as sign_in_wire
from rampa.schema.common import Role

SESSION_LIFE = dt.timedelta(hours=14)
FAILURES_SHOWN = "the address or the password is wrong"


def sign_in(
    services: Services, email: str, password: str, address: str = "", code: str = ""
) -> tuple[wire.Session, str]:
    """The session and its cookie's secret. Raises `Denied`, the same for a wrong address and a wrong password. Only who knows the
    password learns that a code is needed.

    `address` is where the call comes from, for the limits.
    """
    guess = Guess("sign-in", normal(email), address)
    with begin(services) as uow:
        person = uow.session.scalar(with_address(email))
    # What was typed in place of an address may be a password: only an address that somebody has is said.
    subject = person.email if person else "an unknown address"
    count(services, guess, SOMEBODY, subject)
    good = compare(person, password)
    if person is None or not good or person.disabled_at is not None:
        failed(services, guess, SOMEBODY, subject)
        raise Denied("sign-in.denied", FAILURES_SHOWN, hint="Try again, or ask the owner for a new password.")
    forget(services, guess)
    if person.second_factor:
        _check_factor(services, person, code, address)
    return open_session(services, person, confirmed=person.second_factor)


def _check_factor(services: Services, person: PersonRow, code: str, address: str) -> None:
    with begin(services) as uow:
        typed = has_codes(uow, person)
    if not typed:
        hint = "Sign in with it in the console; a command line, with `rampa sign-in --browser`."
        raise Denied("sign-in.passkey-needed", "this account signs in with a passkey", hint=hint)
    if not code:
        hint = "Type the code that your app shows now, or a spare one."
        raise Denied("sign-in.factor-needed", "a code of your second factor is needed", where="code", hint=hint)
    check_code(services, person, code, actor_of(person), address)


def sign_in_with_passkey(
    services: Services, answer: sign_in_wire.Asserted, origin: str, address: str
) -> tuple[wire.Session, str]:
    """The device and what unlocks it are two factors: nothing else is asked."""
    person = passkey_answers.check(services, answer, origin, address)
    if person.disabled_at is not None:
        raise Denied("sign-in.denied", "this account is disabled", hint="Ask an owner of the studio.")
    return open_session(services, person, confirmed=True)


def open_session(services: Services, person: PersonRow, *, confirmed: bool) -> tuple[wire.Session, str]:
    """For who has shown who they are; `confirmed` with a second factor. Kept only as a digest: whoever reads the database cannot
    sign in with what stands there."""
    secret = secrets.token_urlsafe(32)
    with begin(services) as uow:
        now = services.now()
        uow.session.execute(delete(WebSessionRow).where(WebSessionRow.expires_at < now))
        row = WebSessionRow(
            person_id=person.id,
            digest=digest_secret(secret),
            csrf_token=secrets.token_urlsafe(24),
            expires_at=now + SESSION_LIFE,
            confirmed_at=now if confirmed else None,
            created_at=now,
        )
        uow.session.add(row)
        audit.record(uow.by(actor_of(person)), "session.open", person.email)
    return describe_session(services, person, row.csrf_token), secret


def describe_session(services: Services, person: PersonRow, csrf_token: str) -> wire.Session:
    with begin(services) as uow:
        studio, verified = the_studio(uow.session), studio_is_verified(uow.session)
        factors = kinds(uow, person) if person.second_factor else []
        titles = roles_of(uow.session, person.id) if Role(person.role) in CHANGED_AT_TITLES else {}
    return wire.Session(
        person=describe_person(person),
        studio=studio.name,
        studio_verified=verified,
        csrf_token=csrf_token,
        factors=factors,
        titles=titles,
    )


def find_session(services: Services, secret: str) -> WebSessionRow | None:
    with begin(services) as uow:
        row = uow.session.scalar(select(WebSessionRow).where(WebSessionRow.digest == digest_secret(secret)))
    return row if row is not None and row.expires_at > services.now() else None


def sign_out(services: Services, secret: str) -> None:
    with begin(services) as uow:
        row = uow.session.scalar(select(WebSessionRow).where(WebSessionRow.digest == digest_secret(secret)))
        if row is not None:
            queue.tell(uow.session, access_topic(row.person_id))
        uow.session.execute(delete(WebSessionRow).where(WebSessionRow.digest == digest_secret(secret)))
