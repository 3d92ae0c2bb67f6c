"""Codes that somebody is given once, reads aloud and types: for choosing a password, for enrolling an agent."""

from __future__ import annotations

import base64
import secrets

from rampa.core.spoken_code import plain
from rampa.operations.people.people import digest_secret


def new_code(size: int) -> str:
    """So many random bytes in base32 (RFC 4648), in groups of four; `size` is a multiple of five."""
    text = base64.b32encode(secrets.token_bytes(size)).decode()
    return "-".join(text[at : at + 4] for at in range(0, len(text), 4))


def digest_code(code: str) -> bytes:
    """However it was typed."""
    return digest_secret(plain(code))
