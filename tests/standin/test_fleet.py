"""A fleet is the same for a seed, follows rollouts as devices do, keeps what it cannot send, and says that it is simulated."""

from __future__ import annotations

import datetime as dt
from collections import Counter

from rampa.core.errors import Unavailable
from rampa.core.placement.share import ALL, OfferedBuild
from rampa.core.signing.offer import Offer
from rampa.schema.health import HealthBatch, HealthTaken
from rampa.standin.fleet import LOOK_EVERY, Bring, Fleet, nothing
from rampa.standin.fleet_plan import Begin, Faults, FleetPlan

NOW = dt.datetime(2026, 11, 29, 12, tzinfo=dt.UTC)
FORMS = ["visor-1", "visor-2"]
TOKEN = "ab" * 16


def offer(*builds: OfferedBuild) -> Offer:
    return Offer("t", "public", "headset", 1, builds, NOW, NOW + dt.timedelta(days=1), TOKEN)


def offered(number: int, share: int = ALL) -> OfferedBuild:
    return OfferedBuild(number, number, f"{number:064x}", f"rollout {number}", share)


class Service:
    """Takes batches as the service does; `gone` for a while."""

    def __init__(self, *builds: OfferedBuild) -> None:
        self.builds, self.gone, self.batches = builds, False, list[HealthBatch]()

    def ask(self) -> Offer:
        if self.gone:
            raise Unavailable("network.gone", "nothing answers")
        return offer(*self.builds)

    def take(self, batch: HealthBatch) -> HealthTaken:
        if self.gone:
            raise Unavailable("network.gone", "nothing answers")
        self.batches.append(batch)
        return HealthTaken(taken=len(batch.events), again=False, refused=[])


def run(service: Service, looks: int, bring: Bring = nothing, **more: object) -> Fleet:
    plan = FleetPlan(**{"devices": 200, "forms": FORMS, "levels": ["1"], "sessions": 6.0, "offline": 0.0, **more})  # type: ignore[arg-type]
    fleet = Fleet(plan, service.ask, service.take, bring)
    for look in range(1, looks + 1):
        fleet.step(look * LOOK_EVERY, NOW + dt.timedelta(seconds=look * LOOK_EVERY))
    return fleet


def test_the_same_seed_is_the_same_fleet() -> None:
    first, second, other = (Service(offered(1)) for _ in range(3))
    same = [run(first, 3), run(second, 3)]
    assert same[0].summary == same[1].summary
    assert first.batches == second.batches
    assert run(other, 3, seed=2).summary != same[0].summary


def test_a_part_of_it_gets_what_grows_and_none_goes_back() -> None:
    service = Service(offered(2, 200), offered(1))
    fleet = run(service, 2)
    having = fleet.summary.having
    assert 20 < having[2] < 60
    assert having[1] + having[2] == 200
    service.builds = (offered(2, 500), offered(1))
    fleet.step(4 * LOOK_EVERY, NOW)
    assert fleet.summary.having[2] > having[2]
    service.builds = (offered(1),)
    grown = fleet.summary.having[2]
    fleet.step(6 * LOOK_EVERY, NOW)
    assert fleet.summary.having[2] == grown


def test_crashes_belong_to_a_build_and_a_class() -> None:
    service = Service(offered(1))
    fleet = run(service, 4, faults={1: Faults({"visor-2": 1.0})})
    crashed = Counter(b.form for b in service.batches for e in b.events if e.kind == "session" and e.bad)
    assert set(crashed) == {"visor-2"}
    assert fleet.summary.crashes == crashed.total()
    assert all(b.simulated and b.token == TOKEN for b in service.batches)


def test_what_cannot_be_sent_is_kept_and_sent_later_once() -> None:
    service = Service(offered(1))
    fleet = run(service, 2)
    before = fleet.summary.reported
    service.gone = True
    fleet.step(4 * LOOK_EVERY, NOW)
    assert fleet.summary.failed_asks > 0
    assert fleet.summary.reported == before
    service.gone = False
    fleet.step(6 * LOOK_EVERY, NOW)
    played = sum(e.kind == "session" for b in service.batches for e in b.events)
    assert played == fleet.summary.sessions - sum(e.kind == "session" for d in fleet.devices for e in d.kept)
    numbers = Counter((b.device, b.number) for b in service.batches)
    assert set(numbers.values()) == {1}


def test_faults_of_installs_and_launches() -> None:
    service = Service(offered(1))
    fleet = run(service, 3, faults={1: Faults(installs=1.0)})
    assert fleet.summary.having == {0: 200}
    assert {(e.kind.value, e.bad) for b in service.batches for e in b.events} == {("install", True)}
    launches = Service(offered(1))
    assert run(launches, 3, faults={1: Faults(launches=1.0)}).summary.sessions == 0


def test_what_it_begins_with_is_what_updates_begin_from() -> None:
    went: Counter[tuple[int, int]] = Counter()

    def bring(have: int, build: int) -> int:
        went[have, build] += 1
        return 1000

    fleet = run(Service(offered(3)), 2, bring, begins=[Begin(1, 1, 0.5), Begin(2, 2, 0.25)])
    assert went == {(1, 3): 100, (2, 3): 50, (0, 3): 50}
    assert (fleet.summary.having, fleet.summary.downloaded) == ({3: 200}, 200_000)


def test_a_download_takes_the_time_of_its_bandwidth() -> None:
    """6 MB at 10 kB a second are ten minutes of the fleet's time; meanwhile the build before is played."""
    fleet = run(Service(offered(2)), 1, lambda *_: 6_000_000, bandwidths=[10_000.0], begins=[Begin(1, 1, 1.0)])
    assert fleet.summary.having == {1: 200}
    assert fleet.summary.sessions > 0
    fleet.step(2 * LOOK_EVERY, NOW)
    assert (fleet.summary.having, fleet.summary.updates) == ({2: 200}, 200)


def test_a_download_that_breaks_off_is_a_failed_install() -> None:
    def bring(_have: int, _build: int) -> int:
        raise Unavailable("network.gone", "nothing answers")

    service = Service(offered(1))
    fleet = run(service, 1, bring)
    assert fleet.summary.failed_updates >= 200
    assert fleet.summary.having == {0: 200}
    assert {(e.kind.value, e.bad, e.cause) for b in service.batches for e in b.events} == {
        ("install", True, "network.gone")
    }


def test_they_play_at_their_hours() -> None:
    assert run(Service(offered(1)), 3, hours=(18, 23)).summary.sessions == 0
    assert run(Service(offered(1)), 3, hours=(12, 13)).summary.sessions > 0
    late = FleetPlan(1, FORMS, ["1"], hours=(22, 2))
    assert [late.plays_at(hour) for hour in (21, 22, 23, 0, 1, 2)] == [False, True, True, True, True, False]
