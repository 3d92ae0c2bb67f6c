"""The content store: usage, checking, collecting, repacking. Sizes are bytes as stored."""

from __future__ import annotations

import datetime as dt

from pydantic import Field

from rampa.core.store.check_life import CheckState
from rampa.schema.common import Wire


class StoreCheckIn(Wire):
    """`fix`: what a broken pack held counts as missing from then on, so that making the build again brings it."""

    fix: bool = False


class StoreProblem(Wire):
    """`what`: pack, build or differences. `builds`: the builds that are hurt by it."""

    what: str
    name: str
    problem: str
    builds: list[str]
    advice: str


class StoreCheckOut(Wire):
    """`state`: running, done or cancelled."""

    state: CheckState
    fix: bool
    packs: int
    packs_done: int
    size: int
    size_done: int
    problems: list[StoreProblem]
    asked_by: str
    started_at: dt.datetime
    ended_at: dt.datetime | None


class CollectIn(Wire):
    """Hours: how old a pack must be before it can be condemned, and how long it stays condemned before it is removed."""

    young_hours: float = Field(default=24.0, ge=0, le=24 * 365)
    grace_hours: float = Field(default=1.0, ge=0, le=24 * 365)


class IdlePack(Wire):
    """A pack that nothing needs; `ripe`: it was condemned long enough ago to be removed."""

    pack: str
    size: int
    created_at: dt.datetime
    ripe: bool


class CollectOut(Wire):
    """`idle`: what nothing needs. `condemned` packs wait; `removed` ones go, with `files` and `manifests` that no row
    names, and the sets of `differences` that nobody needs any more."""

    packs: list[IdlePack]
    packs_in_all: int
    idle: int
    condemned: int
    removed: int
    frees: int
    files: int
    manifests: int
    differences: int = 0


class RepackIn(Wire):
    """Packs of which at most `share` is needed, 0 to 1."""

    share: float = Field(default=0.5, ge=0, le=1)


class RepackOut(Wire):
    packs: int
    size: int
    live: int
    frees: int
    made: int
    made_size: int


class UsageLine(Wire):
    name: str
    size: int
    builds: int


class AgeLine(Wire):
    name: str
    packs: int
    size: int


class GrowthPoint(Wire):
    day: dt.date
    size: int


class KeptForPlayers(Wire):
    """Packs for players of a build: bytes as stored. `live_on`: where it is live; where another build came, `until` says how long
    they are kept."""

    name: str
    size: int
    packs: int
    live_on: list[str]
    until: dt.datetime | None


class UsageOut(Wire):
    """`players`: what is laid out again for those who install anew; it is counted in `size` and in no title's. `past`: of what
    only past builds have, packed again; counted in `size` and in titles'."""

    packs: int
    size: int
    needed: int
    condemned: int
    differences: int
    past: int = 0
    players: list[KeptForPlayers] = []
    titles: list[UsageLine]
    channels: list[UsageLine]
    ages: list[AgeLine]
    growth: list[GrowthPoint]
