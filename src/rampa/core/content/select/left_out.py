"""What stays out of a build, and why."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class LeftOut:
    path: str
    size: int
    why: str
    origin: str
    leave_out_class: str = ""
    """Which took it, by name or content; empty where a pattern of the document did."""
