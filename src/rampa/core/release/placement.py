"""A placement's life on a channel, one line per platform.

    live ----supersede----> superseded
      `------withdraw-----> withdrawn

A channel has at most one live placement per platform. Growing and holding a share come with rollouts.
"""

from __future__ import annotations

from enum import StrEnum


class State(StrEnum):
    LIVE = "live"
    SUPERSEDED = "superseded"
    WITHDRAWN = "withdrawn"


class Event(StrEnum):
    SUPERSEDE = "supersede"
    WITHDRAW = "withdraw"


TRANSITIONS = {
    (State.LIVE, Event.SUPERSEDE): State.SUPERSEDED,
    (State.LIVE, Event.WITHDRAW): State.WITHDRAWN,
}
