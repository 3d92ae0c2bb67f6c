"""Encrypted frames: content that lies on public mirrors before it may be read.

    stored := u32 0x184D2A5C | u32 length | nonce (12) | AES-256-GCM(zstd frame)       a zstd skippable frame (RFC 8878, 3.1.2)

Authenticated with it: the key's id and the raw size. A key belongs to one depot of one build; keys travel wrapped by the
unsealing key of a build, which is given out when the build is unsealed (NIST SP 800-38D for GCM).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from rampa.core.ambient import Random
from rampa.core.content.pack.opening import open_pieces
from rampa.core.errors import Damaged

SKIPPABLE = 0x184D2A5C
KEY_SIZE = 32
ID_SIZE = 16
NONCE = 12


def new_key(random: Random) -> bytes:
    return random(KEY_SIZE)


def new_id(random: Random) -> bytes:
    return random(ID_SIZE)


def encrypt(frame: bytes, raw: int, key: bytes, ident: bytes, random: Random) -> bytes:
    """A compressed frame of `raw` bytes, as it is stored. The nonce must never come twice with a key: it is random."""
    nonce = random(NONCE)
    body = nonce + AESGCM(key).encrypt(nonce, frame, _about(ident, raw))
    return struct.pack("<II", SKIPPABLE, len(body)) + body


def decrypt(stored: bytes | memoryview, raw: int, key: bytes, ident: bytes) -> bytes:
    """The frame's content. Raises `Damaged` for another key, another frame or a changed bit."""
    return b"".join(decrypt_pieces(stored, raw, key, ident))


def decrypt_pieces(stored: bytes | memoryview, raw: int, key: bytes, ident: bytes) -> Iterator[bytes]:
    """The same in pieces."""
    view = memoryview(stored)
    if len(view) < 8 + NONCE + 16 or struct.unpack_from("<II", view) != (SKIPPABLE, len(view) - 8):
        raise Damaged("pack.damaged", "an encrypted frame does not look like one")
    try:
        # Decrypted wholly before anything is unpacked: bytes that nobody vouches for never reach a decompressor.
        frame = AESGCM(key).decrypt(bytes(view[8 : 8 + NONCE]), bytes(view[8 + NONCE :]), _about(ident, raw))
    except InvalidTag as error:
        raise Damaged("pack.damaged", "an encrypted frame cannot be opened with its key") from error
    return open_pieces(frame, raw)


def wrap(key: bytes, ident: bytes, unsealing_key: bytes, random: Random) -> bytes:
    """A content key as it may lie anywhere: only the unsealing key opens it."""
    nonce = random(NONCE)
    return nonce + AESGCM(unsealing_key).encrypt(nonce, key, b"rampa-content-key" + ident)


def unwrap(wrapped: bytes, ident: bytes, unsealing_key: bytes) -> bytes:
    """Raises `Damaged`."""
    try:
        return AESGCM(unsealing_key).decrypt(wrapped[:NONCE], wrapped[NONCE:], b"rampa-content-key" + ident)
    except (InvalidTag, ValueError) as error:
        raise Damaged("content.key", "a content key cannot be opened with the unsealing key") from error


def _about(ident: bytes, raw: int) -> bytes:
    # Without it, an encrypted frame could be put in another's place, or be said to unpack to another size.
    return ident + struct.pack("<Q", raw)
