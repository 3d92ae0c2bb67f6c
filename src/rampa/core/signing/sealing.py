"""Sealing secrets for rest: a data key per secret, wrapped by a master key; both AES-256-GCM (NIST SP 800-38D).

    sealed := "RSL1" | nonce (12) | wrapped data key (48) | nonce (12) | ciphertext with tag

`label` (what the secret is for) is authenticated with both, so that a sealed secret cannot be put in another's place.
"""

from __future__ import annotations

import os

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from rampa.core.errors import Damaged, Invalid

MAGIC = b"RSL1"
KEY_SIZE = 32
_NONCE = 12
_WRAPPED = KEY_SIZE + 16


def seal(secret: bytes, master: bytes, label: str) -> bytes:
    """The sealed secret. `master` is 32 bytes."""
    _check(master)
    data_key = AESGCM.generate_key(256)
    outer, inner = os.urandom(_NONCE), os.urandom(_NONCE)
    tag = MAGIC + label.encode()
    wrapped = AESGCM(master).encrypt(outer, data_key, tag)
    return MAGIC + outer + wrapped + inner + AESGCM(data_key).encrypt(inner, secret, tag)


def unseal(sealed: bytes, master: bytes, label: str) -> bytes:
    """The secret. Raises `Damaged` when the master key or the label is another, or a bit was changed."""
    _check(master)
    tag = MAGIC + label.encode()
    try:
        if sealed[:4] != MAGIC:
            raise Damaged("vault.damaged", "a secret in the vault cannot be read")
        at = len(MAGIC)
        outer, wrapped = sealed[at : at + _NONCE], sealed[at + _NONCE : at + _NONCE + _WRAPPED]
        at += _NONCE + _WRAPPED
        data_key = AESGCM(master).decrypt(outer, wrapped, tag)
        return AESGCM(data_key).decrypt(sealed[at : at + _NONCE], sealed[at + _NONCE :], tag)
    except (InvalidTag, ValueError) as error:
        raise Damaged(
            "vault.key",
            "the vault's master key does not open this secret",
            hint="Start the service with the master key that it had when the secret was kept.",
        ) from error


def _check(master: bytes) -> None:
    if len(master) != KEY_SIZE:
        raise Invalid("vault.master", f"the master key must be {KEY_SIZE} bytes long, not {len(master)}")
