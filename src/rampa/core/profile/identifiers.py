"""Proposing a reverse-domain identifier where a document has none."""

from __future__ import annotations

import re
import unicodedata


def proposed_identifier(studio: str, name: str, domain: str = "") -> str:
    """From the studio's domain, or from its name below `example`, which the studio then replaces by its own domain."""
    parts = [_part(p) for p in reversed(domain.lower().split("."))] if domain else ["example", _part(studio)]
    return ".".join([*(p for p in parts if p), _part(name) or "title"])


def _part(words: str) -> str:
    plain = unicodedata.normalize("NFKD", words).encode("ascii", "ignore").decode().lower()
    part = re.sub(r"[^a-z0-9]+", "", plain)
    return f"t{part}" if part[:1].isdigit() else part
