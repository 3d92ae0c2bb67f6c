"""What a fleet is made of: how many devices, of which classes, how they play, what goes wrong with which build."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from rampa.core.health.crash import CrashReport
from rampa.schema.health import HealthEvent


@dataclass(frozen=True)
class Faults:
    """How often something goes wrong with a build, as shares. `crashes` is for each session, by class; "" is for all others.

    `crash` is what they report of it; None: that it crashed, and not where.
    """

    crashes: Mapping[str, float] = field(default_factory=dict)
    installs: float = 0.0
    launches: float = 0.0
    crash: CrashReport | None = None

    def crash_rate(self, form: str) -> float:
        return self.crashes.get(form, self.crashes.get("", 0.0))


SOUND = Faults()


@dataclass(frozen=True)
class Begin:
    """A share of the devices has this build when the fleet begins."""

    build: int
    code: int
    share: float


@dataclass(frozen=True)
class FleetPlan:
    """`forms`, `levels` and `bandwidths` (bytes a second; none: nothing takes time) are drawn from evenly.

    `sessions` of a device an hour, each of `minutes` on average; `hours` of the day (UTC, from and until; None: all day) in
    which they are played. `offline`: share of the reports that wait for the next one. `speed`: fleet seconds in one of ours.
    """

    devices: int
    forms: Sequence[str]
    levels: Sequence[str]
    seed: int = 1
    sessions: float = 2.0
    minutes: float = 20.0
    hours: tuple[int, int] | None = None
    offline: float = 0.05
    speed: float = 60.0
    bandwidths: Sequence[float] = ()
    begins: Sequence[Begin] = ()
    faults: Mapping[int, Faults] = field(default_factory=dict)

    def plays_at(self, hour: int) -> bool:
        if self.hours is None:
            return True
        begin, end = self.hours
        # From 22 until 2 goes over midnight.
        return begin <= hour < end if begin < end else hour >= begin or hour < end


@dataclass(frozen=True)
class Coming:
    """A build that is still being downloaded, until a moment of the fleet's time."""

    build: int
    code: int
    until: float


@dataclass
class FleetDevice:
    number: str
    form: str
    level: str
    bandwidth: float
    build: int = 0
    code: int = 0
    coming: Coming | None = None
    batch: int = 0
    kept: list[HealthEvent] = field(default_factory=list)


@dataclass
class FleetSummary:
    """What the fleet did, and how many devices have which build. `downloaded` in bytes."""

    asks: int = 0
    failed_asks: int = 0
    updates: int = 0
    failed_updates: int = 0
    downloaded: int = 0
    sessions: int = 0
    crashes: int = 0
    failed_launches: int = 0
    reported: int = 0
    refused: int = 0
    having: dict[int, int] = field(default_factory=dict)
