"""What an install, update or repair says while it goes on, and when it is done."""

from __future__ import annotations

from dataclasses import dataclass, field

TELLING = 1_000_000
"""Bytes from which on a rate says something of the line."""


@dataclass
class FillReport:
    """What an install, update or repair did. Bytes, seconds."""

    downloaded: int = 0
    metadata: int = 0
    reused: int = 0
    written: int = 0
    seconds: float = 0.0
    files: int = 0
    repaired: list[str] = field(default_factory=list)
    kept: list[str] = field(default_factory=list)
    """Player files that the player changed, and that stayed."""
    aside: list[str] = field(default_factory=list)
    """Those that were replaced, and are kept aside."""
    depots: list[str] = field(default_factory=list)
    """What the device chose."""
    rate: float = 0.0
    """Mbit/s while frames came; 0 where too few came to say. What unpacks slower than the line brings counts as a slower line."""


@dataclass(frozen=True)
class Progress:
    """`phase` is reuse, download or verify; `done` and `total` are bytes."""

    phase: str
    done: int
    total: int


def line_rate(size: int, seconds: float) -> float:
    """Mbit/s, or 0 where `size` bytes are too few to say."""
    return round(size * 8 / 1e6 / seconds, 3) if size >= TELLING and seconds > 0 else 0.0
