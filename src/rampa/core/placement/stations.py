"""The ramp: the stations that a build climbs, from left to right. Those of a title's channels stand in the title's order."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class Station:
    """`channel`: builds are placed there. `closed` says why it is passed over for now; empty where builds stand there."""

    name: str
    channel: bool
    closed: str = ""


BUILT, SIGNED, DEPOTS = "built", "signed", "depots"
MAKING = (Station(BUILT, False), Station(SIGNED, False), Station(DEPOTS, False))
REVIEW = Station(
    "review",
    False,
    "Submissions to a storefront's reviewers are not part of this version: Rampa delivers all lines itself.",
)


def stations_of(channels: Iterable[tuple[str, bool]]) -> tuple[Station, ...]:
    """`channels` in their order, each with whether it needs a review: the review stands before the first that does."""
    out = list(MAKING)
    for name, reviewed in channels:
        if reviewed and REVIEW not in out:
            out.append(REVIEW)
        out.append(Station(name, True))
    return tuple(out)
