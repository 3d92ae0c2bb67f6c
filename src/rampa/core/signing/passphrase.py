"""A second lock on a secret: a passphrase, through Argon2id (RFC 9106) to an AES-256-GCM key.

    locked := "RPP1" | memory in KiB (4) | passes (2) | lanes (2) | salt (16) | nonce (12) | ciphertext with tag

The parameters are RFC 9106's second recommendation (64 MiB, 3 passes, 4 lanes) and stand in front of each secret.
"""

from __future__ import annotations

import struct

from argon2.low_level import Type, hash_secret_raw
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from rampa.core.ambient import Random
from rampa.core.errors import Damaged, Invalid
from rampa.core.quantity import counted

MAGIC = b"RPP1"
HEAD = struct.Struct("<4sIHH16s12s")
MEMORY, PASSES, LANES = 65536, 3, 4
LEAST = 10
MAX_MEMORY, MAX_PASSES = 1 << 21, 64


def lock(secret: bytes, passphrase: str, label: str, random: Random) -> bytes:
    """Raises `Invalid` for a passphrase that is too short."""
    if len(passphrase) < LEAST:
        raise Invalid(
            "key.passphrase",
            f"the passphrase has {counted(len(passphrase), 'character')}",
            hint=f"Use at least {LEAST}.",
        )
    salt, nonce = random(16), random(12)
    head = HEAD.pack(MAGIC, MEMORY, PASSES, LANES, salt, nonce)
    key = _derive(passphrase, salt, MEMORY, PASSES, LANES)
    return head + AESGCM(key).encrypt(nonce, secret, head + label.encode())


def unlock(locked: bytes, passphrase: str, label: str) -> bytes:
    """Raises `Invalid` for a wrong passphrase, `Damaged` for something that was not locked here."""
    if len(locked) < HEAD.size or locked[:4] != MAGIC:
        raise Damaged("vault.damaged", "a locked secret in the vault cannot be read")
    _, memory, passes, lanes, salt, nonce = HEAD.unpack_from(locked)
    if memory > MAX_MEMORY or passes > MAX_PASSES or not 1 <= lanes <= 64:
        raise Damaged("vault.damaged", "a locked secret in the vault asks for absurd work")
    key = _derive(passphrase, salt, memory, passes, lanes)
    try:
        return AESGCM(key).decrypt(nonce, locked[HEAD.size :], locked[: HEAD.size] + label.encode())
    except InvalidTag as error:
        raise Invalid("key.wrong-passphrase", "the passphrase does not unlock this signing identity") from error


def _derive(passphrase: str, salt: bytes, memory: int, passes: int, lanes: int) -> bytes:
    return hash_secret_raw(passphrase.encode(), salt, passes, memory, lanes, 32, Type.ID)
