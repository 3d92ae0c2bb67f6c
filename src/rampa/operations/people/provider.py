"""Signing in by the studio's own provider: OpenID Connect Core 1.0, authorization code flow with PKCE (RFC 7636).

1. `begin_at_provider`: the browser is sent there with a state, a nonce and a PKCE challenge. What belongs to them is kept by the
   browser in a sealed cookie; the service keeps nothing of a sign-in that may never come back.
2. `claims_of`: the browser is back with a code. The state must be the cookie's, and is good once; the code is changed for an ID
   token at the provider itself; its signature, issuer, audience, times and nonce are checked.
"""

from __future__ import annotations

import base64
import datetime as dt
import hmac
import json
import secrets
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote_plus

import httpx
from pydantic import TypeAdapter, ValidationError

from rampa.core.errors import Damaged, Denied, NotFound, Refused, Unavailable
from rampa.core.signing.seal import seal, unseal
from rampa.operations.base import Provider, Services
from rampa.operations.base.provider import safe_address
from rampa.operations.people import challenges
from rampa.schema import sign_in as wire
from rampa.schema.people import Email

LABEL = "provider sign-in"
RETURN_PATH = "/signed-in"
PATIENCE = 10.0
LARGEST = 1 << 20
ALGORITHMS = ("RS256", "PS256", "ES256", "RS384", "RS512", "PS384", "PS512", "ES384", "ES512", "Ed25519", "EdDSA")
"""With a public key alone: a client's secret as a key, or none, would let others make ID tokens."""


@dataclass(frozen=True)
class Vouched:
    """What the provider says of who came back."""

    subject: str
    email: str
    name: str
    groups: frozenset[str]


def must_have_provider(services: Services) -> Provider:
    if services.provider is None:
        raise NotFound("provider.none", "this studio has no sign-in of its own", hint="Sign in with a password.")
    return services.provider


def begin_at_provider(services: Services, at: str, page: str) -> tuple[wire.ProviderBegin, str]:
    """Where to go, and what the browser keeps meanwhile. `at` is the console's own origin, where the browser comes back to;
    `page` the origin of the page that asks."""
    from authlib.oauth2.rfc6749.parameters import prepare_grant_uri
    from authlib.oauth2.rfc7636 import create_s256_code_challenge

    provider = must_have_provider(services)
    # It would come back to another address, where this browser keeps nothing of it.
    if services.origin and page and page != services.origin:
        hint = f"Open the console at {services.origin}."
        raise Refused("provider.elsewhere", "the studio's sign-in comes back to another address than this", hint=hint)
    state = base64.urlsafe_b64encode(challenges.new_challenge(services, "provider")).decode()
    kept = {"state": state, "nonce": secrets.token_urlsafe(24), "verifier": secrets.token_urlsafe(48), "at": at}
    address = prepare_grant_uri(
        _described(provider)["authorization_endpoint"],
        client_id=provider.client_id,
        response_type="code",
        redirect_uri=at + RETURN_PATH,
        scope="openid email profile",
        state=state,
        nonce=kept["nonce"],
        code_challenge=create_s256_code_challenge(kept["verifier"]),  # type: ignore[no-untyped-call]
        code_challenge_method="S256",
    )
    sealed = seal(json.dumps(kept).encode(), services.master_key, LABEL, services.random)
    return wire.ProviderBegin(address=address), base64.urlsafe_b64encode(sealed).decode()


def claims_of(services: Services, asked: wire.ProviderReturn, cookie: str) -> Vouched:
    """Raises `Denied`, and `Unavailable` where the provider cannot be reached."""
    provider = must_have_provider(services)
    kept = _kept(services, cookie)
    if not asked.state or not hmac.compare_digest(asked.state, kept["state"]):
        raise _stray()
    challenges.spend(services, base64.urlsafe_b64decode(kept["state"]), "provider")
    if asked.error or not asked.code:
        raise Denied("provider.refused", f"{provider.name} did not sign you in: {asked.error or 'no code came back'}")
    # Another provider's answer, sent here in this one's place (RFC 9207).
    if asked.iss and asked.iss != provider.issuer:
        raise _stray()
    described = _described(provider)
    body = {
        "grant_type": "authorization_code",
        "code": asked.code,
        "redirect_uri": kept["at"] + RETURN_PATH,
        "code_verifier": kept["verifier"],
    }
    # RFC 6749, section 2.3.1: both are form-encoded before they are joined.
    auth = httpx.BasicAuth(*(quote_plus(part) for part in (provider.client_id, provider.secret)))
    answer = _ask("POST", described["token_endpoint"], data=body, auth=auth)
    claims = _verified(services, provider, described, answer.get("id_token"), kept["nonce"])
    return _vouched(provider, claims)


def _kept(services: Services, cookie: str) -> dict[str, str]:
    try:
        sealed = base64.urlsafe_b64decode(cookie.encode())
        kept: dict[str, str] = json.loads(unseal(sealed, services.master_key, LABEL))
    except (Damaged, ValueError) as error:
        raise _stray() from error
    return kept


def _verified(
    services: Services, provider: Provider, described: dict[str, Any], token: object, nonce: str
) -> dict[str, Any]:
    from authlib.oidc.core import CodeIDToken
    from joserfc import jwt
    from joserfc.errors import JoseError
    from joserfc.jwk import KeySet

    try:
        keys = KeySet.import_key_set(_ask("GET", described["jwks_uri"]))  # type: ignore[arg-type]
        read = jwt.decode(str(token), keys, algorithms=ALGORITHMS)
        options: Any = {
            "iss": {"essential": True, "value": provider.issuer},
            "aud": {"essential": True, "value": provider.client_id},
            "nonce": {"essential": True, "value": nonce},
        }
        params = {"nonce": nonce, "client_id": provider.client_id}
        claims = CodeIDToken(read.claims, read.header, options, params)
        claims.validate(int(services.now().timestamp()), leeway=60)
    except (JoseError, ValueError, TypeError, KeyError) as error:
        message = f"what {provider.name} says of you cannot be trusted: {type(error).__name__}"
        raise Denied("provider.untrusted", message, hint="Try again; if it stays, tell the studio's owner.") from error
    return dict(claims)


def _vouched(provider: Provider, claims: dict[str, Any]) -> Vouched:
    subject, email = str(claims["sub"]), claims.get("email")
    if not 0 < len(subject) <= 250 or not subject.isprintable():
        raise Denied("provider.untrusted", f"{provider.name} says no usable name for you")
    # An address that nobody checked may be anybody's, the owner's too.
    if not _is_address(email) or claims.get("email_verified") is not True:
        raise Denied("provider.no-address", f"{provider.name} vouches for no address of yours", where="email")
    name = "".join(c for c in str(claims.get("name") or email) if c.isprintable())
    said = claims.get(provider.groups)
    groups = frozenset(each for each in said if isinstance(each, str)) if isinstance(said, list) else frozenset()
    return Vouched(f"{provider.issuer}\n{subject}", str(email), name[:100] or str(email)[:100], groups)


def _is_address(email: object) -> bool:
    try:
        TypeAdapter(Email).validate_python(email, strict=True)
    except ValidationError:
        return False
    return True


def _described(provider: Provider) -> dict[str, Any]:
    """OpenID Connect Discovery 1.0, section 4: each time anew, so that new addresses and keys are never missed."""
    found = _ask("GET", provider.issuer.rstrip("/") + "/.well-known/openid-configuration")
    ends = ("authorization_endpoint", "token_endpoint", "jwks_uri")
    if found.get("issuer") != provider.issuer or not all(safe_address(str(found.get(end, ""))) for end in ends):
        raise Unavailable("provider.away", f"{provider.name} describes itself as somebody else, or not safely")
    return found


def _ask(method: str, address: str, **more: Any) -> dict[str, Any]:
    """One call of the provider, within a time and a size; never redirected."""
    try:
        with httpx.stream(method, address, timeout=PATIENCE, headers={"Accept": "application/json"}, **more) as answer:
            read = b""
            until = dt.datetime.now(dt.UTC) + dt.timedelta(seconds=2 * PATIENCE)
            for part in answer.iter_bytes():
                read += part
                if len(read) > LARGEST or dt.datetime.now(dt.UTC) > until:
                    raise ValueError("too much, or too slow")
            found = json.loads(read)
            if answer.status_code != 200 or not isinstance(found, dict):
                raise ValueError(f"status {answer.status_code}")
    except (httpx.HTTPError, httpx.InvalidURL, ValueError, RecursionError) as error:
        hint = "Try again; if it stays, tell the studio's owner."
        raise Unavailable("provider.away", "the studio's sign-in does not answer as it should", hint=hint) from error
    return found


def _stray() -> Denied:
    hint = "Begin again on the sign-in page."
    return Denied("provider.stray", "this sign-in was not begun in this browser, or is over", hint=hint)
