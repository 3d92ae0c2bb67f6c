"""Ways to sign in beside a password: passkeys (WebAuthn), a browser elsewhere (RFC 8628), a provider (OpenID Connect).

Names of fields that a browser or a standard gives are theirs.
"""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints

from rampa.schema.common import Id, Query, Wire, Words

Bytes = Annotated[str, StringConstraints(max_length=12_000, pattern=r"^[A-Za-z0-9_-]*=*$")]
"""Base64url (RFC 4648, section 5)."""
Secret = Annotated[str, StringConstraints(min_length=20, max_length=200, pattern=r"^[A-Za-z0-9_.-]+$")]


class Ways(Wire):
    """How one can sign in here. `provider` is what the button says, or nothing; `passkeys_at` where passkeys work."""

    provider: str = ""
    passkeys_at: str = ""


class Challenge(Wire):
    """What the browser is asked: `publicKey` of navigator.credentials, with its bytes in base64url."""

    options: dict[str, Any]


class AttestedResponse(Wire):
    clientDataJSON: Bytes
    attestationObject: Bytes
    transports: list[Annotated[str, StringConstraints(max_length=20)]] = Field([], max_length=10)


class AssertedResponse(Wire):
    clientDataJSON: Bytes
    authenticatorData: Bytes
    signature: Bytes
    userHandle: Bytes | None = None


class Attested(Wire):
    """A new passkey's answer."""

    id: Bytes
    rawId: Bytes
    type: Literal["public-key"]
    response: AttestedResponse


class Asserted(Wire):
    """A passkey's answer to a challenge."""

    id: Bytes
    rawId: Bytes
    type: Literal["public-key"]
    response: AssertedResponse


class PasskeyBegin(Wire):
    """`password` is yours, again; one who signs in by the studio's provider has none."""

    password: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")] = ""


class PasskeyIn(Wire):
    name: Words
    answer: Attested


class Passkey(Wire):
    id: str
    name: str
    created_at: dt.datetime
    last_used_at: dt.datetime | None = None


class PasskeyPath(Query):
    passkey: Id


class SignInRequestIn(Wire):
    """`name` says which machine waits."""

    name: Words


class SignInRequest(Wire):
    """RFC 8628, section 3.2: `user_code` is typed at `verification_uri`; `device_code` is the machine's own; seconds."""

    device_code: str
    user_code: str
    verification_uri: str
    verification_uri_complete: str
    expires_in: int
    interval: int


class DeviceCode(Wire):
    device_code: Secret


class UserCodePath(Query):
    user_code: Annotated[str, StringConstraints(max_length=40, pattern=r"^[A-Za-z2-7 -]+$")]


class WaitingMachine(Wire):
    """Who waits to be let in: what the machine says of itself, and where its call came from."""

    name: str
    address: str
    asked_at: dt.datetime
    expires_at: dt.datetime


class Verdict(Wire):
    allow: bool


class ProviderBegin(Wire):
    """Where the browser goes to sign in."""

    address: str


class ProviderReturn(Wire):
    """What the provider sent the browser back with (RFC 6749, section 4.1.2; RFC 9207)."""

    code: Annotated[str, StringConstraints(max_length=4000, pattern=r"^[!-~]*$")] = ""
    state: Annotated[str, StringConstraints(max_length=400, pattern=r"^[!-~]*$")] = ""
    error: Annotated[str, StringConstraints(max_length=200, pattern=r"^[ -~]*$")] = ""
    iss: Annotated[str, StringConstraints(max_length=400, pattern=r"^[!-~]*$")] = ""
