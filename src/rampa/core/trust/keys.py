"""Keys of a title's trust: Ed25519 (RFC 8032), as TUF writes them, and the files in which people keep theirs.

A holder's key file is JSON: its public half, and the secret locked by a passphrase (rampa.core.signing.passphrase).
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey
from securesystemslib.signer import CryptoSigner, Key, SSlibKey

from rampa.core.ambient import Random
from rampa.core.errors import Damaged, Invalid
from rampa.core.signing import passphrase as passphrases

KIND = "rampa-holder-key-1"
HOLDER = "x-rampa-holder"
"""Whose key it is, said in the root itself: people read it in a ceremony."""
MOST_HOLDER = 60


@dataclass(frozen=True)
class HolderKey:
    """The public half of a holder's key (raw, 32 bytes)."""

    holder: str
    public: bytes

    def __post_init__(self) -> None:
        if not self.holder.strip() or len(self.holder) > MOST_HOLDER or not self.holder.isprintable():
            raise Invalid("trust.holder", f"a holder's name has 1 to {MOST_HOLDER} letters", where="holder")
        if len(self.public) != 32:
            raise Damaged("trust.key", f"the key of {self.holder} has {len(self.public)} bytes in place of 32")


def signer_of(private: Ed25519PrivateKey) -> CryptoSigner:
    return CryptoSigner(private, SSlibKey.from_crypto(private.public_key()))


def tuf_key(public: bytes, holder: str = "") -> Key:
    """As the metadata has it. The key's id is of its scheme and bytes, whoever holds it."""
    key = SSlibKey.from_crypto(Ed25519PublicKey.from_public_bytes(public))
    if holder:
        key.unrecognized_fields[HOLDER] = holder
    return key


def holder_of(key: Key) -> str:
    return str(key.unrecognized_fields.get(HOLDER, key.keyid[:12]))


def public_of(key: Key) -> bytes:
    """Raises `Damaged` for a key of another kind."""
    try:
        if key.keytype != "ed25519" or key.scheme != "ed25519":
            raise ValueError("another kind")
        return bytes.fromhex(key.keyval["public"])
    except (ValueError, KeyError, TypeError) as error:
        raise Damaged("trust.key", "a key of the root is no Ed25519 key") from error


def make_holder_key(holder: str, passphrase: str, random: Random) -> bytes:
    """A new key as a file. Raises `Invalid` for a passphrase that is too short."""
    private = Ed25519PrivateKey.generate()
    made = HolderKey(holder, private.public_key().public_bytes_raw())
    locked = passphrases.lock(private.private_bytes_raw(), passphrase, _label(made), random)
    body = {"kind": KIND, "holder": made.holder, "public": made.public.hex(), "locked": locked.hex()}
    return json.dumps(body, indent=1).encode()


def read_holder_key(data: bytes) -> HolderKey:
    """The public half; the file may be one without the secret. Raises `Invalid`."""
    return _read(data)[0]


def public_part(data: bytes) -> bytes:
    """The file without its secret: what a holder gives away."""
    key = read_holder_key(data)
    return json.dumps({"kind": KIND, "holder": key.holder, "public": key.public.hex()}, indent=1).encode()


def unlock_holder_key(data: bytes, passphrase: str) -> Ed25519PrivateKey:
    """Raises `Invalid` for a wrong passphrase, and for a file that holds no secret."""
    key, locked = _read(data)
    if not locked:
        hint = "Sign with the file that `rampa trust ceremony key` wrote, not with its public half."
        raise Invalid("trust.key", f"this file holds only the public half of {key.holder}'s key", hint=hint)
    try:
        secret = passphrases.unlock(locked, passphrase, _label(key))
    except Invalid as error:
        raise Invalid("trust.passphrase", f"the passphrase does not unlock {key.holder}'s key") from error
    return Ed25519PrivateKey.from_private_bytes(secret)


def _label(key: HolderKey) -> str:
    return f"holder:{key.holder}:{key.public.hex()}"


def _read(data: bytes) -> tuple[HolderKey, bytes]:
    try:
        body: dict[str, Any] = json.loads(data)
        if body["kind"] != KIND:
            raise ValueError("another kind")
        return HolderKey(str(body["holder"]), bytes.fromhex(body["public"])), bytes.fromhex(body.get("locked", ""))
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        if isinstance(error, Invalid):
            raise
        raise Invalid(
            "trust.key", "this is no holder's key file", hint="Make one: `rampa trust ceremony key`."
        ) from error
