"""Sealing secrets for rest: a data key per secret, wrapped by a master key; both AES-256-GCM (NIST SP 800-38D).

    sealed := "RSL1" | nonce (12) | wrapped data key (48) | nonce (12) | ciphertext with tag

`label` (what the secret is for) is authenticated with both, so that a sealed secret cannot be put in another's place. There can
be several master keys: the first seals, any of them opens, so that the key can be changed while services run (`rewrap`).
"""

from __future__ import annotations

from collections.abc import Sequence

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from rampa.core.ambient import Random
from rampa.core.errors import Damaged, Invalid

MAGIC = b"RSL1"
KEY_SIZE = 32
_NONCE = 12
_WRAPPED = KEY_SIZE + 16
Masters = bytes | Sequence[bytes]
"""One master key of 32 bytes, or several, the one that seals first."""


def seal(secret: bytes, masters: Masters, label: str, random: Random) -> bytes:
    """The sealed secret."""
    data_key, inner = random(KEY_SIZE), random(_NONCE)
    body = inner + AESGCM(data_key).encrypt(inner, secret, _tag(label))
    return _wrap(data_key, keys_of(masters)[0], label, random) + body


def unseal(sealed: bytes, masters: Masters, label: str) -> bytes:
    """The secret. Raises `Damaged` when no master key opens it, the label is another, or a bit was changed."""
    data_key = _data_key(sealed, masters, label)
    at = len(MAGIC) + _NONCE + _WRAPPED
    try:
        return AESGCM(data_key).decrypt(sealed[at : at + _NONCE], sealed[at + _NONCE :], _tag(label))
    except (InvalidTag, ValueError) as error:
        raise _unopened() from error


def rewrap(sealed: bytes, masters: Masters, label: str, random: Random) -> bytes:
    """The same secret with its data key wrapped by the first master key. The secret itself is not opened."""
    data_key = _data_key(sealed, masters, label)
    # The secret's own ciphertext stays as it is: changing the master key of ten thousand secrets opens none of them.
    return _wrap(data_key, keys_of(masters)[0], label, random) + sealed[len(MAGIC) + _NONCE + _WRAPPED :]


def sealed_by(sealed: bytes, master: bytes, label: str) -> bool:
    """Whether this very master key opens it."""
    try:
        _data_key(sealed, master, label)
    except Damaged:
        return False
    return True


def read_masters(text: str) -> tuple[bytes, ...]:
    """Master keys as text: one a line, 64 hexadecimal digits, the one that seals first. Raises `Invalid`."""
    try:
        found = tuple(bytes.fromhex(line) for line in text.split())
    except ValueError as error:
        raise Invalid("vault.master", "a master key must be 64 hexadecimal digits") from error
    if not found:
        raise Invalid("vault.master", "there is no master key")
    return keys_of(found)


def keys_of(masters: Masters) -> tuple[bytes, ...]:
    """Every master key, the one that seals first. Raises `Invalid` for one that is not 32 bytes long."""
    keys = (masters,) if isinstance(masters, bytes) else tuple(masters)
    for key in keys:
        if len(key) != KEY_SIZE:
            raise Invalid("vault.master", f"the master key must be {KEY_SIZE} bytes long, not {len(key)}")
    return keys


def _wrap(data_key: bytes, master: bytes, label: str, random: Random) -> bytes:
    outer = random(_NONCE)
    return MAGIC + outer + AESGCM(master).encrypt(outer, data_key, _tag(label))


def _data_key(sealed: bytes, masters: Masters, label: str) -> bytes:
    if sealed[: len(MAGIC)] != MAGIC:
        raise Damaged("vault.damaged", "a secret in the vault cannot be read")
    at = len(MAGIC)
    outer, wrapped = sealed[at : at + _NONCE], sealed[at + _NONCE : at + _NONCE + _WRAPPED]
    for master in keys_of(masters):
        try:
            return AESGCM(master).decrypt(outer, wrapped, _tag(label))
        except (InvalidTag, ValueError):
            continue
    # What was wrong is not told apart: another key, another label and a changed bit are one refusal.
    raise _unopened()


def _tag(label: str) -> bytes:
    return MAGIC + label.encode()


def _unopened() -> Damaged:
    return Damaged(
        "vault.key",
        "the vault's master key does not open this secret",
        hint="Start the service with the master key that it had when the secret was kept.",
    )
