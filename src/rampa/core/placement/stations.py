"""The ramp: the stations that a build climbs, from left to right. Those of a title's channels stand in the title's order."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class Station:
    """`channel`: builds are placed there."""

    name: str
    channel: bool


BUILT, SIGNED, DEPOTS = "built", "signed", "depots"
MAKING = (Station(BUILT, False), Station(SIGNED, False), Station(DEPOTS, False))
REVIEW = Station("review", False)
"""Before the reviewers of a storefront, or of the studio."""


def stations_of(channels: Iterable[tuple[str, bool]]) -> tuple[Station, ...]:
    """`channels` in their order, each with whether it needs a review: the review stands before the first that does."""
    out = list(MAKING)
    for name, reviewed in channels:
        if reviewed and REVIEW not in out:
            out.append(REVIEW)
        out.append(Station(name, True))
    return tuple(out)
