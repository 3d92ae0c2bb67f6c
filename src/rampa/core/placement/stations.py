"""The ramp: the stations that a build climbs, from left to right, and which of them are channels."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Station:
    """`channel`: builds are placed there. `closed` says why nothing can stand there yet; empty when it can."""

    name: str
    channel: bool
    closed: str = ""


STATIONS = (
    Station("built", False),
    Station("signed", False),
    Station("depots", False),
    Station("studio", True),
    Station("testers", True),
    Station("review", False, "Submissions to a storefront's reviewers are not part of this version."),
    Station("public", True, "Public needs a passed review, and reviews are not part of this version."),
)
CHANNELS = tuple(s for s in STATIONS if s.channel)
