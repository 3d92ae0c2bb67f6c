"""How a device shows that it holds its key: Ed25519 (RFC 8032) over what the service asked, and over nothing of a clock.

A device's clock may stand in 1970; the moment is in the service's challenge. `uses` rises with every session: of a device and a
copy of it, with the same key, one falls behind, and is told apart by that.

    registration := "rampa device registration" | 0 | SHA-256 of the code, upper case, without hyphens and spaces
    session      := "rampa device session" | 0 | challenge | uses, 8 bytes, big-endian
"""

from __future__ import annotations

import hashlib

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

from rampa.core.errors import Denied
from rampa.core.spoken_code import plain

MOST_USES = 2**53 - 1
"""What every reader of JSON counts to exactly (RFC 8259, section 6)."""


def registration(code: str) -> bytes:
    return b"rampa device registration\0" + hashlib.sha256(plain(code).encode()).digest()


def session(challenge: bytes, uses: int) -> bytes:
    return b"rampa device session\0" + challenge + uses.to_bytes(8, "big")


def must_hold(public_key: bytes, signature: bytes, message: bytes) -> None:
    """Raises `Denied` for a signature of another key, or over something else."""
    try:
        Ed25519PublicKey.from_public_bytes(public_key).verify(signature, message)
    except (InvalidSignature, ValueError) as error:
        raise Denied(
            "device.proof", "this was not signed by the device's key", hint="Register the device again."
        ) from error
