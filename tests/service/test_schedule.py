"""Scheduled placements: at a moment or when gates open, once, in the name of who scheduled them; builds that go by themselves."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.placement.gates import GateKind
from rampa.db import find_build
from rampa.operations.base import begin
from rampa.operations.releases import by_itself, schedule
from rampa.operations.runs import triggers
from rampa.operations.sources import repository
from rampa.schema.channels import GateIn, GatesIn
from rampa.schema.common import Role
from rampa.schema.people import PersonChange
from rampa.schema.releases import NewRelease
from rampa.schema.runs import NewRuns
from rampa.schema.schedule import NewScheduled, Scheduled
from rampa.schema.sources import BranchDefault, NewTrigger
from tests.agents import FakeAgent, with_repository
from tests.clock import Clock
from tests.conftest import Begun, World
from tests.gits import commit
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder

TITLE, ON = "peatlight", "testers"


@pytest.fixture
def ready(client: Client, begun: Begun, tmp_path: Path) -> Client:
    """#1 and #2 are 1.4.0 for Linux and Windows; #3 is 1.5.0 for Linux. Nothing is placed."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        folder = make_folder(tmp_path / "source", 100_000)
        for profile in ("linux-release", "windows-release"):
            build(client, folder, tmp_path / "state", profile)
        change_folder(folder)
        build(client, folder, tmp_path / "state", version_name="1.5.0")

    begun(fill)
    return client


def plan(client: Client, at: dt.datetime | None, build: object = 1, **more: object) -> Scheduled:
    asked: dict[str, object] = {"channel": ON, "build": build, "at": at, **more}
    return client.schedule.add(TITLE, NewScheduled.model_validate(asked))


def live(client: Client) -> list[tuple[int, str, float, str]]:
    return [(p.build.number, p.state.value, p.share, p.placed_by) for p in client.channels.get(TITLE, ON).live]


def states(client: Client) -> list[tuple[str, str]]:
    return [(s.state.value, s.said) for s in client.schedule.all(TITLE, over=True)]


def test_at_a_moment_and_not_before(world: World, ready: Client) -> None:
    clock = Clock(world)
    made = plan(ready, clock.now + dt.timedelta(hours=2), plan="5 %, all after 3 h")
    assert (made.what, made.channel, made.state, made.by) == ("peatlight#1", ON, "waiting", "Iida")
    clock.pass_(minutes=119)
    assert (schedule.place_due(world.services), live(ready)) == (0, [])
    clock.pass_(minutes=1)
    assert (schedule.place_due(world.services), live(ready)) == (1, [(1, "growing", 5.0, "Iida")])
    assert schedule.place_due(world.services) == 0
    assert states(ready) == [("done", "")]
    assert ready.schedule.all(TITLE) == []
    sentences = [e.sentence for e in ready.events.all(act="scheduled.")]
    assert sentences == [
        "placed peatlight#1 on testers as scheduled",
        f"scheduled peatlight#1 on testers, {made.at:%F %H:%M} UTC",
    ]


def test_moved_and_cancelled(world: World, ready: Client) -> None:
    clock = Clock(world)
    soon, later = clock.now + dt.timedelta(hours=1), clock.now + dt.timedelta(hours=5)
    first, second = plan(ready, soon), plan(ready, soon, 3)
    assert ready.schedule.move(TITLE, first.number, later).at == later
    assert not ready.schedule.cancel(TITLE, second.number).allowed_actions[0].possible
    clock.pass_(hours=2)
    assert (schedule.place_due(world.services), live(ready)) == (0, [])
    with refuses("schedule.past", "is over"):
        ready.schedule.move(TITLE, first.number, soon)
    with refuses("schedule.over", "is cancelled"):
        ready.schedule.move(TITLE, second.number, later)
    with refuses("state.conflict"):
        ready.schedule.cancel(TITLE, second.number)
    with refuses("schedule.unknown"):
        ready.schedule.cancel(TITLE, 9)
    clock.pass_(hours=4)
    assert schedule.place_due(world.services) == 1


@pytest.mark.parametrize(
    ("asked", "code"),
    [
        ({"hours": -1}, "schedule.past"),
        ({"hours": 24 * 91}, "schedule.far"),
        ({"build": None}, "schedule.what"),
        ({"release": 1}, "schedule.what"),
        ({"build": 9}, "build.unknown"),
        ({"build": None, "release": 9}, "release.unknown"),
        ({"channel": "fog"}, "channel.unknown"),
        ({"share": 120}, "share.outside"),
        ({"plan": "5 %"}, "plan.impossible"),
    ],
)
def test_what_cannot_be_scheduled(world: World, ready: Client, asked: dict[str, object], code: str) -> None:
    clock = Clock(world)
    at = clock.now + dt.timedelta(hours=float(str(asked.pop("hours", 1))))
    with refuses(code):
        plan(ready, at, **asked)
    assert states(ready) == []


def test_when_its_gates_open(world: World, ready: Client) -> None:
    clock = Clock(world)
    ready.channels.set_gates(TITLE, ON, GatesIn(gates=[GateIn(kind=GateKind.APPROVED, count=1)]))
    plan(ready, None)
    assert schedule.place_due(world.services) == 0
    (waiting,) = ready.schedule.all(TITLE)
    assert "approved by 1 other person: 0 of 1" in waiting.said
    with world.client(Role.ENGINEER) as engineer:
        engineer.channels.approve(TITLE, ON, 1)
    # Gates that were closed a moment ago are not asked again at once.
    assert schedule.place_due(world.services) == 0
    clock.pass_(seconds=31)
    assert (schedule.place_due(world.services), live(ready)) == (1, [(1, "whole", 100.0, "Iida")])


def test_a_closed_gate_at_the_moment_refuses_and_says_why(world: World, ready: Client) -> None:
    clock = Clock(world)
    ready.channels.set_gates(TITLE, ON, GatesIn(gates=[GateIn(kind=GateKind.APPROVED, count=1)]))
    plan(ready, clock.now + dt.timedelta(minutes=1))
    clock.pass_(minutes=2)
    assert (schedule.place_due(world.services), live(ready)) == (0, [])
    ((state, said),) = states(ready)
    assert state == "refused"
    assert "approved by 1 other person: 0 of 1" in said
    # It stays in sight until it goes.
    assert [s.state for s in ready.schedule.all(TITLE)] == ["refused"]
    ready.channels.set_gates(TITLE, ON, GatesIn(gates=[]))
    ready.channels.place(TITLE, ON, 1, ready.channels.preview(TITLE, ON, 1).etag)
    assert ready.schedule.all(TITLE) == []
    assert [s.state for s in ready.schedule.all(TITLE, over=True)] == ["refused"]


def test_all_lines_of_a_release(world: World, ready: Client) -> None:
    clock = Clock(world)
    ready.releases.make(TITLE, NewRelease(builds=[1, 2]))
    plan(ready, clock.now + dt.timedelta(minutes=1), None, release=1, share=20)
    clock.pass_(minutes=2)
    assert schedule.place_due(world.services) == 1
    assert live(ready) == [(1, "growing", 20.0, "Iida"), (2, "growing", 20.0, "Iida")]


def test_whoever_scheduled_it_and_may_not_any_more(world: World, ready: Client) -> None:
    clock = Clock(world)
    with world.client(Role.ENGINEER) as engineer:
        plan(engineer, clock.now + dt.timedelta(hours=1))
        person = next(p for p in ready.people.all() if p.role == Role.ENGINEER)
    ready.people.change(person.id, PersonChange(role=Role.VIEWER))
    clock.pass_(hours=2)
    assert (schedule.place_due(world.services), live(ready)) == (0, [])
    ((state, said),) = states(ready)
    assert (state, said) == ("refused", "a viewer may not place builds")


def test_killed_between_placing_and_noting_it_places_once(
    world: World, ready: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = Clock(world)
    plan(ready, clock.now + dt.timedelta(minutes=1))
    clock.pass_(minutes=2)
    with monkeypatch.context() as killed:
        killed.setattr(schedule, "_note", lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
        with pytest.raises(KeyboardInterrupt):
            schedule.place_due(world.services)
    assert live(ready) == [(1, "whole", 100.0, "Iida")]
    assert states(ready) == [("waiting", "")]
    assert schedule.place_due(world.services) == 1
    assert states(ready) == [("done", "")]
    assert len(ready.channels.get(TITLE, ON).history) == 1


PLACED = DOCUMENT.replace("[profiles.linux-release]\n", '[profiles.linux-release]\nplace = "studio"\n')


def finished(client: Client, world: World, agent: FakeAgent, root: Path) -> int:
    """A run of what waits makes a build, and the worker does what follows."""
    work = agent.work()
    made = agent.build(work, make_folder(root / "source", 100_000), root / "state").number
    agent.end(work, build=made)
    with begin(world.services) as uow:
        ident = find_build(uow.session, TITLE, made).id
    for _ in range(2):  # a worker that was killed does it again
        by_itself.place_by_itself(world.services, ident)
    return made


def where(client: Client, number: int) -> list[tuple[str, str]]:
    return [(c.name, p.placed_by) for c in client.channels.all(TITLE) for p in c.live if p.build.number == number]


def test_a_profile_says_where_its_builds_go(world: World, client: Client, tmp_path: Path) -> None:
    agent = with_repository(world.services, client, tmp_path)
    client.titles.revise(TITLE, PLACED, "Nightly builds go to the studio.", 1)
    client.runs.start(TITLE, NewRuns(profiles=["linux-release"]))
    number = finished(client, world, agent, tmp_path)
    assert where(client, number) == [("studio", "Iida")]
    assert [(s.state.value, s.what) for s in client.schedule.all(TITLE, over=True)] == [("done", f"peatlight#{number}")]


def test_a_trigger_says_it_before_the_branch(world: World, client: Client, tmp_path: Path) -> None:
    agent = with_repository(world.services, client, tmp_path)
    client.sources.set_defaults(TITLE, [BranchDefault(pattern="main", profiles=["linux-release"], place="studio")])
    client.runs.add_trigger(TITLE, NewTrigger(name="nights", kind="branch", pattern="main", place="testers"))
    triggers.after_fetch(world.services, TITLE)
    commit(tmp_path / "peatlight", "Fog over Marrow Bend", {"src/fog.c": "int fog = 2;\n"})
    repository.fetch(world.services, TITLE)
    triggers.after_fetch(world.services, TITLE)
    number = finished(client, world, agent, tmp_path)
    assert where(client, number) == [("testers", "trigger nights")]


def test_never_past_a_gate_that_a_person_must_pass(world: World, client: Client, tmp_path: Path) -> None:
    agent = with_repository(world.services, client, tmp_path)
    client.channels.set_gates(TITLE, "testers", GatesIn(gates=[GateIn(kind=GateKind.APPROVED, count=1)]))
    client.sources.set_defaults(TITLE, [BranchDefault(pattern="*", profiles=["linux-release"], place="testers")])
    client.runs.start(TITLE, NewRuns(of="main"))
    number = finished(client, world, agent, tmp_path)
    assert where(client, number) == []
    (refused,) = client.schedule.all(TITLE, over=True)
    assert (refused.state, refused.build) == ("refused", number)
    assert "approved by 1 other person: 0 of 1" in refused.said


def test_a_channel_that_is_not_there_is_said(world: World, client: Client, tmp_path: Path) -> None:
    agent = with_repository(world.services, client, tmp_path)
    client.sources.set_defaults(TITLE, [BranchDefault(pattern="*", profiles=["linux-release"], place="press")])
    client.runs.start(TITLE, NewRuns(of="main"))
    number = finished(client, world, agent, tmp_path)
    assert client.schedule.all(TITLE, over=True) == []
    said = f"found no channel press for peatlight#{number} to go to by itself"
    assert said in [e.sentence for e in client.events.all(act="scheduled.")]
