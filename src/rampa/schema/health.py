"""Health: what devices report of builds, and what that says beside the build before.

A report holds a random device number, the device's platform, class and system level, and what happened. It holds no name, no
address, no account and no text of a person's.
"""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.core.health.comparison import Trouble, Verdict
from rampa.schema.common import Number, Query, Slug, Wire
from rampa.schema.crashes import CrashIn, CrashSummary
from rampa.schema.titles.titles import TitlePath

Short = Annotated[str, StringConstraints(max_length=40, pattern=r"^[A-Za-z0-9._ +-]*$")]
Code = Annotated[str, StringConstraints(max_length=60, pattern=r"^[a-z0-9.-]*$")]


class HealthPath(Query):
    """`identifier` as in `example.quillback.peatlight`."""

    identifier: Annotated[str, StringConstraints(max_length=200, pattern=r"^[A-Za-z0-9._-]+$")]


class PlacementHealthPath(TitlePath):
    channel: Slug
    placement: Number


class HealthEvent(Wire):
    """`at` by the device's clock. `bad`: an install or launch that failed, a session that ended by a crash. Seconds of play."""

    at: dt.datetime
    build: Number
    kind: Trouble
    bad: bool
    cause: Code = ""
    seconds: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    crash: CrashIn | None = None
    """Where a session or a launch crashed."""


class HealthBatch(Wire):
    """What one device kept since it last had a network. `number` rises with each batch; the same one again is no error.

    `token` stands in the offers of the title's channels. `sent_at` by the device's clock: it may be years off.
    """

    token: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{32,64}$")]
    device: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{8,64}$")]
    number: Annotated[int, Field(ge=0, le=2**53)]
    sent_at: dt.datetime
    form: Short = ""
    """The device's class, such as visor-2."""
    level: Short = ""
    simulated: bool = False
    events: Annotated[list[HealthEvent], Field(max_length=500)]


class RefusedEvent(Wire):
    index: int
    why: str


class HealthTaken(Wire):
    """`again`: this batch was here before, and is not counted twice. What was refused is not to be sent again."""

    taken: int
    again: bool
    refused: list[RefusedEvent]


class HealthRow(Wire):
    """One kind of trouble among some devices (`part` empty: all), with the new build and with the one before.

    Rates are shares of `total`; `low` and `high` are what is not ruled out at any time (rampa.core.health.sequential).
    `evidence`: the natural logarithm of how much better a worse build explains it; worse from `limit` on
    (rampa.core.health.odds).
    """

    part: str
    name: str
    trouble: Trouble
    bad: int
    total: int
    rate: float
    low: float
    high: float
    before_bad: int
    before_total: int
    before_rate: float
    before_low: float
    before_high: float
    evidence: float
    limit: float
    verdict: Verdict
    said: str


class PlacementHealth(Wire):
    """`before`: the build that it is compared with, over the same hours, since `since`."""

    build: str
    before: str
    since: dt.datetime
    verdict: Verdict
    said: str
    devices: int
    simulated: int
    """Of these devices, how many say that they are simulated."""
    play_seconds: float
    rows: list[HealthRow]
    error: float
    """The probability that a build as good as the one before is called worse, over all looks and questions together."""
    held: bool
    crashes: list[CrashSummary]
    """Of the placed build, the new ones first, at most ten; for who may not read symbols without their place."""
