"""What is to be said about a picture."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Remark:
    """What is to be said about the source: a blocker, a warning or a note."""

    severity: str
    code: str
    message: str
    hint: str
