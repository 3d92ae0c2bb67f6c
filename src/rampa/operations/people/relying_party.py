"""What passkeys are bound to, and reading what browsers send of them.

A passkey answers to one host alone (its relying party, in WebAuthn's words), and an answer says which page asked.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any
from urllib.parse import urlsplit

from rampa.core.errors import Denied, Invalid, Refused
from rampa.operations.base import Services
from rampa.schema import sign_in as wire


def party(services: Services, origin: str) -> tuple[str, str]:
    """What passkeys are bound to: the host, and the origin of the page that must ask. Raises `Refused` elsewhere.

    Both are the operator's word alone: a server beside this one, which hands our questions to its own page, would else be
    believed.
    """
    at = services.origin
    if not at or at != origin:
        hint = f"Open the console at {at}." if at else "The operator says where they do, with RAMPA_ORIGIN."
        raise Refused("passkey.nowhere", "passkeys do not work at this address", hint=hint)
    return urlsplit(at).hostname or "", at


@contextmanager
def understood() -> Iterator[None]:
    """What a browser sends is a stranger's: whatever the library makes of it becomes `Denied` or `Invalid`."""
    from cbor2 import CBORDecodeError
    from webauthn.helpers import exceptions as theirs

    try:
        yield
    except (theirs.InvalidAuthenticationResponse, theirs.InvalidRegistrationResponse) as error:
        hint = "Try again, and unlock the passkey when your device asks."
        raise Denied("passkey.wrong", "the passkey's answer is wrong", hint=hint) from error
    except (theirs.WebAuthnException, CBORDecodeError, ValueError, TypeError, KeyError, RecursionError) as error:
        raise _unreadable() from error


def challenge_in(client_data: str) -> bytes:
    try:
        said = json.loads(raw(client_data))["challenge"]
        return raw(said)
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise _unreadable() from error


def raw(text: str) -> bytes:
    from webauthn.helpers import base64url_to_bytes

    try:
        return base64url_to_bytes(text)
    except ValueError as error:
        raise _unreadable() from error


def _unreadable() -> Invalid:
    return Invalid("passkey.unreadable", "the passkey's answer cannot be read", where="answer")


def challenge_of(options: Any) -> wire.Challenge:
    from webauthn import options_to_json

    return wire.Challenge(options=json.loads(options_to_json(options)))
