"""A placement's life on a channel's line.

    placed ----grow----> growing ----finish----> whole
       `----finish--------^ | ^ `-----------------^
                       hold v | go-on
                           held
    each of the four ----supersede----> superseded
                     ----withdraw-----> withdrawn

Placed: it stands there, and no device gets it yet. Growing: devices of its share get it. Held: who has it keeps it, and nobody
else gets it. Whole: every device gets it. Two may be live on a line at once: the one that grows, and the whole one before it.
"""

from __future__ import annotations

from enum import StrEnum


class PlacementState(StrEnum):
    PLACED = "placed"
    GROWING = "growing"
    HELD = "held"
    WHOLE = "whole"
    SUPERSEDED = "superseded"
    WITHDRAWN = "withdrawn"


class PlacementEvent(StrEnum):
    GROW = "grow"
    FINISH = "finish"
    HOLD = "hold"
    GO_ON = "go-on"
    SUPERSEDE = "supersede"
    WITHDRAW = "withdraw"


LIVE = (PlacementState.PLACED, PlacementState.GROWING, PlacementState.HELD, PlacementState.WHOLE)

TRANSITIONS = {
    (PlacementState.PLACED, PlacementEvent.GROW): PlacementState.GROWING,
    (PlacementState.PLACED, PlacementEvent.FINISH): PlacementState.WHOLE,
    (PlacementState.GROWING, PlacementEvent.GROW): PlacementState.GROWING,
    (PlacementState.GROWING, PlacementEvent.FINISH): PlacementState.WHOLE,
    (PlacementState.GROWING, PlacementEvent.HOLD): PlacementState.HELD,
    (PlacementState.HELD, PlacementEvent.GO_ON): PlacementState.GROWING,
    **{(state, PlacementEvent.SUPERSEDE): PlacementState.SUPERSEDED for state in LIVE},
    **{(state, PlacementEvent.WITHDRAW): PlacementState.WITHDRAWN for state in LIVE},
}
