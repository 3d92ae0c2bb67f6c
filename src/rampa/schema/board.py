"""The board: titles x platforms x channels, what is live where, now or at any moment before."""

from __future__ import annotations

import datetime as dt

from rampa.core.health.comparison import Verdict
from rampa.core.placement.life import PlacementState
from rampa.schema.common import Query, Wire


class BoardQuery(Query):
    """`at`: how it was then; now without it."""

    at: dt.datetime | None = None


class BoardBuild(Wire):
    """A build that is live in a cell. `since`: when it came there; `changed_at`: its last change until the board's moment.

    `next_share` and `next_at`: what its plan does next. Health is as it was last told; of the past it is not kept.
    """

    build: int
    version_name: str
    placement: int
    release: int
    state: PlacementState
    share: float
    since: dt.datetime
    placed_by: str
    changed_at: dt.datetime
    why: str
    verdict: Verdict | None
    health_said: str
    next_share: float | None
    next_at: dt.datetime | None
    waits: str
    """What that waits for beside its time."""


class BoardCell(Wire):
    channel: str
    builds: list[BoardBuild]


class BoardReview(Wire):
    """A build before a storefront's reviewers. `asks`: it is the studio's turn."""

    submission: int
    build: int
    storefront: str
    words: str
    asks: bool


class BoardLine(Wire):
    """A line, with a cell for each of the title's channels. `waits`: the newest build that is on no channel yet; `stops`: what
    keeps the next one from coming; `reviews`: what is before its storefront's reviewers, the newest first."""

    platform: str
    storefront: str
    line: str
    cells: list[BoardCell]
    waits: int
    waits_version: str
    stops: str
    reviews: list[BoardReview]


class BoardScheduled(Wire):
    """What is to be placed, or was refused of late; `at` null: when gates open."""

    number: int
    what: str
    build: int | None
    release: int | None
    channel: str
    at: dt.datetime | None
    refused: bool
    said: str


class BoardTitle(Wire):
    slug: str
    name: str
    identifier: str
    channels: list[str]
    lines: list[BoardLine]
    scheduled: list[BoardScheduled]


class BoardChange(Wire):
    """A moment at which something changed on a line, newest first, for walking through the past."""

    at: dt.datetime
    title: str
    channel: str
    line: str
    build: int
    state: PlacementState
    share: float
    by: str
    why: str


class Board(Wire):
    """`at`: the moment that it shows."""

    at: dt.datetime
    titles: list[BoardTitle]
    changes: list[BoardChange]
