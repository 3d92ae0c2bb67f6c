"""A build's life.

    open ----complete----> ready ----remove----> removed
      `------abandon-----> abandoned

A build is open while its content arrives; its version code is reserved from the first moment. A ready one never changes: it can
be placed, as often as one wants. An abandoned one keeps its number and its code, which is burned. A removed one keeps its
record, and has no content any more.
"""

from __future__ import annotations

from enum import StrEnum


class BuildState(StrEnum):
    OPEN = "open"
    READY = "ready"
    ABANDONED = "abandoned"
    REMOVED = "removed"


class BuildEvent(StrEnum):
    COMPLETE = "complete"
    ABANDON = "abandon"
    PLACE = "place"
    REMOVE = "remove"


TRANSITIONS = {
    (BuildState.OPEN, BuildEvent.COMPLETE): BuildState.READY,
    (BuildState.OPEN, BuildEvent.ABANDON): BuildState.ABANDONED,
    (BuildState.READY, BuildEvent.PLACE): BuildState.READY,
    (BuildState.READY, BuildEvent.REMOVE): BuildState.REMOVED,
}
"""Completing and abandoning again are answered by the use cases: the same call twice has the same effect."""
GONE = frozenset({BuildState.ABANDONED, BuildState.REMOVED})
"""Nothing needs their content any more."""
