"""Memory that was needed for a moment goes back to the system: the C library keeps it otherwise, in case it is needed again."""

from __future__ import annotations

from rampa.core.content.libc import c_function

MANY = 20_000
"""Entries of a list below which what was left over is not worth the call."""


def give_back(entries: int) -> None:
    """After a list of so many entries was made of objects that are gone (malloc_trim(3), where there is one)."""
    trim = c_function("malloc_trim")
    if trim is not None and entries >= MANY:
        trim(0)
