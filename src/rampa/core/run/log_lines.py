"""Lines of a log: what is an error, what a warning, and which of them say the same."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

LONGEST = 4000
"""Characters of one line that are kept."""

ERROR = re.compile(
    r"^\s*(?:[\w./\\+-]+:(?:\d+:)*\s*)?(?:fatal\s+)?(?:error|fatal|panic|exception)\b\s*(?:\[[\w.-]+\])?\s*[:!(]"
    r"|^\s*(?:\[(?:error|fatal)\]|E:\s)|^Traceback \(most recent call last\)|\b(?:Segmentation fault|undefined reference to)\b"
    r"|^\w*(?-i:Error|Exception): ",
    re.IGNORECASE,
)
WARNING = re.compile(
    r"^\s*(?:[\w./\\+-]+:(?:\d+:)*\s*)?warn(?:ing)?\b\s*(?:\[[\w.-]+\])?\s*[:!(]|^\s*\[warn(?:ing)?\]|^W:\s",
    re.IGNORECASE,
)
NONE_OF_THEM = re.compile(r"\b(?:0|no) (?:errors?|warnings?)\b", re.IGNORECASE)
CONTROL = re.compile(r"\x1b\[[0-?]*[ -/]*[@-~]|\x1b\][^\x07\x1b]*(?:\x07|\x1b\\)|\x1b[@-_]|[\x00-\x08\x0b-\x1f\x7f]")
VARYING = (
    (re.compile(r"(?:[A-Za-z]:)?(?:[\w.+-]*[/\\])+[\w.+-]+"), "…"),
    (re.compile(r"\b0x[0-9a-f]+\b|\b[0-9a-f]{8,}\b", re.IGNORECASE), "…"),
    (re.compile(r"“[^”]*”|'[^']*'|\"[^\"]*\""), "…"),
    (re.compile(r"\d+(?:[.,]\d+)*"), "#"),
)


@dataclass(frozen=True, slots=True)
class LogLine:
    """`ms` since the attempt began; `step` is its position in the plan; `level` is empty, warning, error or rampa."""

    ms: int
    step: int
    level: str
    text: str


def clean(text: str) -> str:
    """Without control sequences; of what was written over itself by carriage returns, what stood last."""
    text = text.rstrip("\r\n")
    if "\r" in text:
        text = next((part for part in reversed(text.split("\r")) if part), "")
    text = CONTROL.sub("", text.replace("\t", "    "))
    return text if len(text) <= LONGEST else f"{text[:LONGEST]} … ({len(text) - LONGEST:,} characters more)"


def level_of(text: str) -> Literal["", "error", "warning"]:
    """`error`, `warning` or nothing."""
    # Only the head: an error's word in the middle of a data dump means nothing, and long lines cost time.
    head = text[:400]
    # "0 errors" is good news.
    if NONE_OF_THEM.search(head):
        return ""
    if ERROR.search(head):
        return "error"
    return "warning" if WARNING.search(head) else ""


def kind_of(text: str) -> str:
    """Lines that differ in paths, numbers, digests and quoted names only are of one kind."""
    head = text.strip()[:300]
    for pattern, instead in VARYING:
        head = pattern.sub(instead, head)
    return head[:200]
