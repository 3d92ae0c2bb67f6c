"""The ramp: the stations that a build climbs, from left to right. Those of a title's channels stand in the title's order."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class Station:
    """`channel`: builds are placed there. `closed` says why nothing can stand there yet; empty when it can."""

    name: str
    channel: bool
    closed: str = ""


BUILT, SIGNED, DEPOTS = "built", "signed", "depots"
MAKING = (Station(BUILT, False), Station(SIGNED, False), Station(DEPOTS, False))
REVIEW = Station("review", False, "Submissions to a storefront's reviewers are not part of this version.")


def closed_reason(channel: str, reviewed: bool) -> str:
    """Why nothing can be placed on a channel; empty when it can."""
    return f"{channel} needs a passed review, and reviews are not part of this version." if reviewed else ""


def stations_of(channels: Iterable[tuple[str, bool]]) -> tuple[Station, ...]:
    """`channels` in their order, each with whether it needs a review: the review stands before the first that does."""
    out = list(MAKING)
    for name, reviewed in channels:
        if reviewed and REVIEW not in out:
            out.append(REVIEW)
        out.append(Station(name, True, closed_reason(name, reviewed)))
    return tuple(out)
