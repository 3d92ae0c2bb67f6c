"""What reading one key file may cost. Its author says how often a password is hashed: unbounded, 249 bytes stop a service."""

from __future__ import annotations

from rampa.core.errors import Invalid

ROUNDS = 3_000_000
"""Of PBKDF2 in one file, about a second of a core. Tools write 2,000 to 600,000 a secret, older ones 250,000 a file."""
OLD_ROUND = 5
"""What a round of RFC 7292's own derivation counts for: it is slower here."""
SCRYPT_MEMORY = 64 * 1024 * 1024
SCRYPT_STEPS = 1 << 21
"""Blocks of 128 bytes that scrypt may mix (RFC 7914: N * r * p); OpenSSL asks for 2**17."""


class Effort:
    """One file's budget, spent by each of its secrets. Everything that derives a key asks here first."""

    def __init__(self, rounds: int = ROUNDS) -> None:
        self._left = rounds

    def rounds(self, count: int, *, old: bool = False) -> None:
        """Raises `Invalid` for more than is left."""
        cost = count * (OLD_ROUND if old else 1)
        if count < 1 or cost > self._left:
            raise Invalid("key.rounds", f"the file asks for {count:,} rounds of its password, which is absurd")
        self._left -= cost

    def scrypt(self, cost: int, block: int, lanes: int) -> None:
        """N, r and p of RFC 7914. Raises `Invalid`."""
        steps = cost * block * lanes
        if min(cost, block, lanes) < 1 or steps > SCRYPT_STEPS or 128 * cost * block > SCRYPT_MEMORY:
            raise Invalid(
                "key.rounds", f"the file asks for scrypt with N={cost}, r={block}, p={lanes}, which is absurd"
            )
        self.rounds(max(1, steps * ROUNDS // (4 * SCRYPT_STEPS)))
