"""Runs over HTTP: planned, started, given to agents that can, worked on, lost, cancelled; their logs."""

from __future__ import annotations

import datetime as dt
import json
from dataclasses import replace
from pathlib import Path

import httpx
import pytest

from rampa.client import Client
from rampa.core.build.life import BuildState
from rampa.db import BuildRow, find_build
from rampa.operations.runs import assignment
from rampa.operations.sources import repository
from rampa.schema import agents as agents_wire
from rampa.schema.builds.builds import NewBuild
from rampa.schema.runs import NewRuns
from rampa.schema.sources import BranchDefault, SourceIn, StepVariablesIn
from tests.agents import TERMS, FakeAgent
from tests.conftest import World
from tests.gits import Repo, peatlight
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key

TITLE = "peatlight"
DESKTOP = (
    DOCUMENT.replace(
        "[content]",
        f"""[toolchain]
name = "lantern-export"
versions = ">=3.2,<4"
licence = "{TERMS}"
variables = "desktop"

[content]""",
        1,
    )
    + """
[steps.collect]
secrets = ["TOKEN"]
"""
)
CHAIN = agents_wire.ToolchainWire(name="lantern-export", version="3.3.0", licences=[TERMS])


@pytest.fixture
def repo(world: World, client: Client, tmp_path: Path) -> Repo:
    add_key(client)
    client.titles.add(DESKTOP)
    client.variables.put("desktop", StepVariablesIn(variables={"PACE": "1"}, secrets={"TOKEN": "lantern-4f9c"}))
    made = peatlight(tmp_path / "peatlight", DESKTOP)
    client.sources.connect(TITLE, SourceIn(address=str(made.root), every=0))
    assert repository.fetch(world.services, TITLE)
    return made


@pytest.fixture
def agent(world: World, client: Client) -> FakeAgent:
    return FakeAgent(client, world.services, "kiln-1", toolchains=[CHAIN])


def start(client: Client, *profiles: str, **more: object) -> list[int]:
    asked = NewRuns(profiles=list(profiles or ("linux-release",)), **more)
    return [r.number for r in client.runs.start(TITLE, asked)]


def test_a_plan_says_everything_and_changes_nothing(client: Client, repo: Repo, agent: FakeAgent, world: World) -> None:
    FakeAgent(client, world.services, "loft-2")
    plan = client.runs.plan(TITLE, NewRuns(profiles=["linux-release"]))[0]
    assert [s.name for s in plan.steps] == [
        "fetch",
        "toolchain",
        "collect",
        "check",
        "bundle",
        "sign",
        "depots",
        "complete",
    ]
    assert (plan.step_variables, plan.variables, plan.secrets) == ("desktop", ["PACE"], ["TOKEN"])
    assert {a.name: a.lacks for a in plan.agents} == {"kiln-1": [], "loft-2": ["has no lantern-export"]}
    assert (plan.subject, plan.ref, plan.stops, plan.native, plan.expected) == (
        "A night on the bog",
        "branch/main",
        [],
        None,
        None,
    )
    assert "lantern-4f9c" not in plan.model_dump_json()
    assert list(client.runs.all(TITLE)) == []


@pytest.mark.parametrize(
    ("asked", "code", "said"),
    [
        ({"profiles": ["nothing"]}, "profile.unknown", "no profile 'nothing'"),
        ({"profiles": ["linux-release"], "of": "nothing"}, "source.unknown", "no branch, tag or commit"),
        ({"profiles": []}, "run.profiles", "no profile is named"),
        ({"profiles": ["linux-release"], "folder": 3}, "folder.unknown", "no uploaded folder 3"),
        ({"profiles": ["linux-release"], "folder": 1, "of": "main"}, "run.source", "not both"),
        ({"profiles": ["linux-release"], "step_variables": "phones"}, "run.blocked", "no step variables phones"),
        ({"profiles": ["linux-release"], "version_name": "one two"}, "version.name", "cannot be used"),
    ],
)
def test_what_cannot_start_says_why_and_starts_nothing(
    client: Client, repo: Repo, asked: dict[str, object], code: str, said: str
) -> None:
    with refuses(code, said):
        client.runs.start(TITLE, NewRuns(**asked))
    assert list(client.runs.all(TITLE)) == []


def test_the_same_call_twice_starts_once(client: Client, repo: Repo) -> None:
    asked = NewRuns(profiles=["linux-release", "windows-release"])
    first = client.runs.start(TITLE, asked, key="one-and-the-same")
    assert client.runs.start(TITLE, asked, key="one-and-the-same") == first
    assert len({r.together for r in first}) == 1
    assert len(list(client.runs.all(TITLE))) == 2


def test_a_branchs_own_profiles_and_group(client: Client, repo: Repo) -> None:
    client.variables.put("nightly", StepVariablesIn(secrets={"TOKEN": "lantern-4f9c"}))
    own = BranchDefault(pattern="main", profiles=["linux-release", "linux-unsigned"], step_variables="nightly")
    client.sources.set_defaults(TITLE, [own])
    runs = client.runs.start(TITLE, NewRuns(of="main"))
    assert [r.profile for r in runs] == ["linux-release", "linux-unsigned"]
    assert client.runs.get(TITLE, 1).step_variables == "nightly"


def test_from_a_commit_to_a_build(client: Client, repo: Repo, agent: FakeAgent, tmp_path: Path) -> None:
    (number,) = start(client, note="For the weekend.")
    work = agent.work()
    assert (work.run, work.attempt, work.variables, work.secrets) == (
        number,
        1,
        {"PACE": "1"},
        {"TOKEN": "lantern-4f9c"},
    )
    assert work.commit == repo.git("rev-parse", "HEAD")
    for position in range(len(work.steps) - 1):
        agent.step(work, position, "working")
        agent.say(
            work, f"step {position}", "warning: a wagon is late", step=position, level="" if position else "warning"
        )
        agent.step(work, position, "done")
    build = agent.build(work, repo.root, tmp_path / "state")
    agent.end(work, build=build.number)
    run = client.runs.get(TITLE, number)
    assert (run.state, run.build, run.warnings, run.agent) == ("done", build.number, 2, "kiln-1")
    assert [k.count for k in run.kinds] == [1, 1]
    made = client.builds.get(TITLE, build.number)
    assert (made.commit, made.ref, made.run, made.why) == (work.commit, "branch/main", number, "manual")
    assert made.tools == {"lantern-export": "3.3.0"}
    assert (made.notes, made.created_by, made.subject) == ("", "Iida", "A night on the bog")
    assert list(made.durations)[:2] == ["fetch", "toolchain"]
    assert made.signed
    assert client.runs.plan(TITLE, NewRuns(profiles=["linux-release"]))[0].expected is not None


def test_runs_go_to_who_can_and_the_others_say_what_is_missing(client: Client, repo: Repo, world: World) -> None:
    start(client)
    assignment.assign(world.services)
    assert client.runs.get(TITLE, 1).waits_for.startswith("No agent is there")
    old = FakeAgent(client, world.services, "yard-3", toolchains=[CHAIN.model_copy(update={"version": "3.1.0"})])
    assert old.ask().work is None
    run = client.runs.get(TITLE, 1)
    assert "yard-3 comes nearest: it has lantern-export 3.1.0, and >=3.2,<4 is wanted" in run.waits_for
    assert run.nearest == "yard-3"
    old.abilities.toolchains[0] = CHAIN.model_copy(update={"licences": []})
    old.ask()
    assert old.ask().work is None
    assert "has not accepted the licence" in client.runs.get(TITLE, 1).waits_for
    new = FakeAgent(client, world.services, "kiln-1", toolchains=[CHAIN])
    client.agents.change("kiln-1", paused=True)
    assert new.ask().work is None
    assert "Paused: kiln-1" in client.runs.get(TITLE, 1).waits_for
    client.agents.change("kiln-1", paused=False)
    assert new.work().run == 1
    start(client)
    assert new.ask().work is None
    assert client.runs.get(TITLE, 2).waits_for == "Waits for an agent to be free: kiln-1 (1 of 1)"
    queue = client.runs.queue()
    assert [(q.run.number, q.place) for q in queue.items] == [(1, 0), (2, 1)]
    assert {a.name: a.busy for a in queue.agents} == {"yard-3": 0, "kiln-1": 1}


def later(world: World, seconds: float) -> object:
    moment = world.services.now() + dt.timedelta(seconds=seconds)
    return replace(world.services, now=lambda: moment)


def test_a_silent_agent_loses_its_run_and_its_build_is_given_up(
    client: Client, repo: Repo, agent: FakeAgent, world: World
) -> None:
    start(client)
    work = agent.work()
    agent.step(work, 0, "working")
    agent.say(work, "half of the fog")
    opened = client.builds.open(TITLE, NewBuild(profile="linux-release", lease=work.lease))
    assert client.builds.open(TITLE, NewBuild(profile="linux-release", lease=work.lease)).number == opened.number
    assert assignment.look_for_lost(world.services) == 0
    assert assignment.look_for_lost(later(world, 40)) == 1  # type: ignore[arg-type]
    run = client.runs.get(TITLE, 1)
    assert (run.state, run.attempt, run.attempts[0].steps[0].state) == ("waiting", 1, "stopped")
    assert "half of the fog" in [r.text for r in run.tail]
    assert client.builds.get(TITLE, opened.number).state == "abandoned"
    for late in (
        lambda: agent.step(work, 1, "working"),
        lambda: agent.say(work, "late"),
        lambda: client.builds.open(TITLE, NewBuild(profile="linux-release", lease=work.lease)),
        lambda: agent.client.agents.end_run(agent.name, work.lease, agents_wire.EndIn(result="done")),
    ):
        with refuses("lease.lost", "does not have that run"):
            late()
    other = FakeAgent(client, world.services, "loft-2", toolchains=[CHAIN])
    again = other.work()
    assert agent.ask().lost == [work.lease]
    assert (again.run, again.attempt) == (1, 2)
    assert (
        client.builds.open(TITLE, NewBuild(profile="linux-release", lease=again.lease)).version_code
        > opened.version_code
    )


@pytest.mark.parametrize("stopping", [False, True])
def test_whose_build_is_whole_is_done_though_its_agent_is_lost(
    stopping: bool, client: Client, repo: Repo, agent: FakeAgent, world: World
) -> None:
    start(client)
    work = agent.work()
    opened = client.builds.open(TITLE, NewBuild(profile="linux-release", lease=work.lease))
    with world.services.db.transaction() as session:
        session.get_one(BuildRow, find_build(session, TITLE, opened.number).id).state = BuildState.READY
    if stopping:
        client.runs.cancel(TITLE, 1)
    # Killed between the last byte of its build and its word that it is done.
    assert assignment.look_for_lost(later(world, 40)) == 1  # type: ignore[arg-type]
    run = client.runs.get(TITLE, 1)
    assert (run.state, run.build, run.attempt) == ("done", opened.number, 1)
    assert "the run is done" in run.tail[-1].text
    with world.services.db.transaction() as session:
        jobs = session.connection().exec_driver_sql("select task_name from procrastinate_jobs").scalars().all()
    assert {"place_by_itself", "submit_by_itself"} <= set(jobs)
    assert assignment.assign(world.services) == 0
    with refuses("lease.lost"):
        agent.client.agents.end_run(agent.name, work.lease, agents_wire.EndIn(result="done"))


def test_an_agent_that_was_started_anew_loses_at_once_what_it_had(
    client: Client, repo: Repo, agent: FakeAgent, world: World
) -> None:
    start(client)
    agent.work()
    again = FakeAgent(client, world.services, "kiln-1", toolchains=[CHAIN])
    assert assignment.look_for_lost(world.services) == 1
    assert again.work().attempt == 2
    with refuses("agent.replaced", "another process runs as agent kiln-1"):
        agent.ask()


def test_a_run_that_is_lost_again_and_again_fails_with_that_cause(
    client: Client, repo: Repo, agent: FakeAgent, world: World
) -> None:
    start(client)
    for attempt in (1, 2, 3):
        agent.holds.clear()
        assert agent.work().attempt == attempt
        assignment.look_for_lost(later(world, 40))  # type: ignore[arg-type]
    run = client.runs.get(TITLE, 1)
    assert run.state == "failed"
    assert run.cause
    assert (run.cause.code, run.cause.sentence) == ("agent.lost", "The run was lost 3 times: kiln-1, kiln-1, kiln-1")


def test_cancelling(client: Client, repo: Repo, agent: FakeAgent) -> None:
    first, second = start(client, "linux-release", "windows-release")
    work = agent.work()
    assert client.runs.cancel(TITLE, second).state == "cancelled"
    assert client.runs.cancel(TITLE, first).state == "stopping"
    assert client.runs.cancel(TITLE, first).state == "stopping"
    assert agent.ask().stop == [work.lease]
    assert agent.client.agents.beat(agent.name, work.lease, None).stop
    agent.end(work, "stopped")
    assert client.runs.get(TITLE, first).state == "cancelled"
    done = start(client)
    agent.end(agent.work())
    with refuses("state.conflict", "cancel is not possible now"):
        client.runs.cancel(TITLE, done[0])


def test_a_run_cancelled_before_its_agent_had_it_ends_by_itself(
    client: Client, repo: Repo, agent: FakeAgent, world: World
) -> None:
    start(client)
    assignment.assign(world.services)
    client.runs.cancel(TITLE, 1)
    assert agent.ask().work is None
    assert client.runs.get(TITLE, 1).state == "cancelled"


def test_a_failure_has_its_cause_and_can_be_started_again(client: Client, repo: Repo, agent: FakeAgent) -> None:
    start(client)
    with refuses("run.open", "is waiting"):
        client.runs.repeat(TITLE, 1)
    work = agent.work()
    agent.step(work, 0, "working")
    agent.step(work, 0, "failed", "exit code 1")
    agent.end(work, "failed", code="time.limit", step="fetch", detail="its limit of 60 s")
    run = client.runs.get(TITLE, 1)
    assert run.cause
    assert run.cause.sentence == "The step fetch took longer than its limit of 60 s"
    assert [s.state for s in run.attempts[0].steps[:2]] == ["failed", "not-reached"]
    again = client.runs.repeat(TITLE, 1)
    assert (again.number, again.commit, again.why) == (2, run.commit, "repeat")


def test_an_agent_may_not_claim_a_build_that_is_not_the_runs(
    client: Client, repo: Repo, agent: FakeAgent, tmp_path: Path
) -> None:
    start(client, "linux-release", "windows-release")
    first = agent.work()
    build = agent.build(first, repo.root, tmp_path / "s")
    agent.end(first, build=build.number)
    second = agent.work()
    with refuses("build.other", "is not a finished build of this run"):
        agent.client.agents.end_run(agent.name, second.lease, agents_wire.EndIn(result="done", build=build.number))


def test_a_log_is_kept_once_searched_folded_and_streamed(
    client: Client, repo: Repo, agent: FakeAgent, world: World
) -> None:
    start(client)
    work = agent.work()
    agent.say(work, *(f"wagon {n} is home" for n in range(3000)))
    agent.say(
        work, "src/fog.c:7:31: error: 'lanterns' undeclared", "src/fog.c:9:1: error: 'owls' undeclared", level="error"
    )
    agent.client.agents.send_log(agent.name, work.lease, agents_wire.LogIn(batch=2, lines=[(0, 0, "error", "again")]))
    with refuses("log.gap", "batch 3 of the log is missing"):
        agent.client.agents.send_log(agent.name, work.lease, agents_wire.LogIn(batch=5, lines=[]))
    run = client.runs.get(TITLE, 1)
    assert (run.log_lines, run.errors, run.first_error) == (3003, 2, 3002)
    assert [(k.count, k.lines) for k in run.kinds] == [(2, [3002, 3003])]
    part = client.runs.log(TITLE, 1, start=2999, limit=3)
    assert [row[3] for row in part.rows] == ["wagon 2997 is home", "wagon 2998 is home", "wagon 2999 is home"]
    assert client.runs.search_log(TITLE, 1, "WAGON 299").numbers == [301, *range(2992, 3002)]
    text = b"".join(client.runs.log_text(TITLE, 1)).decode()
    assert text.count("\n") == 3003
    agent.end(work)
    seen = list(client.runs.watch(TITLE, 1, after=3001))
    lines = [row[3] for event in seen for row in getattr(event, "rows", ())]
    assert lines[0].startswith("src/fog.c:7")
    assert lines[-1] == "The run is done."
    assert seen[-1].state == "done"  # type: ignore[union-attr]


def test_what_agents_say_of_several_lines_stays_readable(client: Client, repo: Repo, agent: FakeAgent) -> None:
    start(client)
    work = agent.work()
    two = agents_wire.LogIn.model_construct(batch=1, lines=[(0, 0, "", "one\ntwo")])
    with refuses("request.invalid"):
        agent.client.agents.send_log(agent.name, work.lease, two)
    agent.end(work, "failed", code="step.failed", step="check", detail="two files:\n  a: bad\tname\r\n  b")
    lines = [row[3] for row in client.runs.log(TITLE, 1).rows]
    assert lines[-1] == "  b."
    assert len(lines) == 4


def test_events_come_with_numbers_to_go_on_from(client: Client, repo: Repo, agent: FakeAgent, world: World) -> None:
    start(client)
    agent.end(agent.work(), "failed", code="step.failed", detail="exit code 3")
    transport = httpx.WSGITransport(app=world.app)  # type: ignore[arg-type]
    headers = {"Authorization": f"Bearer {world.token()}", "Last-Event-ID": "1"}
    with httpx.Client(transport=transport, base_url="http://rampa.test", headers=headers) as http:
        answer = http.get(f"/api/v1/titles/{TITLE}/runs/1/stream")
    assert answer.headers["content-type"].startswith("text/event-stream")
    events = [
        dict(line.split(": ", 1) for line in block.split("\n")) for block in answer.text.strip().split("\n\n")[1:]
    ]
    assert [(e["event"], e["id"]) for e in events] == [("lines", "2"), ("run", "2"), ("end", "2")]
    assert json.loads(events[0]["data"])["start"] == 2


def test_only_content_changed(client: Client, repo: Repo, agent: FakeAgent, world: World, tmp_path: Path) -> None:
    start(client)
    work = agent.work()
    agent.end(work, build=agent.build(work, repo.root, tmp_path / "s").number)
    repo.commit("words", {"locale/en.json": '{"a": "b"}'})
    repository.fetch(world.services, TITLE)
    native = client.runs.plan(TITLE, NewRuns(profiles=["linux-release"]))[0].native
    assert native
    assert (native.needed, native.since) == (False, 1)
    repo.commit("fog", {"src/fog.c": "int fog = 5;\n"})
    repository.fetch(world.services, TITLE)
    native = client.runs.plan(TITLE, NewRuns(profiles=["linux-release"]))[0].native
    assert native
    assert (native.needed, native.changed) == (True, ["src/fog.c"])
    client.titles.revise(TITLE, DESKTOP.replace('versions = ">=3.2,<4"', 'versions = ">=3.3"'), "newer", 1)
    native = client.runs.plan(TITLE, NewRuns(profiles=["linux-release"], of="main"))[0].native
    assert native
    assert native.changed == ["setting toolchain.versions", "src/fog.c"]


def test_two_builds_side_by_side_and_retention(
    client: Client, repo: Repo, agent: FakeAgent, world: World, tmp_path: Path
) -> None:
    for number in (1, 2, 3):
        if number > 1:
            repo.commit(
                f"change {number}",
                {"locale/en.json": f'{{"n": {number}}}', f"data/{number}.bin": bytes([number]) * 3000},
            )
            repository.fetch(world.services, TITLE)
        start(client)
        work = agent.work()
        agent.end(work, build=agent.build(work, repo.root, tmp_path / "s").number)
    c = client.builds.compare(TITLE, 1, 3)
    assert [k.subject for k in c.commits] == ["change 3", "change 2"]
    assert (c.added, c.removed, c.changed, c.same_native) == (2, 0, 1, True)
    assert {f.path: f.kind for f in c.files} == {
        "data/2.bin": "added",
        "data/3.bin": "added",
        "locale/en.json": "changed",
    }
    assert [k.subject for k in client.builds.compare(TITLE, 3, 1).commits_back] == ["change 3", "change 2"]
    from rampa.schema.builds.changes import RetentionPolicy

    client.builds.pin(TITLE, 1, pinned=True)
    policy = RetentionPolicy(keep_newest=1, keep_days=0)
    seen = client.builds.set_retention(TITLE, policy)
    assert ([b.number for b in seen.removes], [(k.number, k.why) for k in seen.keeps]) == ([2], [(1, "it is pinned")])
    with refuses("retention.moved", "other builds would go now"):
        client.builds.apply_retention(TITLE, [1, 2])
    client.builds.apply_retention(TITLE, [2])
    assert client.builds.get(TITLE, 2).state == "removed"
    from rampa.operations.store import collection

    before = {n: client.builds.files(TITLE, n) for n in (1, 3)}
    assert collection.collect(world.services, None, dt.timedelta(0), dt.timedelta(0)).removed >= 0
    assert collection.collect(world.services, None, dt.timedelta(0), dt.timedelta(0)).removed >= 0
    for n in (1, 3):
        assert client.builds.files(TITLE, n) == before[n]
        client.builds.save_bundle(TITLE, n, tmp_path / f"{n}.zip")
    with refuses("build.not-ready", "is removed"):
        client.builds.files(TITLE, 2)
