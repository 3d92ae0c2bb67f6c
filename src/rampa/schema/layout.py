"""Packs for players: how a build's content is laid out for those who install it anew."""

from __future__ import annotations

import datetime as dt

from rampa.schema.common import Wire


class WayTried(Wire):
    """A way of packing, as it was measured on a sample and scaled to the whole: bytes; seconds on the machine that measured.
    `codec`: zstd or lzma2; `frame`: MiB of content in a frame; `waits`: seconds until the audience can start, in the mean;
    `allowed`: within the budget, and with frames as small as they must be."""

    codec: str
    level: int
    frame: int
    size: int
    packing: float
    unpacking: float
    waits: float
    allowed: bool
    chosen: bool


class FilterTried(Wire):
    """`share`: of what the content that it suits takes without it. `used`: it pays."""

    name: str
    kind: int
    parameter: int
    share: float
    used: bool


class LayoutChoice(Wire):
    """`audience` as `RATE:WEIGHT:SPEED` in Mbit/s, with commas between; `devices`: how many said so, 0 for the stated one.
    `depots`: the choices that devices have, none where too few said so. `seconds` that trying took."""

    audience: str
    devices: int = 0
    depots: list[list[str]] = []
    seconds: float
    ways: list[WayTried]
    filters: list[FilterTried]


class LayoutOut(Wire):
    """`state`: none (never asked for), waiting, making, ready, skipped or stopped. Bytes; seconds.

    `content`: of the build, each chunk once; `done`: how much of it is packed; `size`: stored so far; `expected`: what will be
    stored. `fresh`: all that travels to a device that has nothing, now; `plain`: the same without packs for players.
    `rate`: bytes of content a second; `left`: seconds until it is done, where that can be told.
    """

    build: int
    name: str
    state: str
    content: int
    done: int
    size: int
    expected: int
    fresh: int
    plain: int
    packs: int
    rate: float
    left: float | None
    asked_by: str
    note: str
    started_at: dt.datetime | None
    ended_at: dt.datetime | None
    choice: LayoutChoice | None
