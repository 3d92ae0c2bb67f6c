"""Memory that was needed for a moment goes back to the system: the C library keeps it otherwise, in case it is needed again."""

from __future__ import annotations

import ctypes

MANY = 20_000
"""Entries of a list below which what was left over is not worth the call."""
_trim = getattr(ctypes.CDLL(None), "malloc_trim", None)


def give_back(entries: int) -> None:
    """After a list of so many entries was made of objects that are gone (malloc_trim(3), where there is one)."""
    if _trim is not None and entries >= MANY:
        _trim(0)
