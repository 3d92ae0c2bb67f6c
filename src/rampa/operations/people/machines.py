"""Signing a machine in while its person is at a browser elsewhere: OAuth 2.0 device authorization (RFC 8628).

The machine asks for two codes, shows the short one, and asks with the long one whether it may. The person types the short one in
the console, where they are signed in by whatever way they have, and allows it. The machine gets a token, once.
"""

from __future__ import annotations

import datetime as dt
import secrets

from sqlalchemy import delete, select

from rampa.core.errors import Conflict, Denied, NotFound
from rampa.db import PersonRow, SignInRequestRow, WebSessionRow
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.people.codes import digest_code, new_code
from rampa.operations.people.guesses import Guess, count, failed, forget
from rampa.operations.people.people import SOMEBODY, actor_of, digest_secret
from rampa.operations.people.tokens import make_token
from rampa.schema import people as people_wire
from rampa.schema import sign_in as wire

LIFE = dt.timedelta(minutes=10)
INTERVAL = 2
PAGE = "/allow"


def begin_request(services: Services, asked: wire.SignInRequestIn, at: str, address: str) -> wire.SignInRequest:
    """`at` is the console's origin, `address` where the call comes from."""
    # Each leaves a row for ten minutes: whoever asks without end is told to wait.
    count(services, Guess("request", address or "somewhere", address), SOMEBODY, "a machine's sign-in")
    device, user = secrets.token_urlsafe(32), new_code(5)
    with begin(services) as uow:
        uow.session.execute(delete(SignInRequestRow).where(SignInRequestRow.expires_at < uow.now))
        row = SignInRequestRow(
            name=asked.name,
            address=address,
            device_code=digest_secret(device),
            user_code=digest_code(user),
            expires_at=uow.now + LIFE,
            created_at=uow.now,
        )
        uow.session.add(row)
    return wire.SignInRequest(
        device_code=device,
        user_code=user,
        verification_uri=at + PAGE,
        verification_uri_complete=f"{at}{PAGE}?code={user}",
        expires_in=int(LIFE.total_seconds()),
        interval=INTERVAL,
    )


def look_at_request(services: Services, actor: Actor, user_code: str) -> wire.WaitingMachine:
    with begin(services, actor) as uow:
        row = _open(services, uow, actor, user_code)
        return wire.WaitingMachine(
            name=row.name, address=row.address, asked_at=row.created_at, expires_at=row.expires_at
        )


def decide(services: Services, actor: Actor, user_code: str, asked: wire.Verdict) -> None:
    """The person's word. A token cannot give it: what it allowed would outlive it."""
    if not actor.session:
        raise Denied("request.browser", "a machine is allowed in the console alone", hint="Open it in a browser.")
    with begin(services, actor) as uow:
        row = _open(services, uow, actor, user_code)
        row.person_id, row.allowed = actor.principal, asked.allow
        by = select(WebSessionRow.confirmed_at).where(WebSessionRow.digest == actor.session)
        row.confirmed_at = uow.session.scalar(by)
        audit.record(uow, "machine.allow" if asked.allow else "machine.refuse", row.name, address=row.address)


def take_token(services: Services, asked: wire.DeviceCode) -> people_wire.MadeToken:
    """What the machine waits for. Raises `Conflict` (`request.pending`) until its person has said, then `Denied` or the token."""
    with begin(services) as uow:
        row = uow.session.scalar(
            select(SignInRequestRow)
            .where(SignInRequestRow.device_code == digest_secret(asked.device_code))
            .with_for_update()
        )
        if row is None or row.expires_at < uow.now:
            raise Denied("request.over", "this sign-in was not allowed in time", hint="Begin again.")
        if row.person_id is None:
            raise Conflict("request.pending", "nobody has allowed this yet", hint="Allow it in the browser.")
        person = uow.session.get_one(PersonRow, row.person_id)
        uow.session.delete(row)
        allowed = row.allowed and person.disabled_at is None
        name, confirmed_at = row.name, row.confirmed_at
    if not allowed:
        raise Denied("request.refused", "this sign-in was refused in the browser")
    return make_token(services, actor_of(person), people_wire.NewToken(name=name), confirmed_at)


def _open(services: Services, uow: UnitOfWork, actor: Actor, user_code: str) -> SignInRequestRow:
    guess = Guess("request", str(actor.principal), "")
    count(services, guess, actor, "a machine's sign-in")
    row = uow.session.scalar(
        select(SignInRequestRow).where(SignInRequestRow.user_code == digest_code(user_code)).with_for_update()
    )
    if row is None or row.person_id is not None or row.expires_at < uow.now:
        failed(services, guess, actor, "a machine's sign-in")
        raise NotFound("request.unknown", "no machine waits with this code", where="code", hint="Begin again there.")
    forget(services, guess)
    return row
