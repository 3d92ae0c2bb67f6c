"""What a player's device does with a title of a storefront: one table."""

from __future__ import annotations

from enum import StrEnum


class PlayerState(StrEnum):
    """Of one title on one device. `STOPPED`: what has arrived stays, and is gone on with."""

    READY = "ready"
    FETCHING = "fetching"
    INSTALLING = "installing"
    STOPPED = "stopped"


class PlayerEvent(StrEnum):
    FETCH = "fetch"
    ARRIVE = "arrive"
    FINISH = "finish"
    STOP = "stop"


TRANSITIONS: dict[tuple[PlayerState, PlayerEvent], PlayerState] = {
    (PlayerState.READY, PlayerEvent.FETCH): PlayerState.FETCHING,
    (PlayerState.STOPPED, PlayerEvent.FETCH): PlayerState.FETCHING,
    (PlayerState.FETCHING, PlayerEvent.ARRIVE): PlayerState.INSTALLING,
    (PlayerState.FETCHING, PlayerEvent.STOP): PlayerState.STOPPED,
    (PlayerState.INSTALLING, PlayerEvent.FINISH): PlayerState.READY,
    (PlayerState.INSTALLING, PlayerEvent.STOP): PlayerState.STOPPED,
}
