"""What a finished build remembers of how it was made."""

from __future__ import annotations

from dataclasses import dataclass, field

from rampa.core.check.findings import Finding


@dataclass(frozen=True, slots=True)
class MadeWith:
    """`steps` in their order, each with its seconds. `findings` are those that the maker had, none of them a blocker."""

    tools: dict[str, str] = field(default_factory=dict)
    steps: tuple[tuple[str, float], ...] = ()
    agent: str = ""
    findings: tuple[Finding, ...] = ()
