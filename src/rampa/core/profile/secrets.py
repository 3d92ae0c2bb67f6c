"""Secrets in a profile document: none may be there, in a value, a key or a comment. What was found is never repeated."""

from __future__ import annotations

import math
import re
from collections import Counter

from rampa.core.profile.problems import DocumentProblem

HINT = "Take it out and make a new one: this one was seen. Name a signing identity, or put it into a set of step variables."
KNOWN: tuple[tuple[str, re.Pattern[str]], ...] = (
    ("a private key", re.compile(r"-----BEGIN [A-Z ]{0,20}PRIVATE KEY-----")),
    ("a signed token", re.compile(r"\beyJ[A-Za-z0-9_-]{10,}\.[A-Za-z0-9_-]{10,}\.")),
    ("an address with a password", re.compile(r"[a-z][a-z0-9+.-]{1,20}://[^\s/@:\"']{1,100}:[^\s/@\"']{1,200}@")),
    (
        "a password or token",
        re.compile(
            r"(?i)(?:password|passphrase|passwd|secret|api[_-]?key|access[_-]?key|token)"
            r"[\w-]{0,20}[\"']?[ \t]{0,9}=[ \t]{0,9}[\"'][^\"'\n]{4,}[\"']"
        ),
    ),
)
RUN = re.compile(r"[A-Za-z0-9+/_=-]{32,400}")


def find_secrets(text: str) -> list[DocumentProblem]:
    """One problem a line at most; the value stays out of every message."""
    found: dict[int, DocumentProblem] = {}
    for what, pattern in KNOWN:
        for match in pattern.finditer(text):
            _add(found, text, match.start(), what)
    for match in RUN.finditer(text):
        if _looks_random(match.group()):
            _add(found, text, match.start(), "a key or token (long and random)")
    return list(found.values())


def _add(found: dict[int, DocumentProblem], text: str, at: int, what: str) -> None:
    line = text.count("\n", 0, at) + 1
    column = at - (text.rfind("\n", 0, at) + 1) + 1
    found.setdefault(line, DocumentProblem(line, column, "", f"this looks like {what}", HINT, "document.secret"))


def _looks_random(run: str) -> bool:
    """Capitals, small letters and digits mixed in one long piece, with more than 4.5 bits a character: names stay below."""
    if not (re.search(r"[A-Z]", run) and re.search(r"[a-z]", run) and len(re.findall(r"\d", run)) >= 3):
        return False
    if max(len(piece) for piece in re.split(r"[-_/]", run)) < 20:
        return False
    counts = Counter(run)
    bits = -sum(n / len(run) * math.log2(n / len(run)) for n in counts.values())
    return bits > 4.5
