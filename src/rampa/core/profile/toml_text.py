"""A document's bytes as text, within limits, before it is parsed; and what the parser says of a text that is not TOML."""

from __future__ import annotations

import re

from rampa.core.profile.positions import Positions
from rampa.core.profile.problems import DocumentInvalid, DocumentProblem

MAX_BYTES = 1024 * 1024
MAX_DEPTH = 100
MAX_TABLES = 3000
MAX_VALUES = 40_000
"""Keys and list items, counted by their signs: what is refused here would take seconds to be refused by its sense."""


def checked_text(data: bytes) -> str:
    """The text of a document, within its limits. Raises `DocumentInvalid` with the first thing that keeps it from being read."""
    if len(data) > MAX_BYTES:
        size = f"it is {len(data) / 1e6:.1f} MB long, and a profile document has at most {MAX_BYTES / 1e6:.1f} MB"
        raise DocumentInvalid([DocumentProblem(1, 1, "", size)])
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError as error:
        before = data[: error.start].split(b"\n")
        line, column = len(before), len(before[-1].decode("utf-8", "replace")) + 1
        raise DocumentInvalid(
            [DocumentProblem(line, column, "", "this byte is not UTF-8", "Save it as UTF-8.")]
        ) from error
    # TOML refuses it as well, but the parser says so with a sign that nobody sees.
    at = text.find("\0")
    if at >= 0:
        line, column = text.count("\n", 0, at) + 1, at - text.rfind("\n", 0, at)
        raise DocumentInvalid(
            [DocumentProblem(line, column, "", "this is a NUL byte", "Take it out: a document is plain text.")]
        )
    too_much = _too_much(text)
    if too_much:
        raise DocumentInvalid([DocumentProblem(1, 1, "", too_much)])
    return text


def _too_much(text: str) -> str:
    """What no person writes, counted before it is parsed."""
    if _depth(text) > MAX_DEPTH:
        return f"tables or lists are nested more than {MAX_DEPTH} deep"
    tables = text.count("\n[")
    if tables > MAX_TABLES:
        return f"it has {tables} tables, and a profile document has at most {MAX_TABLES}"
    values = text.count("=") + text.count(",")
    if values > MAX_VALUES:
        return f"it has about {values} values, and a profile document has at most {MAX_VALUES}"
    return ""


def _depth(text: str) -> int:
    """How deep brackets nest; those in texts and comments count too, which only makes the limit a little stricter."""
    depth = deepest = 0
    for bracket in re.findall(r"[\[\]{}]", text):
        depth = depth + 1 if bracket in "[{" else max(0, depth - 1)
        deepest = max(deepest, depth)
    return deepest


def syntax_problems(error: Exception, at: Positions) -> list[DocumentProblem]:
    """tomllib's sentence for the first place, and the other places where the grammar breaks."""
    # The parser stops at the first of them without saying which key it was.
    if at.twice:
        return [
            DocumentProblem(
                p.line, p.column, ".".join(map(str, key)), f"this key stands in line {at.of(key).line} already"
            )
            for key, p in at.twice
        ]
    match = re.search(r"^(.*) \(at (?:line (\d+), column (\d+)|end of document)\)$", str(error))
    message = (match.group(1) if match else str(error)) or "this cannot be read"
    line, column = (int(match.group(2)), int(match.group(3))) if match and match.group(2) else (0, 0)
    # No place was said, as for an end that comes too early: the last place where the grammar breaks is nearest to it.
    if not line:
        line, column = (at.broken[-1].line, at.broken[-1].column) if at.broken else (1, 1)
    first = DocumentProblem(line, column, "", message[0].lower() + message[1:])
    others = {p.line: p for p in at.broken if p.line != line}
    return [first, *(DocumentProblem(p.line, p.column, "", "this is not TOML") for p in others.values())]
