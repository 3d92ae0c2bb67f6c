"""Bearer tokens: made, found by their secret, listed, revoked."""

from __future__ import annotations

import datetime as dt
import secrets
import uuid

from sqlalchemy import select

from rampa.core.errors import Denied, NotFound
from rampa.db import TokenRow, WebSessionRow, queue
from rampa.operations.base import Actor, Services, audit, begin
from rampa.operations.base.policy import with_article
from rampa.operations.people.people import access_topic, digest_secret, must_be_for_people
from rampa.operations.people.ranks import RANK, highest
from rampa.schema import people as wire
from rampa.schema.common import Role

TOKEN_MARK = "rampa-"
PROVIDER_TRUST = dt.timedelta(days=14)
"""How long tokens are good after the studio's own provider last vouched for a person."""


def find_token(services: Services, secret: str) -> TokenRow | None:
    """The token of a bearer secret. An expired one raises `Denied` that says so."""
    now = services.now()
    with begin(services) as uow:
        row = uow.session.scalar(select(TokenRow).where(TokenRow.digest == digest_secret(secret)))
        if row is None:
            return None
        if row.expires_at <= now:
            raise Denied(
                "token.expired",
                f"the token {row.name!r} expired on {row.expires_at:%Y-%m-%d %H:%M} UTC",
                hint="Run `rampa sign-in` and then the same command again: what was uploaded is kept.",
            )
        seen = row.person.provider_seen_at
        # Whoever left the studio is shut out at its provider, and their tokens here say nothing there.
        if row.person.by_provider and (seen is None or now - seen > PROVIDER_TRUST):
            hint = "Sign in by it once: in the console, or with `rampa sign-in --browser`."
            raise Denied("token.provider", "the studio's sign-in has not vouched for you for two weeks", hint=hint)
        # Written once a minute at most: a polling client would else write a row with every call.
        if row.last_used_at is None or now - row.last_used_at > dt.timedelta(minutes=1):
            row.last_used_at = now
    return row


def make_token(
    services: Services, actor: Actor, asked: wire.NewToken, confirmed_at: dt.datetime | None = None
) -> wire.MadeToken:
    """`confirmed_at` for who is neither a token nor a session: when their second factor was last asked for."""
    if asked.role is not None:
        must_be_for_people(asked.role)
    secret = TOKEN_MARK + secrets.token_urlsafe(32)
    now = services.now()
    with begin(services, actor) as uow:
        most = highest(uow, actor)
        role = asked.role or most
        if RANK.index(role) > RANK.index(most):
            raise Denied("role.denied", f"{with_article(most)} cannot make a token for the role {role}")
        expires_at = now + dt.timedelta(days=asked.days)
        if actor.token is not None:
            maker = uow.session.get_one(TokenRow, actor.token)
            # Never longer than what made it, whatever was asked: a token of an hour would else become one of a year.
            expires_at, confirmed_at = min(expires_at, maker.expires_at), maker.confirmed_at
        elif actor.session:
            by = select(WebSessionRow.confirmed_at).where(WebSessionRow.digest == actor.session)
            confirmed_at = uow.session.scalar(by)
        row = TokenRow(
            person_id=actor.principal,
            name=asked.name,
            role=role,
            digest=digest_secret(secret),
            expires_at=expires_at,
            made_by=actor.token,
            confirmed_at=confirmed_at,
            created_at=now,
        )
        uow.session.add(row)
        uow.session.flush()
        audit.record(uow, "token.make", asked.name, role=role)
    return wire.MadeToken(**_token(row).model_dump(), secret=secret)


def list_tokens(services: Services, actor: Actor) -> list[wire.Token]:
    """The caller's own."""
    with begin(services, actor) as uow:
        rows = uow.session.scalars(
            select(TokenRow).where(TokenRow.person_id == actor.principal).order_by(TokenRow.id.desc())
        )
        return [_token(r) for r in rows]


def revoke_token(services: Services, actor: Actor, token_id: str) -> None:
    with begin(services, actor) as uow:
        row = uow.session.get(TokenRow, uuid.UUID(token_id))
        # The same answer for no such token and another's: numbers of others' tokens must not be found out by trying.
        if row is None or (row.person_id != actor.principal and actor.role != Role.OWNER):
            raise NotFound("token.unknown", "there is no such token of yours")
        audit.record(uow, "token.revoke", row.name)
        queue.tell(uow.session, access_topic(row.person_id))
        uow.session.delete(row)


def _token(row: TokenRow) -> wire.Token:
    return wire.Token(
        id=str(row.id),
        name=row.name,
        role=Role(row.role),
        created_at=row.created_at,
        expires_at=row.expires_at,
        last_used_at=row.last_used_at,
    )
