"""What each simulated storefront asks of a submission beyond its platforms' rules and its listing's. Version 1 of the table.

Every size and version in it is made up, and no real storefront's.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

MB = 1_000_000
SENSITIVE = ("camera", "contacts", "location", "microphone", "room-view")


@dataclass(frozen=True, slots=True)
class StorefrontAsks:
    """`largest` bundle in bytes; `reason`: characters that a sensitive permission's reason has at least; `frameworks`: name ->
    the lowest version that it takes."""

    storefront: str
    largest: int
    reason: int = 12
    frameworks: Mapping[str, str] = field(default_factory=dict)


NORTHQUAY = StorefrontAsks("northquay", 4 << 30)
MOSSGATE = StorefrontAsks("mossgate", 900 * MB, frameworks={"mist": "2.0"})
VISORFIELD = StorefrontAsks("visorfield", 2_000 * MB, frameworks={"mist": "2.1"})
STOREFRONT_ASKS = {asks.storefront: asks for asks in (NORTHQUAY, MOSSGATE, VISORFIELD)}
ELSEWHERE = StorefrontAsks("", 4 << 30)
"""Of a storefront that is not in the table: what is sensible anywhere."""
