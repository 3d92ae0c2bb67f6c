"""DSSE envelopes (Dead Simple Signing Envelope, protocol version 1.0.2) with Ed25519 (RFC 8032)."""

from __future__ import annotations

import base64
import binascii
import hashlib
import json
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

from rampa.core.errors import Damaged

MAX_ENVELOPE = 4 * 1024 * 1024


def pae(payload_type: str, payload: bytes) -> bytes:
    """The pre-authentication encoding, which is what is signed."""
    kind = payload_type.encode()
    return b"DSSEv1 %d %s %d %s" % (len(kind), kind, len(payload), payload)


def key_id(public_key: bytes) -> str:
    """SHA-256 of the raw public key (32 bytes), in hexadecimal."""
    return hashlib.sha256(public_key).hexdigest()


def sign(payload_type: str, payload: bytes, private_key: Ed25519PrivateKey) -> bytes:
    """The envelope as JSON. Ed25519 is deterministic, so the same payload gives the same bytes."""
    public = private_key.public_key().public_bytes_raw()
    envelope = {
        "payload": base64.b64encode(payload).decode(),
        "payloadType": payload_type,
        "signatures": [
            {
                "keyid": key_id(public),
                "sig": base64.b64encode(private_key.sign(pae(payload_type, payload))).decode(),
            }
        ],
    }
    return json.dumps(envelope, sort_keys=True, separators=(",", ":")).encode()


@contextmanager
def _read(envelope: bytes) -> Iterator[dict[str, Any]]:
    """The envelope's fields; whatever is wrong with them becomes `Damaged`."""
    if len(envelope) > MAX_ENVELOPE:
        raise Damaged("envelope.damaged", "the signed statement is absurdly large")
    try:
        yield json.loads(envelope)
    except (ValueError, KeyError, TypeError, AttributeError, binascii.Error, RecursionError) as error:
        raise Damaged("envelope.damaged", "the signed statement cannot be read") from error


def payload_in(envelope: bytes) -> bytes:
    """What an envelope carries, unverified. Raises `Damaged` for what is none."""
    with _read(envelope) as body:
        return base64.b64decode(body["payload"], validate=True)


def verify(envelope: bytes, payload_type: str, public_key: bytes) -> bytes:
    """The payload, once a signature by `public_key` (raw, 32 bytes) holds. Raises `Damaged`."""
    with _read(envelope) as body:
        payload = base64.b64decode(body["payload"], validate=True)
        signatures = [base64.b64decode(s["sig"], validate=True) for s in body["signatures"]]
        kind = body["payloadType"]
    # The kind is signed, too, and is compared here first: a statement of another kind must not be taken for this one.
    if kind != payload_type:
        raise Damaged("envelope.damaged", f"the signed statement is of another kind: {str(kind)[:80]!r}")
    key = Ed25519PublicKey.from_public_bytes(public_key)
    for signature in signatures:
        try:
            key.verify(signature, pae(payload_type, payload))
            return payload
        except InvalidSignature:
            continue
    raise Damaged(
        "envelope.forged",
        "the signed statement does not carry the title's signature",
        hint="Nothing was replaced. The build was not made by the studio's service, or was changed on the way.",
    )
