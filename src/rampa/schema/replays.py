"""Replays: what releases would have cost under other rules."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field

from rampa.schema.common import Number, SlugOrNone, Wire
from rampa.schema.titles.titles import DocumentText, TitlePath
from rampa.schema.updates import DepotPlanQuery

MOST = 20


class ReplayPath(TitlePath):
    replay: Number


class ReplayIn(DepotPlanQuery):
    """`rules`: a profile document, or keys of its `[content]` table by themselves: compression, packing, player_frame.

    Of `last` ready builds of the profile (empty: that of the platform's newest build; with one, the platform says nothing), or of
    those that were placed on the channel. `players`: with packs for players. The rest is what a device chose.
    """

    rules: DocumentText
    platform: SlugOrNone = "linux"
    profile: SlugOrNone = ""
    channel: SlugOrNone = ""
    last: Annotated[int, Field(ge=1, le=MOST)] = 10
    players: bool = True


class ReplayedCost(Wire):
    """Under one set of rules, in bytes: `fresh` and `update` (null for the first) are all that travels, from nothing and from
    the release before. `packed`: what the release added to the store in small frames; `players`: its packs for players, of
    which a sample is compressed. `undelivered`: files that no depot takes."""

    fresh: int
    fresh_requests: int
    update: int | None
    update_requests: int | None
    packed: int
    players: int
    undelivered: int


class ReplayedRelease(Wire):
    """`own`: under the rules that it was built with; `ruled`: under those that are tried. `now_fresh`, `now_update`: as the store
    lies today, for a device that takes everything; null for one that chose."""

    build: int
    name: str
    version_name: str
    size: int
    own: ReplayedCost
    ruled: ReplayedCost
    now_fresh: int | None
    now_update: int | None


class ReplaySummary(Wire):
    """`state`: waiting, running, ready, stopped or failed; `note`: why it failed. `done` of `total` bytes of content; `rate` in
    bytes a second; `left`: seconds, where that can be told. `builds` by number."""

    number: int
    state: str
    platform: str
    profile: str
    channel: str
    builds: list[int]
    players: bool
    chosen: str
    """What the device chose, in words; empty: everything."""
    asked_by: str
    note: str
    total: int
    done: int
    rate: float
    left: float | None
    created_at: dt.datetime
    started_at: dt.datetime | None
    ended_at: dt.datetime | None


class ReplayOut(ReplaySummary):
    """With the releases that are done, oldest first, and the rules that were given."""

    rules: str
    releases: list[ReplayedRelease]


class ReplayList(Wire):
    """The newest first."""

    items: list[ReplaySummary]
