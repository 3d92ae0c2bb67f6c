"""Findings: what a check found, always with what to do."""

from __future__ import annotations

from dataclasses import dataclass

SEVERITIES = ("blocker", "warning", "note")


@dataclass(frozen=True)
class Finding:
    """`code` is stable (`version.not-rising`); `where` a path, a depot or a key."""

    severity: str
    code: str
    message: str
    where: str
    hint: str


def in_order(findings: list[Finding]) -> list[Finding]:
    """Blockers first."""
    return sorted(findings, key=lambda f: (SEVERITIES.index(f.severity), f.code, f.where))


def blocks(findings: list[Finding]) -> bool:
    return any(f.severity == "blocker" for f in findings)
