"""Codes that people read aloud and type: one is the same however it is written."""

from __future__ import annotations


def plain(code: str) -> str:
    """Upper case, without hyphens and spaces."""
    return code.strip().upper().replace("-", "").replace(" ", "")
