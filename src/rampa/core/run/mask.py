"""Masking secrets in a stream of output, wherever they occur: as they are, in base64 at any alignment, in hexadecimal,
percent-encoded, or escaped as in JSON; also when the stream is cut in the middle of one.

Base64 (RFC 4648, both alphabets) of a text that holds a secret depends on where the secret begins in it, modulo three bytes:
the characters that depend on the secret alone are looked for, with line breaks between any two of them.
"""

from __future__ import annotations

import base64
import json
import re
from collections.abc import Iterable
from urllib.parse import quote, quote_plus

MASK = "•••"
LEAST = 6
"""Characters of a secret; a shorter one would mask ordinary words."""


class Masker:
    """`feed` takes text as it comes and gives back what can be shown; `flush` gives the rest at the end."""

    def __init__(self, secrets: Iterable[str]) -> None:
        plain: set[str] = set()
        wrapped: set[str] = set()
        for secret in secrets:
            for part in {secret, secret.strip(), *_lines(secret)}:
                if len(part) >= LEAST:
                    plain |= _spellings(part)
                    wrapped |= _base64_cores(part)
        # The longest first: of two secrets that begin alike, masking the shorter would show the longer one's end.
        self._plain = sorted(plain, key=len, reverse=True)
        self._wrapped = sorted(wrapped, key=len, reverse=True)
        ways = [re.escape(p) for p in self._plain]
        ways += [r"(?:\r?\n)?".join(re.escape(c) for c in core) for core in self._wrapped]
        self._pattern = re.compile("|".join(ways)) if ways else None
        self._held = ""
        self._longest = max((len(p) for p in (*self._plain, *self._wrapped)), default=0)

    def feed(self, text: str) -> str:
        if self._pattern is None:
            return text
        text = self._held + text
        shown, at = [], 0
        for match in self._pattern.finditer(text):
            shown += [text[at : match.start()], MASK]
            at = match.end()
        rest = text[at:]
        # What could be the beginning of a secret waits for the next piece, or for the end.
        keep = self._may_begin(rest)
        self._held = rest[len(rest) - keep :]
        return "".join(shown) + rest[: len(rest) - keep]

    def flush(self) -> str:
        rest, self._held = self._held, ""
        return rest

    def once(self, text: str) -> str:
        """A text that is whole."""
        return self._pattern.sub(MASK, text) if self._pattern else text

    def _may_begin(self, rest: str) -> int:
        """How many characters at the end could be the beginning of a secret."""
        tail = rest[-2 * self._longest - 2 :]
        best = max((_overlap(tail, p) for p in self._plain), default=0)
        if self._wrapped:
            best = max(best, self._wrapped_overlap(tail))
        return best

    def _wrapped_overlap(self, tail: str) -> int:
        kept = [n for n, c in enumerate(tail) if c not in "\r\n"]
        joined = "".join(tail[n] for n in kept)
        best = max((_overlap(joined, core) for core in self._wrapped), default=0)
        return len(tail) - kept[len(kept) - best] if best else 0


def _overlap(text: str, pattern: str) -> int:
    """The longest end of `text` that is a true beginning of `pattern`."""
    for size in range(min(len(pattern) - 1, len(text)), 0, -1):
        if text.endswith(pattern[:size]):
            return size
    return 0


def _lines(secret: str) -> list[str]:
    """A key of several lines is also known by each of them."""
    lines = [line.strip() for line in secret.splitlines()]
    return [line for line in lines if len(line) >= 12] if len(lines) > 1 else []


def _spellings(secret: str) -> set[str]:
    data = secret.encode()
    escaped = {json.dumps(secret)[1:-1], json.dumps(secret, ensure_ascii=False)[1:-1]}
    return {secret, quote(secret, safe=""), quote(secret), quote_plus(secret), data.hex(), data.hex().upper(), *escaped}


def _base64_cores(secret: str) -> set[str]:
    data, out = secret.encode(), set()
    for before in range(3):
        shifted = bytes(before) + data
        text = base64.b64encode(shifted).decode().rstrip("=")
        # Bits of its first character come from what is before the secret, and change with it.
        whole = text[-(-before * 8 // 6) :]
        tail = len(shifted) * 8 % 6  # bits of a last character that the next byte also decides
        core = whole[:-1] if tail else whole
        if len(core) >= LEAST:
            out |= {core, core.replace("+", "-").replace("/", "_")}
    return out
