"""A person's second factor: codes that change every 30 seconds (TOTP, RFC 6238), and spare ones for a lost phone.

A code is good once: who looks over a shoulder, or reads a log, has one that was used. Acts that matter ask for one again.
"""

from __future__ import annotations

import datetime as dt
import hmac
from typing import NoReturn

import pyotp
from sqlalchemy import delete, select

from rampa.core.address import normal
from rampa.core.errors import Conflict, Denied
from rampa.core.signing.seal import seal, unseal
from rampa.db import PasskeyRow, PersonRow, SecondFactorRow, TokenRow, WebSessionRow, the_studio
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.base.qr import picture_of
from rampa.operations.people.codes import digest_code, new_code
from rampa.operations.people.guesses import Guess, count, failed, forget
from rampa.operations.people.people import compare
from rampa.schema import people as wire
from rampa.schema.common import Role

SPARE = 8
STEP = 30
"""Seconds that a code is good for; the one before and the one after are taken, too: clocks differ."""
RECENT = dt.timedelta(minutes=5)


def begin_factor(services: Services, actor: Actor, asked: wire.FactorIn) -> wire.NewFactor:
    """A new secret, for an app to keep; it counts once a code of it came back. Takes the password again."""
    row = own_password(services, actor, asked.password, "password")
    secret = pyotp.random_base32()
    with begin(services, actor) as uow:
        if has_codes(uow, row):
            hint = "Remove it first: rampa second-factor remove."
            raise Conflict("factor.exists", f"{row.name} has such codes already", hint=hint)
        studio = the_studio(uow.session)
        uow.session.execute(delete(SecondFactorRow).where(SecondFactorRow.person_id == row.id))
        sealed = seal(secret.encode(), services.master_key, factor_label(row), services.random)
        uow.session.add(SecondFactorRow(person_id=row.id, sealed=sealed, last_step=0, spare=[]))
    address = pyotp.TOTP(secret).provisioning_uri(name=row.email, issuer_name=f"Rampa, {studio.name}")
    return wire.NewFactor(secret=secret, address=address, picture=picture_of(address))


def finish_factor(services: Services, actor: Actor, asked: wire.CodeIn) -> wire.SpareCodes:
    """The factor counts from now on. Spare codes are shown this once."""
    with begin(services, actor) as uow:
        person = uow.session.get_one(PersonRow, actor.principal)
    guess = _counted(services, person, actor, "")
    with begin(services, actor) as uow:
        person = uow.session.get_one(PersonRow, actor.principal, with_for_update=True)
        factor = uow.session.get(SecondFactorRow, person.id)
        good = factor is not None and factor.since is None and _takes(services, person, factor, asked.code)
        spare = [new_code(10) for _ in range(SPARE)]
        if factor is not None and good:
            factor.since, person.second_factor = uow.now, True
            factor.spare = [digest_code(code).hex() for code in spare]
            note_confirmed(uow)
            audit.record(uow, "factor.add", person.email)
    if not good:
        _wrong(services, guess, actor, person)
    forget(services, guess)
    return wire.SpareCodes(codes=spare)


def confirm(services: Services, actor: Actor, asked: wire.CodeIn, address: str) -> None:
    """Before an act that matters: for five minutes, this session or token alone. Raises `Denied`."""
    with begin(services, actor) as uow:
        person = uow.session.get_one(PersonRow, actor.principal)
    check_code(services, person, asked.code, actor, address)
    with begin(services, actor) as uow:
        note_confirmed(uow)
        audit.record(uow, "factor.confirm", person.email)


def check_code(services: Services, person: PersonRow, code: str, actor: Actor, address: str) -> None:
    """Takes a code of the factor, or a spare one, once. Raises `Denied`, also when there were too many tries."""
    guess = _counted(services, person, actor, address)
    with begin(services, actor) as uow:
        # Locked: two calls with one code at one moment would both find it unused.
        factor = uow.session.get(SecondFactorRow, person.id, with_for_update=True)
        good = factor is not None and factor.since is not None and _takes(services, person, factor, code)
    if not good:
        _wrong(services, guess, actor, person)
    forget(services, guess)


def remove_factor(services: Services, actor: Actor) -> None:
    """One's own; the call that asks for it was confirmed."""
    with begin(services, actor) as uow:
        person = uow.session.get_one(PersonRow, actor.principal, with_for_update=True)
        uow.session.execute(delete(SecondFactorRow).where(SecondFactorRow.person_id == person.id))
        settle_factor(uow, person)
        audit.record(uow, "factor.remove", person.email)


def has_codes(uow: UnitOfWork, person: PersonRow) -> bool:
    factor = uow.session.get(SecondFactorRow, person.id)
    return factor is not None and factor.since is not None


def kinds(uow: UnitOfWork, person: PersonRow) -> list[wire.FactorKind]:
    """What this person's second factor can be."""
    passkey = uow.session.scalar(select(PasskeyRow.id).where(PasskeyRow.person_id == person.id).limit(1))
    there = {wire.FactorKind.CODES: has_codes(uow, person), wire.FactorKind.PASSKEY: passkey is not None}
    return [kind for kind, has in there.items() if has]


def settle_factor(uow: UnitOfWork, person: PersonRow) -> None:
    """After a change of the person's codes or passkeys."""
    person.second_factor = bool(kinds(uow, person))


def note_confirmed(uow: UnitOfWork) -> None:
    """For five minutes from now, the session or token that asks."""
    actor = uow.actor
    if actor.token is not None:
        uow.session.get_one(TokenRow, actor.token).confirmed_at = uow.now
    else:
        row = uow.session.scalars(select(WebSessionRow).where(WebSessionRow.digest == actor.session)).one()
        row.confirmed_at = uow.now


def must_be_confirmed(services: Services, person: PersonRow, confirmed_at: dt.datetime | None) -> None:
    """Raises `Denied` where a person has a second factor and was not asked for it lately."""
    if person.second_factor and (confirmed_at is None or services.now() - confirmed_at > RECENT):
        hint = "Run `rampa second-factor confirm`, or with a passkey `rampa sign-in --browser`; then the same again."
        raise Denied("confirm.needed", "this act asks for your second factor again", hint=hint)


def must_have_one(person: PersonRow, role: Role) -> None:
    """Raises `Denied` for an owner or engineer, of the studio or of the title (`role`), without a second factor, where the
    operator wants one."""
    if {person.role, role} & {Role.OWNER, Role.ENGINEER} and not person.second_factor:
        hint = "Add one: `rampa second-factor add`, or in the console below your name."
        raise Denied("factor.needed", "owners and engineers of this studio need a second factor", hint=hint)


def own_password(services: Services, actor: Actor, password: str, where: str) -> PersonRow:
    """Who asks, once their password was right, or their provider has just vouched for them. Raises `Denied`."""
    with begin(services, actor) as uow:
        row = uow.session.get_one(PersonRow, actor.principal)
        opened = select(WebSessionRow.created_at).where(WebSessionRow.digest == actor.session)
        lately = uow.session.scalar(opened) if actor.session else None
    if row.by_provider:
        # They have no password to be asked for; that they have just come from their provider says as much.
        if lately is None or services.now() - lately > RECENT:
            hint = "Sign out of the console, sign in again, and do this within five minutes."
            raise Denied("sign-in.again", "this asks for a sign-in of the last five minutes", hint=hint)
        return row
    guess = Guess("sign-in", normal(row.email), "")
    count(services, guess, actor, row.email)
    if not compare(row, password):
        failed(services, guess, actor, row.email)
        raise Denied("password.wrong", "the current password is another", where=where)
    forget(services, guess)
    return row


def factor_label(person: PersonRow) -> str:
    """What the secret is sealed for."""
    return f"factor:{person.id}"


def _takes(services: Services, person: PersonRow, factor: SecondFactorRow, code: str) -> bool:
    said = code.strip().replace(" ", "")
    spare = digest_code(said).hex()
    if spare in factor.spare:
        factor.spare = [kept for kept in factor.spare if kept != spare]
        return True
    secret = unseal(factor.sealed, services.master_key, factor_label(person)).decode()
    now = int(services.now().timestamp()) // STEP
    for step in range(now - 1, now + 2):
        # Never one that was used, nor one before it.
        if step > factor.last_step and hmac.compare_digest(
            pyotp.TOTP(secret).generate_otp(step).encode(), said.encode()
        ):
            factor.last_step = step
            return True
    return False


def _counted(services: Services, person: PersonRow, actor: Actor, address: str) -> Guess:
    guess = Guess("factor", normal(person.email), address)
    count(services, guess, actor, person.email)
    return guess


def _wrong(services: Services, guess: Guess, actor: Actor, person: PersonRow) -> NoReturn:
    failed(services, guess, actor, person.email)
    hint = "Take the one that is shown now; a code is good once."
    raise Denied("factor.wrong", "this code is wrong, or was used", where="code", hint=hint)
