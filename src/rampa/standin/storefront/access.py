"""Access by OAuth 2.0: a studio's person lets a program in (RFC 6749, authorization code with PKCE, RFC 7636), which gets tokens
that are renewed (each refresh token once) and can be revoked (RFC 7009). Tokens and secrets are kept as digests.

Bearer tokens are read as RFC 6750 says; authlib checks challenges and tells clients' errors apart.
"""

from __future__ import annotations

import datetime as dt
import hmac
import secrets
import uuid

from authlib.oauth2.rfc7636 import create_s256_code_challenge
from flask import request
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from rampa.core.errors import Denied, Invalid
from rampa.schema.storefronts import SCOPES
from rampa.standin.storefront.shop import Shop, digest_of
from rampa.standin.storefront.tables import ClientRow, CodeRow, StoreTokenRow

ACCESS_FOR = dt.timedelta(minutes=30)
CODE_FOR = dt.timedelta(minutes=1)


class GrantFault(Exception):
    """An error of RFC 6749, section 5.2: `error` is its code."""

    def __init__(self, error: str, said: str) -> None:
        super().__init__(said)
        self.error, self.said = error, said


def allowed(shop: Shop, scope: str) -> StoreTokenRow:
    """The token that asks. Raises `Denied`: without one, expired, revoked, or too narrow."""
    kind, _, token = request.headers.get("Authorization", "").partition(" ")
    with shop.begin() as session:
        row = None
        if kind.lower() == "bearer" and token:
            row = session.scalar(select(StoreTokenRow).where(StoreTokenRow.access == digest_of(token)))
    if row is None:
        raise Denied("token.unknown", "this token is not known here", hint="Connect the account again.")
    if row.revoked:
        raise Denied("token.revoked", "the storefront revoked this access", hint="Connect the account again.")
    if row.until <= shop.now():
        raise Denied("token.expired", "this access token is over", hint="Renew it.")
    if scope not in row.scopes:
        missing = f"this access has {', '.join(row.scopes) or 'nothing'}, and {scope} is needed"
        raise Denied("token.scope", missing, hint="Connect the account again, with that.")
    return row


def register(session: Session, name: str, redirect_uris: list[str]) -> tuple[str, str]:
    """(client's number, its secret, shown once): RFC 7591 in its plainest form."""
    client, secret = f"program-{secrets.token_hex(8)}", secrets.token_urlsafe(32)
    session.add(ClientRow(client_id=client, secret=digest_of(secret), name=name, redirect_uris=redirect_uris))
    return client, secret


def must_lead_back(session: Session, client_id: str, redirect_uri: str) -> ClientRow:
    """Raises `Invalid` before anybody is sent anywhere: an address that was not registered is never followed."""
    client = session.get(ClientRow, client_id)
    if client is None:
        raise Invalid("oauth.client", "this program is not known here", where="client_id")
    if redirect_uri not in client.redirect_uris:
        raise Invalid("oauth.redirect", "the program did not register this way back", where="redirect_uri")
    return client


def make_code(
    shop: Shop, session: Session, client: ClientRow, redirect_uri: str, scopes: list[str], challenge: str
) -> str:
    code = secrets.token_urlsafe(32)
    row = CodeRow(digest=digest_of(code), client_id=client.client_id, redirect_uri=redirect_uri, challenge=challenge)
    row.scopes, row.until = [s for s in SCOPES if s in scopes], shop.now() + CODE_FOR
    session.add(row)
    return code


def from_code(
    shop: Shop, session: Session, client: ClientRow, code: str, redirect_uri: str, verifier: str
) -> dict[str, object]:
    row = session.get(CodeRow, digest_of(code))
    if row is None or row.client_id != client.client_id or row.redirect_uri != redirect_uri or row.until < shop.now():
        raise GrantFault("invalid_grant", "the code is over, used, or another program's")
    session.delete(row)
    if not verifier or not hmac.compare_digest(_challenge(verifier), row.challenge):
        raise GrantFault("invalid_grant", "the code verifier is not the one of the challenge")
    return _issue(shop, session, client.client_id, list(row.scopes), str(uuid.uuid4()))


def from_refresh(shop: Shop, session: Session, client: ClientRow, token: str) -> dict[str, object]:
    """Each refresh token once; one that comes again was stolen, and everything of its consent is revoked."""
    row = session.scalar(select(StoreTokenRow).where(StoreTokenRow.refresh == digest_of(token)).with_for_update())
    if row is None or row.client_id != client.client_id or row.revoked:
        raise GrantFault("invalid_grant", "the refresh token is over or revoked")
    if row.used:
        session.execute(update(StoreTokenRow).where(StoreTokenRow.family == row.family).values(revoked=True))
        raise StolenToken("invalid_grant", "the refresh token was used before: all access of that consent is revoked")
    row.used = True
    return _issue(shop, session, client.client_id, list(row.scopes), row.family)


def _challenge(verifier: str) -> str:
    made: str = create_s256_code_challenge(verifier)  # type: ignore[no-untyped-call]
    return made


class StolenToken(GrantFault):
    """What was written before is kept."""


def known_client(session: Session, client_id: str, secret: str) -> ClientRow:
    client = session.get(ClientRow, client_id)
    if client is None or not hmac.compare_digest(client.secret, digest_of(secret)):
        raise GrantFault("invalid_client", "the program or its secret is not known")
    return client


def revoke(session: Session, client: ClientRow, token: str) -> None:
    """Either token of a pair; the family goes with it. What is not known is no error (RFC 7009, 2.2)."""
    digest = digest_of(token)
    row = session.scalar(
        select(StoreTokenRow).where((StoreTokenRow.access == digest) | (StoreTokenRow.refresh == digest))
    )
    if row is not None and row.client_id == client.client_id:
        session.execute(update(StoreTokenRow).where(StoreTokenRow.family == row.family).values(revoked=True))


def _issue(shop: Shop, session: Session, client: str, scopes: list[str], family: str) -> dict[str, object]:
    access, refresh = secrets.token_urlsafe(32), secrets.token_urlsafe(32)
    row = StoreTokenRow(
        family=family, client_id=client, access=digest_of(access), refresh=digest_of(refresh), scopes=scopes
    )
    row.until, row.revoked, row.used = shop.now() + ACCESS_FOR, False, False
    session.add(row)
    return {
        "access_token": access,
        "token_type": "Bearer",
        "expires_in": round(ACCESS_FOR.total_seconds()),
        "refresh_token": refresh,
        "scope": " ".join(scopes),
    }
