"""A fleet: thousands of simulated devices in one process, which ask what their channel has, play, and report. Seeded; each
says that it is simulated.

They keep nothing on a disk: what a device would have to download is not fetched. A look, a session and a report take their
turn in a queue by the fleet's own time, which may run faster than ours.
"""

from __future__ import annotations

import datetime as dt
import heapq
import random
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from rampa.core.errors import NotFound, RampaError
from rampa.core.health.comparison import Trouble
from rampa.core.health.crash import CrashReport
from rampa.core.placement.share import Having, build_for
from rampa.core.signing.offer import Offer
from rampa.schema.crashes import crash_in
from rampa.schema.health import HealthBatch, HealthEvent, HealthTaken

LOOK_EVERY = 600.0
"""Seconds between two looks of a device, by the fleet's time."""


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
class FleetPlan:
    """`forms` and `levels` are drawn from evenly; `sessions` of a device an hour, each of `minutes` on average.

    `offline`: share of the reports that wait for the next one. `speed`: fleet seconds in one of ours.
    """

    devices: int
    forms: Sequence[str]
    levels: Sequence[str]
    seed: int = 1
    sessions: float = 2.0
    minutes: float = 20.0
    offline: float = 0.05
    speed: float = 60.0
    begins_with: int = 0
    faults: Mapping[int, Faults] = field(default_factory=dict)


@dataclass
class FleetDevice:
    number: str
    form: str
    level: str
    build: int = 0
    code: int = 0
    batch: int = 0
    kept: list[HealthEvent] = field(default_factory=list)


@dataclass
class FleetSummary:
    """What the fleet did: asks, updates, sessions, crashes, and how many devices have which build."""

    asks: int = 0
    failed_asks: int = 0
    updates: int = 0
    sessions: int = 0
    crashes: int = 0
    reported: int = 0
    refused: int = 0
    having: dict[int, int] = field(default_factory=dict)


Ask = Callable[[], Offer]
Report = Callable[[HealthBatch], HealthTaken]


class Fleet:
    """`ask` gives the line's offer, verified; `report` sends a batch. Both may raise `RampaError`."""

    def __init__(self, plan: FleetPlan, ask: Ask, report: Report) -> None:
        self._plan, self._ask, self._report = plan, ask, report
        self._random = random.Random(plan.seed)
        self._token = ""
        self.summary = FleetSummary()
        self.devices = [self._made(n) for n in range(plan.devices)]
        self._due = [(self._random.uniform(0, LOOK_EVERY), n) for n in range(plan.devices)]
        heapq.heapify(self._due)

    def _made(self, _: int) -> FleetDevice:
        draw = self._random
        return FleetDevice(
            f"{draw.getrandbits(128):032x}", draw.choice(self._plan.forms), draw.choice(self._plan.levels)
        )

    @property
    def next_at(self) -> float:
        """Seconds of the fleet's time until which nothing is due."""
        return self._due[0][0]

    def step(self, now: float, clock: dt.datetime) -> int:
        """Everything that is due by `now`, in seconds of the fleet's time; how many devices took their turn."""
        taken = 0
        while self._due and self._due[0][0] <= now:
            at, index = heapq.heappop(self._due)
            self._turn(self.devices[index], clock)
            heapq.heappush(self._due, (at + self._random.uniform(0.8, 1.2) * LOOK_EVERY, index))
            taken += 1
        if taken:
            self.summary.having = dict(Counter(d.build for d in self.devices))
        return taken

    def _turn(self, device: FleetDevice, clock: dt.datetime) -> None:
        """A look, an update where there is one, the sessions since the last look, and a report."""
        self.summary.asks += 1
        try:
            self._update(device, self._ask(), clock)
        except RampaError:
            self.summary.failed_asks += 1
        if device.build:
            self._play(device, clock)
        if device.kept and self._random.random() >= self._plan.offline:
            self._send(device, clock)

    def _update(self, device: FleetDevice, offer: Offer, clock: dt.datetime) -> None:
        wanted = build_for(offer.builds, device.number, Having(device.build, device.code))
        if wanted is None or wanted.build == device.build:
            return
        self._token = offer.reports
        bad = self._random.random() < self._plan.faults.get(wanted.build, SOUND).installs
        device.kept.append(
            HealthEvent(at=clock, build=wanted.build, kind=Trouble.INSTALL, bad=bad, cause="disk.full" if bad else "")
        )
        if bad:
            return
        device.build, device.code = wanted.build, wanted.code
        self.summary.updates += 1

    def _play(self, device: FleetDevice, clock: dt.datetime) -> None:
        faults = self._plan.faults.get(device.build, SOUND)
        for _ in range(self._sessions()):
            stuck = self._random.random() < faults.launches
            device.kept.append(HealthEvent(at=clock, build=device.build, kind=Trouble.LAUNCH, bad=stuck))
            if stuck:
                continue
            crashed = self._random.random() < faults.crash_rate(device.form)
            seconds = self._random.expovariate(1 / (60 * self._plan.minutes))
            event = HealthEvent(
                at=clock,
                build=device.build,
                kind=Trouble.SESSION,
                bad=crashed,
                seconds=round(min(seconds, 36_000), 1),
                crash=crash_in(faults.crash) if crashed and faults.crash else None,
            )
            device.kept.append(event)
            self.summary.sessions += 1
            self.summary.crashes += crashed

    def _sessions(self) -> int:
        """As many as fall into the time between two looks, on average as the plan says."""
        wanted = self._plan.sessions * LOOK_EVERY / 3600
        return int(wanted) + (self._random.random() < wanted % 1)

    def _send(self, device: FleetDevice, clock: dt.datetime) -> None:
        batch = HealthBatch(
            token=self._token,
            device=device.number,
            number=device.batch,
            sent_at=clock,
            form=device.form,
            level=device.level,
            simulated=True,
            events=device.kept[:500],
        )
        try:
            taken = self._report(batch)
        except NotFound:
            raise
        except RampaError:
            return  # kept, and sent with the next one
        device.batch += 1
        device.kept = device.kept[500:]
        self.summary.reported += taken.taken
        self.summary.refused += len(taken.refused)
