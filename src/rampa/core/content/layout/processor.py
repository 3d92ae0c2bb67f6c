"""How fast a processor opens what is packed smallest, by a sample: devices are compared with the machine that packs."""

from __future__ import annotations

from functools import lru_cache

from blake3 import blake3

from rampa.core.ambient import Clock
from rampa.core.content.pack import lzma2
from rampa.core.content.pack.opening import open_pieces

SIZE = 1 << 19
TRIES = 3
SHORTEST = 1e-4
"""Seconds: what a clock says below that is no measurement."""


@lru_cache(maxsize=1)
def _sample() -> bytes:
    """A frame of LZMA2 (lzma2.py) of words in an order without sense: as many matches as programs have, roughly."""
    letters = blake3(b"what a processor opens").digest(length=2048)
    words = [letters[7 * n : 7 * n + 2 + letters[n] % 6] for n in range(256)]
    text = b"".join(words[n] for n in blake3(b"in this order").digest(length=SIZE // 2))
    return lzma2.compress(text[:SIZE], 0)


def unpacks(clock: Clock, threads: int) -> float:
    """MB of content a second that so many threads open. Takes about a tenth of a second."""
    frame, best = _sample(), float("inf")
    for _ in range(TRIES):
        started = clock.seconds()
        for _ in open_pieces(frame, SIZE):
            pass
        best = min(best, clock.seconds() - started)
    return round(threads * SIZE / 1e6 / max(best, SHORTEST), 3)
