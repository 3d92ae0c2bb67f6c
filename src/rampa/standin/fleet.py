"""A fleet: thousands of simulated devices in one process, which ask what their channel has, play, and report. Seeded; each
says that it is simulated.

A look, a session and a report take their turn in a queue by the fleet's own time, which may run faster than ours. What an
update downloads comes through a port (rampa.standin.routes really fetches it); without one nothing travels.
"""

from __future__ import annotations

import datetime as dt
import heapq
import random
from collections import Counter
from collections.abc import Callable

from rampa.core.errors import NotFound, RampaError
from rampa.core.health.comparison import Trouble
from rampa.core.placement.share import Having, OfferedBuild, build_for
from rampa.core.signing.offer import Offer
from rampa.schema.crashes import crash_in
from rampa.schema.health import HealthBatch, HealthEvent, HealthTaken
from rampa.standin.fleet_plan import SOUND, Coming, FleetDevice, FleetPlan, FleetSummary

LOOK_EVERY = 600.0
"""Seconds between two looks of a device, by the fleet's time."""


Ask = Callable[[], Offer]
Report = Callable[[HealthBatch], HealthTaken]
Bring = Callable[[int, int], int]
"""(the build that a device has, the one that it gets) -> bytes that it downloads."""


def nothing(_have: int, _build: int) -> int:
    return 0


class Fleet:
    """`ask` gives the line's offer, verified; `report` sends a batch; `bring` downloads. All may raise `RampaError`."""

    def __init__(self, plan: FleetPlan, ask: Ask, report: Report, bring: Bring = nothing) -> None:
        self._plan, self._ask, self._report, self._bring = plan, ask, report, bring
        self._random = random.Random(plan.seed)
        self._token = ""
        self._began: dt.datetime | None = None
        self.summary = FleetSummary()
        self.devices = [self._made(n) for n in range(plan.devices)]
        self._due = [(self._random.uniform(0, LOOK_EVERY), n) for n in range(plan.devices)]
        heapq.heapify(self._due)

    def _made(self, turn: int) -> FleetDevice:
        draw, plan = self._random, self._plan
        made = FleetDevice(
            f"{draw.getrandbits(128):032x}",
            draw.choice(plan.forms),
            draw.choice(plan.levels),
            draw.choice(plan.bandwidths) if plan.bandwidths else 0.0,
        )
        place = (turn + 0.5) / plan.devices
        for begin in plan.begins:
            if place < begin.share:
                made.build, made.code = begin.build, begin.code
                break
            place -= begin.share
        return made

    @property
    def next_at(self) -> float:
        """Seconds of the fleet's time until which nothing is due."""
        return self._due[0][0]

    def step(self, now: float, clock: dt.datetime) -> int:
        """Everything that is due by `now`, in seconds of the fleet's time; how many devices took their turn."""
        if self._began is None:
            self._began = clock - dt.timedelta(seconds=now)
            # The same seed is the same devices: what they report now comes after what they ever reported.
            for device in self.devices:
                device.batch = int(clock.timestamp() * 1000)
        taken = 0
        while self._due and self._due[0][0] <= now:
            at, index = heapq.heappop(self._due)
            device = self.devices[index]
            self._turn(device, at, clock)
            again = at + self._random.uniform(0.8, 1.2) * LOOK_EVERY
            heapq.heappush(self._due, (min(again, device.coming.until) if device.coming else again, index))
            taken += 1
        if taken:
            self.summary.having = dict(Counter(d.build for d in self.devices))
        return taken

    def _turn(self, device: FleetDevice, at: float, clock: dt.datetime) -> None:
        """A look, an update where there is one, the sessions since the last look, and a report."""
        if device.coming and device.coming.until <= at:
            self._installed(device, device.coming, clock)
        if not device.coming:
            self._look(device, at, clock)
        if device.build and self._plan.plays_at(self._hour(at)):
            self._play(device, clock)
        if device.kept and self._random.random() >= self._plan.offline:
            self._send(device, clock)

    def _hour(self, at: float) -> int:
        assert self._began is not None
        return (self._began + dt.timedelta(seconds=at)).hour

    def _look(self, device: FleetDevice, at: float, clock: dt.datetime) -> None:
        self.summary.asks += 1
        try:
            offer = self._ask()
        except RampaError:
            self.summary.failed_asks += 1
            return
        self._token = offer.reports
        wanted = build_for(offer.builds, device.number, Having(device.build, device.code))
        if wanted is not None and wanted.build != device.build:
            self._update(device, wanted, at, clock)

    def _update(self, device: FleetDevice, wanted: OfferedBuild, at: float, clock: dt.datetime) -> None:
        cause = "disk.full" if self._random.random() < self._plan.faults.get(wanted.build, SOUND).installs else ""
        size = 0
        if not cause:
            try:
                size = self._bring(device.build, wanted.build)
            except RampaError as error:
                cause = error.code
        if cause:
            self.summary.failed_updates += 1
            device.kept.append(
                HealthEvent(at=clock, build=wanted.build, kind=Trouble.INSTALL, bad=True, cause=cause[:60])
            )
            return
        self.summary.downloaded += size
        coming = Coming(wanted.build, wanted.code, at + (size / device.bandwidth if device.bandwidth else 0.0))
        if coming.until > at:
            device.coming = coming
        else:
            self._installed(device, coming, clock)

    def _installed(self, device: FleetDevice, coming: Coming, clock: dt.datetime) -> None:
        device.build, device.code, device.coming = coming.build, coming.code, None
        device.kept.append(HealthEvent(at=clock, build=coming.build, kind=Trouble.INSTALL, bad=False))
        self.summary.updates += 1

    def _play(self, device: FleetDevice, clock: dt.datetime) -> None:
        faults = self._plan.faults.get(device.build, SOUND)
        for _ in range(self._sessions()):
            stuck = self._random.random() < faults.launches
            device.kept.append(HealthEvent(at=clock, build=device.build, kind=Trouble.LAUNCH, bad=stuck))
            if stuck:
                self.summary.failed_launches += 1
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
