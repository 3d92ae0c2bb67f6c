"""The studio's accounts at storefronts: connected by a person in a browser, looked at, taken away."""

from __future__ import annotations

import datetime as dt
import hashlib
from typing import Any
from urllib.parse import urlsplit

import httpx
from sqlalchemy import delete, select

from rampa.core.errors import Conflict, Denied, Invalid, NotFound, RampaError, Unavailable
from rampa.core.signing.seal import seal, unseal
from rampa.core.studio.verification import OWN
from rampa.core.submission.account import USABLE, AccountEvent, AccountState
from rampa.db import StorefrontConsentRow, StorefrontRow, find_storefront
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, audit, begin, must, service_actor
from rampa.operations.storefronts import connection
from rampa.operations.storefronts.connection import Secrets
from rampa.operations.storefronts.verified import keep_verification
from rampa.schema import storefront_accounts as wire
from rampa.schema import storefronts as protocol
from rampa.store.guarded import check_address
from rampa.storefronts.port import StorefrontPort

CONSENT_FOR = dt.timedelta(minutes=15)
EVERY = dt.timedelta(minutes=15)
"""Between two looks at an account by itself."""
LONGEST_ANSWER = 64 * 1024
NEEDED = ("authorization_endpoint", "token_endpoint", "revocation_endpoint", "registration_endpoint")


def list_accounts(services: Services, actor: Actor) -> wire.StorefrontAccounts:
    with begin(services, actor) as uow:
        rows = uow.session.scalars(select(StorefrontRow).order_by(StorefrontRow.name))
        return wire.StorefrontAccounts(
            items=[_out(uow, row) for row in rows],
            allowed_actions=[action(actor, Act.CONNECT_STOREFRONT, "connect")],
        )


def connect(services: Services, actor: Actor, asked: wire.NewStorefront) -> wire.Connecting:
    """A new account: Rampa makes itself known there, and a person is sent to let it in. A folder needs nobody."""
    must(actor, Act.CONNECT_STOREFRONT)
    if asked.name == OWN:
        raise Invalid("storefront.name", f"{OWN} is the name of Rampa's own lines", where="name", hint="Take another.")
    folder = asked.kind is wire.StorefrontKind.FOLDER
    about, found, program = _by_folder(services, asked) if folder else _by_protocol(services, asked)
    with begin(services, actor) as uow:
        if uow.session.scalar(select(StorefrontRow.id).where(StorefrontRow.name == asked.name)):
            hint = f"To let it in again: `rampa storefront connect {asked.name}` without an address."
            raise Conflict("storefront.exists", f"there is a storefront {asked.name} already", where="name", hint=hint)
        row = StorefrontRow(
            name=asked.name, kind=asked.kind.value, address=asked.address.rstrip("/"), title=about.title,
            about=about.model_dump(mode="json"), metadata_=found, client_id=program.get("client_id", ""),
            state=AccountState.CONNECTED if folder else AccountState.CONNECTING, said="", studio="",
            scopes=list(about.scopes) if folder else [],
            connected_by=actor.name, connected_at=uow.now if folder else None, created_at=uow.now,
        )  # fmt: skip
        uow.session.add(row)
        uow.session.flush()
        if not folder:
            row.sealed = connection.sealed(uow, row, Secrets(program["client_secret"]))
        audit.record(uow, "storefront.connect", row.title, address=row.address or "a folder")
        return wire.Connecting(account=_out(uow, row), open="" if folder else _consent(uow, row))


def connect_again(services: Services, actor: Actor, name: str) -> wire.Connecting:
    """The way to let Rampa in once more; until somebody took it, the account stays what it is."""
    must(actor, Act.CONNECT_STOREFRONT)
    with begin(services, actor) as uow:
        row = find_storefront(uow.session, name, lock=True)
        opened = "" if row.kind == wire.StorefrontKind.FOLDER else _consent(uow, row)
        return wire.Connecting(account=_out(uow, row), open=opened)


def come_back(services: Services, actor: Actor, asked: wire.ConsentReturn) -> wire.StorefrontAccount:
    """What the browser brought back becomes tokens. Raises `Denied` when the person said no, or another person brings it."""
    must(actor, Act.CONNECT_STOREFRONT)
    with begin(services, actor) as uow:
        rows = select(StorefrontConsentRow).where(StorefrontConsentRow.digest == _digest(asked.state))
        consent = uow.session.scalar(rows.with_for_update(of=StorefrontConsentRow))
        if consent is None or consent.until < uow.now or consent.person_id != actor.principal:
            hint = "Begin again: `rampa storefront connect NAME`, or the button in the console."
            raise NotFound("storefront.consent", "this way back is over, used, or somebody else's", hint=hint)
        row = find_storefront(uow.session, consent.storefront.name, lock=True)
        if asked.iss and _host(asked.iss) != _host(row.address):
            raise Invalid(
                "storefront.issuer", f"this came from {_host(asked.iss)[:100]}, not from {row.title}", where="iss"
            )
        verifier = unseal(consent.sealed, services.master_key, consent.label).decode()
        uow.session.delete(consent)
        if asked.error or not asked.code:
            raise Denied("storefront.no", f"{row.title} was not let to let Rampa in: {asked.error or 'no code came'}")
        held = connection.secrets_of(uow, row)
        connection.keep(
            uow, row, held.client_secret, _exchange(services, row, held.client_secret, asked.code, verifier)
        )
        connection.move(uow, row, AccountEvent.LET_IN)
        row.connected_by, row.connected_at = actor.name, uow.now
        audit.record(uow, "storefront.let-in", row.title)
        name = row.name
    return look(services, actor, name)


def look(services: Services, actor: Actor, name: str) -> wire.StorefrontAccount:
    """Asks the storefront what the account may; what it says is kept, also that it says no."""
    said, account, about, event, key, verification = "", None, None, AccountEvent.LET_IN, "", None
    try:
        storefront = connection.storefront_of(services, name)
        about, account, verification = storefront.about(), storefront.account(), storefront.verification()
        key = _notices(services, name, storefront)
    except Denied as error:
        event = AccountEvent.EXPIRE if error.code == "storefront.expired" else AccountEvent.REVOKE
        said = error.message
    except (Unavailable, Invalid) as error:
        said = error.message
    with begin(services, actor) as uow:
        row = find_storefront(uow.session, name, lock=True)
        row.looked_at = uow.now
        if account is not None and about is not None and verification is not None:
            keep_verification(uow, row, verification)
            row.studio, row.scopes, row.title = account.studio[:200], account.scopes[:20], about.title[:100]
            row.about, row.ends_at = about.model_dump(mode="json"), account.ends
            if key:
                connection.keep_notices(uow, row, key)
            lacking = _missing(row)
            narrow = f"Rampa needs {', '.join(lacking)} and may not: connect it again, with that." if lacking else ""
            connection.move(uow, row, AccountEvent.NARROW if lacking else AccountEvent.LET_IN, narrow)
        elif event is not AccountEvent.LET_IN and row.state in USABLE:
            connection.move(uow, row, event, said)
            audit.record(uow, "storefront.lost", row.title, said=said[:200])
        elif row.state in USABLE:
            row.said = said
        return _out(uow, row)


def _notices(services: Services, name: str, storefront: StorefrontPort) -> str:
    """A new key for notices, where there is none yet; without one Rampa asks now and then, and loses nothing but time."""
    with begin(services) as uow:
        known = connection.secrets_of(uow, find_storefront(uow.session, name)).notices
    if known or not services.origin:
        return ""
    try:
        return storefront.notify(connection.notices_at(services, name))
    except RampaError:
        return ""


def doubted(services: Services, name: str, error: Denied) -> str:
    """A storefront said no to the account: it is looked at now, so that its page says the same. Answers what a person does."""
    try:
        look(services, service_actor("the service"), name)
    except RampaError:
        pass  # what it says no to is said by the error itself
    return f"{error.message}. {connection.again(name)}"


def disconnect(services: Services, actor: Actor, name: str) -> None:
    """The access is revoked there where the storefront answers, and forgotten here either way."""
    must(actor, Act.CONNECT_STOREFRONT)
    with begin(services, actor) as uow:
        row = find_storefront(uow.session, name, lock=True)
        held = connection.secrets_of(uow, row)
        if held.refresh:
            try:
                with connection.oauth_client(services, row, held.client_secret) as client:
                    client.revoke_token(row.metadata_["revocation_endpoint"], token=held.refresh)
            except (httpx.HTTPError, OSError, ValueError, RampaError):
                pass  # a storefront that is gone for good must not keep its account here
        uow.session.execute(delete(StorefrontRow).where(StorefrontRow.id == row.id))
        audit.record(uow, "storefront.disconnect", row.title)


def look_due(services: Services) -> int:
    """Accounts that nobody looked at for a while: what a storefront took away is said before it is needed."""
    with begin(services) as uow:
        rows = select(StorefrontRow).where(StorefrontRow.state.in_(USABLE))
        due = [r.name for r in uow.session.scalars(rows) if r.looked_at is None or uow.now - r.looked_at >= EVERY]
        uow.session.execute(delete(StorefrontConsentRow).where(StorefrontConsentRow.until < uow.now))
    for name in due:
        look(services, service_actor("the service"), name)
    return len(due)


def _by_folder(services: Services, asked: wire.NewStorefront) -> tuple[protocol.About, dict[str, str], dict[str, str]]:
    if not asked.title.strip():
        raise Invalid("storefront.title", "say what the storefront is called", where="title")
    return connection.folder_of(services, asked.name, asked.title.strip()).about(), {}, {}


def _by_protocol(
    services: Services, asked: wire.NewStorefront
) -> tuple[protocol.About, dict[str, str], dict[str, str]]:
    """(what it says of itself, its endpoints, the program that Rampa is there)."""
    check_address(asked.address)
    address = asked.address.rstrip("/")
    about = connection.adapter_at(services, address, lambda: "").about()
    if about.protocol != protocol.VERSION:
        raise Invalid("storefront.protocol", f"{about.title} speaks version {about.protocol}, Rampa {protocol.VERSION}")
    with connection.http_at(services, address) as http:
        found = _json(http.get(protocol.METADATA), "what it says of its access")
        endpoints = {name: str(found.get(name, "")) for name in NEEDED}
        for name, endpoint in endpoints.items():
            # Its own host alone: an address elsewhere would be sent the program's secret.
            if _host(endpoint) != _host(address):
                raise Invalid("storefront.endpoint", f"its {name.replace('_', ' ')} is not its own", where="address")
        body = {"client_name": "Rampa", "redirect_uris": [connection.back(services)]}
        made = _json(http.post(endpoints["registration_endpoint"], json=body), "its registration")
    program = {name: str(made.get(name, "")) for name in ("client_id", "client_secret")}
    if not all(0 < len(value) <= 200 for value in program.values()):
        raise Unavailable("storefront.answer", "the storefront registers no program that can be used")
    return about, endpoints, program


def _json(answer: httpx.Response, what: str) -> dict[str, Any]:
    try:
        said = answer.json() if answer.is_success and len(answer.content) < LONGEST_ANSWER else None
    except ValueError:
        said = None
    if not isinstance(said, dict):
        raise Unavailable("storefront.answer", f"the storefront answers what cannot be read: {what}")
    return said


def _consent(uow: UnitOfWork, row: StorefrontRow) -> str:
    """The address that a person opens: good once, for a quarter of an hour, for this person alone."""
    verifier, state = uow.services.random(48).hex(), uow.services.random(24).hex()
    consent = StorefrontConsentRow(
        storefront_id=row.id, person_id=uow.actor.principal, digest=_digest(state), until=uow.now + CONSENT_FOR,
        sealed=b"", created_at=uow.now,
    )  # fmt: skip
    uow.session.add(consent)
    uow.session.flush()
    master = uow.services.master_key
    consent.sealed = seal(verifier.encode(), master, consent.label, uow.services.random)
    with connection.oauth_client(uow.services, row, "") as client:
        at, _ = client.create_authorization_url(
            row.metadata_["authorization_endpoint"],
            state=state,
            code_verifier=verifier,
            scope=" ".join(protocol.SCOPES),
        )
    return str(at)


def _exchange(services: Services, row: StorefrontRow, secret: str, code: str, verifier: str) -> dict[str, object]:
    from authlib.integrations.base_client import OAuthError

    try:
        with connection.oauth_client(services, row, secret) as client:
            made: dict[str, object] = client.fetch_token(
                row.metadata_["token_endpoint"], code=code, code_verifier=verifier
            )
    except OAuthError as error:
        raise Denied(
            "storefront.no", f"{row.title} gives no access: {error.description or error.error}"[:500]
        ) from error
    except (httpx.HTTPError, OSError, ValueError) as error:
        raise Unavailable("storefront.silent", f"{row.title} does not answer ({type(error).__name__})") from error
    return made


def _missing(row: StorefrontRow) -> list[str]:
    return [scope for scope in protocol.SCOPES if scope not in row.scopes]


def _host(address: str) -> str:
    return urlsplit(address).netloc


def _digest(state: str) -> bytes:
    return hashlib.sha256(state.encode()).digest()


def _out(uow: UnitOfWork, row: StorefrontRow) -> wire.StorefrontAccount:
    about = protocol.About.model_validate(row.about)
    return wire.StorefrontAccount(
        name=row.name,
        title=row.title,
        kind=wire.StorefrontKind(row.kind),
        address=row.address,
        state=row.state,
        said=row.said,
        studio=row.studio,
        scopes=row.scopes,
        missing=_missing(row) if row.state in USABLE else [],
        platforms=about.platforms,
        abilities=about.abilities,
        simulated=about.simulated,
        note=about.note,
        until=row.until,
        connected_by=row.connected_by,
        connected_at=row.connected_at,
        looked_at=row.looked_at,
        allowed_actions=[action(uow.actor, Act.CONNECT_STOREFRONT, name) for name in ("connect", "look", "disconnect")],
    )
