"""An address that a listing names, as it was when somebody looked: it answers, it fails, it is dead.

unknown ---answers---> good <---answers--- failing, dead, refused
   |                     |
   `------fails----------+---> failing ---fails for a day---> dead
   `------gone (404, 410)-----------------------------------> dead
   `------leads inside--------------------------------------> refused
"""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from enum import StrEnum

EVERY = dt.timedelta(days=7)
"""Between two looks at a link that answers."""
SOON = dt.timedelta(hours=1)
"""Until the next look at one that failed."""
PATIENCE = dt.timedelta(days=1)
"""A link that failed for so long is dead."""
GONE = frozenset({404, 410})


class LinkState(StrEnum):
    UNKNOWN = "unknown"
    GOOD = "good"
    FAILING = "failing"
    DEAD = "dead"
    REFUSED = "refused"


@dataclass(frozen=True, slots=True)
class Look:
    """What one look saw. `status` of HTTP, 0 for no answer; `inside`: the address leads to no public host."""

    status: int
    said: str
    inside: bool = False

    @property
    def good(self) -> bool:
        return 200 <= self.status < 300


@dataclass(frozen=True, slots=True)
class Link:
    """`failed_since` is when it last began to fail."""

    state: LinkState = LinkState.UNKNOWN
    said: str = ""
    looked_at: dt.datetime | None = None
    failed_since: dt.datetime | None = None

    def after(self, look: Look, now: dt.datetime) -> Link:
        if look.good:
            return Link(LinkState.GOOD, "", now)
        since = self.failed_since or now
        if look.inside:
            return Link(LinkState.REFUSED, look.said, now, since)
        gone = look.status in GONE or now - since >= PATIENCE
        return Link(LinkState.DEAD if gone else LinkState.FAILING, look.said, now, since)

    def due(self, now: dt.datetime) -> bool:
        wait = EVERY if self.state in (LinkState.GOOD, LinkState.DEAD, LinkState.REFUSED) else SOON
        return self.looked_at is None or now - self.looked_at >= wait
