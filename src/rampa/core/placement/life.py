"""A placement's life on a channel, one line per platform.

    live ----supersede----> superseded
      `------withdraw-----> withdrawn

A channel has at most one live placement per platform. Growing and holding a share come with rollouts.
"""

from __future__ import annotations

from enum import StrEnum


class PlacementState(StrEnum):
    LIVE = "live"
    SUPERSEDED = "superseded"
    WITHDRAWN = "withdrawn"


class PlacementEvent(StrEnum):
    SUPERSEDE = "supersede"
    WITHDRAW = "withdraw"


TRANSITIONS = {
    (PlacementState.LIVE, PlacementEvent.SUPERSEDE): PlacementState.SUPERSEDED,
    (PlacementState.LIVE, PlacementEvent.WITHDRAW): PlacementState.WITHDRAWN,
}
