"""Speaking to a storefront in the studio's name: its adapter, with an access token that is renewed before it ends."""

from __future__ import annotations

import datetime as dt
import json
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import httpx

from rampa.core.errors import Denied, Invalid, Refused, Unavailable
from rampa.core.signing.seal import seal, unseal
from rampa.core.submission.account import TRANSITIONS, USABLE, AccountEvent
from rampa.core.transitions import advance, words
from rampa.db import StorefrontRow, find_storefront
from rampa.operations.base import Services, begin, service_actor
from rampa.operations.base.unit_of_work import UnitOfWork
from rampa.schema.storefront_accounts import StorefrontKind
from rampa.store.guarded import GuardedTransport
from rampa.storefronts.folder_storefront import FolderStorefront
from rampa.storefronts.http_storefront import HttpStorefront
from rampa.storefronts.port import StorefrontPort

SILENCE = 20.0
MOST = 8 * 1024 * 1024
"""Bytes of an answer."""
EARLY = dt.timedelta(seconds=90)
"""So long before its end an access token is renewed."""
WAITS = (1, 2, 4, 8, 15, 30, 30, 30)


@dataclass(frozen=True)
class Secrets:
    """Of one account; sealed while it rests."""

    client_secret: str = ""
    access: str = ""
    refresh: str = ""
    notices: str = ""
    """The key by which the storefront signs its notices."""


def storefront_of(services: Services, name: str) -> StorefrontPort:
    """The adapter of an account. Raises `Refused` for one that a person must connect first."""
    with begin(services) as uow:
        row = find_storefront(uow.session, name)
        if row.kind == StorefrontKind.FOLDER:
            return folder_of(services, row.name, row.title)
        if row.state not in USABLE:
            said = f"the account at {row.title} is {words(row.state)}"
            raise Refused("storefront.not-connected", said, hint=again(name))
        address = row.address
    return adapter_at(services, address, lambda: access_token(services, name))


def again(name: str) -> str:
    return f"Connect it again: `rampa storefront connect {name}`."


def adapter_at(services: Services, address: str, token: Callable[[], str]) -> HttpStorefront:
    return HttpStorefront(
        http_at(services, address), token, lambda tries: time.sleep(WAITS[min(tries, len(WAITS)) - 1])
    )


def http_at(services: Services, address: str) -> httpx.Client:
    transport = GuardedTransport(services.storefront_reach, MOST)
    return httpx.Client(base_url=address, transport=transport, timeout=SILENCE, follow_redirects=False, trust_env=False)


def folder_of(services: Services, name: str, title: str) -> FolderStorefront:
    if services.hand_over is None:
        hint = "The service's operator names a folder in RAMPA_HAND_OVER."
        raise Refused("storefront.no-folder", "this service has no folder for hand-overs", hint=hint)
    platforms = ["linux", "windows", "macos", "android", "ios", "headset"]
    return FolderStorefront(Path(services.hand_over) / name, title, platforms, services.now)


def access_token(services: Services, name: str) -> str:
    """The one of now. Raises `Denied` when the storefront renews it no more: a person connects the account again.

    The account is locked meanwhile: each refresh token is good once, and two who used one at the same time would lose both.
    """
    with begin(services, service_actor("the service")) as uow:
        row = find_storefront(uow.session, name, lock=True)
        if row.state not in USABLE:
            raise Denied(
                "storefront.revoked", row.said or f"the account at {row.title} is {words(row.state)}", hint=again(name)
            )
        held = secrets_of(uow, row)
        if row.until is not None and row.until - uow.now > EARLY:
            return held.access
        refused = _renew(uow, row, held)
        made = secrets_of(uow, row).access
    # Said after it was written: the account's page says the same.
    if refused:
        raise Denied("storefront.revoked", refused, hint=again(name))
    return made


def _renew(uow: UnitOfWork, row: StorefrontRow, held: Secrets) -> str:
    """Empty when it worked; else why the storefront says no, and the account is expired."""
    from authlib.integrations.base_client import OAuthError

    try:
        with oauth_client(uow.services, row, held.client_secret) as client:
            made = client.refresh_token(row.metadata_["token_endpoint"], refresh_token=held.refresh)
    except OAuthError as error:
        move(
            uow,
            row,
            AccountEvent.EXPIRE,
            f"the storefront does not renew the access: {error.description or error.error}"[:500],
        )
        return row.said
    except (httpx.HTTPError, OSError, ValueError) as error:
        raise Unavailable("storefront.silent", f"{row.title} does not answer ({type(error).__name__})") from error
    keep(uow, row, held.client_secret, made)
    return ""


def oauth_client(services: Services, row: StorefrontRow, client_secret: str):  # type: ignore[no-untyped-def]
    """Authlib's client for this account; it goes where storefronts may be, and nowhere else."""
    from authlib.integrations.httpx_client import OAuth2Client

    return OAuth2Client(
        client_id=row.client_id,
        client_secret=client_secret,
        token_endpoint_auth_method="client_secret_basic",
        code_challenge_method="S256",
        redirect_uri=back(services),
        transport=GuardedTransport(services.storefront_reach, MOST),
        timeout=SILENCE,
        follow_redirects=False,
        trust_env=False,
    )


def back(services: Services) -> str:
    """Where storefronts send browsers. Raises `Refused` while nobody said where the console is."""
    if not services.origin:
        hint = "The service's operator says it in RAMPA_ORIGIN."
        raise Refused("storefront.no-origin", "the service does not know where browsers find it", hint=hint)
    return f"{services.origin}/storefronts/return"


def keep(uow: UnitOfWork, row: StorefrontRow, client_secret: str, made: dict[str, object]) -> None:
    """What the storefront gave. Raises `Invalid` for what is no token."""
    access, refresh, seconds = made.get("access_token"), made.get("refresh_token"), made.get("expires_in")
    good = isinstance(access, str) and isinstance(refresh, str) and isinstance(seconds, int | float)
    if not good or not 0 < len(str(access)) < 4000 or not 0 < len(str(refresh)) < 4000:
        raise Invalid("storefront.token", f"{row.title} gives no token that can be used")
    notices = secrets_of(uow, row).notices
    row.sealed = sealed(uow, row, Secrets(client_secret, str(access), str(refresh), notices))
    row.until = uow.now + dt.timedelta(seconds=min(max(float(str(seconds)), 1), 86_400))


def keep_notices(uow: UnitOfWork, row: StorefrontRow, key: str) -> None:
    row.sealed = sealed(uow, row, replace(secrets_of(uow, row), notices=key))


def notices_at(services: Services, name: str) -> str:
    """Where that storefront's notices come in."""
    return f"{services.origin}/api/v1/storefronts/{name}/notices"


def sealed(uow: UnitOfWork, row: StorefrontRow, held: Secrets) -> bytes:
    data = json.dumps(held.__dict__).encode()
    return seal(data, uow.services.master_key, row.label, uow.services.random)


def secrets_of(uow: UnitOfWork, row: StorefrontRow) -> Secrets:
    if row.sealed is None:
        return Secrets()
    return Secrets(**json.loads(unseal(row.sealed, uow.services.master_key, row.label)))


def move(uow: UnitOfWork, row: StorefrontRow, event: AccountEvent, said: str = "") -> None:
    row.state = advance(TRANSITIONS, row.state, event, f"the account at {row.title}")
    row.said = said
