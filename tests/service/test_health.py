"""Health: what devices report, counted once and by our clock; a rollout that is worse holds itself and says why."""

from __future__ import annotations

import base64
import datetime as dt
from pathlib import Path

import httpx
import pytest

from rampa.client import Client
from rampa.core.health.comparison import Trouble, Verdict
from rampa.core.placement.gates import GateKind
from rampa.core.signing.offer import verify
from rampa.operations.health import reports, watch
from rampa.operations.health.pace import Pace
from rampa.schema.channels import GateIn, GatesIn
from rampa.schema.health import HealthBatch, HealthEvent
from tests.clock import Clock
from tests.conftest import Begun, World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder

TITLE, ON, IDENTIFIER = "peatlight", "studio", "example.quillback.peatlight"


@pytest.fixture
def ready(client: Client, begun: Begun, tmp_path: Path) -> Client:
    """#1 is live on studio for every device; #2 is ready."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        folder = make_folder(tmp_path / "source", 100_000)
        build(client, folder, tmp_path / "state")
        place(client, 1)
        change_folder(folder)
        build(client, folder, tmp_path / "state")

    begun(fill)
    reports._pace = Pace()
    return client


def place(client: Client, number: int, share: float | None = None) -> int:
    return client.channels.place(TITLE, ON, number, client.channels.preview(TITLE, ON, number).etag, share).number


def token(client: Client) -> str:
    title = client.titles.get(TITLE)
    signed = base64.b64decode(client.channels.offer(TITLE, ON, "linux").signed)
    return verify(signed, bytes.fromhex(title.manifest_key)).reports


def event(build: int, at: dt.datetime, bad: bool = False, kind: Trouble = Trouble.SESSION) -> HealthEvent:
    return HealthEvent(at=at, build=build, kind=kind, bad=bad, seconds=60)


def batch(client: Client, device: int, events: list[HealthEvent], **more: object) -> HealthBatch:
    asked: dict[str, object] = {
        "token": token(client),
        "device": f"{device:032x}",
        "number": 0,
        "sent_at": max((e.at for e in events), default=dt.datetime.now(dt.UTC)),
        "form": "desk-1",
        "level": "7",
        "events": events,
    }
    return HealthBatch.model_validate(asked | more)


def test_it_counts_once_however_often_it_is_sent(world: World, ready: Client) -> None:
    clock = Clock(world)
    sent = batch(ready, 1, [event(1, clock.now), event(1, clock.now, kind=Trouble.LAUNCH)])
    assert ready.health.report(IDENTIFIER, sent).taken == 2
    again = ready.health.report(IDENTIFIER, sent)
    assert (again.taken, again.again) == (0, True)
    clock.pass_(minutes=11)
    found = ready.health.get(TITLE, ON, 1)
    assert (found.devices, found.simulated, found.play_seconds) == (1, 0, 120)
    assert {(r.trouble.value, r.part, r.total) for r in found.rows} == {
        (kind, part, 1) for kind in ("session", "launch") for part in ("", "class", "level")
    }


@pytest.mark.parametrize("years", [-30, 0, 70])
def test_a_clock_that_is_years_off(world: World, ready: Client, years: int) -> None:
    """What happened ten minutes before it was sent happened ten minutes ago."""
    clock = Clock(world)
    clock.pass_(hours=1)
    sent_at = clock.now + dt.timedelta(days=365 * years)
    sent = batch(ready, 1, [event(1, sent_at - dt.timedelta(minutes=10))], sent_at=sent_at)
    assert ready.health.report(IDENTIFIER, sent).taken == 1
    clock.pass_(minutes=11)
    assert ready.health.get(TITLE, ON, 1).rows[0].total == 1


def test_what_cannot_be_is_said_and_the_rest_is_taken(world: World, ready: Client) -> None:
    now = Clock(world).now
    late, early = now + dt.timedelta(hours=1), now - dt.timedelta(days=31)
    events = [event(1, now), event(2, now), event(99, now), event(1, late), event(1, early)]
    taken = ready.health.report(IDENTIFIER, batch(ready, 1, events, sent_at=now))
    assert taken.taken == 1
    assert [(r.index, r.why) for r in taken.refused] == [
        (1, "peatlight#2 was never placed"),
        (2, "peatlight#99 was never placed"),
        (3, "it happens after it is sent"),
        (4, "it is older than 30 days"),
    ]


def test_the_token_of_another_title(world: World, ready: Client) -> None:
    ready.titles.add(DOCUMENT.replace("peatlight", "fogbound").replace("Peatlight", "Fogbound"))
    sent = batch(ready, 1, [event(1, Clock(world).now)])
    for identifier, of in (("example.quillback.fogbound", sent), ("example.quillback.none", sent)):
        with refuses("health.token", where="token"):
            ready.health.report(identifier, of)
    with refuses("health.token"):
        ready.health.report(IDENTIFIER, sent.model_copy(update={"token": "0" * 32}))


def test_a_device_that_reports_ten_thousand_times_a_second(world: World, ready: Client) -> None:
    """It is told to wait, and takes nothing from the others."""
    clock = Clock(world)
    quick = [batch(ready, 1, [event(1, clock.now)], number=n) for n in range(40)]
    answers = []
    transport = httpx.WSGITransport(app=world.app)  # type: ignore[arg-type]
    with httpx.Client(transport=transport, base_url="http://rampa.test") as anybody:
        for each in quick:
            sent = anybody.post(f"/api/v1/health/{IDENTIFIER}", json=each.model_dump(mode="json"))
            answers.append(sent.status_code)
        assert answers == [200] * 30 + [429] * 10
        assert sent.headers["Retry-After"]
        assert sent.json()["type"].endswith("health.throttled")
    assert ready.health.report(IDENTIFIER, batch(ready, 2, [event(1, clock.now)])).taken == 1
    clock.pass_(minutes=1)
    assert ready.health.report(IDENTIFIER, quick[-1]).taken == 1
    clock.pass_(minutes=11)
    # However often it reports, its first sessions are what decides.
    assert ready.health.get(TITLE, ON, 1).rows[0].total == 3 + 1


def crowd(client: Client, clock: Clock, build: int, count: int, bad: int, first: int = 0, form: str = "desk-1") -> None:
    """`count` devices with a session each; `bad` of them end by a crash."""
    for n in range(count):
        sent = batch(client, first + n, [event(build, clock.now, bad=n < bad)], form=form)
        assert client.health.report(IDENTIFIER, sent).taken == 1


def test_a_rollout_that_is_worse_holds_itself(world: World, ready: Client) -> None:
    clock = Clock(world)
    number = place(ready, 2, 20)
    clock.pass_(minutes=5)
    crowd(ready, clock, 1, 60, 0)
    clock.pass_(minutes=1)
    assert watch.watch(world.services) == 0
    assert ready.rollouts.get(TITLE, ON, number).verdict == Verdict.UNSURE
    # One class alone, and all devices of it.
    crowd(ready, clock, 1, 25, 0, 1000, "visor-2")
    crowd(ready, clock, 2, 10, 0, 2000)
    crowd(ready, clock, 2, 22, 22, 3000, "visor-2")
    # A span of time is looked at when it is over, and not before.
    assert watch.watch(world.services) == 0
    clock.pass_(minutes=1)
    assert watch.watch(world.services) == 1
    held = ready.rollouts.get(TITLE, ON, number)
    why = "100.0 % of 22 sessions crash on class visor-2, where the build before has 0.0 % of 25"
    assert (held.state, held.verdict, held.held_why) == ("held", Verdict.WORSE, why)
    assert held.changes[-1].by == "the watch"
    assert f"found peatlight#2 on studio worse than the build before: {why}" in [
        e.sentence for e in ready.events.all(act="health.")
    ]
    seen = ready.health.get(TITLE, ON, number)
    assert (seen.held, seen.before, seen.error) == (True, "peatlight#1", 0.01)
    # What is worse on one channel does not climb to the next, however long it stood there.
    ready.channels.set_gates(TITLE, "early", GatesIn(gates=[GateIn(kind=GateKind.STOOD, channel=ON)]))
    (gate,) = ready.channels.gates(TITLE, "early", 2)
    assert (gate.state, gate.missing) == ("closed", f"it is worse there than the build before: {why}")
    # A person who lets it go on is not overruled by the same figures.
    ready.rollouts.go_on(TITLE, ON, number)
    assert watch.watch(world.services) == 0
    assert ready.rollouts.get(TITLE, ON, number).state == "growing"


def test_hours_before_the_rollout_do_not_count(world: World, ready: Client) -> None:
    """The build before is asked about the same hours: its bad night of last week says nothing."""
    clock = Clock(world)
    clock.pass_(minutes=5)
    crowd(ready, clock, 1, 20, 20)
    clock.pass_(hours=2)
    number = place(ready, 2, 20)
    clock.pass_(minutes=1)
    crowd(ready, clock, 1, 5, 0, 500)
    clock.pass_(minutes=1)
    seen = ready.health.get(TITLE, ON, number)
    assert seen.verdict == Verdict.UNSURE
    crowd(ready, clock, 2, 2, 0, 600)
    clock.pass_(minutes=1)
    row = next(r for r in ready.health.get(TITLE, ON, number).rows if not r.part)
    assert (row.bad, row.total, row.before_bad, row.before_total) == (0, 2, 0, 5)


def test_what_is_old_is_forgotten(world: World, ready: Client) -> None:
    clock = Clock(world)
    crowd(ready, clock, 1, 2, 0)
    watch.forget(world.services)
    clock.pass_(minutes=1)
    assert ready.health.get(TITLE, ON, 1).devices == 2
    clock.now += dt.timedelta(days=31)
    watch.forget(world.services)
    clock.now -= dt.timedelta(days=31)
    assert ready.health.get(TITLE, ON, 1).devices == 0
    with refuses("placement.unknown"):
        ready.health.get(TITLE, ON, 9)
