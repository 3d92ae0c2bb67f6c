"""A placement's life on a channel's line.

    live ----supersede----> superseded
      `------withdraw-----> withdrawn

Two may be live on a line at once, each with its share. Growing and holding a share come with rollouts.
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
